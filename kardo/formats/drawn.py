"""Things of a map file: points, lines and areas with their names, from GeoJSON, KML, KMZ, GPX, GeoPackage, zipped Shapefile and DXF.

Each format is read by its own small reader within limits; what they share is brought to the job's grid in one place. A file that names no
coordinate system is tried in every unit and order that fits the site: one left is taken and said, several are told, to be chosen from.
"""

import io
import json
import logging
import sqlite3
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, Literal

import numpy as np
import shapely
from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException
from pyproj import CRS, Transformer
from pyproj.exceptions import CRSError
from shapely.geometry.base import BaseGeometry

from kardo.core.arrays import Floats
from kardo.core.errors import GeodesyError, ReadError
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.systems import ELLIPSOIDAL
from kardo.core.geodesy.transformations import WGS84, geodetic_of, on_other_ellipsoid
from kardo.core.geodesy.units import UNITS, place
from kardo.formats.cells import MOST
from kardo.formats.coordinates import HIGHEST, LOWEST, NEAR, Option

MAX_BYTES, MOST_THINGS, MOST_VERTICES, MOST_NAME = 8_000_000, 6000, 200_000, 60
MOST_UNPACKED, MOST_MEMBERS = 60_000_000, 200  # bytes and files of an archive
SQLITE, ZIP, SHAPE = b"SQLite format 3\0", b"PK\x03\x04", b"\0\0\x27\x0a"
STEPS, MOST_STEPS = 10_000, 2000  # of the database's machine between two looks, and looks: some twenty million steps
ENVELOPES = {0: 0, 1: 32, 2: 48, 3: 48, 4: 64}  # bytes of a GeoPackage geometry's envelope, by its kind
NAMES = ("designation", "name", "id", "point", "station", "title", "label")
SAID = ("description", "desc", "role", "code", "kind", "type", "class", "note", "remarks")
HEIGHTS = ("height_m", "height", "h", "z", "elevation")
Kind = Literal["place", "line", "area"]


@dataclass(frozen=True)
class Thing:
    """Something of a file: its vertices (x, y) in the file's own system, or once brought, in grid metres; h of a place, metres or None; what the
    file says of it, and the layer that it lies on; tall: metres above ground; holes: of an area, which are left out."""

    name: str
    kind: Kind
    vertices: tuple[tuple[float, float], ...]
    h: float | None = None
    said: str = ""
    layer: str = ""
    tall: float | None = None
    holes: int = 0


@dataclass(frozen=True)
class Drawn:
    """What a file holds: its things, its system (None where it names none, metres of its unit then where it says so), and how it was read."""

    things: tuple[Thing, ...]
    source: CRS | None
    how: tuple[str, ...]
    unit_m: float | None = None


@dataclass(frozen=True)
class Brought:
    """Things in grid metres, how they came there; options to choose from where a file without a system fits in several ways; what is said of
    a transformation that has to be accepted."""

    things: tuple[Thing, ...]
    how: tuple[str, ...]
    options: tuple[Option, ...] = ()
    approximate: str = ""


def is_drawn(data: bytes) -> bool:
    """Whether a file is of one of these formats, by its content."""
    start = data[:400].lstrip(b"\xef\xbb\xbf \t\r\n")
    return data.startswith((SQLITE, ZIP, SHAPE)) or start[:1] in (b"{", b"[", b"<") or _is_dxf(data)


def read_drawn(data: bytes, name: str) -> Drawn:
    """What a file holds, whatever its name: the content decides. Raises ReadError."""
    what = name or "The file"
    if len(data) > MAX_BYTES:
        raise ReadError(f"{what} is larger than {MAX_BYTES // 1_000_000} MB.", mend="Export only what you need.")
    found = _reader_of(data, what)(data)
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


def places_of(found: Drawn) -> Drawn:
    """The points alone of what a file holds. Raises ReadError for a file without any."""
    places = tuple(t for t in found.things if t.kind == "place")
    if not places:
        raise ReadError("The file holds no point.", mend="Export the points, not lines or areas.")
    return replace(found, things=places)


