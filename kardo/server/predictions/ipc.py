"""Something of this program in a process of its own, asked over a socket of this machine.

Whoever asks keeps a few connections; each carries one question at a time, as JSON of the types that its method
declares, with a secret of the installation at its opening."""

import hashlib
import json
import logging
import os
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from multiprocessing import AuthenticationError
from multiprocessing.connection import Client, Connection, Listener
from pathlib import Path
from queue import Empty, LifoQueue
from typing import Any

from pydantic import TypeAdapter

log = logging.getLogger(__name__)
MOST_CONNECTIONS = 8
PATIENCE = 20.0  # seconds that an answer may take
WELL = b"well"


@dataclass(frozen=True)
class Method:
    """What a method is asked with, a tuple of its words, and what it answers: nothing else crosses the socket."""

    words: TypeAdapter[Any]
    answer: TypeAdapter[Any]


class Away(Exception):
    """The other process does not answer for now."""


def address(folder: Path, name: str) -> str:
    """Of a socket in a folder; a path that is too long for one goes into the temporary folder under its digest."""
    wanted = str(folder / f"{name}.sock")
    return wanted if len(wanted) < 100 else f"/tmp/kardo-{hashlib.sha256(wanted.encode()).hexdigest()[:16]}.sock"


class Remote:
    """Stands for an object that another process serves."""

    def __init__(self, at: str, secret: bytes, methods: Mapping[str, Method]) -> None:
        self._at, self._secret, self._methods = at, secret, methods
        self._turns = threading.Semaphore(MOST_CONNECTIONS)
        self._idle: LifoQueue[Connection] = LifoQueue()

    def call(self, name: str, *words: Any) -> Any:
        """Have a method called there. Raises Away where nobody answers, RuntimeError where it failed there."""
        method = self._methods[name]
        told = self._asked(name.encode(), method.words.dump_json(words))
        return method.answer.validate_json(told)

    def _asked(self, name: bytes, words: bytes) -> bytes:
        with self._turns:
            try:
                connection = self._idle.get_nowait()
            except Empty:
                connection = None
            if connection is not None:
                try:
                    return self._put(connection, name, words)
                except (OSError, EOFError):
                    self._idle = LifoQueue()  # the process was started anew: the others are dead too
            try:
                return self._put(Client(self._at, authkey=self._secret), name, words)
            except (OSError, EOFError, AuthenticationError) as fault:
                raise Away from fault

    def _put(self, connection: Connection, name: bytes, words: bytes) -> bytes:
        connection.send_bytes(name)
        connection.send_bytes(words)
        if not connection.poll(PATIENCE):
            connection.close()
            raise Away("no answer in time")
        well, told = connection.recv_bytes() == WELL, connection.recv_bytes()
        self._idle.put(connection)
        if not well:
            raise RuntimeError(json.loads(told))
        return told


def serve(at: str, secret: bytes, methods: Mapping[str, Method], by: Mapping[str, Callable[..., Any]]) -> None:
    """Answer for ever, each method by a function of its name. Raises OSError where another process serves at this
    address already."""
    try:
        Client(at, authkey=secret).close()
    except (OSError, EOFError):
        Path(at).unlink(missing_ok=True)  # left by one that was killed
    else:
        raise OSError(f"another process serves at {at}")
    old = os.umask(0o177)
    try:
        listener = Listener(at, authkey=secret, backlog=MOST_CONNECTIONS)
    finally:
        os.umask(old)
    while True:
        try:
            connection = listener.accept()
        except (OSError, EOFError, AuthenticationError) as fault:  # without the secret, or gone before it was told
            log.warning("a connection was refused (%s)", type(fault).__name__)
            continue
        threading.Thread(target=_answer, args=(connection, methods, by), daemon=True).start()


def _answer(connection: Connection, methods: Mapping[str, Method], by: Mapping[str, Callable[..., Any]]) -> None:
    while True:
        try:
            name, words = connection.recv_bytes().decode(), connection.recv_bytes()
        except (OSError, EOFError):
            return
        try:
            method = methods[name]
            state, told = WELL, method.answer.dump_json(by[name](*method.words.validate_json(words)))
        except Exception as fault:
            log.exception("%s failed", name)
            state, told = b"failed", json.dumps(f"{type(fault).__name__}: {fault}").encode()
        try:
            connection.send_bytes(state)
            connection.send_bytes(told)
        except OSError:
            return
