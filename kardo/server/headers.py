"""What goes round every answer: nothing on a page reaches out, a database that is away is told as such, and long
answers are packed."""

import gzip
import re
import secrets
from collections.abc import Callable
from http import HTTPStatus

from django.db import OperationalError
from django.http import HttpRequest, HttpResponse
from django.utils.cache import patch_vary_headers

from kardo.server.door.content_security import POLICY
from kardo.server.problems import database_away, problem

GetResponse = Callable[[HttpRequest], HttpResponse]


class ContentSecurity:
    """Adds the content security policy to every answer, and words to one that refuses the method."""

    def __init__(self, get_response: GetResponse) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if response.status_code == HTTPStatus.METHOD_NOT_ALLOWED:
            allowed = response.get("Allow", "")
            response = problem(405, f"{request.method} is not done here.", request.path[:200], f"Allowed: {allowed}.")
            response["Allow"] = allowed
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response


class DatabaseAway:
    """503 where the database does not answer, also before a view is reached."""

    def __init__(self, get_response: GetResponse) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        return database_away() if isinstance(exception, OperationalError) else None


class Packed:
    """Packs answers at gzip's quickest: a third of the time of the usual level, for a fifteenth more to send. As
    Django's own does it, with a file name of random length, so that nobody learns from lengths."""

    SHORT, MOST_RANDOM, NAMED = 200, 100, 0x08

    def __init__(self, get_response: GetResponse) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if response.streaming or len(response.content) < self.SHORT or response.has_header("Content-Encoding"):
            return response
        patch_vary_headers(response, ("Accept-Encoding",))
        if re.search(r"\bgzip\b", request.headers.get("Accept-Encoding", "")):
            self._pack(response)
        return response

    def _pack(self, response: HttpResponse) -> None:
        plain = gzip.compress(response.content, 1, mtime=0)
        name = b"a" * secrets.randbelow(self.MOST_RANDOM) + b"\0"
        packed = plain[:3] + bytes([plain[3] | self.NAMED]) + plain[4:10] + name + plain[10:]
        if len(packed) >= len(response.content):
            return
        response.content = packed
        response["Content-Length"], response["Content-Encoding"] = str(len(packed)), "gzip"
        if response.get("ETag", "").startswith('"'):
            response["ETag"] = f"W/{response['ETag']}"
