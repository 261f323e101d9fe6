"""A site boundary from a file of a map, or a coordinate list."""

import json
import math
from dataclasses import dataclass, replace
from xml.sax import SAXException
from xml.sax.handler import ContentHandler

import numpy as np
from defusedxml import sax
from defusedxml.common import DefusedXmlException
from pyproj import CRS
from pyproj.exceptions import CRSError, ProjError
from shapely import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from kardo.core.errors import KardoError, ReadError
from kardo.core.flight.areas import crossing, scale_over
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.transformations import WGS84, Transformation
from kardo.core.geodesy.units import area, length
from kardo.core.parts import MAX_VERTICES
from kardo.core.terrain.surface import AnySurface
from kardo.formats.cells import MOST
from kardo.formats.coordinates import Option, read_points
from kardo.formats.drawn import brought, is_drawn, read_drawn

MAX_BYTES, MAX_RINGS, MOST_OFFERED = 2_000_000, 1000, 12


@dataclass(frozen=True)
class Boundary:
    """One ring of grid metres, not closed, with how it was read and its area in square metres. Where options stand, the ring is
    that of the first, and the user has to choose; what is said of a transformation that is approximate, has to be accepted. axis and
    width: of a corridor, grid metres and metres on the ground, so that it can be flown along."""

    ring: tuple[tuple[float, float], ...]
    how: tuple[str, ...]
    area: float
    options: tuple[Option, ...] = ()
    approximate: str = ""
    axis: tuple[tuple[float, float], ...] = ()
    width: float = 0.0


@dataclass(frozen=True)
class Shape:
    """An outline as a file holds it: its places, whether it is closed, and how many holes it has."""

    places: list[tuple[float, float]]
    closed: bool
    holes: int = 0


@dataclass(frozen=True)
class Outlines:
    """What can be a boundary in a file, areas before lines, the largest first; their CRS, and how they were read."""

    shapes: tuple[Shape, ...]
    source: CRS
    how: tuple[str, ...]


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
    """Read a boundary whatever it is: the content decides, the name only helps with the message. near is the middle of the site
    where it is known, chosen the key of the option that the user took, surface the ground that areas are told on. Raises ReadError."""
    on = grid, surface
    if is_drawn(data) and not _is_text_of_outlines(data):
        return _of_drawn(data, name, on, unit, near, chosen)
    text = text_of(data, name)
    outlines = outlines_in(text)
    if outlines is not None:
        return _of_shapes(outlines, on, unit, chosen)
    if name.lower().endswith((".geojson", ".json", ".kml")):
        raise ReadError(
            f"{name} is not what its name says: it holds plain text.", mend="Export it again, or paste its coordinates."
        )
    reading = read_points(text, grid, unit, near, chosen)
    found = _checked([(p.e, p.n) for p in reading.points], [*reading.how], on)
    return replace(found, options=reading.options)


def text_of(data: bytes, name: str) -> str:
    """A file as text. Raises ReadError for one that is too large, or none."""
    if len(data) > MAX_BYTES:
        raise ReadError(f"{name or 'The file'} is larger than 2 MB.", mend="Export only the boundary.")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise ReadError(
            f"{name or 'The file'} is not text: neither GeoJSON, KML nor a coordinate list.",
            mend="Export the boundary as GeoJSON or KML.",
        ) from None


def outlines_in(text: str) -> Outlines | None:
    """The outlines of GeoJSON or KML; None of a text that is neither. Raises ReadError."""
    start = text.lstrip()[:1]
    if start and start in "{[":
        shapes, source, how = _geojson(text)
        return Outlines(tuple(_sound(shapes, "GeoJSON")), source, tuple(how))
    if start == "<":
        shapes, source, how = _kml(text)
        return Outlines(tuple(_sound(shapes, "KML")), source, tuple(how))
    return None


def _is_text_of_outlines(data: bytes) -> bool:
    """Whether a file is GeoJSON or KML, whose outlines are read as text."""
    start = data[:1000].lstrip(b"\xef\xbb\xbf \t\r\n")
    return start[:1] in (b"{", b"[") or b"<kml" in start


def _of_drawn(data: bytes, name: str, on: Ground, unit: str, near: tuple[float, float] | None, chosen: str) -> Boundary:
    """The outline of a file of a map. What is chosen is the way to read one that names no system, and behind a stroke the outline."""
    way, _, outline = chosen.partition("/") if "/" in chosen or "-" in chosen else ("", "", chosen)
    found = read_drawn(data, name)
    lines = [t for t in found.things if t.kind != "place"]
    if not lines:
        raise ReadError(
            f"{name or 'The file'} holds no area and no line.", mend="Draw the boundary, and export it again."
        )
    read = brought(replace(found, things=tuple(lines)), on[0], unit, near, way)
    shapes = _sound([Shape(list(t.vertices), t.kind == "area", t.holes) for t in read.things], "map")
    taken = _of_shapes(Outlines(tuple(shapes), on[0].crs, read.how), on, unit, outline)
    prefix = f"{way}/" if way else ""
    options = read.options or tuple(Option(prefix + o.key, o.words) for o in taken.options)
    return replace(taken, options=options, approximate=read.approximate or taken.approximate)


