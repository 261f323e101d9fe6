"""Map files: the same things from each format, conventions of other software, and hostile ones."""

import io
import json
import sqlite3
import struct
import zipfile

import ezdxf
import numpy as np
import pyogrio
import pytest
import shapely
from pyproj import CRS

from kardo.core.errors import KardoError, ReadError
from kardo.core.geodesy.crs import grid
from kardo.core.plan.brief import Brief
from kardo.core.site.guesses import kind_of
from kardo.demo import demo_plan
from kardo.formats.boundary import read_boundary
from kardo.formats.cells import decoded
from kardo.formats.files import ACCEPTED, PLAN_FILES
from kardo.formats.map.dxf import control_dxf
from kardo.formats.map.geojson import site_geojson
from kardo.formats.map.geopackage import control_geopackage
from kardo.formats.map.kml import site_kml
from kardo.formats.map.landxml import control_landxml
from kardo.formats.map.reading import brought, read_map_file
from kardo.formats.map.registry import FORMATS as FORMATS_OF
from kardo.formats.map.registry import format_of
from kardo.formats.map.shapefile import together
from kardo.formats.points import read_any_points
from kardo.formats.where import read_where
from tests.conftest import E0, N0, small_plan

GRID = grid("EPSG:25828", "EPSG:5773")
RING = [(E0, N0), (E0 + 40, N0), (E0 + 40, N0 + 30), (E0, N0 + 30)]
FENCE = [(E0 + 5, N0 - 20), (E0 + 90, N0 - 22)]
PEG = (E0 + 12.3456, N0 + 7.8901)


def world(places):
    lon, lat = GRID.to_world(*np.array(places).T)
    return [(float(a), float(b)) for a, b in zip(lon, lat, strict=True)]


def geojson(**more):
    (peg,), fence, ring = world([PEG]), world(FENCE), world(RING)
    shapes = [
        ("peg", {"type": "Point", "coordinates": [*peg, 60.0]}),
        ("fence", {"type": "LineString", "coordinates": fence}),
        ("barn", {"type": "Polygon", "coordinates": [[*ring, ring[0]]]}),
    ]
    features = [{"type": "Feature", "geometry": g, "properties": {"name": n, "height": 6.0}} for n, g in shapes]
    return json.dumps({"type": "FeatureCollection", "features": features} | more).encode()


def kml(extra=""):
    def text(places):
        return " ".join(f"{a!r},{b!r},0" for a, b in places)

    ring = world(RING)
    return (
        f'<?xml version="1.0"?>{extra}<kml xmlns="http://www.opengis.net/kml/2.2"><Document><Folder><name>site</name>'
        f"<Placemark><name>peg</name><Point><coordinates>{text(world([PEG]))}</coordinates></Point></Placemark>"
        f"<Placemark><name>fence</name><LineString><coordinates>{text(world(FENCE))}</coordinates></LineString></Placemark>"
        f"<Placemark><name>barn</name><Polygon><outerBoundaryIs><LinearRing><coordinates>{text([*ring, ring[0]])}"
        "</coordinates></LinearRing></outerBoundaryIs></Polygon></Placemark></Folder></Document></kml>"
    ).encode()


def zipped(**members):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name.replace("_", "."), data)
    return out.getvalue()


def gpx():
    (lon, lat), fence = world([PEG])[0], world(FENCE)
    points = "".join(f'<trkpt lat="{b!r}" lon="{a!r}"/>' for a, b in fence)
    return (
        f'<gpx xmlns="http://www.topografix.com/GPX/1/1"><wpt lat="{lat!r}"'
        f' lon="{lon!r}"><ele>3</ele><name>peg</name></wpt><trk><name>fence</name><trkseg>{points}</trkseg></trk></gpx>'
    ).encode()


