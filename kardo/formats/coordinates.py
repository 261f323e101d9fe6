"""Coordinate lists as people paste them: separators, order of columns and header as they come, in degrees or on the grid."""

import csv
import io
import math
import re
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from kardo.core.errors import GeodesyError, ReadError
from kardo.core.geodesy.angles import is_sexagesimal, parse_angle
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.units import UNITS

MAX_BYTES, MAX_ROWS, LONGEST_LINE = 1_000_000, 2000, 2000
MOST = 1e9  # no coordinate or height is larger, in any unit
HEADS = {
    "name": {"name", "point", "pt", "id", "no", "nr", "number", "label"},
    "e": {"e", "east", "easting", "x", "eastings"},
    "n": {"n", "north", "northing", "y", "northings"},
    "lat": {"lat", "latitude"},
    "lon": {"lon", "long", "lng", "longitude"},
    "h": {"h", "z", "elev", "elevation", "height", "alt", "altitude"},
    "code": {"code", "desc", "description", "role", "type"},
}


@dataclass(frozen=True)
class ReadPoint:
    """A point as read: grid metres, height in metres of the job's system or None."""

    name: str
    e: float
    n: float
    h: float | None = None
    code: str = ""


@dataclass(frozen=True)
class Reading:
    """What was read, and in words how it was understood, for the user to accept or not."""

    points: tuple[ReadPoint, ...]
    how: tuple[str, ...] = field(default=())


def read_points(text: str, grid: Grid, unit: str) -> Reading:
    """Points from a pasted or uploaded list. Grid coordinates and heights are taken in the job's unit.

    Raises ReadError naming the line.
    """
    if len(text) > MAX_BYTES:
        raise ReadError("The list is longer than a megabyte.", mend="Paste fewer points.")
    rows, numbers, how = _rows(text)
    columns, head = _columns(rows[0])
    if head:
        rows, numbers = rows[1:], numbers[1:]
        how.append("Columns as the header row names them.")
    if not rows:
        raise ReadError(
            "The list has no coordinates.", mend="Give one point per line: name, easting, northing, height."
        )
    if not head:
        columns, said = _guess(rows, numbers, lambda e, n: _fits(grid, e, n, float(UNITS[unit].metres)))
        how += said
    geographic = "lat" in columns
    first, second = _pair(rows, numbers, columns, geographic)
    if geographic:
        e, n = grid.from_geodetic(second, first)
        shape = "degrees, minutes and seconds" if is_sexagesimal(rows[0][columns["lat"]]) else "decimal degrees"
        how.append(f"Latitude and longitude in {shape}, on the datum of {grid.name}.")
    else:
        k = float(UNITS[unit].metres)
        e, n = first * k, second * k
        how.append(f"Easting and northing in {grid.name}, in {UNITS[unit].name}s.")
    if not head:
        e, n, swapped = _either_way(grid, e, n, first, second, geographic)
        if swapped:
            how.append(
                "The first of the two is "
                + ("the longitude" if geographic else "the northing")
                + ": only so do the points lie inside the grid's area."
            )
    grid.require_inside(e, n, "the list")
    heights = _heights(rows, numbers, columns, float(UNITS[unit].metres))
    names, codes = _texts(rows, columns, "name"), _texts(rows, columns, "code")
    return Reading(
        tuple(ReadPoint(*p) for p in zip(names, map(float, e), map(float, n), heights, codes, strict=True)), tuple(how)
    )


def _rows(text: str) -> tuple[list[list[str]], list[int], list[str]]:
    lines = [
        (k, line)
        for k, line in enumerate(text.replace("\ufeff", "").splitlines(), 1)
        if line.strip() and not line.lstrip().startswith("#")
    ]
    if len(lines) > MAX_ROWS + 1:
        raise ReadError(f"The list has {len(lines)} rows; up to {MAX_ROWS} are taken.", mend="Split it.")
    if long := next((k for k, line in lines if len(line) > LONGEST_LINE), None):
        raise ReadError(
            f"A line is longer than {LONGEST_LINE} characters.", where=f"line {long}", mend="Give one point per line."
        )
    if not lines:
        raise ReadError("There is nothing to read.", mend="Paste one point per line.")
    sample = lines[-1][1]
    for delimiter, name in (("\t", "tabs"), (";", "semicolons"), (",", "commas")):
        if delimiter in sample:
            rows = [[c.strip() for c in next(csv.reader(io.StringIO(line), delimiter=delimiter))] for _, line in lines]
            if delimiter != ",":
                rows = [[re.sub(r"^([-+]?\d+),(\d+)$", r"\1.\2", c) for c in row] for row in rows]
            return rows, [k for k, _ in lines], [f"Columns parted by {name}."]
    rows = [
        re.split(r"\s{2,}", line.strip())
        if re.search(r"[°'\"]", line) and re.search(r"\s{2,}", line.strip())
        else line.split()
        for _, line in lines
    ]
    return rows, [k for k, _ in lines], ["Columns parted by spaces."]


def _columns(row: list[str]) -> tuple[dict[str, int], bool]:
    """Columns by a header row, if this is one."""
    if any(_number(c) is not None for c in row):
        return {}, False
    found: dict[str, int] = {}
    for k, cell in enumerate(row):
        word = re.sub(r"[^a-z]", "", re.sub(r"[\[(,].*", "", cell.casefold()))
        for key, words in HEADS.items():
            if word in words and key not in found:
                found[key] = k
    if not ({"e", "n"} <= set(found) or {"lat", "lon"} <= set(found)):
        raise ReadError(
            "The header row names no pair of coordinates.", where="line 1", mend="Name columns E and N, or lat and lon."
        )
    return found, True


