"""Nothing on a Kardo page reaches out: the browser is told so."""

from wsgiref.headers import Headers

POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; connect-src 'self'; object-src"
    " 'none'; frame-ancestors 'none'"
)


def with_policy(headers: Headers, path: str, url: str) -> None:
    """For the files of the front end, which are served before any other answer is made."""
    headers["Content-Security-Policy"] = POLICY
    headers["X-Content-Type-Options"] = "nosniff"
