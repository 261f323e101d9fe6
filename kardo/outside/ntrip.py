"""A client of casters: which mount points there are, and the corrections of one of them.

It asks as NTRIP 2 has it and takes the answer of either version. Source: RTCM 10410.0 (version 1), 10410.1 (version
2)."""

import base64
import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from kardo.core.errors import ReadError
from kardo.outside.line import Address, line

PLAIN = re.compile(r"^[\x21-\x7e]{0,100}$")


@dataclass(frozen=True)
class Caster:
    """A caster and who asks it. The password is never shown."""

    address: Address
    user: str = ""
    password: str = field(default="", repr=False)

    def __post_init__(self) -> None:
        if not PLAIN.match(self.user) or not PLAIN.match(self.password) or ":" in self.user:
            raise ReadError(
                "This name or password has letters that no caster takes.", mend="Type it as the caster's owner gave it."
            )


@dataclass(frozen=True)
class Mount:
    """A mount point of a caster's table: its name, what it is called, format, the systems of satellites, and its place
    in degrees."""

    name: str
    title: str
    format: str
    systems: str
    latitude: float | None
    longitude: float | None


def mounts(caster: Caster, seconds: float = 8.0) -> list[Mount]:
    """The mount points of a caster. Raises ReadError."""
    with line(caster.address, seconds) as held:
        held.say(_request(caster, ""))
        answer = held.head()
        _refuse(caster, "", answer)
        table = b"".join(held.body(answer)).decode("utf-8", "replace")
    return [_mount(row) for row in table.splitlines() if row.startswith("STR;")]


def listen(caster: Caster, mount: str, seconds: float = 10.0, gga: str = "") -> Iterator[bytes]:
    """The corrections of a mount point, in pieces as they come, for so many seconds at most. gga: a sentence that tells
    a network where its virtual station is wanted. Raises ReadError."""
    if not mount or not PLAIN.match(mount) or "/" in mount:
        raise ReadError("This is no name of a mount point.", where=mount[:40], mend="Choose one of the caster's table.")
    with line(caster.address, seconds) as held:
        held.say(_request(caster, mount, gga))
        answer = held.head()
        _refuse(caster, mount, answer)
        if gga:
            held.say(gga.encode("ascii", "replace") + b"\r\n")
        yield from held.body(answer)


def _request(caster: Caster, mount: str, gga: str = "") -> bytes:
    lines = [f"GET /{mount} HTTP/1.1", f"Host: {caster.address}", "Ntrip-Version: Ntrip/2.0", "User-Agent: NTRIP Kardo"]
    if caster.user:
        secret = base64.b64encode(f"{caster.user}:{caster.password}".encode()).decode()
        lines.append(f"Authorization: Basic {secret}")
    if gga:
        lines.append(f"Ntrip-GGA: {gga}")
    return ("\r\n".join([*lines, "Connection: close"]) + "\r\n\r\n").encode("ascii", "replace")


def _refuse(caster: Caster, mount: str, answer: bytes) -> None:
    """Raises ReadError for an answer that is not what was asked for."""
    first, where = answer.split(b"\r\n", 1)[0].decode("ascii", "replace"), str(caster.address)
    words = first.split()
    code = words[1] if len(words) > 1 else ""
    if code == "401":
        raise ReadError("The caster wants another name or password.", where=where, mend="Type them anew.")
    is_table = first.startswith("SOURCETABLE") or b"gnss/sourcetable" in answer.lower()
    if code == "404" or (mount and is_table):
        raise ReadError(
            f"There is no mount point “{mount}”.",
            where=where,
            mend="Choose one of the caster's table: ask for its mount points.",
        )
    if code != "200":
        shown = "".join(c for c in first[:60] if c.isprintable())
        raise ReadError(f"The caster answered “{shown}”.", where=where, mend="Ask its owner, or try it again later.")


def _mount(row: str) -> Mount:
    cells = [*row.split(";"), *[""] * 19]
    place = [_number(cells[9]), _number(cells[10])]
    return Mount(cells[1][:100], cells[2][:100], cells[3][:60], cells[6][:60], *place)


def _number(text: str) -> float | None:
    try:
        value = float(text)
    except ValueError:
        return None
    return value if abs(value) <= 360 else None
