"""Boundaries, terrains and exports: round trips, limits and hostile files."""

import csv
import io
import json
import math

import numpy as np
import pytest
from pyproj import Geod, Transformer
from rasterio.io import MemoryFile
from rasterio.transform import from_origin

from kardo.core.errors import KardoError, ReadError
from kardo.core.geodesy.crs import ELLIPSOIDAL, grid
from kardo.core.plan.brief import Brief
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import plan_from_json
from kardo.core.plan.site import Ground, terrain_of
from kardo.core.presentation.summary import summary
from kardo.core.terrain.drawing import contours, shading
from kardo.core.terrain.surface import Surface
from kardo.formats.boundary import read_boundary
from kardo.formats.files import plan_json
from kardo.formats.lists import point_list_csv, safe_cell
from kardo.formats.map.geojson import control_geojson
from kardo.formats.map.kml import control_kml
from kardo.formats.raster import TerrainChoices, read_terrain, write_terrain
from tests.conftest import E0, N0, small_plan

GRID, EGM96 = grid("EPSG:25828", "EPSG:5773"), TerrainChoices("EPSG:5773")
RING = [(E0, N0), (E0 + 200, N0), (E0 + 200, N0 + 120), (E0, N0 + 120)]


def geographic(ring=RING):
    return [[float(v) for v in GRID.to_geodetic(e, n)] for e, n in [*ring, ring[0]]]


def geojson(ring=RING, **more):
    return json.dumps(
        {
            "type": "Feature",
            "properties": {},
            "geometry": {"type": "Polygon", "coordinates": [geographic(ring)]},
            **more,
        }
    ).encode()


def kml(ring=RING, body=None):
    text = " ".join(f"{x},{y},0" for x, y in geographic(ring))
    body = (
        body
        or f"<Placemark><Polygon><outerBoundaryIs><LinearRing><coordinates>{text}</coordinates></LinearRing></outerBoundaryIs></Polygon></Placemark>"
    )
    return (
        f'<?xml version="1.0"?><kml xmlns="http://www.opengis.net/kml/2.2"><Document>{body}</Document></kml>'.encode()
    )


def pasted(ring=RING):
    return "\n".join(f"{e} {n}" for e, n in ring).encode()


@pytest.mark.parametrize(("data", "name"), [(geojson(), "a.geojson"), (kml(), "a.kml"), (pasted(), "")])
def test_a_boundary_reads_alike_from_every_format(data, name):
    found = read_boundary(data, name, GRID, "m")
    assert np.allclose(found.ring, RING, atol=2e-4)
    lon, lat = GRID.to_geodetic(*np.array(RING).T)
    on_ellipsoid = abs(Geod(ellps="GRS80").polygon_area_perimeter(lon, lat)[0])
    up = float(GRID.separation(*RING[0]))  # the ground lies at 0 of the job's heights, as nothing is known of it
    assert found.area == pytest.approx(on_ellipsoid * (1 + up / 6.37e6) ** 2, rel=1e-6)
    assert found.how


def test_the_area_that_is_offered_is_the_sites_own_to_the_last_digit():
    """18.4 stood in one place and another digit in the next: a kilometre up, in feet, the ellipsoid's scale alone is
    three parts in ten thousand off."""
    for crs, unit in (("EPSG:25828", "m"), ("EPSG:25828", "us-ft")):
        plan = small_plan(boundary=RING, brief=Brief(crs=crs, unit=unit), control=())
        high = Surface(E0 - 300, N0 - 300, 10.0, np.full((80, 90), 1000.0))
        plan = plan.model_copy(
            update={"site": plan.site.model_copy(update={"ground": Ground(terrain=terrain_of(high, "t"))})}
        )
        found = read_boundary(geojson(), "a.geojson", plan.grid, unit, surface=plan.surface)
        assert found.area == pytest.approx(summary(plan).area, rel=1e-6)
        assert found.area > 1.0003 * read_boundary(geojson(), "a.geojson", plan.grid, unit).area


