"""Marks for the library from CSV, GeoJSON, GPX and GeoPackage: designations and places, brought to the grid they are kept in."""

import json
import sqlite3
import struct
from dataclasses import dataclass

import numpy as np
import shapely
from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException
from pyproj import CRS
from pyproj.exceptions import CRSError

from kardo.core.errors import ReadError
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.transformations import WGS84
from kardo.formats.boundary import crs_of
from kardo.formats.coordinates import HIGHEST, LOWEST, read_points

MAX_BYTES, MOST_MARKS, MOST_NAME = 4_000_000, 2000, 60
NAMES = ("designation", "name", "id", "point", "station", "title")
SQLITE = b"SQLite format 3\0"
STEPS, MOST_STEPS = 10_000, 2000  # of the database's machine between two looks, and looks: some twenty million steps
ENVELOPES = {0: 0, 1: 32, 2: 48, 3: 48, 4: 64}  # bytes of a GeoPackage geometry's envelope, by its kind


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


@dataclass(frozen=True)
class _Point:
    name: str
    x: float
    y: float
    h: float | None
    description: str


def read_marks(data: bytes, name: str, grid: Grid, unit: str) -> MarkReading:
    """Marks of a file, whatever it is: its content decides. unit: of lengths in lists that name none. Raises ReadError, GeodesyError."""
    if len(data) > MAX_BYTES:
        raise ReadError(f"{name or 'The file'} is larger than 4 MB.", mend="Export only the marks you use.")
    if data.startswith(SQLITE):
        return _brought(*_geopackage(data), grid)
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise ReadError(
            f"{name or 'The file'} is neither text nor a GeoPackage.",
            mend="Export it as CSV, GeoJSON, GPX or GeoPackage.",
        ) from None
    start = text.lstrip()[:1]
    if start and start in "{[":
        return _brought(*_geojson(text), grid)
    if start == "<":
        return _brought(*_gpx(text), grid)
    found = read_points(text, grid, unit)
    if found.options:
        ways = "; ".join(option.words for option in found.options[:2])
        raise ReadError(
            f"This can be read in several ways: {ways}.", mend="Put a line with the names of the columns over it."
        )
    marks = [ReadMark(p.name[:MOST_NAME] or str(k), p.e, p.n, p.h, p.code) for k, p in enumerate(found.points, 1)]
    return MarkReading(_within(marks), list(found.how))


def _within(marks: list[ReadMark]) -> list[ReadMark]:
    if not marks:
        raise ReadError("The file holds no point.", mend="Export the marks as points.")
    if len(marks) > MOST_MARKS:
        raise ReadError(f"The file holds {len(marks)} points; up to {MOST_MARKS} are taken.", mend="Split it.")
    return marks


def _brought(points: list[_Point], source: CRS, how: list[str], grid: Grid) -> MarkReading:
    """Points of a file in the grid that they are kept in."""
    if not points:
        raise ReadError("The file holds no point.", mend="Export the marks as points.")
    x, y = (np.array([getattr(p, axis) for p in points]) for axis in "xy")
    if not (np.isfinite(x).all() and np.isfinite(y).all()):
        raise ReadError("A coordinate is none.", mend="Export it again.")
    way = grid.way_to(source, x[0], y[0])
    e, n = grid.from_other(way, x, y)
    if not (np.isfinite(e).all() and np.isfinite(n).all()):
        raise ReadError("Some points cannot exist in this grid.", mend="Keep them in a grid that reaches them.")
    if not way.exact:
        how = [*how, f"From {source.name} {way.words}."]
    rows = zip(points, e.tolist(), n.tolist(), strict=True)
    marks = [
        ReadMark(p.name[:MOST_NAME] or str(k), a, b, p.h, p.description[:300]) for k, (p, a, b) in enumerate(rows, 1)
    ]
    return MarkReading(_within(marks), how)


def _geojson(text: str) -> tuple[list[_Point], CRS, list[str]]:
    try:
        data = json.loads(text)
        features = data["features"] if data.get("type") == "FeatureCollection" else [data]
        points = [_of_feature(f) for f in features if (f.get("geometry") or {}).get("type") == "Point"]
    except (ValueError, TypeError, KeyError, IndexError, RecursionError, AttributeError) as fault:
        raise ReadError(f"This is not sound GeoJSON ({fault}).", mend="Export it again.") from fault
    source, how = crs_of(data)
    return points, source, [how]


def _of_feature(feature: dict) -> _Point:
    place, said = feature["geometry"]["coordinates"], feature.get("properties") or {}
    height = said.get("height", said.get("h", place[2] if len(place) > 2 else None))
    return _Point(
        _name(said),
        float(place[0]),
        float(place[1]),
        _height(height),
        _clean(said.get("description") or said.get("role") or ""),
    )


def _name(said: dict) -> str:
    lower = {str(key).casefold(): value for key, value in said.items()}
    return next((_clean(lower[key]) for key in NAMES if lower.get(key)), "")


