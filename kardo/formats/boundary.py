"""A site boundary from a file of a map, or a coordinate list."""

import math
from dataclasses import dataclass, replace

import numpy as np
from pyproj.exceptions import ProjError
from shapely import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from kardo.core.errors import KardoError, ReadError
from kardo.core.flight.lines.areas import crossing, scale_over
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.units import area, length
from kardo.core.parts import MAX_VERTICES
from kardo.core.terrain.surface import AnySurface
from kardo.formats.cells import decoded
from kardo.formats.coordinates import Option, read_points
from kardo.formats.map.reading import brought, is_map_file, read_map_file
from kardo.formats.map.registry import ENDINGS
from kardo.formats.map.things import Thing

MAX_BYTES, MOST_OFFERED = 2_000_000, 12


@dataclass(frozen=True)
class Boundary:
    """One ring of grid metres, not closed, with how it was read and its area in square metres. Where options stand, the
    ring is that of the first, and the user has to choose; what is said of a transformation that is approximate, has to
    be accepted. axis and width: of a corridor, grid metres and metres on the ground, so that it can be flown along."""

    ring: tuple[tuple[float, float], ...]
    how: tuple[str, ...]
    area: float
    options: tuple[Option, ...] = ()
    approximate: str = ""
    axis: tuple[tuple[float, float], ...] = ()
    width: float = 0.0


WIDTHS = (10, 20, 50, 100)  # metres that an open line is offered as a corridor of
Ground = tuple[Grid, AnySurface | None]  # a job's grid, and its ground as far as that is known


def read_boundary(
    data: bytes,
    name: str,
    grid: Grid,
    unit: str,
    near: tuple[float, float] | None = None,
    chosen: str = "",
    surface: AnySurface | None = None,
) -> Boundary:
    """Read a boundary whatever it is: the content decides, the name only helps with the message. near is the middle of
    the site where it is known, chosen the key of the option that the user took, surface the ground that areas are told
    on. Raises ReadError."""
    on = grid, surface
    if len(data) > MAX_BYTES:
        raise ReadError(f"{name or 'The file'} is larger than 2 MB.", mend="Export only the boundary.")
    if is_map_file(data):
        return _of_map(data, name, on, unit, near, chosen)
    text, said = decoded(data, name)
    if name.lower().endswith(ENDINGS):
        raise ReadError(
            f"{name} is not what its name says: it holds plain text.", mend="Export it again, or paste its coordinates."
        )
    reading = read_points(text, grid, unit, near, chosen)
    found = _checked([(p.e, p.n) for p in reading.points], [*reading.how, *said], on)
    return replace(found, options=reading.options)


def _of_map(data: bytes, name: str, on: Ground, unit: str, near: tuple[float, float] | None, chosen: str) -> Boundary:
    """The outline of a file of a map. What is chosen is the way to read one that names no system, and behind a stroke
    the outline."""
    way, _, outline = chosen.partition("/") if "/" in chosen or "-" in chosen else ("", "", chosen)
    found = read_map_file(data, name)
    shapes = outlines_of(found.things)
    if not shapes:
        raise ReadError(
            f"{name or 'The file'} holds no area and no line.", mend="Draw the boundary, and export it again."
        )
    read = brought(replace(found, things=shapes), on[0], unit, near, way)
    taken = _of_shapes(read.things, read.how, on, unit, outline)
    prefix = f"{way}/" if way else ""
    options = read.options or tuple(Option(prefix + o.key, o.words) for o in taken.options)
    return replace(taken, options=options, approximate=read.approximate)


def outlines_of(things: tuple[Thing, ...]) -> tuple[Thing, ...]:
    """What can be a boundary, areas before lines, the largest first, as many as are offered."""
    areas = [t for t in things if t.kind == "area"]
    shapes = areas or [t for t in things if t.kind == "line"]

    def size(thing: Thing) -> float:
        return -float(Polygon(thing.vertices).area) if len(thing.vertices) > 2 else 0.0

    return tuple(sorted(shapes, key=size)[:MOST_OFFERED])


