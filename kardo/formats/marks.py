"""Marks for the library from a list or a file of a map: designations and places, brought to the grid they are kept
in."""

from dataclasses import dataclass

from kardo.core.errors import ReadError
from kardo.core.geodesy.crs import Grid
from kardo.formats.map.things import MOST_NAME
from kardo.formats.points import read_any_points

MAX_BYTES, MOST_MARKS = 4_000_000, 2000


@dataclass(frozen=True)
class ReadMark:
    """A mark as read: metres in the grid it will be kept in, height in metres or None, what the file says of it."""

    designation: str
    e: float
    n: float
    h: float | None
    description: str


@dataclass(frozen=True)
class MarkReading:
    """What was read, and in words how."""

    marks: list[ReadMark]
    how: list[str]


def read_marks(data: bytes, name: str, grid: Grid, unit: str) -> MarkReading:
    """Marks of a file, whatever it is: its content decides. unit: of lengths in lists that name none. Raises ReadError,
    GeodesyError."""
    if len(data) > MAX_BYTES:
        raise ReadError(f"{name or 'The file'} is larger than 4 MB.", mend="Export only the marks you use.")
    found = read_any_points(data, name, grid, unit)
    if found.options:
        ways = "; ".join(option.words for option in found.options[:2])
        raise ReadError(
            f"This can be read in several ways: {ways}.", mend="Put a line with the names of the columns over it."
        )
    marks = [
        ReadMark(designation=p.name[:MOST_NAME] or str(k), e=p.e, n=p.n, h=p.h, description=p.code)
        for k, p in enumerate(found.points, 1)
    ]
    return MarkReading(_within(marks), list(found.how))


def _within(marks: list[ReadMark]) -> list[ReadMark]:
    if not marks:
        raise ReadError("The file holds no point.", mend="Export the marks as points.")
    if len(marks) > MOST_MARKS:
        raise ReadError(f"The file holds {len(marks)} points; up to {MOST_MARKS} are taken.", mend="Split it.")
    return marks
