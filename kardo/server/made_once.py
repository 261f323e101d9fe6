"""Answers that are made once: kept by what they were made of, and not sent again to a browser that holds them."""

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.utils.cache import get_conditional_response
from pydantic import TypeAdapter

import kardo

MOST_BYTES = 32_000_000


def _edition() -> str:
    """Of the code: another one may say the same in other words. Equal in every process of one installation."""
    files = sorted(Path(kardo.__file__).parent.rglob("*.py"))
    return hashlib.sha256(b"".join(file.read_bytes() for file in files)).hexdigest()[:12]


EDITION = _edition()


class Shelf:
    """Bytes by their tag, the least lately asked for going first."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._held, self._most, self._taken = OrderedDict[str, bytes](), most_bytes, 0
        self._guard = threading.Lock()

    def get(self, tag: str) -> bytes | None:
        """What is held under a tag."""
        with self._guard:
            if tag in self._held:
                self._held.move_to_end(tag)
            return self._held.get(tag)

    def put(self, tag: str, body: bytes) -> None:
        """Hold some bytes, and let go of as many as do not fit."""
        with self._guard:
            self._taken += len(body) - len(self._held.pop(tag, b""))
            self._held[tag] = body
            while self._taken > self._most:
                self._taken -= len(self._held.popitem(last=False)[1])


shelf = Shelf()


def made_once(
    request: HttpRequest, made_of: tuple[Any, ...], kind: TypeAdapter[Any], make: Callable[[], Any]
) -> HttpResponse:
    """The answer of a kind, as JSON. `made_of` is all that it depends on, the plan's revision first; 304 with no body
    where the browser says that it holds the answer made of just that. The tag begins with the revision. What an edit
    changes while the answer is made raises the revision, so that nobody asks for this tag again."""
    tag = f"{made_of[0]}-{hashlib.sha256(repr((EDITION, request.path, *made_of)).encode()).hexdigest()[:24]}"
    held = get_conditional_response(request, etag=f'"{tag}"')
    if held is None:
        body = shelf.get(tag)
        if body is None:
            body = kind.dump_json(make())
            shelf.put(tag, body)
        held = HttpResponse(body, content_type="application/json; charset=utf-8")
    held["ETag"], held["Cache-Control"] = f'"{tag}"', "private, no-cache"
    return held


def made_now(kind: TypeAdapter[Any], answer: Any) -> HttpResponse:
    """An answer that is another one a moment later."""
    response = HttpResponse(kind.dump_json(answer), content_type="application/json; charset=utf-8")
    response["Cache-Control"] = "private, no-store"
    return response
