"""Coordinate lists as people paste them, read by one grammar.

A list is cut into cells; every way of reading the cells that the grammar knows (which columns, which order, which unit,
which hemisphere an O is) is tried, and kept where all its points fit the grid and the site. One way left is taken and
said; several that lead to different places are told, for the user to choose. Nothing is guessed between them."""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from kardo.core.errors import GeodesyError, KardoError, ReadError
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.crs import grid as grid_of
from kardo.core.geodesy.systems import ELLIPSOIDAL
from kardo.core.geodesy.units import FEET, UNITS, place
from kardo.formats.cells import Table, coordinate, head_of, like_a_number, no_coordinates, number, tables_of, unit_of

MAX_BYTES = 1_000_000
LOWEST, HIGHEST = -1000.0, 10_000.0  # metres, of a height
NEAR = 20_000.0  # metres about the site within which a reading is preferred to those that are not
SAME = 0.001  # metres within which two readings say the same place


@dataclass(frozen=True)
class ReadPoint:
    """A point as read: grid metres, height in metres of the job's system or None."""

    name: str
    e: float
    n: float
    h: float | None = None
    code: str = ""


@dataclass(frozen=True)
class Option:
    """One of several ways to read a list that all fit: its key, to be handed in again, and what it means in words."""

    key: str
    words: str


@dataclass(frozen=True)
class Reading:
    """What was read, and in words how it was understood, for the user to accept or not. Where options stand, the points
    are those of the first, and the user has to choose. geographic: they came as latitudes and longitudes, so that
    nobody knows which height stands beside them."""

    points: tuple[ReadPoint, ...]
    how: tuple[str, ...] = field(default=())
    options: tuple[Option, ...] = ()
    geographic: bool = False


@dataclass(frozen=True)
class Way:
    """A way to read a table: columns by what they hold; whether they are degrees; which unit; whether an O is west."""

    columns: dict[str, int]
    geographic: bool
    unit: str
    height_unit: str
    o_is_west: bool = True

    @property
    def key(self) -> str:
        """What names it: the columns in their order, the units, the hemisphere."""
        order = sorted(self.columns, key=lambda what: self.columns[what])
        return "-".join([*order, self.unit, self.height_unit, "west" if self.o_is_west else "east"])


def read_points(text: str, grid: Grid, unit: str, near: tuple[float, float] | None = None, chosen: str = "") -> Reading:
    """Points from a pasted or uploaded list. unit is the job's; near the middle of the site in grid metres where it is
    known; chosen the key of the option that the user took. Raises ReadError naming the line, GeodesyError for what lies
    off the grid."""
    if len(text) > MAX_BYTES:
        raise ReadError("The list is longer than a megabyte.", mend="Paste fewer points.")
    found, faults = _fitting(text, grid, unit, near)
    if not found:
        raise max(faults, key=lambda fault: fault[0])[1]
    (table, way, points), open_ = _taken(found, chosen)
    options = tuple(Option(w.key, _words(w, p, grid, unit)) for _, w, p in open_)
    return Reading(points, tuple(_how(table, way, grid)), options, way.geographic)


def _taken(found: "list[Found]", chosen: str) -> "tuple[Found, list[Found]]":
    """The way that is chosen, or the first; and those to choose from, as long as none of them is."""
    taken = next((one for one in found if one[1].key == chosen), None)
    return taken or found[0], [] if taken or len(found) == 1 else found


def read_places(text: str, chosen: str = "") -> tuple[list[tuple[float, float]], list[str], list[Option]]:
    """Longitudes and latitudes in degrees from a list of latitudes and longitudes in any order and habit, how it was
    read, and the ways that it can be read where there are several. Raises ReadError; of coordinates of a grid too, for
    it is not known."""
    if len(text) > MAX_BYTES:
        raise ReadError("The list is longer than a megabyte.", mend="Paste fewer points.")
    found, faults = _fitting(text, WORLD, "m", None, geographic=True)
    if not found:
        raise max(faults, key=lambda fault: fault[0])[1]
    (table, _, points), open_ = _taken(found, chosen)
    options = [Option(w.key, _at(p, len(p))) for _, w, p in open_]
    return _degrees(points), [table.cut, f"Read as {_at(points, len(points))}."], options