def _of_shapes(shapes: tuple[Thing, ...], how: tuple[str, ...], on: Ground, unit: str, chosen: str) -> Boundary:
    """The outline of a file: the only one, or the one that is chosen; an open line closed or made a corridor, as is
    chosen. One with holes can be looked at among others, and is refused when it is chosen."""
    options = () if chosen else _options(shapes, on, unit)
    key, _, width = (chosen or (options[0].key if options else "0")).partition(":")
    shape = {str(k): shape for k, shape in enumerate(shapes)}.get(key, shapes[0])
    if shape.holes and (chosen or len(shapes) == 1):
        raise ReadError(
            f"The area has {shape.holes} hole{'s' if shape.holes > 1 else ''}; a boundary is one outline.",
            where="the boundary",
            mend="Export the outline alone, and draw what is left out as areas of their own.",
        )
    places = [(round(e, 5), round(n, 5)) for e, n in shape.vertices]
    told: list[str] = []
    axis = places if width.isdigit() and shape.kind == "line" else []
    if axis:
        told = [f"The open line is the axis of a corridor {length(int(width), unit)} wide."]
        places = _corridor(places, int(width) * _scale(LineString(places), on))
    elif shape.kind == "line":
        told = ["The open line is closed."]
    found = _checked(places, [*how, *told], on)
    found = replace(found, axis=tuple(axis), width=float(width) if axis else 0.0)
    return replace(found, options=options)


def _corridor(axis: list[tuple[float, float]], width: float) -> list[tuple[float, float]]:
    """The outline of a corridor about an axis, all in grid metres. Raises ReadError where it closes upon itself."""
    shape = LineString(axis).buffer(width / 2, cap_style="flat", join_style="mitre")
    if not isinstance(shape, Polygon) or shape.interiors:
        raise ReadError(
            "A corridor of this width closes about ground that is not in it.",
            where="the boundary",
            mend="Take a narrower one, or draw the outline.",
        )
    return list(shape.exterior.coords)


def _options(shapes: tuple[Thing, ...], on: Ground, unit: str) -> tuple[Option, ...]:
    """What there is to choose: which of several outlines, and what becomes of an open line."""
    out: list[Option] = []
    for k, shape in enumerate(shapes):
        which = f"outline {k + 1}, " if len(shapes) > 1 else ""
        count = len(shape.vertices)
        size = area(_on_ground(Polygon(shape.vertices), on), unit) if count > 2 else ""
        if shape.kind == "area":
            out.append(Option(str(k), f"{which}{count} corners, {size}{', with holes' if shape.holes else ''}"))
            continue
        if size and Polygon(shape.vertices).is_valid:  # a centre line with a bend to each side closes across itself
            out.append(Option(str(k), f"{which}an open line: closed into an area of {size}"))
        out += [
            Option(f"{k}:{width}", f"{which}a corridor {length(width, unit)} wide along the line") for width in WIDTHS
        ]
    return tuple(out) if len(out) > 1 else ()


def _checked(points: list[tuple[float, float]], how: list[str], on: Ground) -> Boundary:
    ring = [p for k, p in enumerate(points) if k == 0 or p != points[k - 1]]
    if len(ring) > 1 and np.hypot(ring[0][0] - ring[-1][0], ring[0][1] - ring[-1][1]) < 1e-4:
        ring = ring[:-1]
    if len(ring) < 3:
        raise ReadError(f"A boundary needs three corners; {len(ring)} found.", mend="Give the whole outline.")
    if len(ring) > MAX_VERTICES:
        raise ReadError(f"The boundary has {len(ring)} vertices; up to {MAX_VERTICES} are taken.", mend="Simplify it.")
    on[0].require_inside(np.array([p[0] for p in ring]), np.array([p[1] for p in ring]), "the boundary")
    polygon = Polygon(ring)
    if not polygon.is_valid:
        spot = crossing(polygon)
        raise ReadError(
            f"The boundary crosses itself{f' near {spot[0]:.1f} {spot[1]:.1f}' if spot else ''}.",
            where="the boundary",
            mend="Put its corners in order round the site.",
            spot=spot,
            outline=tuple(ring),
        )
    return Boundary(tuple(ring), (*how, f"{len(ring)} corners."), _on_ground(polygon, on))


def _on_ground(polygon: Polygon, on: Ground) -> float:
    """Square metres on the ground of a polygon in grid metres."""
    return float(polygon.area) / _scale(polygon, on) ** 2


def _scale(shape: BaseGeometry, on: Ground) -> float:
    """Grid metres a metre on the ground in the middle of a shape; 1 where the grid cannot tell."""
    try:
        scale = scale_over(*on, shape)
    except (KardoError, ProjError):
        return 1.0
    return scale if math.isfinite(scale) and scale > 0 else 1.0
