"""A site boundary from GeoJSON, KML or a coordinate list."""

import json
from dataclasses import dataclass
from xml.sax import SAXException
from xml.sax.handler import ContentHandler

import numpy as np
from defusedxml import sax
from defusedxml.common import DefusedXmlException
from pyproj import CRS
from pyproj.exceptions import CRSError
from shapely import Polygon, is_valid_reason

from kardo.core.errors import ReadError
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.transformations import WGS84
from kardo.core.plan.parts import MAX_VERTICES
from kardo.formats.coordinates import MOST, read_points

MAX_BYTES, MAX_RINGS = 2_000_000, 1000


@dataclass(frozen=True)
class Boundary:
    """One ring of grid metres, not closed, with how it was read and its area in square metres."""

    ring: tuple[tuple[float, float], ...]
    how: tuple[str, ...]
    area: float


def read_boundary(data: bytes, name: str, grid: Grid, unit: str) -> Boundary:
    """Read a boundary whatever it is: the content decides, the name only helps with the message. Raises ReadError."""
    if len(data) > MAX_BYTES:
        raise ReadError(f"{name or 'The file'} is larger than 2 MB.", mend="Export only the boundary.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise ReadError(
            f"{name or 'The file'} is not text: neither GeoJSON, KML nor a coordinate list.",
            mend="Export the boundary as GeoJSON or KML.",
        ) from None
    start = text.lstrip()[:1]
    if start in "{[" and start:
        return _checked(*_geojson(text, grid), grid)
    if start == "<":
        return _checked(*_kml(text, grid), grid)
    if name.lower().endswith((".geojson", ".json", ".kml")):
        raise ReadError(
            f"{name} is not what its name says: it holds plain text.", mend="Export it again, or paste its coordinates."
        )
    reading = read_points(text, grid, unit)
    return _checked([(p.e, p.n) for p in reading.points], [*reading.how], grid)


def _checked(points: list[tuple[float, float]], how: list[str], grid: Grid) -> Boundary:
    ring = [p for k, p in enumerate(points) if k == 0 or p != points[k - 1]]
    if len(ring) > 1 and np.hypot(ring[0][0] - ring[-1][0], ring[0][1] - ring[-1][1]) < 1e-4:
        ring = ring[:-1]
    if len(ring) < 3:
        raise ReadError(f"A boundary needs three corners; {len(ring)} found.", mend="Give the whole outline.")
    if len(ring) > MAX_VERTICES:
        raise ReadError(f"The boundary has {len(ring)} vertices; up to {MAX_VERTICES} are taken.", mend="Simplify it.")
    grid.require_inside(np.array([p[0] for p in ring]), np.array([p[1] for p in ring]), "the boundary")
    polygon = Polygon(ring)
    if not polygon.is_valid:
        where = is_valid_reason(polygon).partition("[")[2].rstrip("]")
        spot = " ".join(f"{float(v):.1f}" for v in where.split()) if where else ""
        raise ReadError(
            f"The boundary crosses itself{f' near {spot}' if spot else ''}.",
            where="the boundary",
            mend="Put its corners in order round the site.",
        )
    return Boundary(tuple(ring), (*how, f"{len(ring)} corners."), float(polygon.area))


def _geojson(text: str, grid: Grid) -> tuple[list[tuple[float, float]], list[str]]:
    try:
        data = json.loads(text)
        rings = [ring for g in _geometries(data) for ring in _outer_rings(g)]
        rings = [[(float(p[0]), float(p[1])) for p in ring] for ring in rings]
    except (ValueError, TypeError, KeyError, IndexError, RecursionError) as fault:
        raise ReadError(f"This is not sound GeoJSON ({fault}).", mend="Export it again.") from fault
    source, named = WGS84, "longitude and latitude (WGS 84), as GeoJSON asks"
    crs = data.get("crs") if isinstance(data, dict) else None
    if crs:
        try:
            source = CRS.from_user_input(crs["properties"]["name"])
            named = f"coordinates in {source.name}, as the file names"
        except (CRSError, KeyError, TypeError) as fault:
            raise ReadError(
                "The file names a coordinate system that PROJ does not know.",
                where="crs",
                mend="Export it as plain GeoJSON.",
            ) from fault
    ring, how = _largest(rings, "GeoJSON")
    corners, told = _to_grid(ring, source, grid)
    return corners, [f"GeoJSON, {named}.", *told, *how]


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


def _outer_rings(geometry) -> list:
    kind, coordinates = geometry.get("type"), geometry.get("coordinates")
    if kind == "Polygon":
        return [coordinates[0]]
    if kind == "MultiPolygon":
        return [polygon[0] for polygon in coordinates]
    return [coordinates] if kind == "LineString" else []


def _kml(text: str, grid: Grid) -> tuple[list[tuple[float, float]], list[str]]:
    found = _Rings()
    try:
        sax.parseString(text.encode(), found)
    except (SAXException, DefusedXmlException, LookupError, ValueError) as fault:
        raise ReadError(f"This is not sound KML ({fault}).", mend="Export it again.") from fault
    try:
        rings = [
            [tuple(float(v) for v in p.split(",")[:2]) for p in ring.split()] for ring in found.areas or found.lines
        ]
    except ValueError as fault:
        raise ReadError(
            f"A coordinate cannot be read ({fault}).", where="coordinates", mend="Export it again."
        ) from fault
    if any(len(p) != 2 for ring in rings for p in ring):
        raise ReadError("A coordinate has no latitude.", where="coordinates", mend="Export it again.")
    ring, how = _largest(rings, "KML")
    corners, told = _to_grid(ring, WGS84, grid)
    return corners, ["KML, longitude and latitude (WGS 84).", *told, *how]


class _Rings(ContentHandler):
    """The coordinates of outer boundaries and of lines, in one pass: what stands inside what is counted, not searched."""

    def __init__(self) -> None:
        super().__init__()
        self.areas: list[str] = []
        self.lines: list[str] = []
        self._inside = {"outerBoundaryIs": 0, "LineString": 0}
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
            into = self.areas if self._inside["outerBoundaryIs"] else self.lines
            if self._inside["outerBoundaryIs"] or self._inside["LineString"]:
                into.append("".join(self._text))
            self._text = None


def _largest(rings: list, kind: str) -> tuple[list, list[str]]:
    rings = [r for r in rings if len(r) >= 3]
    if len(rings) > MAX_RINGS:
        raise ReadError(f"The {kind} file holds {len(rings)} areas.", mend="Export only the boundary.")
    if any(not abs(v) < MOST for ring in rings for place in ring for v in place):
        raise ReadError(
            f"The {kind} file holds a coordinate that is none (nan, inf or beyond any grid).", mend="Export it again."
        )
    if not rings:
        raise ReadError(
            f"The {kind} file holds no area and no closed line.",
            mend="Draw the boundary as a polygon and export it again.",
        )
    best = max(rings, key=lambda r: Polygon(r).area)
    return best, [f"The largest of {len(rings)} areas is taken."] if len(rings) > 1 else []


def _to_grid(ring: list, source: CRS, grid: Grid) -> tuple[list[tuple[float, float]], list[str]]:
    x, y = np.array(ring, dtype=float).T
    e, n, told = grid.from_other(source, x, y)
    if not (np.isfinite(e).all() and np.isfinite(n).all()):
        raise ReadError(
            "Some corners cannot exist in the job's grid.", where="the boundary", mend="Check the grid in the Brief."
        )
    corners = [(float(a), float(b)) for a, b in zip(np.round(e, 5), np.round(n, 5), strict=True)]
    return corners, [told] if told else []
