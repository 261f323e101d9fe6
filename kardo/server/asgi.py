"""The web server's entry: ordinary requests in a fixed number of threads, events as streams.

Django's own way of answering an ordinary request inside an event loop hands it to and fro between threads and the loop at
every step, which costs more than many an answer.
"""

import os

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")

from a2wsgi import WSGIMiddleware
from django.core.asgi import get_asgi_application
from django.core.wsgi import get_wsgi_application

THREADS = 4  # of each of the web server's processes, and as many again for who waits for live figures

_streams = get_asgi_application()
_django = get_wsgi_application()
_requests, _live = WSGIMiddleware(_django, workers=THREADS), WSGIMiddleware(_django, workers=THREADS)


async def application(scope, receive, send):
    """Streams of events to the event loop, questions that wait for another process to threads of their own, all else to
    the threads."""
    path = scope.get("path", "")
    if scope["type"] == "lifespan" or path.endswith("/events"):
        await _streams(scope, receive, send)
    else:
        await (_live if path.endswith("/live") else _requests)(scope, receive, send)