def _number(text: str) -> float | None:
    """A coordinate, or None for what is none: words, nan, inf and numbers beyond any grid."""
    try:
        value = float(text)
        return value if abs(value) < MOST else None
    except ValueError:
        try:
            return parse_angle(text)
        except ReadError:
            return None


def _fits(grid: Grid, e: float, n: float, metres: float) -> bool:
    """Whether two numbers are a place of the grid, either way round."""
    for pair in ((e, n), (n, e)):
        try:
            grid.require_inside(np.array([pair[0] * metres]), np.array([pair[1] * metres]), "the list")
        except GeodesyError:
            continue
        return True
    return False


def _guess(
    rows: list[list[str]], numbers: list[int], fits: Callable[[float, float], bool]
) -> tuple[dict[str, int], list[str]]:
    """Columns without a header: a name where the first cell is one, then two coordinates, then a height and a code. A plain
    number is a name where four follow each other, or where only the two after it are a place of the grid."""
    row = rows[0]
    plain = re.fullmatch(r"\d{1,5}", row[0]) is not None
    three = [_number(cell) for cell in row[:3]]
    only_after = False
    if plain and len(row) == 3 and None not in three:
        first, second, third = (float(v or 0.0) for v in three)
        only_after = not fits(first, second) and fits(second, third)
    named = _number(row[0]) is None or (len(row) >= 4 and plain) or only_after
    at = 1 if named else 0
    if len(row) < at + 2:
        raise ReadError(
            "A line needs at least two coordinates.",
            where=f"line {numbers[0]}",
            mend="Write easting and northing, or latitude and longitude.",
        )
    pair = [_number(row[at]), _number(row[at + 1])]
    if None in pair:
        raise ReadError(
            f"“{row[at + (pair[0] is not None)]}” is not a coordinate.",
            where=f"line {numbers[0]}",
            mend="Use digits, or degrees such as 46°18'45\"N.",
        )
    geographic = all(abs(v) <= 180 for v in pair if v is not None)
    columns = {"lat": at, "lon": at + 1} if geographic else {"e": at, "n": at + 1}
    if geographic and re.search(r"[EWO]", row[at], re.IGNORECASE) and not re.search(r"[NS]", row[at], re.IGNORECASE):
        columns = {"lon": at, "lat": at + 1}
    if named:
        columns["name"] = 0
    if len(row) > at + 2 and _number(row[at + 2]) is not None:
        columns["h"] = at + 2
    rest = at + 2 + ("h" in columns)
    if len(row) > rest:
        columns["code"] = rest
    said = f"No header row: {'name, ' if named else ''}{'latitude, longitude' if geographic else 'easting, northing'}{', height' if 'h' in columns else ''}{', code' if 'code' in columns else ''}."
    return columns, [said]


def _pair(rows: list[list[str]], numbers: list[int], columns: dict[str, int], geographic: bool):
    keys = ("lat", "lon") if geographic else ("e", "n")
    values = np.empty((2, len(rows)))
    for k, row in enumerate(rows):
        for a, key in enumerate(keys):
            cell = row[columns[key]] if columns[key] < len(row) else ""
            value = _number(cell)
            if value is None or not np.isfinite(value):
                raise ReadError(
                    f"“{cell}” is not a coordinate.", where=f"line {numbers[k]}", mend="Correct the line, or remove it."
                )
            values[a, k] = value
    if geographic and (np.abs(values[0]) > 90).any():
        k = int(np.flatnonzero(np.abs(values[0]) > 90)[0])
        raise ReadError(
            f"A latitude of {values[0, k]} is not possible.",
            where=f"line {numbers[k]}",
            mend="Name the columns lat and lon in a header row.",
        )
    return values[0], values[1]


def _either_way(grid: Grid, e, n, first, second, geographic: bool):
    """Coordinates as given, or swapped where only that lies inside the grid's area."""
    try:
        grid.require_inside(e, n, "the list")
        return e, n, False
    except GeodesyError:
        other_e, other_n = grid.from_geodetic(first, second) if geographic else (n, e)
        try:
            grid.require_inside(other_e, other_n, "the list")
        except GeodesyError:
            return e, n, False
        return other_e, other_n, True


def _heights(rows: list[list[str]], numbers: list[int], columns: dict[str, int], metres: float) -> list[float | None]:
    if "h" not in columns:
        return [None] * len(rows)
    out: list[float | None] = []
    for k, row in enumerate(rows):
        cell = row[columns["h"]] if columns["h"] < len(row) else ""
        if not cell:
            out.append(None)
            continue
        try:
            height = float(cell)
        except ValueError:
            height = math.nan
        if not abs(height) < MOST:
            raise ReadError(
                f"“{cell}” is not a height.",
                where=f"line {numbers[k]}",
                mend="Correct it, or leave it empty for the terrain's height.",
            )
        out.append(height * metres)
    return out


def _texts(rows: list[list[str]], columns: dict[str, int], key: str) -> list[str]:
    at = columns.get(key)
    return [row[at] if at is not None and at < len(row) else "" for row in rows]
