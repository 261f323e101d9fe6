"""GeoPackage (OGC 12-128), in whatever one system its layers are; written in the job's own grid."""

import sqlite3
import struct
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import shapely
from pyproj import CRS
from pyproj.exceptions import CRSError
from shapely.geometry.base import BaseGeometry

from kardo.core.errors import ReadError
from kardo.core.plan.model import Plan
from kardo.core.site.things import shape_of_feature
from kardo.formats.map.rows import each_line, flown_lines, line_row, points_of
from kardo.formats.map.things import MAX_BYTES, MOST_THINGS, MapFile, Thing, clean, things_of

SQLITE = b"SQLite format 3\0"
STEPS, MOST_STEPS = 10_000, 2000  # of the database's machine between two looks, and looks: some twenty million steps
ENVELOPES = {0: 0, 1: 32, 2: 48, 3: 48, 4: 64}  # bytes of a geometry's envelope, by its kind


def is_geopackage(data: bytes) -> bool:
    """Whether a file is a database of SQLite."""
    return data.startswith(SQLITE)


def read_geopackage(data: bytes) -> MapFile:
    """All layers of one system. The database is looked at in memory, with its own programs off and its steps
    counted."""
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
            f"This is not a sound GeoPackage ({clean(fault, 80)}).", mend="Export it again, or as GeoJSON."
        ) from fault
    finally:
        base.close()


def _layers(base: sqlite3.Connection) -> MapFile:
    layers = base.execute(
        "SELECT g.table_name, g.column_name, g.srs_id FROM gpkg_geometry_columns g JOIN sqlite_master m ON m.name ="
        " g.table_name WHERE m.type = 'table'"
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
    names = ", ".join(f"“{clean(table, 40)}”" for table, _, _ in layers[:5])
    return MapFile(tuple(things), source, (f"GeoPackage, layer{'s' * (len(layers) > 1)} {names} in {source.name}.",))


def _of_layer(base: sqlite3.Connection, table: str, column: str) -> Iterator[Thing]:
    rows = base.execute(f"SELECT * FROM {_quoted(table)} LIMIT {MOST_THINGS + 1}")  # noqa: S608 - quoted, from the file's own list
    names = [str(d[0]) for d in rows.description]
    for row in rows:
        said = dict(zip(names, row, strict=True))
        blob = said.pop(column, None)
        if isinstance(blob, bytes):
            yield from things_of(_unwrapped(blob), said, clean(table, 40))


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


def control_geopackage(plan: Plan) -> bytes:
    """GeoPackage in the job's own grid, metres: points with their heights, the boundary, and what is on the site, a
    layer each."""
    import pyogrio

    layers: list[tuple[str, str, list[BaseGeometry], dict[str, list[str]]]] = []
    places = points_of(plan)
    if places:
        known = all(np.isfinite(p.h) for p in places)  # GeoPackage has no z that is not known
        shapes = [shapely.Point(*((p.e, p.n, p.h) if known else (p.e, p.n))) for p in places]
        said = {"name": [p.name for p in places], "role": [p.role for p in places]}
        said["height_m"] = [f"{p.h:.4f}" if np.isfinite(p.h) else "" for p in places]
        layers.append(("control", "Point Z" if known else "Point", shapes, said))
    if len(plan.site.boundary) > 2:
        layers.append(("boundary", "Polygon", [shapely.Polygon(plan.site.boundary)], {"name": ["boundary"]}))
    for of in dict.fromkeys(f.kind for f in plan.site.features):
        some = [f for f in plan.site.features if f.kind == of]
        said = {
            "name": [f.name for f in some],
            "kind": [f.kind for f in some],
            "height": [f"{f.height:g}" for f in some],
        }
        layers.append((of, "Unknown", [shape_of_feature(f) for f in some], said))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "kardo.gpkg"
        for name, kind, shapes, said in layers:
            columns = [np.array(values, dtype=object) for values in said.values()]
            pyogrio.raw.write(
                str(path),
                shapely.to_wkb(np.array(shapes), output_dimension=3 if kind.endswith("Z") else 2),
                columns,
                list(said),
                layer=name,
                driver="GPKG",
                geometry_type=kind,
                crs=plan.grid.crs.to_wkt(),
                append=path.exists(),
            )
        return path.read_bytes() if layers else b""


def flight_geopackage(plan: Plan) -> bytes:
    """GeoPackage in the job's own grid, metres: a layer of flight lines and one of exposures, with heights."""
    import pyogrio

    strips: list[shapely.LineString] = []
    points: list[np.ndarray] = []
    of_strips: list[dict[str, object]] = []
    of_points: list[dict[str, object]] = []
    for flight, way in flown_lines(plan):
        for own in each_line(way):
            strips.append(shapely.LineString(np.stack([way.e[own], way.n[own], way.h[own]], axis=1)))
            of_strips.append(line_row(plan, way, int(own[0])))
        if not flight.images:
            continue
        points.append(np.stack([flight.e, flight.n, flight.h], axis=1))
        of_points += [
            {"flight": flight.flight.name, "number": k + 1, "sortie": int(sortie) + 1, "line": int(strip) + 1}
            for k, (sortie, strip) in enumerate(zip(flight.sortie, flight.strip, strict=True))
        ]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "flight.gpkg"
        for layer, shapes, rows, kind in (
            ("flight_lines", np.array(strips), of_strips, "LineString Z"),
            ("exposures", shapely.points(np.concatenate([np.zeros((0, 3)), *points])), of_points, "Point Z"),
        ):
            if not rows:
                continue  # a scan has no exposures
            columns = [np.array([row[name] for row in rows]) for name in rows[0]]
            columns = [c.astype(object) if c.dtype.kind == "U" else c for c in columns]
            pyogrio.raw.write(
                str(path),
                shapely.to_wkb(shapes, output_dimension=3),
                columns,
                list(rows[0]),
                layer=layer,
                driver="GPKG",
                geometry_type=kind,
                crs=plan.grid.crs.to_wkt(),
                append=path.exists(),
            )
        return path.read_bytes()
