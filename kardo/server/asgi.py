"""The web server's entry: files and streams of events on the event loop, ordinary requests in a few threads.

Django's own way of answering an ordinary request inside an event loop hands it to and fro between threads and the loop
at every step, which costs more than many an answer."""

import asyncio
import contextlib
import gc
import json
import logging
import os
import re
import time
from collections import OrderedDict
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")

from django.core.asgi import get_asgi_application
from django.core.wsgi import get_wsgi_application
from django.urls import get_resolver
from threadpoolctl import threadpool_limits

from kardo.server.door.assets import Assets
from kardo.server.door.bodies import IN_MEMORY, Gone, Refused, declared, drained, most_of, read_body
from kardo.server.door.known import signed_in
from kardo.server.door.threads import Answer, Threads

log = logging.getLogger(__name__)
# of each of the web server's processes; as many again for live figures, for the outside, and for sign-ins, whose
# passwords take their time: each kind waits for its own alone
THREADS = 4
HEALTH_SECONDS = 5.0  # that a thread may let itself be waited for
OUTSIDE = re.compile(r"^/api/jobs/[^/]+/(casters|receivers|stations|networks|airspace|authorities|close/processing)\b")
PIECE = 65_536  # bytes sent at once: who reads slowly, but reads, is not taken for one who reads nothing

_streams = get_asgi_application()
_django: Any = get_wsgi_application()
# loaded before the server forks, and left alone by the collector, all of it is in memory once
_ = get_resolver().url_patterns
_assets = Assets()
gc.collect()
gc.freeze()
threadpool_limits(1, "blas")  # requests come several at a time: threads of their own would wait for each other
_requests, _live, _outside, _entry = (
    Threads(_django, THREADS, name) for name in ("requests", "live", "outside", "entry")
)


KEPT_OPEN = 10.0  # seconds; a browser then connects anew, and whichever process has time takes it
MOST_KNOWN = 1000
# connections of this process, by the other end's address: when each was first seen
_since = OrderedDict[tuple[str, int], float]()


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
    """Streams of events, files and refusals from the event loop; all else from threads, once the request is there."""
    path = scope.get("path", "")
    if scope["type"] == "lifespan":
        from kardo.server.accounts.seen import seen  # once Django is set up

        seen.listen()  # after the fork: a thread of this process alone
    if scope["type"] == "lifespan" or path.endswith("/events"):
        await _streams(scope, receive, send)
        return
    closing = _old(scope.get("client"))
    try:
        answer = _assets.answer(scope) or await (_healthy() if path == "/healthz" else _answered(scope, receive))
    except Refused as fault:
        log.warning("%s %s refused: %s", scope["method"], path[:200], fault)
        await drained(receive)
        answer, closing = _problem(fault), True
    except Gone:
        return
    headers = [*answer.headers, (b"connection", b"close")] if closing else answer.headers
    with contextlib.suppress(RuntimeError):  # who asked is gone, and so is the connection
        await send({"type": "http.response.start", "status": answer.status, "headers": headers})
        await _sent(b"" if scope["method"] == "HEAD" else answer.body, send)


async def _sent(body: bytes, send: Any) -> None:
    """A body in pieces, each once what went before is read."""
    for begin in range(0, len(body), PIECE):
        await send({"type": "http.response.body", "body": body[begin : begin + PIECE], "more_body": True})
    await send({"type": "http.response.body", "body": b""})


async def _answered(scope: Any, receive: Any) -> Answer:
    """Django's answer. A large body is read for somebody who is signed in alone."""
    path = scope["path"]
    threads = _threads_for(scope["method"], path)
    kind, length = declared(scope["headers"])
    most = most_of(path, kind)
    large = most > IN_MEMORY and (length is None or length > IN_MEMORY) and scope["method"] not in ("GET", "HEAD")
    if large and not await _requests.run(signed_in, scope["headers"]):
        raise Refused(401, "You are not signed in.")
    body, size = await read_body(receive, most, length)
    with body:
        return await threads.answer(scope, body, size)


def _threads_for(method: str, path: str) -> Threads:
    if path.startswith("/api/session") and method == "POST":
        return _entry
    return _live if path.endswith("/live") else _outside if OUTSIDE.match(path) else _requests


async def _healthy() -> Answer:
    """Whether this process still answers: its event loop does, and a thread is free in time."""
    try:
        async with asyncio.timeout(HEALTH_SECONDS):
            await _requests.run(time.monotonic)
    except TimeoutError:
        return Answer(503, [(b"content-type", b"text/plain")], b"no thread is free")
    return Answer(200, [(b"content-type", b"text/plain"), (b"cache-control", b"no-store")], b"well")


def _problem(fault: Refused) -> Answer:
    told = {
        "type": "about:blank",
        "title": fault.words,
        "status": fault.status,
        "where": "",
        "mend": "Nothing was changed.",
    }
    return Answer(fault.status, [(b"content-type", b"application/problem+json")], json.dumps(told).encode())