def _of_shapes(outlines: Outlines, on: Ground, unit: str, chosen: str) -> Boundary:
    """The outline of a file: the only one, or the one that is chosen; an open line closed or made a corridor, as is chosen. One
    with holes can be looked at among others, and is refused when it is chosen."""
    shapes, source, how = outlines.shapes, outlines.source, outlines.how
    options = () if chosen else _options(shapes, source, on, unit)
    key, _, width = (chosen or (options[0].key if options else "0")).partition(":")
    shape = {str(k): shape for k, shape in enumerate(shapes)}.get(key, shapes[0])
    if shape.holes and (chosen or len(shapes) == 1):
        raise ReadError(
            f"The area has {shape.holes} hole{'s' if shape.holes > 1 else ''}; a boundary is one outline.",
            where="the boundary",
            mend="Export the outline alone, and draw what is left out as areas of their own.",
        )
    places, way = _to_grid(shape.places, source, on[0])
    said = f"From {source.name} {way.words}."
    told = [] if way.exact else [said]
    axis = places if width.isdigit() and not shape.closed else []
    if axis:
        told = [*told, f"The open line is the axis of a corridor {length(int(width), unit)} wide."]
        places = _corridor(places, int(width) * _scale(LineString(places), on))
    elif not shape.closed:
        told = [*told, "The open line is closed."]
    found = _checked([(float(e), float(n)) for e, n in places], [*how, *told], on)
    found = replace(found, axis=tuple(axis), width=float(width) if axis else 0.0)
    return replace(found, options=options, approximate=said if way.approximate else "")


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


def _options(shapes: tuple[Shape, ...], source: CRS, on: Ground, unit: str) -> tuple[Option, ...]:
    """What there is to choose: which of several outlines, and what becomes of an open line."""
    out: list[Option] = []
    for k, shape in enumerate(shapes):
        which = f"outline {k + 1}, " if len(shapes) > 1 else ""
        places = _to_grid(shape.places, source, on[0])[0]
        size = area(_on_ground(Polygon(places), on), unit) if len(places) > 2 else ""
        if shape.closed:
            out.append(
                Option(str(k), f"{which}{len(shape.places)} corners, {size}{', with holes' if shape.holes else ''}")
            )
            continue
        if size and Polygon(places).is_valid:  # a centre line with a bend to each side closes across itself
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


def _geojson(text: str) -> tuple[list[Shape], CRS, list[str]]:
    try:
        data = json.loads(text)
        shapes = [shape for g in _geometries(data) for shape in _shapes(g)]
    except (ValueError, TypeError, KeyError, IndexError, RecursionError, AttributeError) as fault:
        raise ReadError(f"This is not sound GeoJSON ({fault}).", mend="Export it again.") from fault
    source, named = crs_of(data)
    return shapes, source, [named]


def crs_of(data: object) -> tuple[CRS, str]:
    """The coordinate system of a GeoJSON document, and how it was told. Raises ReadError for one that PROJ does not know."""
    crs = data.get("crs") if isinstance(data, dict) else None
    if not crs:
        return WGS84, "GeoJSON, longitude and latitude (WGS 84), as GeoJSON asks."
    try:
        source = CRS.from_user_input(crs["properties"]["name"])
    except (CRSError, KeyError, TypeError) as fault:
        raise ReadError(
            "The file names a coordinate system that PROJ does not know.",
            where="crs",
            mend="Export it as plain GeoJSON.",
        ) from fault
    return source, f"GeoJSON, coordinates in {source.name}, as the file names."


def _geometries(data, depth: int = 0):
    if depth > 8 or not isinstance(data, dict):
        raise ValueError("not an object of the format")
    kind = data.get("type")
    if kind == "FeatureCollection":
        return [g for f in data["features"] for g in _geometries(f, depth + 1)]
    if kind == "Feature":
        return _geometries(data["geometry"], depth + 1) if data["geometry"] else []
    if kind == "GeometryCollection":
        return [g for member in data["geometries"] for g in _geometries(member, depth + 1)]
    return [data]


