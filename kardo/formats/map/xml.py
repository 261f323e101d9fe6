"""XML of map files, read within limits and written as XML 1.0 has it."""

import re
from collections.abc import Callable
from typing import Any
from xml.sax.saxutils import escape

from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException

from kardo.core.errors import ReadError
from kardo.formats.map.things import MapFile, clean

HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'
_FIRST = re.compile(rb"<(?:[A-Za-z_][\w.-]*:)?([A-Za-z_][\w.-]*)[\s/>]")


def root_of(data: bytes) -> str:
    """The name of a document's first element; empty for what is no XML."""
    start = data[:4000].lstrip(b"\xef\xbb\xbf \t\r\n")
    found = _FIRST.search(start) if start.startswith(b"<") else None
    return found.group(1).decode() if found else ""


def is_rooted(name: str) -> Callable[[bytes], bool]:
    """Whether a document's first element is called so."""
    return lambda data: root_of(data) == name


def read_xml(data: bytes, kind: str, of: Callable[[Any], MapFile]) -> MapFile:
    """What a reader makes of a document's root. Raises ReadError, naming the kind, for one that is not sound."""
    try:
        return of(ElementTree.fromstring(data.lstrip(b"\xef\xbb\xbf \t\r\n")))
    except (ElementTree.ParseError, DefusedXmlException, KeyError, ValueError, LookupError, RecursionError) as fault:
        raise ReadError(f"This is not sound {kind} ({clean(fault, 80)}).", mend="Export it again.") from fault


def tag(node: Any) -> str:
    """An element's name without its namespace."""
    return str(node.tag).rpartition("}")[2]


def text(words: str) -> str:
    """Text for XML 1.0, which knows no control characters."""
    return escape("".join(c for c in words if c in "\t\n" or c.isprintable()))


def attribute(words: str) -> str:
    """The same between quotation marks."""
    return text(words).replace('"', "&quot;").replace("\n", " ").replace("\t", " ")