SMALL = [(E0, N0), (E0 + 10, N0), (E0 + 10, N0 + 10)]


def feature(kind, coordinates):
    return {"type": "Feature", "properties": {}, "geometry": {"type": kind, "coordinates": coordinates}}


def several(*features):
    return json.dumps({"type": "FeatureCollection", "features": list(features)}).encode()


def test_several_areas_are_offered_the_largest_first():
    data = several(json.loads(geojson(SMALL)), json.loads(geojson()))
    found = read_boundary(data, "x.json", GRID, "m")
    assert len(found.ring) == 4 and [o.key for o in found.options] == ["0", "1"]
    assert "2.40 ha" in found.options[0].words
    second = read_boundary(data, "x.json", GRID, "m", None, "1")
    assert len(second.ring) == 3 and not second.options


def test_an_open_line_is_closed_or_made_a_corridor_only_when_that_is_chosen():
    line = [geographic()[k] for k in range(3)]
    data = several(feature("LineString", line))
    found = read_boundary(data, "x.json", GRID, "m")
    assert [o.key for o in found.options] == ["0", "0:10", "0:20", "0:50", "0:100"]
    corridor = read_boundary(data, "x.json", GRID, "m", None, "0:20")
    assert corridor.area == pytest.approx(20 * (200 + 120), rel=0.01) and not corridor.options
    assert len(corridor.axis) == 3 and corridor.width == 20, "to be flown along"
    closed_ = read_boundary(data, "x.json", GRID, "m", None, "0")
    assert closed_.area == pytest.approx(200 * 120 / 2, rel=0.001) and not closed_.axis
    ring = several(feature("LineString", geographic()))
    assert not read_boundary(ring, "x.json", GRID, "m").options


@pytest.mark.parametrize(("order", "long"), [((0, 1), 200), ((0, 1, 3, 2), 400 + math.hypot(200, 120))])
def test_an_axis_that_closes_into_no_area_is_offered_as_a_corridor_alone(order, long):
    """A straight one has none; one with a bend to each side would close across itself."""
    data = several(feature("LineString", [geographic()[k] for k in order]))
    found = read_boundary(data, "x.json", GRID, "m")
    assert [o.key for o in found.options] == ["0:10", "0:20", "0:50", "0:100"]
    assert found.area == pytest.approx(10 * long, rel=0.02), "the first is what is drawn"


def test_a_corridor_that_closes_about_ground_that_is_not_in_it_is_refused():
    ring = geographic()[:4]
    almost = [*ring, [ring[0][0], ring[0][1] + 2e-5]]
    with pytest.raises(ReadError, match="closes about"):
        read_boundary(several(feature("LineString", almost)), "x.json", GRID, "m", None, "0:20")


def test_what_is_offered_is_in_the_jobs_unit():
    words = [o.words for o in read_boundary(several(feature("LineString", geographic()[:3])), "", GRID, "ft").options]
    assert "acres" in words[0] and "33 ft wide" in words[1]


def holed():
    inner = [(E0 + 50, N0 + 50), (E0 + 60, N0 + 50), (E0 + 60, N0 + 60)]
    return geographic(), geographic(inner)


def test_holes_are_refused_and_not_dropped():
    data = several(feature("Polygon", list(holed())))
    with pytest.raises(ReadError, match="1 hole"):
        read_boundary(data, "x.json", GRID, "m")
    among = several(feature("Polygon", list(holed())), json.loads(geojson(SMALL)))
    assert "with holes" in read_boundary(among, "x.json", GRID, "m").options[0].words
    assert len(read_boundary(among, "x.json", GRID, "m", None, "1").ring) == 3
    with pytest.raises(ReadError, match="1 hole"):
        read_boundary(among, "x.json", GRID, "m", None, "0")
    outer, inner = (" ".join(f"{x},{y},0" for x, y in ring) for ring in holed())
    body = (
        f"<Placemark><Polygon><outerBoundaryIs><LinearRing><coordinates>{outer}</coordinates></LinearRing></outerBoundaryIs>"
        f"<innerBoundaryIs><LinearRing><coordinates>{inner}</coordinates></LinearRing></innerBoundaryIs></Polygon></Placemark>"
    )
    with pytest.raises(ReadError, match="1 hole"):
        read_boundary(kml(body=body), "x.kml", GRID, "m")