def together(parts: list[tuple[bytes, str]]) -> bytes:
    """Files that were chosen together (bytes and name each) as one: the parts of a Shapefile, as their archive would be read; of a single file its bytes."""
    if len(parts) == 1:
        return parts[0][0]
    whole = io.BytesIO()
    with zipfile.ZipFile(whole, "w") as archive:
        for k, (part, name) in enumerate(parts):
            archive.writestr(f"{k}.{name.rpartition('.')[2][:10] or 'part'}", part)
    return whole.getvalue()


def _reader_of(data: bytes, what: str) -> Callable[[bytes], Drawn]:
    if data.startswith(SHAPE):
        raise ReadError(
            f"{what} is one part of a Shapefile: its .shp, .shx and .dbf belong together, and .prj, which says where its coordinates are.",
            mend="Choose them all together, or pack them into one ZIP.",
        )
    if data.startswith(SQLITE):
        return _geopackage
    if data.startswith(ZIP):
        return _archive
    start = data.lstrip(b"\xef\xbb\xbf \t\r\n")[:1]
    if start in (b"{", b"["):
        return _geojson
    if start == b"<":
        return _xml
    if _is_dxf(data):
        return _dxf
    raise ReadError(
        f"{what} is none of GeoJSON, KML, GPX, GeoPackage, zipped Shapefile or DXF.", mend="Export it as one of these."
    )


def brought(found: Drawn, grid: Grid, unit: str, near: tuple[float, float] | None = None, chosen: str = "") -> Brought:
    """A file's things in a grid. unit is the job's; near the middle of the site where it is known; chosen the key of the option taken. Raises
    ReadError, GeodesyError."""
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


def _above_ellipsoid(found: Drawn, grid: Grid) -> tuple[tuple[Thing, ...], str]:
    """A file's things with their heights above the ellipsoid of a grid whose heights are ellipsoidal; as they are in any other, whose geoid theirs are
    taken to have."""
    assert found.source is not None
    if grid.heights != ELLIPSOIDAL or all(t.h is None for t in found.things):
        return found.things, ""
    geodetic = geodetic_of(found.source)
    to_degrees = Transformer.from_crs(found.source, geodetic, always_xy=True)
    lon, lat = (np.asarray(v) for v in to_degrees.transform(*np.array([t.vertices[0] for t in found.things]).T))
    h, said = on_other_ellipsoid(geodetic, grid.geodetic, lon, lat, np.array([t.h for t in found.things], dtype=float))
    heights = [float(v) if np.isfinite(v) else None for v in h]
    return tuple(replace(t, h=up) for t, up in zip(found.things, heights, strict=True)), said


def _as_grid(found: Drawn, grid: Grid, unit: str, near: tuple[float, float] | None, chosen: str) -> Brought:
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
            words = f"{which} in {UNITS[one].plural}: the first at {place(*map(float, at[0]), unit)}"
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


def _clean(value: object, most: int = 300) -> str:
    return " ".join("".join(c if c.isprintable() else " " for c in str(value or "")).split())[:most]


def _height(value: object) -> float | None:
    """A height in metres; None for none. Raises ReadError for what is none on this earth."""
    if value in (None, ""):
        return None
    try:
        height = float(str(value))
    except ValueError:
        height = float("nan")
    if not LOWEST <= height <= HIGHEST:
        raise ReadError(f"“{_clean(value, 40)}” is not a height in metres.", mend="Correct it, or leave it out.")
    return height


