"""NMEA 0183 as a receiver sends it: GGA and GST are read, the rest is counted. Whose talker it is does not matter."""

import time
from collections import Counter
from collections.abc import Callable, Iterable

from pynmeagps import NMEAReader, exceptions

from kardo.core.gnss.receiver import Fix, Quality, ReceiverFixes

LONGEST = 512  # bytes of a line; the standard's are 82
MOST_FIXES, ENOUGH = 2000, 8  # positions kept, and after which nothing more is waited for
QUALITY: dict[int, Quality] = {1: "code", 2: "differential", 3: "code", 4: "fixed", 5: "float"}
FAULTS = (
    exceptions.NMEAParseError,
    exceptions.NMEAMessageError,
    exceptions.NMEATypeError,
    exceptions.NMEAStreamError,
    ValueError,
    TypeError,
    KeyError,
    IndexError,
    AttributeError,
)


def receiver_said(
    pieces: Iterable[bytes], limit: float = 12.0, enough: int = ENOUGH, now: Callable[[], float] = time.monotonic
) -> ReceiverFixes:
    """What a receiver says in a stream that comes in pieces of any size, until it ends or so many positions came.
    limit: seconds that are given; a stream that ends well before them was hung up."""
    began = now()
    fixes: list[Fix] = []
    sigma: tuple[float, float, float] | None = None
    kinds: Counter[str] = Counter()
    damaged = skipped = 0
    full = False
    for line in _lines(pieces):
        if not line.startswith("$"):
            skipped += 1
            continue
        try:
            sentence = NMEAReader.parse(line, validate=1)
            kind = str(sentence.msgID)
            found = _fix(sentence) if kind == "GGA" else None
            told = _sigma(sentence) if kind == "GST" else None
        except FAULTS:
            damaged += 1
            continue
        kinds[kind[:12]] += 1
        if found is not None and len(fixes) < MOST_FIXES:
            fixes.append(found)
        sigma = told or sigma
        if full := len(fixes) >= enough and (sigma is not None or len(fixes) >= 2 * enough):
            break
    seconds = now() - began
    hung_up = not full and seconds < limit - 1 and bool(kinds)
    return ReceiverFixes(
        fixes=tuple(fixes),
        sigma=sigma,
        sentences=dict(kinds.most_common(30)),
        damaged=damaged,
        skipped=skipped,
        seconds=seconds,
        hung_up=hung_up,
    )


def _lines(pieces: Iterable[bytes]) -> Iterable[str]:
    """Lines, of whatever length they come; what is too long for one is cut into several, which are none."""
    rest = b""
    for piece in pieces:
        rest += piece
        while (end := rest.find(b"\n")) >= 0 or len(rest) > LONGEST:
            cut = end + 1 if 0 <= end < LONGEST else LONGEST
            line, rest = rest[:cut].strip(), rest[cut:]
            if line:
                yield line.decode("ascii", "replace")


def _fix(sentence: object) -> Fix:
    """A GGA. Raises what FAULTS says for one that is none."""
    quality = QUALITY.get(int(getattr(sentence, "quality", 0) or 0), "none")
    if quality == "none":
        return Fix("none", 0.0, 0.0, satellites=_count(sentence))
    latitude, longitude = _number(sentence, "lat"), _number(sentence, "lon")
    if latitude is None or longitude is None or not (abs(latitude) <= 90 and abs(longitude) <= 180):
        raise ValueError("no place")
    above, separation = _number(sentence, "alt"), _number(sentence, "sep")
    up = above + separation if above is not None and separation is not None else None
    return Fix(
        quality=quality,
        latitude=latitude,
        longitude=longitude,
        ellipsoidal=up,
        separation=separation,
        satellites=_count(sentence),
        hdop=_number(sentence, "HDOP"),
        age=_number(sentence, "diffAge"),
    )


def _sigma(sentence: object) -> tuple[float, float, float] | None:
    north, east, up = (_number(sentence, name) for name in ("stdLat", "stdLong", "stdAlt"))
    if north is None or east is None or up is None or min(north, east, up) < 0:
        return None
    return north, east, up


def _count(sentence: object) -> int | None:
    value = _number(sentence, "numSV")
    return None if value is None else int(value)


def _number(sentence: object, name: str) -> float | None:
    """A field as a number; None for one that is left empty."""
    value = getattr(sentence, name, "")
    if value in ("", None):
        return None
    number = float(value)
    if not abs(number) < 1e7:
        raise ValueError("no number")
    return number


def sentence_of(body: str) -> bytes:
    """A sentence with its checksum: the exclusive or of its characters.

    >>> sentence_of("GNGGA,102030.00,,,,,0,,,,M,,M,,")
    b'$GNGGA,102030.00,,,,,0,,,,M,,M,,*56\\r\\n'
    """
    check = 0
    for letter in body:
        check ^= ord(letter)
    return f"${body}*{check:02X}\r\n".encode("ascii")