def geopackage():
    base = sqlite3.connect(":memory:")
    base.executescript(
        "CREATE TABLE gpkg_spatial_ref_sys (srs_name, srs_id, organization, organization_coordsys_id, definition);"
        "INSERT INTO gpkg_spatial_ref_sys VALUES ('x', 25828, 'EPSG', 25828, '');"
        "CREATE TABLE gpkg_geometry_columns (table_name, column_name, geometry_type_name, srs_id, z, m);"
    )
    shapes = {"peg": shapely.Point(PEG), "fence": shapely.LineString(FENCE), "barn": shapely.Polygon(RING)}
    for layer, shape in shapes.items():
        blob = struct.pack("<2sBBi", b"GP", 0, 1, 25828) + shapely.to_wkb(shape)
        base.execute("INSERT INTO gpkg_geometry_columns VALUES (?, 'geom', 'GEOMETRY', 25828, 0, 0)", (layer,))
        base.execute(f"CREATE TABLE {layer} (fid INTEGER PRIMARY KEY, geom, name)")
        base.execute(f"INSERT INTO {layer} VALUES (1, ?, ?)", (blob, layer))
    base.commit()
    return base.serialize()


def shapefile(tmp_path, shapes, names, codepage="UTF-8"):
    path = tmp_path / "layer.shp"
    pyogrio.raw.write(
        str(path), shapely.to_wkb(np.array(shapes)), [np.array(names, dtype=object)], ["name"],
        geometry_type=shapes[0].geom_type, crs="EPSG:25828", encoding=codepage,
    )  # fmt: skip
    return {p.suffix[1:]: p.read_bytes() for p in tmp_path.iterdir() if p.stem == "layer"}


def dxf(unit=6, factor=1.0, swap=False):
    document = ezdxf.new("R2010", units=unit)
    model = document.modelspace()
    block = document.blocks.new("PEG")
    block.add_attdef("NAME", (0, 0))

    def at(p):
        e, n = p[0] / factor, p[1] / factor
        return (n, e) if swap else (e, n)

    model.add_blockref("PEG", (*at(PEG), 4.5 / factor), dxfattribs={"layer": "control"}).add_attrib("NAME", "peg")
    model.add_line(at(FENCE[0]), at(FENCE[1]), dxfattribs={"layer": "fence"})
    model.add_lwpolyline([at(p) for p in RING], close=True, dxfattribs={"layer": "barn"})
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


def landxml(unit="meter", factor=1.0, code="25828", faces=False):
    """A point and a surface; northing first, in the file's own unit. The surface by its outline, or by its triangles
    alone."""

    def at(places):
        return " ".join(f"{n / factor:.7f} {e / factor:.7f}" for e, n in places)

    corners = "".join(f'<P id="{k}">{at([p])} 3</P>' for k, p in enumerate(RING, 1))
    tin = (
        f"<Definition surfType='TIN'><Pnts>{corners}</Pnts><Faces><F>1 2 3</F><F>3 4 1</F><F i='1'>2 3"
        " 4</F></Faces></Definition>"
    )
    outline = (
        "<SourceData><Boundaries><Boundary"
        f' bndType="outer"><PntList2D>{at([*RING, RING[0]])}</PntList2D></Boundary></Boundaries></SourceData>'
    )
    system = f'<CoordinateSystem epsgCode="{code}"/>' if code else ""
    return (
        '<?xml version="1.0"?><LandXML xmlns="http://www.landxml.org/schema/LandXML-1.2"'
        f' version="1.2"><Units><Imperial linearUnit="{unit}"/></Units>{system}<CgPoints><CgPoints name="of the'
        f' day"><CgPoint name="peg" code="NAIL">{at([PEG])} {4.5 / factor:.6f}</CgPoint><CgPoint'
        ' pntRef="peg"/></CgPoints></CgPoints><Surfaces><Surface'
        f' name="barn">{tin if faces else outline}</Surface></Surfaces></LandXML>'
    ).encode()


FORMATS = {"geojson": geojson, "kml": kml, "kmz": lambda: zipped(doc_kml=kml()), "geopackage": geopackage, "dxf": dxf}
FOOT = 1200 / 3937


