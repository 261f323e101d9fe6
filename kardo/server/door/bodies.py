"""Bodies of requests, read on the event loop before a thread is taken: within a size and a time, by what is asked."""

import asyncio
import contextlib
import re
from collections.abc import Awaitable, Callable
from tempfile import SpooledTemporaryFile
from typing import Any

IN_MEMORY = 1_000_000  # bytes of a body; what is larger waits on disk
MOST_MULTIPART = 130_000_000  # the largest file that is taken, with what is around it
MOST_JSON = 4_000_000  # a step of edits, a set of residuals
MOST: tuple[tuple[re.Pattern[str], int], ...] = (
    (re.compile(r"^/api/session"), 4_000),
    (re.compile(r"^/api/verify"), 30_000_000),
    (re.compile(r"^/api/jobs/import$"), 12_500_000),
)
SILENCE = 20.0  # seconds without a byte
SLOWEST = 2_000  # bytes a second over the whole of a body, a picture on a weak signal in the field; after
BEGINNING = 60.0  # seconds
DRAIN_SECONDS = 10.0  # that what is refused may still come

Receive = Callable[[], Awaitable[Any]]
Body = SpooledTemporaryFile[bytes]


class Refused(Exception):
    """A body that is not taken: status, and why in words."""

    def __init__(self, status: int, words: str) -> None:
        super().__init__(words)
        self.status, self.words, self.mend = status, words, "Nothing was changed."


class Gone(Exception):
    """Whoever sent it is no longer there."""


def most_of(path: str, kind: str) -> int:
    """How many bytes a body may have, by what is asked and the type it says it is of.

    >>> most_of("/api/session", "application/json"), most_of("/api/jobs", "application/json")
    (4000, 4000000)
    """
    for pattern, most in MOST:
        if pattern.search(path):
            return most
    return MOST_MULTIPART if kind.startswith("multipart/form-data") else MOST_JSON


def declared(headers: list[tuple[bytes, bytes]]) -> tuple[str, int | None]:
    """Type and length of a body as its head declares them; None where it does not. Raises Refused for a length that is
    no number, and for a multipart body without the boundary that parts it."""
    found = {name: value.decode("latin-1") for name, value in headers if name in (b"content-type", b"content-length")}
    kind, length = found.get(b"content-type", "").lower().strip(), found.get(b"content-length")
    if length is not None and not length.strip().isdigit():
        raise Refused(400, "The length of the request is no number.")
    if kind.startswith("multipart/") and not re.search(r"boundary=\"?[^\s\";]{1,70}", kind):
        raise Refused(400, "The parts of the request have no boundary.")
    return kind, None if length is None else int(length)


async def read_body(receive: Receive, most: int, length: int | None) -> tuple[Body, int]:
    """A body and its size. Raises Refused for one that is larger or slower than it may be, Gone where its sender is."""
    if length is not None and length > most:
        raise Refused(413, f"The request is larger than {most / 1e6:g} MB.")
    body, size, loop = SpooledTemporaryFile[bytes](IN_MEMORY), 0, asyncio.get_running_loop()
    began, more = loop.time(), True
    try:
        while more:
            async with asyncio.timeout(SILENCE):
                message = await receive()
            if message["type"] == "http.disconnect":
                raise Gone
            piece, more = message.get("body", b""), message.get("more_body", False)
            size += len(piece)
            if size > most:
                raise Refused(413, f"The request is larger than {most / 1e6:g} MB.")
            if loop.time() - began > BEGINNING + size / SLOWEST:
                raise Refused(408, "The request comes too slowly.")
            body.write(piece)
    except TimeoutError:
        body.close()
        raise Refused(408, "The request stopped coming.") from None
    except BaseException:
        body.close()
        raise
    body.seek(0)
    return body, size


async def drained(receive: Receive) -> None:
    """Let what still comes of a refused body pass for a while, unkept: whoever sends it to the end hears why."""
    with contextlib.suppress(TimeoutError):
        async with asyncio.timeout(DRAIN_SECONDS):
            message = await receive()
            while message["type"] == "http.request" and message.get("more_body", False):
                message = await receive()