def _things(shape: BaseGeometry | None, said: dict[str, Any], layer: str, heights: bool = True) -> Iterator[Thing]:
    """What a geometry with its properties is; the holes of areas are counted and left out."""
    lower = {str(key).casefold(): value for key, value in said.items() if value is not None}
    name = next((_clean(lower[key], MOST_NAME) for key in NAMES if lower.get(key) not in (None, "")), "")
    words = next((_clean(lower[key]) for key in SAID if lower.get(key)), "")
    told = next((lower[key] for key in HEIGHTS if lower.get(key) not in (None, "")), None)
    for part in _parts(shape):
        if part.is_empty:
            continue
        if part.geom_type == "Point":
            z = part.z if part.has_z and np.isfinite(part.z) else None
            h = _height(told if told is not None else z) if heights else None
            yield Thing(name, "place", ((part.x, part.y),), h, words, layer)
            continue
        ring = part.exterior.coords if part.geom_type == "Polygon" else part.coords
        vertices = [(float(p[0]), float(p[1])) for p in ring]
        vertices = [v for k, v in enumerate(vertices) if k == 0 or v != vertices[k - 1]]
        closed = part.geom_type == "Polygon" or (len(vertices) > 3 and vertices[0] == vertices[-1])
        tall = None if told is None else _tall(told)
        if closed and len(vertices) > 3:
            holes = len(part.interiors) if part.geom_type == "Polygon" else 0
            yield Thing(name, "area", tuple(vertices[:-1]), None, words, layer, tall, holes)
        elif len(vertices) > 1:
            yield Thing(name, "line", tuple(vertices), None, words, layer, tall)


def _tall(value: object) -> float | None:
    """How tall a thing is said to be; None for what cannot be that."""
    try:
        tall = float(str(value))
    except ValueError:
        return None
    return tall if 0 < tall <= 500 else None


def _parts(shape: BaseGeometry | None) -> Iterator[BaseGeometry]:
    if shape is None:
        return
    if hasattr(shape, "geoms"):
        for part in shape.geoms:
            yield from _parts(part)
    elif shape.geom_type in ("Point", "LineString", "LinearRing", "Polygon"):
        yield shape


# GeoJSON


def _geojson(data: bytes) -> Drawn:
    from kardo.formats.boundary import crs_of

    try:
        document = json.loads(data.decode("utf-8-sig"))
        things = tuple(thing for one in _features(document) for thing in _of_feature(one))
    except (
        ValueError,
        TypeError,
        KeyError,
        IndexError,
        RecursionError,
        AttributeError,
        shapely.errors.ShapelyError,
    ) as fault:
        raise ReadError(f"This is not sound GeoJSON ({_clean(fault, 80)}).", mend="Export it again.") from fault
    source, how = crs_of(document)
    return Drawn(things, source, (how,))


def _features(document: Any) -> list[dict[str, Any]]:
    if not isinstance(document, dict):
        raise ValueError("not an object of the format")
    if document.get("type") == "FeatureCollection":
        return list(document["features"])
    return [document if document.get("type") == "Feature" else {"geometry": document}]


def _of_feature(feature: dict[str, Any]) -> Iterator[Thing]:
    geometry = feature.get("geometry")
    if geometry:
        _require_numbers(geometry, 0)
        said = {"id": feature.get("id")} | (feature.get("properties") or {})
        yield from _things(shapely.from_geojson(json.dumps(geometry)), said, "")


def _require_numbers(geometry: Any, depth: int) -> None:
    """A depth that nobody exports, before it reaches a library."""
    if depth > 8:
        raise ValueError("nested too deeply")
    for one in geometry.get("geometries", ()) if isinstance(geometry, dict) else ():
        _require_numbers(one, depth + 1)


# KML and GPX


def _xml(data: bytes) -> Drawn:
    try:
        root = ElementTree.fromstring(data.lstrip(b"\xef\xbb\xbf \t\r\n"))
        kind = _tag(root)
        if kind == "gpx":
            return _gpx(root)
        if kind == "kml":
            return _kml(root)
    except (ElementTree.ParseError, DefusedXmlException, KeyError, ValueError, LookupError, RecursionError) as fault:
        raise ReadError(f"This is not sound KML or GPX ({_clean(fault, 80)}).", mend="Export it again.") from fault
    raise ReadError(
        f"This is XML of another kind (<{_clean(kind, 40)}>), not KML and not GPX.", mend="Export it as KML or GPX."
    )