def test_a_named_crs_is_honoured():
    data = json.dumps(
        {
            "type": "Polygon",
            "coordinates": [[*RING, RING[0]]],
            "crs": {"type": "name", "properties": {"name": "EPSG:25828"}},
        }
    )
    assert np.allclose(read_boundary(data.encode(), "x.json", GRID, "m").ring, RING)


CROSSED = [RING[0], RING[2], RING[1], RING[3]]
BOMB = b'<?xml version="1.0"?><!DOCTYPE k [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><kml>&b;</kml>'
OUTSIDE = b'<?xml version="1.0"?><!DOCTYPE k [<!ENTITY a SYSTEM "file:///etc/passwd">]><kml>&a;</kml>'


@pytest.mark.parametrize(
    ("data", "name", "words"),
    [
        (geojson(CROSSED), "a.geojson", "crosses itself near"),
        (kml(CROSSED), "a.kml", "crosses itself near"),
        (pasted(CROSSED), "", "crosses itself near"),
        (b"plain words\n", "a.geojson", "not what its name says"),
        (b"\x89PNG\r\n\x1a\n\0\0\0\xff\xfe", "a.kml", "no text"),
        (b"{]", "a.json", "not sound GeoJSON"),
        (b'{"type":"Topology"}', "a.json", "not sound GeoJSON"),
        (b'{"type":"Feature","geometry":null}', "a.json", "no point, line or area"),
        (b"[" * 5000, "a.json", "not sound"),
        (b"<svg></svg>", "a.kml", "XML of another kind"),
        (b"<kml>", "a.kml", "not sound KML"),
        (BOMB, "a.kml", "not sound KML"),
        (OUTSIDE, "a.kml", "not sound KML"),
        (kml(body="<Placemark/>"), "a.kml", "no point, line or area"),
        (kml(body="<Placemark><LineString><coordinates>1 2 3</coordinates></LineString></Placemark>"), "a.kml", "no latitude"),
        (geojson([(E0, N0), (E0 + 1, N0)]), "a.json", "no point, line or area"),
        (b'{"type":"Polygon","coordinates":[[[100,46],[100.1,46],[100.1,46.1],[100,46]]]}', "a.json", "outside the area"),
        (b'{"type":"Polygon","coordinates":[[[1e400,46],[1,46],[1,47]]]}', "a.json", ""),
        (b"x" * 5_100_000, "a.json", "larger than 2 MB"),
    ],
)  # fmt: skip
def test_bad_and_hostile_boundaries_get_a_clear_word(data, name, words):
    with pytest.raises(KardoError) as caught:
        read_boundary(data, name, GRID, "m")
    assert words in str(caught.value)
    assert caught.value.mend


def surface():
    e, n = np.meshgrid(E0 - 100 + 5 * np.arange(80), N0 - 100 + 5 * np.arange(64))
    return Surface(E0 - 100, N0 - 100, 5.0, np.round(5 + 0.02 * (e - E0) + 0.01 * (n - N0), 3))


def test_terrain_goes_out_and_comes_back():
    found = read_terrain(write_terrain(surface(), "EPSG:25828"), GRID, EGM96, None)
    e, n = np.array([E0, E0 + 50.5]), np.array([N0 + 3, N0 + 77.7])
    assert np.allclose(found.surface.at(e, n), surface().at(e, n), atol=0.01)


