"""Length units. Metres inside; a unit only where a person reads or writes a number."""

import re
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from kardo.core.errors import KardoError


@dataclass(frozen=True)
class Unit:
    """A length unit: id, short name for column heads, full name, exact metres."""

    id: str
    short: str
    name: str
    metres: Fraction

    @property
    def plural(self) -> str:
        """The full name of more than one."""
        return self.name.replace("foot", "feet") if "foot" in self.name else f"{self.name}s"

    def from_metres(self, value: float) -> float:
        """In this unit."""
        return value / float(self.metres)

    def to_metres(self, value: float) -> float:
        """In metres."""
        return value * float(self.metres)


UnitId = Literal["m", "ft", "us-ft", "ind-ft"]
ACRE = 4046.8564224  # square metres

# International foot: 0.3048 m exactly since 1959; US survey foot: 1200/3937 m (Federal Register, 1959); Indian foot of
# 1937: EPSG:9081.
UNITS = {
    u.id: u
    for u in (
        Unit("m", "m", "metre", Fraction(1)),
        Unit("ft", "ft", "international foot", Fraction(3048, 10000)),
        Unit("us-ft", "ftUS", "US survey foot", Fraction(1200, 3937)),
        Unit("ind-ft", "ftInd", "Indian foot", Fraction(30479841, 100000000)),
    )
}
FEET = tuple(key for key in UNITS if key != "m")


def small(metres: float, unit: str = "m") -> str:
    """A small length in words: millimetres, metres from one on, or in a job in feet thousandths of a foot with that
    beside.

    >>> small(0.0213), small(0.0213, "ft"), small(3.01)
    ('21.3 mm', '0.070 ft (21.3 mm)', '3.01 m')
    """
    millimetres = f"{metres * 1000:.1f} mm" if abs(metres) < 1 else f"{metres:.2f} m"
    return millimetres if unit == "m" else f"{UNITS[unit].from_metres(metres):.3f} {UNITS[unit].short} ({millimetres})"


def length(metres: float, unit: str = "m", decimals: int = 0) -> str:
    """A length in words, in the job's unit.

    >>> length(1.8, "ft", 1)
    '5.9 ft'
    """
    return f"{UNITS[unit].from_metres(metres):.{decimals}f} {UNITS[unit].short}"


def speed(m_per_s: float, unit: str = "m") -> str:
    """A speed in words: metres a second, or feet a second in a job in feet.

    >>> speed(6.0), speed(6.0, "ft")
    ('6 m/s', '19.7 ft/s')
    """
    return f"{m_per_s:g} m/s" if unit == "m" else f"{m_per_s / 0.3048:.1f} ft/s"


SMALL_AREA = 1000.0  # square metres below which hectares and acres say little


def area(square_metres: float, unit: str = "m") -> str:
    """An area in words: hectares, or acres (4046.8564224 m2, the international acre) in a job in feet; a small one in
    square metres or feet.

    >>> area(24_000.0), area(24_000.0, "ft"), area(120.0), area(120.0, "ft")
    ('2.40 ha', '5.93 acres', '120 m²', '1292 ft²')
    """
    if 0 < square_metres < SMALL_AREA:
        return f"{square_metres / float(UNITS[unit].metres) ** 2:.0f} {UNITS[unit].short}²"
    return f"{square_metres / 10_000:.2f} ha" if unit == "m" else f"{square_metres / ACRE:.2f} acres"


def cubic(cubic_metres: float, unit: str = "m") -> str:
    """A heap's volume for a sentence: cubic metres, or cubic yards where the job is in feet.

    >>> cubic(7.6456), cubic(7.645_548_58, "ft"), cubic(1234.5)
    ('7.6 m³', '10.0 yd³', '1234 m³')
    """
    shown, name = (cubic_metres, "m³") if unit == "m" else (cubic_metres / (3 * UNITS[unit].metres) ** 3, "yd³")
    return f"{shown:.{0 if shown >= 100 else 1}f} {name}"


def counted(count: int, what: str) -> str:
    """So many of something.

    >>> counted(1, "target"), counted(0, "check")
    ('1 target', '0 checks')
    """
    return f"{count} {what}{'' if count == 1 else 's'}"


def place(e: float, n: float, unit: str = "m") -> str:
    """A grid position in words, in the job's unit."""
    return f"{UNITS[unit].from_metres(e):.0f} E {UNITS[unit].from_metres(n):.0f} N"


_SUFFIX = {
    "mm": Fraction(1, 1000),
    "cm": Fraction(1, 100),
    "m": Fraction(1),
    "km": Fraction(1000),
    "in": Fraction(254, 10000),
    '"': Fraction(254, 10000),
    "'": UNITS["ft"].metres,
    "ft": UNITS["ft"].metres,
    "ftus": UNITS["us-ft"].metres,
    "ftind": UNITS["ind-ft"].metres,
}
_PART = re.compile(
    r"\s*(?:(?P<whole>\d+)\s+(?=\d+/))?(?:(?P<num>\d+)/(?P<den>[1-9]\d*)|(?P<decimal>\d*\.?\d+|\d+\.))\s*"
    r"(?P<unit>mm|cm|km|m|in|ftus|ftind|ft|'|\"|)\s*"
)


def parse_length(text: str, unit: str = "m") -> float:
    """Metres from a typed length: '1.834 m', '183.4cm', "6' 0 1/4\\"", or a bare number in the job's unit.

    Raises KardoError when it cannot be read."""
    clean = text.strip().lower().replace(",", ".").replace("″", '"').replace("′", "'")
    sign = -1 if clean.startswith("-") else 1
    clean = clean.lstrip("+-")
    total, at, seen = Fraction(0), 0, False
    while at < len(clean):
        part = _PART.match(clean, at)
        if not part:
            raise _unreadable(text)
        value = Fraction(part["whole"] or 0)
        value += Fraction(int(part["num"]), int(part["den"])) if part["num"] else Fraction(part["decimal"])
        if not part["unit"] and (seen or part.end() < len(clean)):
            raise _unreadable(text)
        total += value * (_SUFFIX[part["unit"]] if part["unit"] else UNITS[unit].metres)
        at, seen = part.end(), True
    if not seen:
        raise _unreadable(text)
    return sign * float(total)


def _unreadable(text: str) -> KardoError:
    return KardoError(f"“{text}” is not a length.", mend="Write it like 1.834 m, 183.4 cm or 6' 0 1/4\".")
