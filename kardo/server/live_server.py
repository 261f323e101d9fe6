"""The process that keeps networks solved for live answers."""

from threadpoolctl import threadpool_limits

from kardo.server.memory import give_back
from kardo.server.predictions.ipc import serve
from kardo.server.predictions.solved_networks import METHODS, Networks
from kardo.server.questions.live import where
from kardo.warm import warm


def run() -> None:
    """Until stopped. Live answers are many small products of matrices: on one BLAS thread they take half the time of
    two that wake and wait for each other, and the other core is left to the web server and the workers."""
    threadpool_limits(1, "blas")
    warm()
    give_back()
    serve(*where(), METHODS, Networks().by_method)