WORLD = grid_of("EPSG:4087", ELLIPSOIDAL)  # the whole world's, in which degrees are kept while no grid is known


def _degrees(points: tuple[ReadPoint, ...]) -> list[tuple[float, float]]:
    lon, lat = WORLD.to_geodetic(np.array([p.e for p in points]), np.array([p.n for p in points]))
    return [(float(a), float(b)) for a, b in zip(lon, lat, strict=True)]


def _at(points: tuple[ReadPoint, ...], count: int) -> str:
    lon, lat = _degrees(points)[0]
    return (
        f"{'the first of ' + str(count) + ' places' if count > 1 else 'a place'} at {abs(lat):.5f}°"
        f" {'N' if lat >= 0 else 'S'}, {abs(lon):.5f}° {'E' if lon >= 0 else 'W'}"
    )


Found = tuple[Table, Way, tuple[ReadPoint, ...]]


def _fitting(
    text: str, grid: Grid, unit: str, near: tuple[float, float] | None, geographic: bool = False
) -> tuple[list[Found], list[tuple[int, KardoError]]]:
    """Every way to read the list that fits and leads to a place of its own; and what is wrong with the others, with how
    far each came. geographic: as latitudes and longitudes alone."""
    found: list[Found] = []
    faults: list[tuple[int, KardoError]] = []
    for table in tables_of(text):
        for way in _ways(table, grid, unit):
            if geographic and not way.geographic:
                continue
            try:
                points = _points(table, way, grid)
                grid.require_inside(np.array([p.e for p in points]), np.array([p.n for p in points]), "the list")
            except GeodesyError as fault:
                faults.append((10**7, fault))
            except ReadError as fault:
                faults.append((_line(fault), fault))
            else:
                if all(_differ(points, other) for _, _, other in found):
                    found.append((table, way, points))
    found = [one for one in found if _lettered(*one[:2])] or found
    found = [one for one in found if _alike(*one[:2])] or found
    close = [one for one in found if near is not None and _away(one[2], near) < NEAR]
    return close or found, faults or [(0, no_coordinates())]


def _lettered(table: Table, way: Way) -> bool:
    """Whether the first line's angles carry the letters of their hemispheres: then they are nothing else."""
    if not way.geographic:
        return False
    angles = [coordinate(table.rows[0][way.columns[what]]) for what in ("lat", "lon")]
    return all(angle is not None and angle.letter for angle in angles)


def _alike(table: Table, way: Way) -> bool:
    """Whether the first line's angles are written in as many parts: 46 18 22 N 13 24 40 W is no point named 46."""
    if not way.geographic:
        return False
    cells = [table.rows[0][way.columns[what]].replace(",", ".") for what in ("lat", "lon")]
    lat, lon = (len(re.findall(r"\d+(?:\.\d+)?", cell)) for cell in cells)
    return lat == lon


def _line(fault: ReadError) -> int:
    return int(fault.where.removeprefix("line ")) if fault.where.startswith("line ") else 0


def _differ(points: tuple[ReadPoint, ...], other: tuple[ReadPoint, ...]) -> bool:
    pairs = zip(points, other, strict=False)
    return len(points) != len(other) or any(
        max(abs(p.e - q.e), abs(p.n - q.n), abs((p.h or 0.0) - (q.h or 0.0))) > SAME or (p.h is None) != (q.h is None)
        for p, q in pairs
    )


def _away(points: tuple[ReadPoint, ...], near: tuple[float, float]) -> float:
    e, n = np.mean([(p.e, p.n) for p in points], axis=0)
    return float(np.hypot(e - near[0], n - near[1]))


def _ways(table: Table, grid: Grid, unit: str) -> Iterator[Way]:
    """Every way of reading the columns that the grammar knows."""
    if table.head is not None:
        yield from _ways_by_head(table, grid, unit)
        return
    first = table.rows[0]
    for at in (1, 0):
        if len(first) < at + 2 or (at and not _may_be_name(table)):
            continue
        columns = {"name": 0} if at else {}
        rest = at + 2
        if rest < len(first) and like_a_number(next((r[rest] for r in table.rows if r[rest : rest + 1] > [""]), "")):
            columns["h"], rest = rest, rest + 1
        if rest < len(first):
            columns["code"] = rest
        yield from _ways_of_pair(table, columns, at, grid, unit)