def _tag(node: Any) -> str:
    return str(node.tag).rpartition("}")[2]


def _gpx(root: Any) -> Drawn:
    things: list[Thing] = []
    for node in root:
        said = {_tag(child): child.text or "" for child in node}
        if _tag(node) == "wpt":
            things += _things(_gpx_line([node]), said, "", heights=False)
        elif _tag(node) in ("rte", "trk"):
            points = [p for p in node.iter() if _tag(p) in ("rtept", "trkpt")]
            things += _things(_gpx_line(points), said, "", heights=False)
    how = "GPX, latitude and longitude (WGS 84). Its elevations are left out: it does not say above what they are."
    return Drawn(tuple(things), WGS84, (how,))


def _gpx_line(nodes: Sequence[Any]) -> BaseGeometry | None:
    at = [(float(node.attrib["lon"]), float(node.attrib["lat"])) for node in nodes]
    return shapely.Point(at[0]) if len(at) == 1 else shapely.LineString(at) if at else None


def _kml(root: Any) -> Drawn:
    things: list[Thing] = []
    for folder, mark in _placemarks(root, "", 0):
        said = {_tag(child): child.text or "" for child in mark if _tag(child) in ("name", "description")}
        for node in mark.iter():
            if shape := _kml_shape(node):
                things += _things(shape, said, folder, heights=False)
    how = "KML, longitude and latitude (WGS 84). Its altitudes are left out: most say nothing of the ground."
    return Drawn(tuple(things), WGS84, (how,))


def _placemarks(node: Any, folder: str, depth: int) -> Iterator[tuple[str, Any]]:
    for child in node if depth < 30 else ():
        if _tag(child) == "Placemark":
            yield folder, child
        elif _tag(child) in ("Document", "Folder"):
            name = next((_clean(c.text, MOST_NAME) for c in child if _tag(c) == "name"), "")
            yield from _placemarks(child, name if _tag(child) == "Folder" else folder, depth + 1)


def _kml_shape(node: Any) -> BaseGeometry | None:
    kind = _tag(node)
    if kind not in ("Point", "LineString", "Polygon"):
        return None
    rings = [_kml_places(c.text or "") for c in node.iter() if _tag(c) == "coordinates"]
    least = {"Point": 1, "LineString": 2, "Polygon": 4}[kind]
    if not rings or len(rings[0]) < least:
        return None
    if kind == "Polygon":  # its outer boundary comes first: OGC 12-007
        return shapely.Polygon(rings[0], [ring for ring in rings[1:] if len(ring) >= least])
    return shapely.Point(rings[0][0]) if kind == "Point" else shapely.LineString(rings[0])


def _kml_places(text: str) -> list[tuple[float, ...]]:
    at = [tuple(map(float, word.split(",")[:2])) for word in text.split()]
    if any(len(p) != 2 for p in at):
        raise ValueError("a coordinate has no latitude")
    return at


# archives


