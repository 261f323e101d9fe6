"""Angles as people write them: decimal degrees, degrees-minutes-seconds, with signs or letters."""

import re
from dataclasses import dataclass

from kardo.core.errors import ReadError

LONGEST = 60  # characters of one angle
_TOKEN = re.compile(r"\s+|(\d+(?:[.,]\d*)?)|([°º˚d:])|(''|[\"”″s])|(['’′m])|([NSEWOnewo])|([-+−])")


@dataclass(frozen=True)
class Angle:
    """An angle as written: degrees without sign, whether a minus stood before it, the letter of its hemisphere in
    capitals (empty: none), and whether it carries minutes."""

    degrees: float
    minus: bool
    letter: str
    sexagesimal: bool


def read_angle(text: str) -> Angle:
    """The angle of '46.3125', '46°18\\'45"N', '46 18 45,0', 'W 13 24 00'. Takes time in proportion to the length.

    Raises ReadError when it is not an angle, or minutes or seconds reach 60."""
    numbers, marks, letters, signs = [], [], [], []
    for kind, token in _tokens(text):
        if kind == "number":
            numbers.append(token)
        elif kind == "letter":
            letters.append((token.upper(), len(numbers)))
        elif kind == "sign":
            signs.append((token, len(numbers)))
        else:
            marks.append((kind, len(numbers)))
    sound = (
        1 <= len(numbers) <= 3
        and all("." not in n and "," not in n for n in numbers[:-1])
        and len(letters) <= 1
        and all(at in (0, len(numbers)) for _, at in letters)
        and len(signs) <= 1
        and all(at == 0 for _, at in signs)
        and all(_in_place(kind, at, len(numbers)) for kind, at in marks)
    )
    if not sound:
        raise _no_angle(text)
    values = [float(n.replace(",", ".")) for n in numbers] + [0.0, 0.0]
    if values[1] >= 60 or values[2] >= 60:
        raise ReadError(
            f"“{text[:LONGEST]}” has 60 minutes or seconds or more.", mend="Check that it is degrees, minutes, seconds."
        )
    minus = any(sign != "+" for sign, _ in signs)
    letter = letters[0][0] if letters else ""
    return Angle(values[0] + values[1] / 60 + values[2] / 3600, minus, letter, len(numbers) > 1)


def _tokens(text: str) -> list[tuple[str, str]]:
    """Kinds and texts of what an angle is made of, spaces left out. Raises ReadError for anything else."""
    if len(text) > LONGEST:
        raise _no_angle(text)
    found, at = [], 0
    kinds = ("number", "degree", "second", "minute", "letter", "sign")
    while at < len(text):
        token = _TOKEN.match(text, at)
        if token is None:
            raise _no_angle(text)
        if token.lastindex:
            found.append((kinds[token.lastindex - 1], token.group()))
        at = token.end()
    return found


def _in_place(kind: str, at: int, count: int) -> bool:
    """Whether a mark stands behind the number that it belongs to; a colon parts any two."""
    return at == {"degree": 1, "minute": 2, "second": 3}[kind] or (kind == "degree" and at < count)


def _no_angle(text: str) -> ReadError:
    return ReadError(f"“{text[:LONGEST]}” is not an angle.", mend="Write 46.3125 or 46°18'45\"N.")


def parse_angle(text: str) -> float:
    """Degrees of an angle as `read_angle` reads it; south and west are negative, O is west.

    Raises ReadError."""
    angle = read_angle(text)
    return -angle.degrees if angle.minus or angle.letter in {"S", "W", "O"} else angle.degrees


def is_sexagesimal(text: str) -> bool:
    """Whether a text is an angle that carries minutes."""
    try:
        return read_angle(text).sexagesimal
    except ReadError:
        return False


def format_dms(degrees: float, decimals: int = 5) -> str:
    """Degrees as D°MM'SS.sssss", carrying at 60 correctly; 5 decimals of a second are 0.3 mm.

    >>> print(format_dms(46.3125, 1))
    46°18'45.0"
    >>> print(format_dms(234.6253, 0))
    234°37'31"
    """
    unit, wide = 10**decimals, 3 + decimals if decimals else 2
    total = round(abs(degrees) * 3600 * unit)
    d, rest = divmod(total, 3600 * unit)
    m, s = divmod(rest, 60 * unit)
    return f"{'-' if degrees < 0 else ''}{d}°{m:02d}'{s / unit:0{wide}.{decimals}f}\""
