"""Whoever asked a moment ago is known without asking the database again, as long as nothing is changed.

Only for reading: an edit always asks anew, so a session that ended, or a person who was shut out, changes nothing from
that moment on, and reads nothing a few seconds later."""

import time
from collections import OrderedDict
from typing import Any

from django.conf import settings
from django.http import HttpRequest
from ninja.security import SessionAuth

SECONDS = 5.0
MOST = 1000


def _reads(request: HttpRequest) -> bool:
    """Whether a request changes nothing; a question for live figures is one, though it carries edits."""
    return request.method in {"GET", "HEAD"} or request.path.endswith("/live")


class Seen(SessionAuth):
    """The session's user; for reading, the one seen with this session within the last seconds."""

    def __init__(self) -> None:
        super().__init__()
        self._seen: OrderedDict[str, tuple[float, Any]] = OrderedDict()

    def authenticate(self, request: HttpRequest, key: str | None) -> Any:
        now = time.monotonic()
        if key and _reads(request):
            until, user = self._seen.get(key, (0.0, None))
            if now < until:
                request.user = user
                return user
        user = super().authenticate(request, key)
        if user and key:
            self._seen[key] = now + SECONDS, user
            while len(self._seen) > MOST:
                self._seen.popitem(last=False)
        return user

    def forget(self, request: HttpRequest) -> None:
        """At once, where the session is ended here."""
        self._seen.pop(request.COOKIES.get(settings.SESSION_COOKIE_NAME, ""), None)


seen = Seen()
