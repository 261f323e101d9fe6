"""Whoever asked a moment ago is known without asking the database again, as long as nothing is changed.

Only for reading: an edit always asks anew, so a session that ended, or a person who was shut out, changes nothing from
that moment on, and reads nothing a few seconds later."""

import time
from collections import OrderedDict
from collections.abc import Callable
from typing import Any

from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja.security import SessionAuth

from kardo.server.accounts.ended import Ended, tell
from kardo.server.accounts.roles import MAY, NAMES, ROLES, Right, right_needed

SECONDS = 5.0
MOST = 1000


def _reads(request: HttpRequest) -> bool:
    """Whether a request changes nothing; a question for live figures is one, though it carries edits."""
    return request.method in {"GET", "HEAD"} or request.path.endswith("/live")


class NotAllowed(Exception):
    """What is asked needs a right that whoever asks has not: which, and the roles that have it."""

    def __init__(self, right: Right) -> None:
        super().__init__(right)
        self.right, self.roles = right, [NAMES.get(role, role) for role in ROLES if right in MAY[role]]


def _require_right(request: HttpRequest, user: User) -> None:
    right = right_needed(request.method or "", request.path.removeprefix("/api/"))
    member = getattr(user, "member", None)
    if member is not None and not member.may(right):
        raise NotAllowed(right)


class Seen(SessionAuth):
    """The session's user; for reading, the one seen with this session within the last seconds."""

    def __init__(self) -> None:
        super().__init__()
        self._seen: OrderedDict[str, tuple[float, Any]] = OrderedDict()
        self._ended: Ended | None = None

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:
        now = time.monotonic()
        if key and _reads(request) and (self._ended is None or self._ended.hears):
            until, user = self._seen.get(key, (0.0, None))
            if now < until:
                request.user = user
                _require_right(request, user)
                return user
        user = super().authenticate(request, key)
        if user:
            _require_right(request, user)
        if user and key:
            self._seen[key] = now + SECONDS, user
            while len(self._seen) > MOST:
                self._seen.popitem(last=False)
        return user

    def listen(self) -> None:
        """Hear of sessions that end in other processes too."""
        self._ended = Ended(self._forget_where)
        self._ended.start()

    def forget(self, key: str) -> None:
        """A session that ends: at once here, and told to every other process."""
        self._seen.pop(key, None)
        tell(key)

    def _forget_where(self, is_it: Callable[[str], bool]) -> None:
        for key in [key for key in list(self._seen) if is_it(key)]:
            self._seen.pop(key, None)


seen = Seen()
