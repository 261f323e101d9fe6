"""Whether a request comes from somebody who is signed in, asked before much is read of it."""

from http.cookies import CookieError, SimpleCookie
from importlib import import_module

from django.conf import settings
from django.contrib.auth import SESSION_KEY


def signed_in(headers: list[tuple[bytes, bytes]]) -> bool:
    """Whether the session that a request's cookie names is somebody's. Who that is, and what it may do, is asked again
    by whatever answers."""
    try:
        cookies = SimpleCookie("; ".join(v.decode("latin-1") for name, v in headers if name == b"cookie"))
    except CookieError:
        return False
    named = cookies.get(settings.SESSION_COOKIE_NAME)
    if named is None:
        return False
    return SESSION_KEY in import_module(settings.SESSION_ENGINE).SessionStore(named.value)
