"""Django's answers, made in threads that wait for nobody: the request is there before one is taken, and the whole
answer is handed over before anybody reads it."""

import asyncio
import contextvars
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

from a2wsgi.wsgi import build_environ

from kardo.server.door.bodies import Body

Wsgi = Callable[[dict[str, Any], Callable[..., Any]], Iterable[bytes]]


@dataclass(frozen=True)
class Answer:
    """Status, headers as they are sent, and the whole body."""

    status: int
    headers: list[tuple[bytes, bytes]]
    body: bytes


class Threads:
    """A fixed number of threads in which one WSGI application answers."""

    def __init__(self, app: Wsgi, count: int, name: str) -> None:
        self._app, self._pool = app, ThreadPoolExecutor(count, name)

    async def answer(self, scope: Any, body: Body, size: int) -> Answer:
        """The answer to a request whose body is there."""
        environ: Any = build_environ(scope, body)  # type: ignore[arg-type]
        environ["CONTENT_LENGTH"] = str(size)
        run = contextvars.copy_context().run
        return await asyncio.get_running_loop().run_in_executor(self._pool, run, self._answered, environ)

    async def run(self, work: Callable[..., Any], *given: Any) -> Any:
        """Something else, in one of these threads."""
        return await asyncio.get_running_loop().run_in_executor(self._pool, work, *given)

    def _answered(self, environ: dict[str, Any]) -> Answer:
        begun: list[tuple[str, list[tuple[str, str]]]] = []
        pieces = self._app(environ, lambda status, headers, *_: begun.append((status, headers)))
        try:
            body = b"".join(pieces)
        finally:
            getattr(pieces, "close", lambda: None)()
        status, headers = begun[-1]
        told = [(name.strip().lower().encode("latin-1"), value.strip().encode("latin-1")) for name, value in headers]
        return Answer(int(status.split(" ", 1)[0]), told, body)