def _archive(data: bytes) -> Drawn:
    """A KMZ, or a zipped Shapefile; looked at within limits, in memory, and no name of it is ever a path."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            members = [m for m in archive.infolist() if not m.is_dir()]
            if len(members) > MOST_MEMBERS or sum(m.file_size for m in members) > MOST_UNPACKED:
                raise ReadError("The archive holds more than is taken at once.", mend="Pack only what you need.")
            by_end = {m.filename.rpartition(".")[2].casefold(): m for m in reversed(members)}
            if "kml" in by_end:
                return _xml(_unpacked(archive, by_end["kml"]))
            if "shp" in by_end and (absent := [f".{end}" for end in ("shx", "dbf") if end not in by_end]):
                raise ReadError(
                    f"Of the Shapefile {' and '.join(absent)} {'is' if len(absent) == 1 else 'are'} missing.",
                    mend="Give it with the others.",
                )
            if "shp" in by_end:
                parts = {
                    end: _unpacked(archive, by_end[end]) for end in ("shp", "shx", "dbf", "prj", "cpg") if end in by_end
                }
                return _shapefile(parts)
    except (zipfile.BadZipFile, zlib.error, NotImplementedError, RuntimeError, OSError, EOFError, ValueError) as fault:
        raise ReadError(f"The archive cannot be opened ({_clean(fault, 80)}).", mend="Pack it again.") from fault
    raise ReadError(
        "The archive holds neither KML nor a whole Shapefile (.shp, .shx, .dbf).", mend="Pack all its files."
    )


def _unpacked(archive: zipfile.ZipFile, member: zipfile.ZipInfo) -> bytes:
    with archive.open(member) as file:
        out = file.read(MOST_UNPACKED + 1)
    if len(out) > MOST_UNPACKED:
        raise ReadError("The archive unpacks to more than it says.", mend="Pack it again.")
    return out


def _shapefile(parts: dict[str, bytes]) -> Drawn:
    """Through GDAL's reader, which is given these files alone."""
    import pyogrio

    whole = io.BytesIO()
    with zipfile.ZipFile(whole, "w") as archive:
        for end, part in parts.items():
            archive.writestr(f"layer.{end}", part)
    try:
        meta, _, shapes, columns = pyogrio.raw.read(whole.getvalue(), max_features=MOST_THINGS + 1)
        names = [str(f) for f in meta["fields"]]
        rows = zip(shapely.from_wkb(shapes), *columns, strict=True)
        things = tuple(t for shape, *said in rows for t in _things(shape, dict(zip(names, said, strict=True)), ""))
        source = CRS.from_user_input(meta["crs"]) if meta["crs"] else None
    except (
        pyogrio.errors.DataSourceError,
        pyogrio.errors.DataLayerError,
        pyogrio.errors.FeatureError,
        CRSError,
        ValueError,
        TypeError,
        LookupError,
        shapely.errors.ShapelyError,
    ) as fault:
        raise ReadError(f"This is not a sound Shapefile ({_clean(fault, 80)}).", mend="Export it again.") from fault
    return Drawn(things, source, (f"Shapefile, in {source.name}." if source else "Shapefile without a .prj.",))


# GeoPackage


def _geopackage(data: bytes) -> Drawn:
    """All layers of one system. The database is looked at in memory, with its own programs off and its steps counted."""
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
        return _layers(base)
    except (sqlite3.Error, struct.error, shapely.errors.ShapelyError, ValueError, IndexError, MemoryError) as fault:
        raise ReadError(
            f"This is not a sound GeoPackage ({_clean(fault, 80)}).", mend="Export it again, or as GeoJSON."
        ) from fault
    finally:
        base.close()


def _layers(base: sqlite3.Connection) -> Drawn:
    layers = base.execute(
        "SELECT g.table_name, g.column_name, g.srs_id FROM gpkg_geometry_columns g JOIN sqlite_master m ON m.name = g.table_name "
        "WHERE m.type = 'table'"
    ).fetchmany(100)
    if not layers:
        raise ReadError("The GeoPackage holds no layer of shapes.", mend="Export them again.")
    srs = layers[0][2]
    if any(other != srs for _, _, other in layers):
        raise ReadError("The layers of the GeoPackage are in several systems.", mend="Export them in one.")
    source = _crs(base, srs)
    things: list[Thing] = []
    for table, column, _ in layers:
        things += _of_layer(base, str(table), str(column))
        if len(things) > MOST_THINGS:
            break
    names = ", ".join(f"“{_clean(table, 40)}”" for table, _, _ in layers[:5])
    return Drawn(tuple(things), source, (f"GeoPackage, layer{'s' * (len(layers) > 1)} {names} in {source.name}.",))


def _of_layer(base: sqlite3.Connection, table: str, column: str) -> Iterator[Thing]:
    rows = base.execute(f"SELECT * FROM {_quoted(table)} LIMIT {MOST_THINGS + 1}")  # noqa: S608 - quoted, from the file's own list
    names = [str(d[0]) for d in rows.description]
    for row in rows:
        said = dict(zip(names, row, strict=True))
        blob = said.pop(column, None)
        if isinstance(blob, bytes):
            yield from _things(_unwrapped(blob), said, _clean(table, 40))


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