def _shapes(geometry) -> list[Shape]:
    kind, coordinates = geometry.get("type"), geometry.get("coordinates")
    polygons = {"Polygon": [coordinates], "MultiPolygon": coordinates}.get(kind, [])
    found = [Shape(_places(rings[0]), True, len(rings) - 1) for rings in polygons]
    lines = {"LineString": [coordinates], "MultiLineString": coordinates}.get(kind, [])
    return found + [_line(_places(line)) for line in lines]


def _places(ring) -> list[tuple[float, float]]:
    return [(float(p[0]), float(p[1])) for p in ring]


def _line(places: list[tuple[float, float]]) -> Shape:
    return Shape(places, len(places) > 3 and places[0] == places[-1])


def _kml(text: str) -> tuple[list[Shape], CRS, list[str]]:
    found = _Rings()
    try:
        sax.parseString(text.encode(), found)
    except (SAXException, DefusedXmlException, LookupError, ValueError) as fault:
        raise ReadError(f"This is not sound KML ({fault}).", mend="Export it again.") from fault
    try:
        shapes = [Shape(_of_text(ring), True, holes) for ring, holes in found.areas]
        shapes += [_line(_of_text(line)) for line in found.lines]
    except ValueError as fault:
        raise ReadError(
            f"A coordinate cannot be read ({fault}).", where="coordinates", mend="Export it again."
        ) from fault
    return shapes, WGS84, ["KML, longitude and latitude (WGS 84)."]


def _of_text(text: str) -> list[tuple[float, float]]:
    places = [tuple(float(v) for v in place.split(",")[:2]) for place in text.split()]
    if any(len(place) != 2 for place in places):
        raise ValueError("one has no latitude")
    return [(a, b) for a, b in places]


class _Rings(ContentHandler):
    """The coordinates of outer boundaries and of lines, in one pass: what stands inside what is counted, not searched."""

    def __init__(self) -> None:
        super().__init__()
        self.areas: list[tuple[str, int]] = []
        self.lines: list[str] = []
        self._inside = {"outerBoundaryIs": 0, "innerBoundaryIs": 0, "LineString": 0}
        self._text: list[str] | None = None
        self._first = True

    def startElement(self, name: str, attrs: object) -> None:  # noqa: N802 - the name that SAX calls
        tag = name.rpartition(":")[2]
        if self._first and tag != "kml":
            raise ReadError(
                f"This is XML of another kind (<{tag[:40]}>), not KML.", mend="Export the boundary as KML or GeoJSON."
            )
        self._first = False
        if tag in self._inside:
            self._inside[tag] += 1
        elif tag == "coordinates":
            self._text = []

    def characters(self, content: str) -> None:
        if self._text is not None:
            self._text.append(content)

    def endElement(self, name: str) -> None:  # noqa: N802
        tag = name.rpartition(":")[2]
        if tag in self._inside:
            self._inside[tag] -= 1
        elif tag == "coordinates" and self._text is not None:
            text = "".join(self._text)
            if self._inside["outerBoundaryIs"]:
                self.areas.append((text, 0))
            elif self._inside["innerBoundaryIs"] and self.areas:
                ring, holes = self.areas[-1]
                self.areas[-1] = (ring, holes + 1)
            elif self._inside["LineString"]:
                self.lines.append(text)
            self._text = None


def _sound(shapes: list[Shape], kind: str) -> list[Shape]:
    """What can be a boundary, areas before lines, the largest first."""
    shapes = [s for s in shapes if len(s.places) >= (3 if s.closed else 2)]
    if len(shapes) > MAX_RINGS:
        raise ReadError(f"The {kind} file holds {len(shapes)} areas.", mend="Export only the boundary.")
    if any(not abs(v) < MOST for shape in shapes for place in shape.places for v in place):
        raise ReadError(
            f"The {kind} file holds a coordinate that is none (nan, inf or beyond any grid).", mend="Export it again."
        )
    if not shapes:
        raise ReadError(
            f"The {kind} file holds no area and no line.", mend="Draw the boundary as a polygon and export it again."
        )
    areas = [s for s in shapes if s.closed]
    return sorted(areas or shapes, key=lambda s: -Polygon(s.places).area if len(s.places) > 2 else 0.0)[:MOST_OFFERED]


def _to_grid(ring: list, source: CRS, grid: Grid) -> tuple[list[tuple[float, float]], Transformation]:
    x, y = np.array(ring, dtype=float).T
    way = grid.way_to(source, x[0], y[0])
    e, n = grid.from_other(way, x, y)
    if not (np.isfinite(e).all() and np.isfinite(n).all()):
        raise ReadError(
            "Some corners cannot exist in the job's grid.", where="the boundary", mend="Check the grid in the Brief."
        )
    corners = [(float(a), float(b)) for a, b in zip(np.round(e, 5), np.round(n, 5), strict=True)]
    return corners, way
