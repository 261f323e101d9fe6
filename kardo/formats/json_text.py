"""JSON from outside, within a size and a number of parts: ten megabytes of empty lists would become hundreds in
memory."""

import json
from typing import Any

from kardo.core.errors import ReadError

MOST_PARTS = 1_000_000  # lists and objects: twice what the largest job has


def json_of(data: bytes, most: int, what: str) -> Any:
    """What a text holds. Raises ReadError for one that is no JSON, larger than so many bytes, or of more parts than
    any; what names it in words.

    >>> json_of(b'{"a": [1, 2]}', 100, "plan")
    {'a': [1, 2]}
    """
    if len(data) > most:
        raise ReadError(f"The {what} is larger than {most / 1e6:g} MB.", mend=f"Give a {what} that Kardo wrote.")
    if data.count(b"[") + data.count(b"{") > MOST_PARTS:
        raise ReadError(f"The {what} has more parts than any.", mend=f"Give a {what} that Kardo wrote.")
    try:
        return json.loads(data)
    except (ValueError, RecursionError) as fault:
        raise ReadError(f"The {what} cannot be read as JSON.", mend=f"Give a {what} that Kardo wrote.") from fault
