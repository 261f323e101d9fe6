"""The web server's entry: ordinary requests in a fixed number of threads, events as streams.

Django's own way of answering an ordinary request inside an event loop hands it to and fro between threads and the loop
at every step, which costs more than many an answer."""

import gc
import os
import time
from collections import OrderedDict
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")

from a2wsgi import WSGIMiddleware
from django.core.asgi import get_asgi_application
from django.core.wsgi import get_wsgi_application
from django.urls import get_resolver
from threadpoolctl import threadpool_limits

THREADS = 4  # of each of the web server's processes, and as many again for who waits for live figures

_streams = get_asgi_application()
_django: Any = get_wsgi_application()
# loaded before the server forks, and left alone by the collector, all of it is in memory once
_ = get_resolver().url_patterns
gc.collect()
gc.freeze()
threadpool_limits(1, "blas")  # requests come several at a time: threads of their own would wait for each other
_requests, _live = WSGIMiddleware(_django, workers=THREADS), WSGIMiddleware(_django, workers=THREADS)


KEPT_OPEN = 10.0  # seconds; a browser then connects anew, and whichever process has time takes it
MOST_KNOWN = 1000
_since = OrderedDict[
    tuple[str, int], float
]()  # connections of this process, by the other end's address: when each was first seen


def _old(client: tuple[str, int] | None) -> bool:
    """Whether a connection is to be closed. Left open, all that came first would stay with whichever process was
    quicker then, and keep it busy while another is idle."""
    if client is None:
        return False
    now = time.monotonic()
    if now - _since.setdefault(client, now) < KEPT_OPEN:
        while len(_since) > MOST_KNOWN:
            _since.popitem(last=False)
        return False
    del _since[client]
    return True


async def application(scope: Any, receive: Any, send: Any) -> None:
    """Streams of events to the event loop, questions that wait for another process to threads of their own, all else to
    the threads."""
    path = scope.get("path", "")
    if scope["type"] == "lifespan" or path.endswith("/events"):
        await _streams(scope, receive, send)
        return

    async def answer(message: Any) -> None:
        if message["type"] == "http.response.start" and _old(scope.get("client")):
            message = {**message, "headers": [*message["headers"], (b"connection", b"close")]}
        await send(message)

    await (_live if path.endswith("/live") else _requests)(scope, receive, answer)