@pytest.mark.parametrize("faces", [False, True])
@pytest.mark.parametrize(("unit", "factor"), [("meter", 1.0), ("foot", 0.3048), ("USSurveyFoot", FOOT)])
@pytest.mark.parametrize("code", ["25828", ""])
def test_points_and_outlines_of_surfaces_come_from_landxml_in_any_of_its_units(unit, factor, code, faces):
    """With its system by number, in whatever unit; without one, in the job's grid."""
    found = brought(read_map_file(landxml(unit, factor, code, faces), "a.xml"), GRID, "m", (E0, N0))
    peg, barn = found.things
    assert not found.options and (peg.name, peg.said, barn.name, barn.kind) == ("peg", "NAIL", "barn", "area")
    assert peg.vertices[0] == pytest.approx(PEG, abs=1e-4) and peg.h == pytest.approx(4.5, abs=1e-4)
    assert np.array(sorted(barn.vertices)) == pytest.approx(np.array(sorted(RING)), abs=1e-4)


def test_a_system_in_feet_and_a_file_in_metres_meet():
    """EPSG:2263 has its axes in US survey feet."""
    data = landxml("meter", 1.0, "2263")
    plan = grid("EPSG:2263", "ellipsoidal")
    own = [t.vertices[0] for t in read_map_file(data, "").things if t.kind == "place"]
    assert own[0] == pytest.approx((PEG[0] / FOOT, PEG[1] / FOOT))
    assert plan.crs == read_map_file(data, "").source


@pytest.mark.parametrize("unit", ["m", "ft", "us-ft", "ind-ft"])
@pytest.mark.parametrize("one", [f for f in FORMATS_OF if f.control], ids=lambda f: f.name)
def test_every_format_is_known_by_its_content_and_brings_back_the_control_that_it_was_written_with(one, unit):
    plan = small_plan(brief=Brief(title="A & B <x>", crs="EPSG:25828", unit=unit))
    made = one.control(plan)
    data = made if isinstance(made, bytes) else made.encode()
    assert format_of(data) is one
    read = read_any_points(data, "", plan.grid, unit, plan.site.boundary[0])
    names = {p.name: p for p in read.points}
    for p in plan.control:
        assert (names[p.name].e, names[p.name].n) == pytest.approx((p.e, p.n), abs=1.1e-4)


def test_an_outline_goes_out_in_landxml_and_comes_back():
    plan = small_plan()
    data = control_landxml(plan).encode()
    assert np.array(read_boundary(data, "a.xml", GRID, "m").ring) == pytest.approx(
        np.array(plan.site.boundary), abs=1e-4
    )
    found = read_where(data, "a.xml")
    lon, lat = GRID.to_world(*np.mean(plan.site.boundary, axis=0))
    assert (found.lon, found.lat, found.crs) == pytest.approx((float(lon), float(lat), "EPSG:25828")) and found.outline


@pytest.mark.parametrize("name", [*FORMATS, "gpx", "landxml"])
def test_where_a_job_is_comes_from_any_file_that_says_where_it_is(name):
    data = {"gpx": gpx, "landxml": landxml, **FORMATS}[name]()
    if name == "dxf":
        with pytest.raises(ReadError, match="names no coordinate system"):
            read_where(data, "a")
        return
    found = read_where(data, "a")
    e, n = GRID.from_geodetic(found.lon, found.lat)
    assert abs(float(e) - E0) < 100 and abs(float(n) - N0) < 100


def test_what_a_browser_is_told_to_take_is_what_the_readers_read():
    for what in ("boundary", "features", "points", "flown", "where", "marks"):
        assert {f".{end}" for one in FORMATS_OF for end in one.endings} <= set(ACCEPTED[what])
    assert {name for name in PLAN_FILES if name.startswith("control.")} == {
        f"control.{one.endings[0]}" for one in FORMATS_OF if one.control
    }