def _clean(value: object) -> str:
    return "".join(c for c in str(value or "") if c.isprintable()).strip()


def _height(value: object) -> float | None:
    """A height in metres; None for none. Raises ReadError for what is none on this earth."""
    if value in (None, ""):
        return None
    try:
        height = float(str(value))
    except ValueError:
        height = float("nan")
    if not LOWEST <= height <= HIGHEST:
        raise ReadError(f"“{_clean(value)[:40]}” is not a height in metres.", mend="Correct it, or leave it out.")
    return height


def _gpx(text: str) -> tuple[list[_Point], CRS, list[str]]:
    try:
        root = ElementTree.fromstring(text.encode())
        if root.tag.rpartition("}")[2] != "gpx":
            raise ReadError("This is XML of another kind, not GPX.", mend="Export the marks as GPX waypoints.")
        points = []
        for node in root:
            if node.tag.rpartition("}")[2] != "wpt":
                continue
            said = {child.tag.rpartition("}")[2]: child.text or "" for child in node}
            place = float(node.attrib["lon"]), float(node.attrib["lat"])
            points.append(_Point(_clean(said.get("name")), *place, None, _clean(said.get("desc"))))
    except (ElementTree.ParseError, DefusedXmlException, KeyError, ValueError) as fault:
        raise ReadError(f"This is not sound GPX ({fault}).", mend="Export it again.") from fault
    how = ["GPX, latitude and longitude (WGS 84). Its elevations are left out: it does not say above what they are."]
    return points, WGS84, how


def _geopackage(data: bytes) -> tuple[list[_Point], CRS, list[str]]:
    """The first layer of points. The database is looked at in memory, with its own programs off and its steps counted."""
    base, looks = sqlite3.connect(":memory:"), 0

    def tired() -> bool:
        nonlocal looks
        looks += 1
        return looks > MOST_STEPS

    try:
        base.deserialize(data)
        base.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, MAX_BYTES)
        base.execute("PRAGMA trusted_schema = OFF")
        base.set_progress_handler(tired, STEPS)
        return _layer(base)
    except (sqlite3.Error, struct.error, shapely.errors.ShapelyError, ValueError, IndexError, MemoryError) as fault:
        raise ReadError(f"This is not a sound GeoPackage ({fault}).", mend="Export it again, or as GeoJSON.") from fault
    finally:
        base.close()


def _layer(base: sqlite3.Connection) -> tuple[list[_Point], CRS, list[str]]:
    layers = base.execute(
        "SELECT g.table_name, g.column_name, g.srs_id FROM gpkg_geometry_columns g JOIN sqlite_master m ON m.name = g.table_name "
        "WHERE m.type = 'table' AND g.geometry_type_name IN ('POINT', 'GEOMETRY')"
    ).fetchall()
    if not layers:
        raise ReadError("The GeoPackage holds no layer of points.", mend="Export the marks as points.")
    table, column, srs = layers[0]
    source = _crs(base, srs)
    rows = base.execute(f"SELECT * FROM {_quoted(table)} LIMIT {MOST_MARKS + 1}")  # noqa: S608 - quoted, from the file's own list
    names = [str(d[0]) for d in rows.description]
    points = []
    for row in rows:
        said = dict(zip(names, row, strict=True))
        blob = said.pop(column, None)
        if isinstance(blob, bytes) and (place := _place(blob)) is not None:
            height = said.get("height", said.get("h"))
            points.append(_Point(_name(said), *place, _height(height), _clean(said.get("description", ""))))
    return points, source, [f"GeoPackage, layer “{_clean(table)[:60]}” in {source.name}."]


def _crs(base: sqlite3.Connection, srs: int) -> CRS:
    found = base.execute(
        "SELECT organization, organization_coordsys_id, definition FROM gpkg_spatial_ref_sys WHERE srs_id = ?", (srs,)
    ).fetchone()
    try:
        return (
            CRS.from_user_input(f"{found[0]}:{found[1]}")
            if str(found[0]).upper() == "EPSG"
            else CRS.from_wkt(str(found[2]))
        )
    except (CRSError, TypeError) as fault:
        raise ReadError(
            "The GeoPackage names a coordinate system that PROJ does not know.", mend="Export it in another."
        ) from fault


def _quoted(name: str) -> str:
    return '"' + str(name).replace('"', '""') + '"'


def _place(blob: bytes) -> tuple[float, float] | None:
    """East or longitude, and north or latitude, of a point in GeoPackage's own wrapping (OGC 12-128, clause 2.1.3); None for
    another geometry."""
    magic, _, flags = struct.unpack_from("<2sBB", blob)
    kind = flags >> 1 & 7
    if magic != b"GP" or kind not in ENVELOPES:
        raise ValueError("a geometry is not wrapped as it should be")
    shape = shapely.from_wkb(blob[8 + ENVELOPES[kind] :])
    return (shape.x, shape.y) if shape is not None and shape.geom_type == "Point" and not shape.is_empty else None