def _may_be_name(table: Table) -> bool:
    """Whether the first column may hold names: no number with decimals, and no angle, is one."""
    return all(coordinate(r[0]) is None and not re.fullmatch(r"[-+−]?\d*[.,]\d+", r[0]) for r in table.rows)


def _ways_of_pair(table: Table, columns: dict[str, int], at: int, grid: Grid, unit: str) -> Iterator[Way]:
    cells = [(row[at], row[at + 1]) for row in table.rows if len(row) > at + 1]
    values = [number(cell) for pair in cells for cell in pair]
    numbers = [v for v in values if v is not None]
    plain = len(numbers) == len(values)
    if plain or any(v is not None for v in values[:2]):
        for one in _units(grid, unit):
            yield Way({**columns, "e": at, "n": at + 1}, False, one, one)
            yield Way({**columns, "n": at, "e": at + 1}, False, one, one)
    if not plain or all(abs(v) <= 180 for v in numbers):
        west = {True, False} if any("o" in cell.casefold() for pair in cells for cell in pair) else {True}
        for o_is_west in sorted(west, reverse=True):
            yield Way(
                columns={**columns, "lat": at, "lon": at + 1},
                geographic=True,
                unit="",
                height_unit=unit,
                o_is_west=o_is_west,
            )
            yield Way(
                columns={**columns, "lon": at, "lat": at + 1},
                geographic=True,
                unit="",
                height_unit=unit,
                o_is_west=o_is_west,
            )


def _units(grid: Grid, unit: str) -> list[str]:
    """What coordinates may be in: the job's unit, or the grid's own."""
    own = next((u.id for u in UNITS.values() if abs(float(u.metres) / grid.metres_per_unit - 1) < 1e-9), unit)
    return list(dict.fromkeys((unit, own)))


def _ways_by_head(table: Table, grid: Grid, unit: str) -> Iterator[Way]:
    """As the header names the columns. An X is east, and where the grid's own first axis is north may be that too; feet
    may be either foot where the job or the grid is in survey feet."""
    assert table.head is not None
    columns: dict[str, int] = {}
    for k, cell in enumerate(table.head):
        what = head_of(cell)
        if what and what not in columns:
            columns[what] = k
    said = {what: unit_of(table.head[k]) for what, k in columns.items()}
    pairs = [("e", "n"), ("lat", "lon")] if not {"x", "y"} <= set(columns) else []
    rest = {what: k for what, k in columns.items() if what in {"name", "h", "code"}}
    for a, b in pairs:
        if {a, b} <= set(columns):
            geographic = a == "lat"
            of_pair = {a: columns[a], b: columns[b]}
            yield from _in_units({**rest, **of_pair}, geographic, said.get(a), said.get("h"), grid, unit)
            return
    orders = [("e", "n")]
    if str(grid.crs.axis_info[0].direction).casefold() == "north":
        orders.append(("n", "e"))
    for x, y in orders:
        of_pair = {x: columns["x"], y: columns["y"]}
        yield from _in_units({**rest, **of_pair}, False, said.get("x"), said.get("h"), grid, unit)


def _in_units(
    columns: dict[str, int], geographic: bool, said: str | None, said_h: str | None, grid: Grid, unit: str
) -> Iterator[Way]:
    own = _units(grid, unit)

    def meant(word: str | None) -> list[str]:
        if word is None:
            return own
        feet = [one for one in own if one in FEET and one != "ft"]
        return ["ft", *feet] if word == "ft" else [word]

    if geographic:
        for o_is_west in (True, False):
            yield Way(
                columns=columns,
                geographic=True,
                unit="",
                height_unit=meant(said_h)[0] if said_h else unit,
                o_is_west=o_is_west,
            )
        return
    for one in meant(said):
        yield Way(columns, False, one, meant(said_h)[0] if said_h else one)


def _points(table: Table, way: Way, grid: Grid) -> tuple[ReadPoint, ...]:
    """The points of one way of reading. Raises ReadError about the first line that it does not fit."""
    pair = ("lat", "lon") if way.geographic else ("e", "n")
    values = np.array(
        [[_value(row, k, what, way) for what in pair] for row, k in zip(table.rows, table.numbers, strict=True)]
    ).reshape(-1, 2)
    if way.geographic:
        e, n = grid.from_geodetic(values[:, 1], values[:, 0])
    else:
        e, n = (values * float(UNITS[way.unit].metres)).T
    heights = _heights(table, way)
    names, codes = (_texts(table, way, what) for what in ("name", "code"))
    return tuple(ReadPoint(*p) for p in zip(names, map(float, e), map(float, n), heights, codes, strict=True))