def _unwrapped(blob: bytes) -> BaseGeometry | None:
    """A geometry out of GeoPackage's own wrapping: OGC 12-128, clause 2.1.3."""
    magic, _, flags = struct.unpack_from("<2sBB", blob)
    kind = flags >> 1 & 7
    if magic != b"GP" or kind not in ENVELOPES:
        raise ValueError("a geometry is not wrapped as it should be")
    shape: BaseGeometry | None = shapely.from_wkb(blob[8 + ENVELOPES[kind] :])
    return shape


# DXF

DXF_UNITS = {1: 0.0254, 2: 0.3048, 4: 0.001, 5: 0.01, 6: 1.0, 21: 1200 / 3937}  # metres, by $INSUNITS; 0 says none


def _is_dxf(data: bytes) -> bool:
    lines = data[:200].lstrip(b"\xef\xbb\xbf").split()
    return len(lines) > 3 and lines[0] in (b"0", b"999") and (b"SECTION" in lines[:12])


def _dxf(data: bytes) -> Drawn:
    """Points, inserted blocks, lines and polylines of the drawing's model, by layer. A block's first attribute, or its NAME, names it."""
    import ezdxf
    from ezdxf.lldxf.const import DXFError

    logging.getLogger("ezdxf").setLevel(
        logging.CRITICAL
    )  # what it passes over in a damaged drawing is nobody's to read
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("cp1252", "replace")
    try:
        document = ezdxf.read(io.StringIO(text.replace("\r\n", "\n")))
        things = tuple(t for entity in document.modelspace() for t in _of_entity(entity))
        unit = DXF_UNITS.get(int(document.header.get("$INSUNITS", 0)))
    except (
        DXFError,
        ValueError,
        TypeError,
        LookupError,
        AttributeError,
        ArithmeticError,
        AssertionError,
        RuntimeError,  # recursion, and a StopIteration within a generator
        StopIteration,  # of a table without a head
        shapely.errors.ShapelyError,
    ) as fault:
        raise ReadError(f"This is not a sound DXF ({_clean(fault, 80)}).", mend="Export it again, as text.") from fault
    said = f"in units of {unit:.6g} m" if unit else "without a unit"
    return Drawn(things, None, (f"DXF drawing, {said}.",), unit)


def _of_entity(entity: Any) -> Iterator[Thing]:
    kind, layer = entity.dxftype(), _clean(entity.dxf.layer, 40)
    if kind in ("POINT", "INSERT"):
        at = entity.dxf.location if kind == "POINT" else entity.dxf.insert
        said: dict[str, Any] = {a.dxf.tag: a.dxf.text for a in getattr(entity, "attribs", ())}
        named = {"name": next(iter(said.values()), "")} | {key.casefold(): v for key, v in said.items()}
        named.pop("height", None)  # as a figure it is the z, which every drawing has
        shape: BaseGeometry = shapely.Point(at.x, at.y, at.z) if at.z else shapely.Point(at.x, at.y)
        yield from _things(shape, named, layer)
        return
    if kind == "LINE":
        yield from _line([entity.dxf.start, entity.dxf.end], False, layer)
    elif kind == "LWPOLYLINE":
        yield from _line(entity.vertices_in_wcs(), entity.closed, layer)
    elif kind == "POLYLINE" and not entity.is_poly_face_mesh and not entity.is_polygon_mesh:
        yield from _line(entity.points(), entity.is_closed, layer)


def _line(points: Iterable[Any], closed: bool, layer: str) -> Iterator[Thing]:
    at = [(float(p[0]), float(p[1])) for p in points]
    if not any(a != b for a, b in pairwise(at)):
        return
    yield from _things(shapely.LineString([*at, at[0]] if closed else at), {}, layer)