def test_terrain_in_another_crs_is_warped():
    to_web = Transformer.from_crs(25828, 3857, always_xy=True)
    west, north = to_web.transform(E0 - 100, N0 + 250)
    rows = cols = 100
    x, y = np.meshgrid(west + 7 * (np.arange(cols) + 0.5), north - 7 * (np.arange(rows) + 0.5))
    back_e, _ = to_web.transform(x.ravel(), y.ravel(), direction="INVERSE")
    heights = (5 + 0.02 * (np.array(back_e).reshape(rows, cols) - E0)).astype("float32")
    with MemoryFile() as memory:
        with memory.open(
            driver="GTiff",
            width=cols,
            height=rows,
            count=1,
            dtype="float32",
            crs="EPSG:3857",
            transform=from_origin(west, north, 7, 7),
        ) as out:
            out.write(heights, 1)
        data = memory.read()
    found = read_terrain(data, GRID, TerrainChoices("EPSG:5773", "m"), (E0, N0, E0 + 150, N0 + 100)).surface
    assert np.allclose(found.at(E0 + 60, N0 + 40), 5 + 0.02 * 60, atol=0.03)


def test_ellipsoidal_terrain_is_converted_by_the_separation():
    plain = read_terrain(write_terrain(surface(), "EPSG:25828"), GRID, EGM96, None).surface
    lifted = Surface(E0 - 100, N0 - 100, 5.0, surface().heights + 55.11)
    found = read_terrain(write_terrain(lifted, "EPSG:25828"), GRID, TerrainChoices(ELLIPSOIDAL), None)
    assert np.nanmax(np.abs(found.surface.heights - plain.heights)) < 0.1
    assert any("converted" in line for line in found.how)


def tiff(**changes):
    profile = {
        "driver": "GTiff",
        "width": 20,
        "height": 20,
        "count": 1,
        "dtype": "float32",
        "crs": "EPSG:25828",
        "transform": from_origin(E0, N0 + 100, 5, 5),
    } | changes
    with MemoryFile() as memory:
        with memory.open(**{k: v for k, v in profile.items() if v is not None}) as out:
            for band in range(1, profile["count"] + 1):
                out.write(
                    np.full((profile["height"], profile["width"]), changes.get("fill", 3.0), dtype=profile["dtype"]),
                    band,
                )
        return memory.read()


@pytest.mark.parametrize(
    ("data", "heights", "words"),
    [
        (b"not a tiff at all", "EPSG:5773", "not a GeoTIFF"),
        (b"II*\0" + b"\xff" * 60, "EPSG:5773", "cannot be read"),
        (tiff(crs=None), "EPSG:5773", "no coordinate system"),
        (tiff(count=3), "EPSG:5773", "3 bands"),
        (tiff(transform=from_origin(E0 + 50_000, N0, 5, 5)), "EPSG:5773", "does not cover"),
        (tiff(crs="EPSG:25828+5773"), ELLIPSOIDAL, "The file says its heights are EGM96"),
        (tiff(), "EPSG:3855", "cannot be reached"),
    ],
)
def test_bad_terrains_get_a_clear_word(data, heights, words):
    with pytest.raises(KardoError) as caught:
        read_terrain(data, GRID, TerrainChoices(heights, "m"), (E0, N0, E0 + 90, N0 + 90))
    assert words in str(caught.value)


def test_impossible_heights_are_refused():
    with pytest.raises(ReadError, match="not heights in metres"):
        read_terrain(write_terrain(Surface(E0, N0, 5.0, np.full((20, 20), 25_000.0)), "EPSG:25828"), GRID, EGM96, None)


def test_point_list_is_right_to_a_tenth_of_a_millimetre():
    plan = small_plan()
    rows = list(csv.DictReader(io.StringIO(point_list_csv(plan))))
    assert list(rows[0]) == ["point", "N", "E", "Z", "code"]
    heights = heights_of(plan, plan.control)
    for row, p, h in zip(rows, plan.control, heights, strict=False):
        assert row["point"] == p.name and row["code"] == {"target": "GCP", "check": "CHECK"}[p.role]
        assert (
            abs(float(row["E"]) - p.e) <= 5e-5
            and abs(float(row["N"]) - p.n) <= 5e-5
            and abs(float(row["Z"]) - h) <= 5e-5
        )
    assert rows[-1]["code"] == "MARK"


