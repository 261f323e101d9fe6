"""Connections of the web server: a head that does not end, one that does not come, and an answer that nobody reads each
end the connection, and nothing else."""

from asyncio import TimerHandle, Transport
from collections import Counter
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol
from uvicorn_worker import UvicornWorker

MOST_HEAD = 32_000  # bytes of a request's line and headers
HEAD_SECONDS = 15.0  # that a head may take to come whole, the first of a connection from its opening
UNREAD_SECONDS = 30.0  # that an answer may lie unread
MOST_OF_ADDRESS = 400  # connections at once from one address to one process, a proxy of ours apart

_open: Counter[str] = Counter()  # connections by the other end's address


class Connection(HttpToolsProtocol):
    """uvicorn's own, with limits of size and time on what comes before a request is one, and on what is not read."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._head = 0
        self._timers: dict[str, TimerHandle] = {}
        self._from = ""

    def connection_made(self, transport: Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._from = self.client[0] if self.client else ""
        _open[self._from] += 1
        if _open[self._from] > MOST_OF_ADDRESS and not self._is_proxy():
            transport.abort()
            return
        self._await_head()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if "head" not in self._timers:
            return
        self._head += len(data)
        if self._head > MOST_HEAD:
            self.logger.warning("a head of more than %d bytes from %s", MOST_HEAD, self._from)
            self.send_400_response("The head of the request is too long.")

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self._await_head()

    def on_headers_complete(self) -> None:
        self._end("head")
        super().on_headers_complete()

    def pause_writing(self) -> None:
        super().pause_writing()
        self._begin("unread", UNREAD_SECONDS)

    def resume_writing(self) -> None:
        self._end("unread")
        super().resume_writing()

    def connection_lost(self, exc: Exception | None) -> None:
        for name in list(self._timers):
            self._end(name)
        _open[self._from] -= 1
        if _open[self._from] <= 0:
            del _open[self._from]
        super().connection_lost(exc)

    def _await_head(self) -> None:
        self._head = 0
        self._begin("head", HEAD_SECONDS)

    def _is_proxy(self) -> bool:
        """Whether the other end is the proxy that stands in front, through which everybody comes."""
        trusted = self.config.forwarded_allow_ips or ()
        return self._from in (trusted.split(",") if isinstance(trusted, str) else trusted)

    def _begin(self, name: str, seconds: float) -> None:
        if name not in self._timers:
            self._timers[name] = self.loop.call_later(seconds, self.transport.abort)

    def _end(self, name: str) -> None:
        if name in self._timers:
            self._timers.pop(name).cancel()


class Worker(UvicornWorker):  # type: ignore[misc]
    """A process of the web server, whose connections are these."""

    CONFIG_KWARGS = {"loop": "uvloop", "http": Connection}
