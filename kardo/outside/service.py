"""A service that speaks HTTP, mostly in JSON: one question, one answer, one deadline."""

import json
import re
from typing import Any

from kardo.core.errors import ReadError
from kardo.outside.line import Address, line


def asked(service: Address, what: str, body: bytes, seconds: float) -> dict[str, Any]:
    """The object that a service answers a request with, a method and a path. Raises ReadError for any other answer, or
    none in time."""
    try:
        data = json.loads(got(service, what, body, seconds))
    except (ValueError, RecursionError) as fault:
        raise strange(service) from fault
    if not isinstance(data, dict):
        raise strange(service)
    return data


def got(service: Address, what: str, body: bytes, seconds: float, most: int | None = None) -> bytes:
    """The bytes that a service answers a request with, so many at most. Raises ReadError for none in time, for a
    refusal, and for an answer that breaks off."""
    head = f"{what} HTTP/1.1\r\nHost: {service}\r\nContent-Length: {len(body)}\r\nConnection: close\r\n\r\n"
    with line(service, seconds, most) as held:
        held.say(head.encode("ascii") + body)
        first = held.head()
        said = b"".join(held.body(first))
    status = first.split(b" ", 2)[1:2]
    if status != [b"200"]:
        raise ReadError(
            "The service does not take this.", where=str(service), mend="Look at its own page, or try it again."
        )
    length = LENGTH.search(first)
    if length is not None and len(said) < int(length[1]):
        raise ReadError(
            f"The answer broke off after {len(said)} of {int(length[1])} bytes.", where=str(service), mend="Ask again."
        )
    return said


LENGTH = re.compile(rb"\r\ncontent-length:\s*([0-9]{1,12})\r\n", re.I)


def strange(service: Address) -> ReadError:
    """For an answer that makes no sense."""
    return ReadError("The service answers what is no answer.", where=str(service), mend="Is it the right address?")