def test_point_list_in_feet():
    plan = small_plan(brief=Brief(crs="EPSG:25828", unit="us-ft"))
    row = next(csv.DictReader(io.StringIO(point_list_csv(plan))))
    assert float(row["E"]) * 1200 / 3937 == pytest.approx(plan.control[0].e, abs=5e-5)


def test_names_are_no_spreadsheet_formulas():
    plan = small_plan()
    odd = plan.control[0].model_copy(update={"name": "=1+1"})
    assert "\n'=1+1," in point_list_csv(small_plan(control=(odd,)))


def test_geojson_comes_back_to_the_grid():
    plan = small_plan()
    data = json.loads(control_geojson(plan))
    for feature, p in zip(data["features"], plan.control, strict=False):
        lon, lat, h = feature["geometry"]["coordinates"]
        e, n = GRID.from_geodetic(lon, lat)
        assert abs(float(e) - p.e) < 1e-4 and abs(float(n) - p.n) < 1e-4
        assert h == pytest.approx(feature["properties"]["height_m"] + float(GRID.separation(p.e, p.n)), abs=1e-3)
    assert data["features"][-1]["properties"]["role"] == "boundary"
    assert np.allclose(
        read_boundary(json.dumps(data["features"][-1]).encode(), "b.json", GRID, "m").ring, RING, atol=2e-4
    )


def test_kml_is_sound_and_its_boundary_reads_back():
    text = control_kml(small_plan(brief=Brief(title="A & B <x>", crs="EPSG:25828")))
    assert "A &amp; B &lt;x&gt;" in text
    assert np.allclose(read_boundary(text.encode(), "b.kml", GRID, "m").ring, RING, atol=2e-4)


def test_plan_reads_back_with_the_same_hash():
    plan = small_plan()
    assert plan_from_json(json.loads(plan_json(plan))).hash == plan.hash


def test_contours_lie_on_their_height_and_shading_is_light():
    s = surface()
    drawn = contours(s)
    for line in drawn["lines"]:
        e, n = np.array(line["line"]).T
        assert np.allclose(s.at(e, n), line["height"], atol=0.02)
    light = shading(s)
    assert np.nanmin(light) >= 0 and np.nanmax(light) <= 1
    flat = shading(Surface(0, 0, 1.0, np.zeros((5, 5))))
    assert np.allclose(flat, np.sin(np.pi / 4))


@pytest.mark.parametrize("lead", ["=", " =", "\t=", "\r=", "\n=", "＝", "＋", "@", "　-"])
def test_no_spreadsheet_takes_a_name_for_a_formula(lead):
    assert safe_cell(f"{lead}1+1") == f"'{lead}1+1"
    assert safe_cell("G1") == "G1" and safe_cell("") == ""


def test_kml_of_names_with_control_characters_is_xml():
    from defusedxml import ElementTree

    plan = small_plan()
    odd = plan.control[0].model_copy(update={"name": "G\x07<1>"})
    written = control_kml(plan.model_copy(update={"control": (odd,)}))
    root = ElementTree.fromstring(written.encode())
    assert any(e.text == "G<1>" for e in root.iter())


@pytest.mark.parametrize("number", ["NaN", "Infinity", "1e308", "-1e308"])
def test_a_boundary_of_numbers_that_are_none_is_refused(number):
    text = json.dumps({"type": "Polygon", "coordinates": [[[-13.4, 46.3], [-13.39, 46.3], [-13.39, 46.31]]]})
    with pytest.raises(ReadError, match="none"):
        read_boundary(text.replace("46.31", number).encode(), "x.geojson", grid("EPSG:25828", "EPSG:5773"), "m")