@pytest.mark.parametrize("name", FORMATS)
def test_the_same_things_come_from_each_format_to_a_tenth_of_a_millimetre(name):
    found = brought(read_map_file(FORMATS[name](), name), GRID, "m", (E0, N0))
    assert not found.options and found.how
    things = {t.kind: t for t in found.things}
    assert set(things) == {"place", "line", "area"} and len(found.things) == 3
    for kind, places in (("place", [PEG]), ("line", FENCE), ("area", RING)):
        assert np.array(things[kind].vertices) == pytest.approx(np.array(places), abs=1e-4)
    names = {t.name or t.layer for t in found.things}
    assert names == {"peg", "fence", "barn"}


def test_waypoints_and_tracks_of_a_receiver_come_without_their_elevations():
    found = brought(read_map_file(gpx(), "a.gpx"), GRID, "m")
    peg, fence = found.things
    assert (peg.name, peg.h, fence.name, fence.kind) == ("peg", None, "fence", "line")
    assert peg.vertices[0] == pytest.approx(PEG, abs=1e-4) and "elevations are left out" in found.how[0]


@pytest.mark.parametrize("codepage", ["UTF-8", "ISO-8859-1"])
def test_a_zipped_shapefile_comes_with_its_code_page(tmp_path, codepage):
    parts = shapefile(tmp_path, [shapely.Polygon(RING)], ["Mühle"], codepage=codepage)
    found = brought(read_map_file(zipped(**{f"a_{end}": part for end, part in parts.items()}), "a.zip"), GRID, "m")
    (mill,) = found.things
    assert mill.name == "Mühle" and mill.kind == "area"
    assert sorted(mill.vertices) == sorted(RING)


def test_a_shapefile_without_its_system_is_taken_as_the_jobs_grid_and_says_so(tmp_path):
    parts = shapefile(tmp_path, [shapely.Point(PEG)], ["peg"])
    found = brought(
        read_map_file(zipped(**{f"a_{end}": p for end, p in parts.items() if end != "prj"}), ""), GRID, "m", (E0, N0)
    )
    assert "taken as ETRS89 / UTM zone 28N, easting, northing in metres" in found.how[-1] and not found.options


@pytest.mark.parametrize("swap", [False, True])
@pytest.mark.parametrize(("unit", "factor", "job"), [(6, 1.0, "m"), (2, 0.3048, "m"), (0, 0.3048, "ft")])
def test_a_drawing_is_read_in_the_unit_and_order_that_fit_the_site(swap, unit, factor, job):
    found = brought(read_map_file(dxf(unit, factor, swap), "a.dxf"), GRID, job, (E0, N0))
    peg = next(t for t in found.things if t.kind == "place")
    assert peg.vertices[0] == pytest.approx(PEG, abs=1e-4) and peg.h == pytest.approx(4.5, abs=1e-4)
    assert ("northing, easting" in found.how[-1]) == swap


def test_a_drawing_that_fits_in_several_ways_is_asked_about():
    """A place whose easting is a northing too, before there is a site."""
    document = ezdxf.new("R2010", units=0)
    document.modelspace().add_point((640_000.0, 640_100.0))
    out = io.StringIO()
    document.write(out)
    tropics = grid("EPSG:32628", "ellipsoidal")
    found = brought(read_map_file(out.getvalue().encode(), ""), tropics, "m")
    assert [o.key for o in found.options] == ["en-m", "ne-m"]
    taken = brought(read_map_file(out.getvalue().encode(), ""), tropics, "m", chosen="ne-m")
    assert not taken.options and taken.things[0].vertices[0] == pytest.approx((640_100.0, 640_000.0))


def test_another_system_says_how_it_was_brought_here():
    named = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::25829"}}
    lon, lat = world([PEG])[0]
    from pyproj import Transformer

    x, y = Transformer.from_crs(4326, 25829, always_xy=True).transform(lon, lat)
    feature = {"type": "Feature", "geometry": {"type": "Point", "coordinates": [x, y]}, "properties": None}
    text = json.dumps({"type": "FeatureCollection", "crs": named, "features": [feature]}).encode()
    found = brought(read_map_file(text, ""), GRID, "m")
    assert found.things[0].vertices[0] == pytest.approx(PEG, abs=1e-3) and "25829" in CRS(25829).to_string()


