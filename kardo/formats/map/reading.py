"""A map file read, whatever its format, and brought to a job's grid.

A file that names no coordinate system is tried in every unit and order that fits the site: one left is taken and said,
several are told, to be chosen from."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from pyproj import Transformer

from kardo.core.arrays import Floats
from kardo.core.errors import GeodesyError, ReadError
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.systems import ELLIPSOIDAL
from kardo.core.geodesy.transformations import geodetic_of, on_other_ellipsoid
from kardo.core.geodesy.units import UNITS, place
from kardo.formats.cells import MOST
from kardo.formats.coordinates import NEAR, Option
from kardo.formats.map.registry import FORMATS, format_of
from kardo.formats.map.things import MAX_BYTES, MOST_THINGS, MOST_VERTICES, MapFile, Thing
from kardo.formats.map.xml import root_of


@dataclass(frozen=True)
class Brought:
    """Things in grid metres, how they came there; options to choose from where a file without a system fits in several
    ways; what is said of a transformation that has to be accepted."""

    things: tuple[Thing, ...]
    how: tuple[str, ...]
    options: tuple[Option, ...] = ()
    approximate: str = ""


def is_map_file(data: bytes) -> bool:
    """Whether a file is meant to be of one of the formats, by its content."""
    return format_of(data) is not None or data[:400].lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"<"


def read_map_file(data: bytes, name: str) -> MapFile:
    """What a file holds, whatever its name: the content decides. Raises ReadError."""
    what = name or "The file"
    if len(data) > MAX_BYTES:
        raise ReadError(f"{what} is larger than {MAX_BYTES // 1_000_000} MB.", mend="Export only what you need.")
    own = format_of(data)
    if own is None:
        known = ", ".join(one.name for one in FORMATS)
        kind = f" It is XML of another kind (<{root_of(data)[:40]}>)." if root_of(data) else ""
        raise ReadError(f"{what} is none of {known}.{kind}", mend="Export it as one of these.")
    found = own.read(data)
    if len(found.things) > MOST_THINGS or sum(len(t.vertices) for t in found.things) > MOST_VERTICES:
        raise ReadError(
            f"{what} holds more than is taken at once: {MOST_THINGS:,} things of {MOST_VERTICES:,} vertices.",
            mend="Export the part about the site.",
        )
    for thing in found.things:
        if any(not abs(v) < MOST for vertex in thing.vertices for v in vertex):
            raise ReadError(
                "A coordinate is none (nan, inf or beyond any grid).", where=thing.name, mend="Export it again."
            )
    if not found.things:
        raise ReadError(f"{what} holds no point, line or area.", mend="Export it again with what you need.")
    return found


def places_of(found: MapFile) -> MapFile:
    """The points alone of what a file holds. Raises ReadError for a file without any."""
    places = tuple(t for t in found.things if t.kind == "place")
    if not places:
        raise ReadError("The file holds no point.", mend="Export the points, not lines or areas.")
    return replace(found, things=places)


def brought(
    found: MapFile, grid: Grid, unit: str, near: tuple[float, float] | None = None, chosen: str = ""
) -> Brought:
    """A file's things in a grid. unit is the job's; near the middle of the site where it is known; chosen the key of
    the option taken. Raises ReadError, GeodesyError."""
    if found.source is None:
        return _as_grid(found, grid, unit, near, chosen)
    first = found.things[0].vertices[0]
    way = grid.way_to(found.source, *first)
    x, y = np.array([v for t in found.things for v in t.vertices]).T
    e, n = grid.from_other(way, x, y)
    if not (np.isfinite(e).all() and np.isfinite(n).all()):
        raise ReadError("Some of it cannot exist in the job's grid.", mend="Check the grid in the Brief.")
    grid.require_inside(e, n, "the file", brought=True)
    said = f"From {found.source.name} {way.words}."
    how = found.how if way.exact else (*found.how, said)
    things, of_heights = _above_ellipsoid(found, grid)
    how = (*how, of_heights) if of_heights else how
    return Brought(_with(things, e, n), how, approximate=said if way.approximate else "")


def _above_ellipsoid(found: MapFile, grid: Grid) -> tuple[tuple[Thing, ...], str]:
    """A file's things with their heights above the ellipsoid of a grid whose heights are ellipsoidal; as they are in
    any other, whose geoid theirs are taken to have."""
    assert found.source is not None
    if grid.heights != ELLIPSOIDAL or all(t.h is None for t in found.things):
        return found.things, ""
    geodetic = geodetic_of(found.source)
    to_degrees = Transformer.from_crs(found.source, geodetic, always_xy=True)
    lon, lat = (np.asarray(v) for v in to_degrees.transform(*np.array([t.vertices[0] for t in found.things]).T))
    h, said = on_other_ellipsoid(geodetic, grid.geodetic, lon, lat, np.array([t.h for t in found.things], dtype=float))
    heights = [float(v) if np.isfinite(v) else None for v in h]
    return tuple(replace(t, h=up) for t, up in zip(found.things, heights, strict=True)), said


def _as_grid(found: MapFile, grid: Grid, unit: str, near: tuple[float, float] | None, chosen: str) -> Brought:
    """A file that names no system, read as coordinates of the job's grid: in every unit and order that fits."""
    xy = np.array([v for t in found.things for v in t.vertices])
    own = [u.id for u in UNITS.values() if found.unit_m and abs(float(u.metres) / found.unit_m - 1) < 1e-9]
    units = own or list(dict.fromkeys((unit, "m")))
    fitting: dict[str, tuple[Option, Floats]] = {}
    for one in units:
        for order in ("en", "ne"):
            at = xy * float(UNITS[one].metres)
            at = at if order == "en" else at[:, ::-1]
            try:
                grid.require_inside(at[:, 0], at[:, 1], "the file")
            except GeodesyError:
                continue
            which = "easting, northing" if order == "en" else "northing, easting"
            words = f"{which} in {UNITS[one].plural}: the first at {place(float(at[0][0]), float(at[0][1]), unit)}"
            fitting[f"{order}-{one}"] = Option(f"{order}-{one}", words), at
    close = {
        key: one
        for key, one in fitting.items()
        if near is not None and float(np.hypot(*(one[1].mean(axis=0) - near))) < NEAR
    }
    fitting = close or fitting
    if not fitting:
        raise ReadError(
            "The file names no coordinate system, and its coordinates are none of the job's grid.",
            mend="Export it in the job's grid, or in a format that names its system.",
        )
    key = chosen if chosen in fitting else next(iter(fitting))
    option, at = fitting[key]
    scale = float(UNITS[key.partition("-")[2]].metres)
    things = [replace(t, h=None if t.h is None else t.h * scale) for t in found.things]
    options = tuple(o for o, _ in fitting.values()) if len(fitting) > 1 and chosen not in fitting else ()
    how = (*found.how, f"It names no coordinate system: taken as {grid.name}, {option.words}.")
    return Brought(_with(things, at[:, 0], at[:, 1]), how, options)


def _with(things: Sequence[Thing], e: Floats, n: Floats) -> tuple[Thing, ...]:
    """Things with other vertices (k,), which are theirs one after another."""
    ends = np.cumsum([len(t.vertices) for t in things])
    pairs = list(zip(np.asarray(e).tolist(), np.asarray(n).tolist(), strict=True))
    return tuple(
        replace(t, vertices=tuple(pairs[end - len(t.vertices) : end])) for t, end in zip(things, ends, strict=True)
    )
