"""Marks from files: the same points from each format, and hostile ones."""

import json
import sqlite3
import struct
import time

import pytest
import shapely

from kardo.core.errors import KardoError, ReadError
from kardo.core.geodesy.crs import grid
from kardo.formats.marks import read_marks
from tests.conftest import E0, N0

GRID = grid("EPSG:25828", "EPSG:5773")
LON, LAT = (float(v) for v in GRID.to_world(E0, N0))


def geojson(**more):
    feature = {
        "type": "Feature",
        "geometry": {"type": "Point", "coordinates": [LON, LAT]},
        "properties": {"Designation": "Heron 1", "description": "brass bolt", "height": 4.5, **more},
    }
    line = {"type": "Feature", "geometry": {"type": "LineString", "coordinates": [[0, 0], [1, 1]]}, "properties": {}}
    return json.dumps({"type": "FeatureCollection", "features": [feature, line]}).encode()


def gpx(extra=""):
    return (
        f'<?xml version="1.0"?>{extra}<gpx xmlns="http://www.topografix.com/GPX/1/1" version="1.1">'
        f'<wpt lat="{LAT!r}" lon="{LON!r}"><ele>60.1</ele><name>Heron 1</name><desc>brass bolt</desc></wpt></gpx>'
    ).encode()


def geopackage(srs=25828, place=(E0, N0), *more):
    """A GeoPackage by the letter of the standard (OGC 12-128), of one layer of points."""
    base = sqlite3.connect(":memory:")
    blob = struct.pack("<2sBBi", b"GP", 0, 1, srs) + shapely.to_wkb(shapely.Point(place))
    base.executescript(
        "CREATE TABLE gpkg_spatial_ref_sys (srs_name, srs_id, organization, organization_coordsys_id, definition);"
        f"INSERT INTO gpkg_spatial_ref_sys VALUES ('x', {srs}, 'EPSG', {srs}, '');"
        "CREATE TABLE gpkg_geometry_columns (table_name, column_name, geometry_type_name, srs_id, z, m);"
        f"INSERT INTO gpkg_geometry_columns VALUES ('marks', 'geom', 'POINT', {srs}, 0, 0);"
        "CREATE TABLE marks (fid INTEGER PRIMARY KEY, geom, name, height, description);"
    )
    base.execute("INSERT INTO marks VALUES (1, ?, 'Heron 1', 4.5, 'brass bolt')", (blob,))
    for statement in more:
        base.executescript(statement)
    base.commit()
    return base.serialize()


FILES = {
    "marks.geojson": geojson(),
    "marks.gpx": gpx(),
    "marks.gpkg": geopackage(),
    "world.gpkg": geopackage(4326, (LON, LAT)),
}


@pytest.mark.parametrize("name", FILES)
def test_the_same_mark_comes_from_each_format(name):
    found = read_marks(FILES[name], name, GRID, "m")
    (mark,) = found.marks
    assert (mark.designation, mark.description) == ("Heron 1", "brass bolt")
    assert (mark.e, mark.n) == pytest.approx((E0, N0), abs=2e-3)
    assert mark.h == (None if name.endswith("gpx") else 4.5)
    assert found.how, "and how it was read is told"


def test_a_list_is_read_as_any_list():
    text = f"name;E;N;H\nHeron 1;{E0};{N0};4.5\n;{E0 + 1};{N0};\n".encode()
    found = read_marks(text, "marks.csv", GRID, "m")
    assert [(m.designation, m.h) for m in found.marks] == [("Heron 1", 4.5), ("2", None)]


BOMB = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>'
ENDLESS = (
    "DROP TABLE marks; CREATE VIEW marks AS WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) "
    "SELECT x AS geom FROM n;"
)
SLOW = (
    "DROP TABLE gpkg_geometry_columns; CREATE VIEW gpkg_geometry_columns AS WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL"
    " SELECT x + 1 FROM n) SELECT x || '' AS table_name, 'g' AS column_name, 'POINT' AS geometry_type_name, 1 AS srs_id"
    " FROM n;"
)
HUGE = "ALTER TABLE marks ADD COLUMN big GENERATED ALWAYS AS (zeroblob(900000000));"
HOSTILE = {
    "a bomb of entities": gpx(BOMB),
    "another XML": b"<kml/>",
    "a place that is none": gpx().replace(repr(LAT).encode(), b"north"),
    "not a place": geojson().replace(repr(LON).encode(), b"NaN"),
    "a height that is none": geojson(height="up"),
    "nothing": b'{"type": "FeatureCollection", "features": []}',
    "no database": b"SQLite format 3\0" + bytes(4000),
    "an endless view": geopackage(25828, (E0, N0), ENDLESS),
    "an endless list of layers": geopackage(25828, (E0, N0), SLOW),
    "a table that grows": geopackage(25828, (E0, N0), HUGE),
    "a system that is none": geopackage(1),
    "bytes": bytes(range(256)) * 10,
    "too much": b" " * 4_000_001,
}


@pytest.mark.parametrize("what", HOSTILE)
def test_what_is_hostile_ends_in_one_clear_error_soon(what):
    began = time.monotonic()
    with pytest.raises(KardoError) as told:
        read_marks(HOSTILE[what], "marks", GRID, "m")
    assert told.value.mend and time.monotonic() - began < 15


def test_a_database_cut_anywhere_is_no_more_than_an_error():
    whole = geopackage()
    for end in range(20, len(whole), 977):
        with pytest.raises(ReadError):
            read_marks(whole[:end], "marks.gpkg", GRID, "m")
