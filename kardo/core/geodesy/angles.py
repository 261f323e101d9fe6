"""Angles as people write them: decimal degrees, degrees-minutes-seconds, with signs or letters."""

import re

from kardo.core.errors import ReadError

_DMS = re.compile(
    r"^\s*(?P<pre>[NSEWO])?\s*(?P<sign>[-+−])?\s*(?P<d>\d+(?:\.\d+)?)\s*(?:[°d:\s]\s*(?:(?P<m>\d+(?:\.\d+)?)\s*(?:['′m:\s]\s*)?"
    r"(?:(?P<s>\d+(?:\.\d+)?)\s*(?:[\"″s]|'')?\s*)?)?)?(?P<post>[NSEWO])?\s*$",
    re.IGNORECASE,
)


def parse_angle(text: str) -> float:
    """Degrees from '46.3125', '46°18\\'45"N', '46 18 45.0', 'W 13 24 00'. South and west are negative.

    Raises ReadError when it is not an angle, or minutes or seconds reach 60.
    """
    found = _DMS.match(text)
    if not found:
        raise ReadError(f"“{text}” is not an angle.", mend="Write 46.3125 or 46°18'45\"N.")
    minutes, seconds = float(found["m"] or 0), float(found["s"] or 0)
    if minutes >= 60 or seconds >= 60:
        raise ReadError(
            f"“{text}” has 60 minutes or seconds or more.", mend="Check that it is degrees, minutes, seconds."
        )
    value = float(found["d"]) + minutes / 60 + seconds / 3600
    letter = (found["pre"] or found["post"] or "").upper()
    return -value if found["sign"] in {"-", "−"} or letter in {"S", "W"} else value


def is_sexagesimal(text: str) -> bool:
    """Whether a text carries minutes."""
    found = _DMS.match(text)
    return bool(found and found["m"])


def format_dms(degrees: float, decimals: int = 5) -> str:
    """Degrees as D°MM'SS.sssss", carrying at 60 correctly; 5 decimals of a second are 0.3 mm.

    >>> print(format_dms(46.3125, 1))
    46°18'45.0"
    """
    unit = 10**decimals
    total = round(abs(degrees) * 3600 * unit)
    d, rest = divmod(total, 3600 * unit)
    m, s = divmod(rest, 60 * unit)
    return f"{'-' if degrees < 0 else ''}{d}°{m:02d}'{s / unit:0{3 + decimals}.{decimals}f}\""