def test_letters_of_an_old_code_page_are_read_and_said():
    text, said = decoded("Kögel;1;2\r\n".encode("cp1252"), "a.csv")
    assert text.startswith("Kögel") and "Windows" in said[0]
    assert decoded("Kögel".encode("utf-16"), "a.csv") == ("Kögel", [])
    assert decoded(b"\xef\xbb\xbfPeg", "a.csv") == ("Peg", [])
    with pytest.raises(ReadError, match="no text"):
        decoded(bytes(range(256)) * 9, "a.csv")


def holed_kml():
    hole = [(E0 + 5, N0 + 5), (E0 + 9, N0 + 5), (E0 + 9, N0 + 9), (E0 + 5, N0 + 5)]
    inner = " ".join(f"{a!r},{b!r}" for a, b in world(hole))
    said = f"<innerBoundaryIs><LinearRing><coordinates>{inner}</coordinates></LinearRing></innerBoundaryIs>"
    return kml().replace(b"</outerBoundaryIs>", b"</outerBoundaryIs>" + said.encode())


def test_holes_are_counted_in_every_format_and_a_boundary_with_one_is_refused(tmp_path):
    ring = [(E0 + 5, N0 + 5), (E0 + 9, N0 + 5), (E0 + 9, N0 + 9)]
    parts = shapefile(tmp_path, [shapely.Polygon(RING, [ring])], ["yard"])
    packed = zipped(**{f"a_{end}": part for end, part in parts.items()})
    for data in (holed_kml(), packed):
        (area,) = [t for t in read_map_file(data, "").things if t.kind == "area"]
        assert area.holes == 1 and len(area.vertices) == 4
    with pytest.raises(ReadError, match="1 hole"):
        read_boundary(packed, "a.zip", GRID, "m")


def test_parts_of_a_shapefile_chosen_together_are_read_as_their_archive_is(tmp_path):
    parts = shapefile(tmp_path, [shapely.Polygon(RING)], ["barn"])
    packed = read_map_file(zipped(**{f"a_{end}": part for end, part in parts.items()}), "a.zip")
    for order in (sorted(parts), sorted(parts, reverse=True)):
        chosen = together([(parts[end], f"my site.{end.upper()}") for end in order])
        assert read_map_file(chosen, "my site.shp").things == packed.things
    assert together([(b"alone", "a.csv")]) == b"alone"
    for end in ("shp", "shx"):
        with pytest.raises(ReadError, match=r"one part of a Shapefile: its \.shp, \.shx and \.dbf"):
            read_boundary(parts[end], f"site.{end}", GRID, "m")
    with pytest.raises(ReadError, match=r"Of the Shapefile \.shx and \.dbf are missing"):
        read_map_file(together([(parts["shp"], "a.shp"), (parts["prj"], "a.prj")]), "a.shp")
    with pytest.raises(ReadError):
        read_map_file(together([(b"no shapes", "a.shp"), (b"", "a.shx"), (b"x", "a.dbf")]), "a.shp")


@pytest.mark.parametrize("name", ["kmz", "geopackage", "dxf"])
def test_a_boundary_comes_from_each_format(name):
    found = read_boundary(FORMATS[name](), name, GRID, "m", (E0, N0))
    chosen = found.options[0].key if found.options else ""
    ring = read_boundary(FORMATS[name](), name, GRID, "m", (E0, N0), chosen).ring
    assert np.array(sorted(ring)) == pytest.approx(np.array(sorted(RING)), abs=1e-4)