def _value(row: list[str], line: int, what: str, way: Way) -> float:
    cell = row[way.columns[what]] if way.columns[what] < len(row) else ""
    value = number(cell)
    angle = coordinate(cell) if way.geographic else None
    if angle is not None:
        if angle.letter and (angle.letter in "NS") != (what == "lat"):
            raise ReadError(f"“{cell}” is no {'latitude' if what == 'lat' else 'longitude'}.", where=f"line {line}")
        negative = angle.letter in ("S", "W") or (angle.letter == "O" and way.o_is_west)
        value = -angle.degrees if negative != angle.minus else angle.degrees
    if value is None:
        raise ReadError(
            f"“{cell[:60]}” is not a coordinate.", where=f"line {line}", mend="Correct the line, or remove it."
        )
    if way.geographic and abs(value) > (90 if what == "lat" else 360):
        raise ReadError(
            f"A {'latitude' if what == 'lat' else 'longitude'} of {value:g} is not possible.",
            where=f"line {line}",
            mend="Name the columns lat and lon in a header row.",
        )
    return value


def _heights(table: Table, way: Way) -> list[float | None]:
    if "h" not in way.columns:
        return [None] * len(table.rows)
    out: list[float | None] = []
    for row, line in zip(table.rows, table.numbers, strict=True):
        cell = row[way.columns["h"]] if way.columns["h"] < len(row) else ""
        if not cell:
            out.append(None)
            continue
        value = number(cell)
        height = None if value is None else value * float(UNITS[way.height_unit].metres)
        if height is None or not LOWEST <= height <= HIGHEST:
            raise ReadError(
                f"“{cell[:60]}” is not a height.",
                where=f"line {line}",
                mend="Correct it, or leave it empty for the terrain's height.",
            )
        out.append(height)
    return out


def _texts(table: Table, way: Way, what: str) -> list[str]:
    at = way.columns.get(what)
    return [row[at] if at is not None and at < len(row) else "" for row in table.rows]


NAMES = {"e": "easting", "n": "northing", "lat": "latitude", "lon": "longitude", "h": "height"}


def _how(table: Table, way: Way, grid: Grid) -> Iterator[str]:
    yield table.cut
    order = [NAMES.get(what, what) for what in sorted(way.columns, key=lambda what: way.columns[what])]
    yield f"{'Columns by the header row' if table.head else 'No header row'}: {', '.join(order)}."
    if way.geographic:
        cells = [table.rows[0][way.columns[what]] for what in ("lat", "lon")]
        sexagesimal = any(angle.sexagesimal for cell in cells if (angle := coordinate(cell)) is not None)
        shape = "degrees, minutes and seconds" if sexagesimal else "decimal degrees"
        yield f"Latitude and longitude in {shape}, on the datum of {grid.name} ({grid.geodetic.name})."
    else:
        yield f"Easting and northing in {grid.name}, in {UNITS[way.unit].plural}."
    if table.head and (left := [cell for k, cell in enumerate(table.head) if cell and k not in way.columns.values()]):
        yield f"Not taken: {', '.join(cell[:30] for cell in left[:12])}."
    if "h" in way.columns:
        yield f"Heights in {UNITS[way.height_unit].plural}."


def _words(way: Way, points: tuple[ReadPoint, ...], grid: Grid, job_unit: str) -> str:
    """What an option means: the order of its columns, its unit, and where its first point lies, on WGS 84 too."""
    order = [NAMES.get(what, what) for what in sorted(way.columns, key=lambda what: way.columns[what])]
    first = points[0]
    lon, lat = grid.to_world(first.e, first.n)
    unit = f"in {UNITS[way.unit].plural}" if way.unit else f"O for {'west' if way.o_is_west else 'east'}"
    return (
        f"{', '.join(order)}; {unit}: the first at {place(first.e, first.n, job_unit)} ({UNITS[job_unit].short}),"
        f" {float(lat):.5f}°, {float(lon):.5f}°"
    )
