"""What every stand-in does: serve on loopback, whoever comes, in conversations none of which outlives its end."""

import asyncio
import contextlib
from abc import ABC, abstractmethod

PATIENCE = 5.0  # seconds that a request is waited for
# how a conversation ends that the other end, or the end of the stand-in, cuts short
GONE = (ConnectionError, TimeoutError, asyncio.IncompleteReadError, asyncio.LimitOverrunError, asyncio.CancelledError)


class Serving(ABC):
    """A service on loopback. port: where it listens, once it does."""

    port: int = 0

    async def serve(self, port: int, started: asyncio.Event | None = None) -> None:
        """Serve until cancelled; on a free port for 0, which `port` then tells."""
        server = await asyncio.start_server(self._converse, "127.0.0.1", port)
        self.port = server.sockets[0].getsockname()[1]
        if started:
            started.set()
        async with server:
            await server.serve_forever()

    async def _converse(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(*GONE):
            await self._talk(reader, writer)
        writer.close()

    @abstractmethod
    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """One conversation."""


class Answering(Serving):
    """A service that is asked something first."""

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        head = await asyncio.wait_for(reader.readuntil(b"\r\n\r\n"), PATIENCE)
        await self._answer(head.decode("latin-1"), reader, writer)

    @abstractmethod
    async def _answer(self, head: str, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """Answer a request whose head was read."""

    @staticmethod
    async def tell(writer: asyncio.StreamWriter, body: bytes | None) -> None:
        """Answer with JSON; with 404 for None."""
        status, said = (b"404 Not Found", b"{}") if body is None else (b"200 OK", body)
        kind = b"Content-Type: application/json\r\nConnection: close"
        writer.write(b"HTTP/1.1 %s\r\n%s\r\nContent-Length: %d\r\n\r\n%s" % (status, kind, len(said), said))
        await writer.drain()
