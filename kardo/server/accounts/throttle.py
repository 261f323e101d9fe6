"""Sign-ins that are refused are counted, by name and by address, in the database: whoever guesses is made to wait on
every process and every host alike."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta

from django.utils import timezone

from kardo.server.accounts.models import SignInFailure

WITHIN = timedelta(minutes=15)
MOST_OF_NAME, MOST_OF_ADDRESS = 8, 60  # refused sign-ins within that time; an office may have one address
HASHES_AT_ONCE = 2  # passwords that one process checks at once: each takes a core for half a second
PATIENCE = 5.0  # seconds that one waits for its turn

_turns = threading.Semaphore(HASHES_AT_ONCE)


class TooMany(Exception):
    """So many refused sign-ins that no more are tried for some seconds."""

    def __init__(self, seconds: int) -> None:
        super().__init__(seconds)
        self.seconds = seconds


@contextmanager
def turn() -> Iterator[None]:
    """One of the few turns to check a password. Raises TooMany where none comes in time."""
    if not _turns.acquire(timeout=PATIENCE):
        raise TooMany(int(PATIENCE))
    try:
        yield
    finally:
        _turns.release()


def require_few(name: str, address: str) -> None:
    """Raises TooMany where too many sign-ins of this name, or from this address, were refused lately. A name is counted
    by address too, so that nobody shuts somebody else out from afar."""
    lately = SignInFailure.objects.filter(at__gt=timezone.now() - WITHIN)
    for rows, most in (
        (lately.filter(name=name.casefold(), address=address), MOST_OF_NAME),
        (lately.filter(address=address), MOST_OF_ADDRESS),
        (lately.filter(name=name.casefold()), MOST_OF_ADDRESS),
    ):
        times = list(rows.order_by("-at").values_list("at", flat=True)[:most])
        if len(times) >= most:
            raise TooMany(max(1, int((times[-1] + WITHIN - timezone.now()).total_seconds())))


def refused(name: str, address: str) -> None:
    """Note a refused sign-in; those that count no longer go."""
    SignInFailure.objects.filter(at__lt=timezone.now() - 4 * WITHIN).delete()
    SignInFailure.objects.create(name=name.casefold()[:150], address=address[:64])


def accepted(name: str, address: str) -> None:
    """Whoever signed in from here under this name is no longer suspected."""
    SignInFailure.objects.filter(name=name.casefold(), address=address).delete()