GRIDS = [
    ("EPSG:25828", 623_000.0, 5_128_400.0),
    ("EPSG:32628", 623_000.0, 5_128_400.0),
    ("EPSG:27700", 450_000.0, 300_000.0),
    ("EPSG:31467", 3_500_500.0, 5_540_400.0),
    ("EPSG:26710", 560_000.0, 4_200_000.0),
    ("EPSG:2230", 1_950_000.0, 600_000.0),
    ("EPSG:2180", 500_300.0, 480_400.0),
]


@pytest.mark.parametrize(("code", "e", "n"), GRIDS, ids=[code for code, _, _ in GRIDS])
@pytest.mark.parametrize("write", [control_geojson, control_kml])
def test_what_goes_out_on_wgs_84_comes_back_within_a_tenth_of_a_millimetre(code, e, n, write):
    """Datums up to hundreds of metres from WGS 84, grids in feet, grids whose first axis is north."""
    ring = ((e, n), (e + 200, n), (e + 200, n + 120), (e, n + 120))
    plan = small_plan(brief=Brief(crs=code), boundary=ring, control=(), marks=(), setups=(), flights=())
    text = write(plan)
    again = read_boundary(text.encode(), "", plan.grid, "m")
    ours = sorted(ring)
    for (a, b), (c, d) in zip(ours, sorted(again.ring), strict=True):
        assert abs(a - c) < 1e-4 and abs(b - d) < 1e-4


def test_longitude_and_latitude_in_files_are_on_wgs_84_whatever_the_grids_datum():
    """A datum that lies some hundred metres off: its own coordinates are not what a file of WGS 84 may hold."""
    ring = ((450_000.0, 300_000.0), (450_200.0, 300_000.0), (450_200.0, 300_120.0))
    plan = small_plan(brief=Brief(crs="EPSG:27700"), boundary=ring, control=(), marks=(), setups=(), flights=())
    data = json.loads(control_geojson(plan))
    own = [float(v) for v in plan.grid.to_geodetic(*ring[0])]
    written = data["features"][0]["geometry"]["coordinates"][0][0]
    metres = np.hypot((written[0] - own[0]) * 111_320 * np.cos(np.radians(own[1])), (written[1] - own[1]) * 111_320)
    assert 80 < metres < 200
    assert "good to 2 m" in data["datum"] and "needs a grid file that is not on this machine" in data["datum"]


def test_how_a_boundary_came_to_the_grid_is_named_with_its_accuracy():
    plain = read_boundary(geojson(), "a.geojson", GRID, "m").how
    assert any("ETRS89 to WGS 84 (1)" in line and "good to 1 m" in line for line in plain)
    same = read_boundary(geojson(), "a.geojson", grid("EPSG:32628", "EPSG:5773"), "m").how
    assert not any("good to" in line for line in same)


def test_a_boundary_by_an_approximate_transformation_has_to_be_accepted():
    """In a grid of an old datum, while the grid file that leads there well is not on this machine."""
    british = grid("EPSG:27700", "EPSG:5773")
    ring = [(530_000.0, 180_000.0), (530_200.0, 180_000.0), (530_200.0, 180_150.0)]
    world = np.transpose(british.to_world(*np.array([*ring, ring[0]]).T)).tolist()
    data = json.dumps({"type": "Polygon", "coordinates": [world]}).encode()
    found = read_boundary(data, "a.geojson", british, "m")
    assert "good to 2 m" in found.approximate and "needs a grid file" in found.approximate
    assert not read_boundary(geojson(), "a.geojson", GRID, "m").approximate  # the best that anybody has


@pytest.mark.parametrize("name", ["EPSG:4978", "EPSG:5773"])
def test_a_boundary_in_a_system_that_no_map_is_in_is_refused(name):
    data = geojson(crs={"type": "name", "properties": {"name": name}})
    with pytest.raises(KardoError, match="coordinate system"):
        read_boundary(data, "a.geojson", GRID, "m")
