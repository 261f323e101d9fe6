"""A line to somebody outside: one TCP connection, one deadline for all that is said on it, and a limit to what is
taken."""

import re
import socket
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from queue import Empty, Queue
from threading import Thread

from kardo.core.errors import ReadError

PIECE = 4096  # bytes taken at once
MOST = 4_000_000  # bytes taken from anybody, unless more is asked for
CONNECTING = 5.0  # seconds that a name may take to be looked up, and a connection to be made
MOST_CHUNK = 1 << 20
HOST = re.compile(r"^[A-Za-z0-9.:_-]{1,253}$")


@dataclass(frozen=True)
class Address:
    """Where somebody outside is asked for. Raises ReadError for what is no address."""

    host: str
    port: int

    def __post_init__(self) -> None:
        if not HOST.match(self.host) or not 1 <= self.port <= 65_535:
            raise ReadError("This is no address.", where=str(self), mend="Give a host and a port from 1 to 65535.")

    def __str__(self) -> str:
        return f"{self.host}:{self.port}"

    @classmethod
    def of(cls, text: str) -> "Address":
        """From “host:port”. Raises ReadError."""
        host, _, port = text.rpartition(":")
        if not port.isdecimal():
            raise ReadError("This is no address.", where=text[:60], mend="Give it as host:port.")
        return cls(host, int(port))


@dataclass
class Line:
    """An open connection that ends at a moment of the monotonic clock, whatever the other end does."""

    address: Address
    socket: socket.socket
    until: float
    most: int
    taken: int = 0
    _ahead: bytes = field(default=b"", repr=False)

    def say(self, data: bytes) -> None:
        """Send. Raises ReadError where the other end does not take it."""
        try:
            self._wait_at_most()
            self.socket.sendall(data)
        except OSError as fault:
            raise self._lost() from fault

    def pieces(self) -> Iterator[bytes]:
        """What comes, in pieces as they come, until the other end hangs up, the time is over, or more came than is
        taken."""
        while self.taken < self.most:
            if self._ahead:
                piece, self._ahead = self._ahead, b""
            elif self.left <= 0 or not (piece := self._receive()):
                return
            self.taken += len(piece)
            yield piece

    def head(self, limit: int = 16_384) -> bytes:
        """The head of an answer. Raises ReadError where none comes."""
        got = b""
        for piece in self.pieces():
            got += piece
            if end := _head_end(got):
                self._ahead = got[end:]
                return got[:end]
            if len(got) > limit:
                break
        what = "It does not answer as it should." if got else "It took the connection and then said nothing."
        raise ReadError(what, where=str(self.address), mend="Is it the right port?")

    def body(self, head: bytes) -> Iterator[bytes]:
        """What follows the head of an answer, out of the chunks that it may come in. Raises ReadError for chunks that
        are none."""
        if b"transfer-encoding: chunked" not in head.lower():
            yield from self.pieces()
            return
        buffer = b""
        for piece in self.pieces():
            buffer += piece
            while (end := buffer.find(b"\r\n")) >= 0:
                size = self._chunk_size(buffer[:end])
                if size == 0:
                    return
                if len(buffer) < end + 2 + size + 2:
                    break
                yield buffer[end + 2 : end + 2 + size]
                buffer = buffer[end + 2 + size + 2 :]

    def _chunk_size(self, text: bytes) -> int:
        try:
            size = int(text.split(b";")[0], 16)
        except ValueError:
            size = -1
        if not 0 <= size <= MOST_CHUNK:
            what = "What is sent is not in pieces as it says."
            raise ReadError(what, where=str(self.address), mend="Try it again.")
        return size

    @property
    def left(self) -> float:
        """Seconds left."""
        return self.until - time.monotonic()

    def _wait_at_most(self) -> None:
        self.socket.settimeout(max(0.01, self.left))

    def _receive(self) -> bytes:
        try:
            self._wait_at_most()
            return self.socket.recv(PIECE)
        except OSError:  # the time is over, or the other end broke off: what came before counts
            return b""

    def _lost(self) -> ReadError:
        return ReadError("The connection broke off.", where=str(self.address), mend="Try it again.")


def _head_end(got: bytes) -> int:
    """Where the head of an answer ends, 0 where it has not yet: with the first empty line; in the older kind of answer,
    with the first line, for corrections may follow it at once."""
    end = b"\r\n" if got.startswith(b"ICY ") else b"\r\n\r\n"
    return got.find(end) + len(end) if end in got else 0


def _looked_up(address: Address, seconds: float) -> str:
    """The numbers behind a name, in time: the system's own look-up has no deadline. Raises OSError for none."""
    found: Queue[str | OSError] = Queue()

    def look() -> None:
        try:
            found.put(str(socket.getaddrinfo(address.host, address.port, type=socket.SOCK_STREAM)[0][4][0]))
        except (OSError, UnicodeError) as fault:
            found.put(OSError(str(fault)))

    Thread(target=look, daemon=True).start()
    try:
        answer = found.get(timeout=seconds)
    except Empty as fault:
        raise TimeoutError from fault
    if isinstance(answer, OSError):
        raise answer
    return answer


@contextmanager
def line(address: Address, seconds: float, most: int | None = None) -> Iterator[Line]:
    """A line that is held for so many seconds at most, and takes so many bytes, or MOST. Raises ReadError where nobody
    answers."""
    until = time.monotonic() + seconds
    try:
        host = _looked_up(address, min(seconds, CONNECTING))
        connected = socket.create_connection((host, address.port), timeout=min(seconds, CONNECTING))
    except OSError as fault:
        raise ReadError(
            "Nobody answers there.", where=str(address), mend="Is the address right, and the other end switched on?"
        ) from fault
    with connected:
        yield Line(address, connected, until, most or MOST)