@pytest.mark.parametrize("write", [site_geojson, site_kml, control_geopackage, control_dxf])
def test_what_is_on_a_site_goes_out_and_comes_back_as_it_was(write):
    """Kind, shape and every corner to a tenth of a millimetre; heights where the format has them."""
    plan = demo_plan("sallow-bank")
    made = write(plan)
    data = made if isinstance(made, bytes) else made.encode()
    things = brought(read_map_file(data, ""), plan.grid, "m", plan.site.boundary[0]).things
    for feature in plan.site.features:
        (thing,) = [t for t in things if t.kind == feature.shape and _same(t.vertices, feature.vertices)]
        assert kind_of(thing.name, thing.said, thing.layer.removeprefix("SITE_").casefold()) == feature.kind
        if write is site_geojson and feature.height:
            assert thing.tall == feature.height


def _same(a, b):
    apart = np.linalg.norm(np.array(a)[:, None] - np.array(b), axis=2)
    return apart.shape[0] == apart.shape[1] and max(apart.min(axis=0).max(), apart.min(axis=1).max()) < 1e-4


BOMB = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>'


def tin(corners, faces):
    """A surface of LandXML by its triangles alone."""
    points = "".join(f'<P id="{k}">{at}</P>' for k, at in enumerate(corners, 1))
    sides = "".join(f"<F>{face}</F>" for face in faces)
    return f"<LandXML><Surfaces><Surface><Pnts>{points}</Pnts><Faces>{sides}</Faces></Surface></Surfaces></LandXML>".encode()


SHORT = b"<LandXML><Surfaces><Surface><Boundary><PntList2D>1 2 3</PntList2D></Boundary></Surface></Surfaces></LandXML>"
WORDS = b"<LandXML><CgPoints><CgPoint>one two</CgPoint></CgPoints></LandXML>"
LOST = b"<LandXML><Surfaces><Surface><F>1 2 3</F></Surface></Surfaces></LandXML>"
DEEP = b'{"type":"GeometryCollection","geometries":[' * 60 + b"]}" * 60
HOSTILE = {
    "a bomb of entities": kml(BOMB),
    "another XML": b"<OGRVRTDataSource><OGRVRTLayer/></OGRVRTDataSource>",
    "an odd outline": SHORT,
    "a point of words": WORDS,
    "triangles of no corners": LOST,
    "a corner that is no place": tin(["nan 1", "1 inf", "2 2"], ["1 2 3"]),
    "more triangles than are joined": tin(["1 1", "2 1", "2 2"], ["1 2 3"] * 20_001),
    "a system that there is not": landxml(code="99999999"),
    "deep": DEEP,
    "no numbers": geojson().replace(str(world(FENCE)[0][0]).encode(), b"NaN"),
    "an empty archive": zipped(),
    "an archive of another kind": zipped(a_txt=b"x"),
    "an archive that grows": zipped(doc_kml=b" " * 70_000_000),
    "a Shapefile in part": zipped(a_shp=b"x" * 200),
    "a Shapefile that is none": zipped(a_shp=b"x" * 200, a_shx=b"x" * 200, a_dbf=b"x" * 200),
    "no drawing": b"0\nSECTION\n2\nENTITIES\n0\nLINE\n10\nx\n",
    "no database": b"SQLite format 3\0" + bytes(4000),
    "bytes": bytes(range(256)) * 10,
    "too much": b" " * 8_000_001,
    "nothing": b'{"type": "FeatureCollection", "features": []}',
}


@pytest.mark.parametrize("what", HOSTILE)
def test_what_is_hostile_ends_in_one_clear_error(what):
    with pytest.raises(KardoError) as told:
        brought(read_map_file(HOSTILE[what], "a file"), GRID, "m")
    assert told.value.mend


def test_an_archive_leads_nowhere(tmp_path):
    """Names in it are never paths."""
    found = read_map_file(zipped(**{"../../etc/doc_kml": kml()}), "a.kmz")
    assert len(found.things) == 3 and not list(tmp_path.iterdir())


def test_a_drawing_that_ends_a_table_twice_is_refused():
    """What a reader's own machinery trips over is still told as a file that is not sound."""
    twice = dxf().replace(b"  0\nENDTAB\n", b"  0\nENDTAB\n  0\nENDTAB\n")
    with pytest.raises(ReadError, match="sound DXF"):
        read_map_file(twice, "a.dxf")
