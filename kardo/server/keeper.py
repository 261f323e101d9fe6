"""The entry of the process that keeps networks solved for live answers.

Live answers are many small products of matrices: on one BLAS thread they take half the time of two that wake and wait for
each other, and the other core is left to the web server and the workers.
"""

import argparse
import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OMP_WAIT_POLICY", "passive")
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")

import django


def main() -> None:
    """Until stopped."""
    django.setup()
    from kardo.server.memory import give_back
    from kardo.server.predictions.apart import serve
    from kardo.server.predictions.live import where
    from kardo.server.predictions.networks import Networks
    from kardo.warm import warm

    parser = argparse.ArgumentParser(description="Keeps networks solved, and answers what they say with other control.")
    parser.add_argument("--nice", type=int, default=0, help="give way to other processes by so much")
    os.nice(parser.parse_args().nice)
    warm()
    give_back()
    networks = Networks()
    serve(*where(), {"ask": networks.ask, "start": networks.start})


if __name__ == "__main__":
    main()
