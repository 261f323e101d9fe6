"""Sessions that end are told to every process at once, on every host: none answers from what it remembers of them."""

import hashlib
import logging
import threading
import time
from collections.abc import Callable

import psycopg
from django.db import connection

log = logging.getLogger(__name__)
CHANNEL = "kardo_sessions"
AGAIN = 1.0  # seconds before listening is tried again


ALL = "all"


def tell(key: str) -> None:
    """That a session has ended."""
    _notify(_digest(key))


def tell_all() -> None:
    """That anybody's sessions, or rights, may be others now."""
    _notify(ALL)


def _notify(what: str) -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, what])


def _digest(key: str) -> str:
    return hashlib.sha256(key.encode()).hexdigest()


class Ended:
    """Hears in this process which sessions end; while it does not hear, nothing is remembered."""

    def __init__(self, forget: Callable[[Callable[[str], bool]], None]) -> None:
        self._forget, self.hears = forget, False

    def start(self) -> None:
        """Listen from now on, in a thread of its own."""
        threading.Thread(target=self._listen, daemon=True, name="ended sessions").start()

    def _listen(self) -> None:
        known = connection.settings_dict
        address = {"host": known["HOST"], "port": known["PORT"], "user": known["USER"], "password": known["PASSWORD"]}
        while True:
            try:
                with psycopg.connect(**address, dbname=known["NAME"], autocommit=True) as db:
                    db.execute(f"LISTEN {CHANNEL}")
                    self.hears = True
                    for note in db.notifies():
                        ended = note.payload
                        self._forget(lambda key: ended in (ALL, _digest(key)))  # noqa: B023 - asked at once
            except psycopg.Error as fault:
                log.warning("listening for ended sessions: %s", fault)
            self.hears = False
            self._forget(lambda key: True)
            time.sleep(AGAIN)
