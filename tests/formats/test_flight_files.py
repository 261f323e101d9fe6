"""Flights as files: read back by other software's readers, nothing moves by more than a tenth of a millimetre; the card
fits a page."""

import csv
import io
import json
import re
import tempfile
from pathlib import Path
from xml.etree import ElementTree

import ezdxf
import numpy as np
import pyogrio
import pypdfium2
import pytest
import shapely

from kardo.core.errors import PlanError, ReadError
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.flight.lines.waypoints import BEND, waypoints
from kardo.core.geodesy.transformations import WGS84
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.brief import Brief
from kardo.core.plan.site import Ground, terrain_of
from kardo.core.terrain.surface import Surface
from kardo.demo import demo_plan
from kardo.formats.documents import pdf
from kardo.formats.files import PLAN_FILES
from kardo.formats.flight_card import flight_card_html
from kardo.formats.lists import waypoints_csv
from kardo.formats.map.dxf import flight_dxf
from kardo.formats.map.geojson import flight_geojson
from kardo.formats.map.geopackage import flight_geopackage
from kardo.formats.map.kml import flight_kml
from tests.conftest import E0, MAIN, N0, small_plan

PLAN = small_plan(flight={"oblique_lines": 1, "cross_lines": 1})
(FLOWN,) = all_flown(PLAN)


def hilly():
    e, n = np.meshgrid(-300 + 5.0 * np.arange(160), -300 + 5.0 * np.arange(144))
    surface = Surface(E0 - 300, N0 - 300, 5.0, 20 + 12 * np.sin(n / 30) + 0.05 * e)
    plan = small_plan(flight={"terrain_following": True})
    return plan.model_copy(
        update={"site": plan.site.model_copy(update={"ground": Ground(terrain=terrain_of(surface, "t"))})}
    )


def test_geojson_has_every_strip_and_exposure_where_it_is_flown():
    features = json.loads(flight_geojson(PLAN))["features"]
    points = [f for f in features if f["properties"]["kind"] == "exposure"]
    lon, lat, up = np.array([f["geometry"]["coordinates"] for f in points]).T
    e, n = PLAN.grid.from_other(PLAN.grid.way_to(WGS84, float(lon[0]), float(lat[0])), lon, lat)
    assert np.abs(e - FLOWN.e).max() < 1e-4 and np.abs(n - FLOWN.n).max() < 1e-4
    assert np.abs(up - PLAN.grid.separation(FLOWN.e, FLOWN.n) - FLOWN.h).max() < 0.001
    assert [f["properties"]["number"] for f in points] == list(range(1, len(FLOWN.e) + 1))
    strips = [f for f in features if f["properties"]["kind"] == "flight_line"]
    assert len(strips) == len(FLOWN.strips) and all(len(f["geometry"]["coordinates"]) >= 2 for f in strips)


def test_geopackage_and_drawing_are_in_the_jobs_grid_with_heights():
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "f.gpkg"
        path.write_bytes(flight_geopackage(PLAN))
        assert sorted(pyogrio.list_layers(path)[:, 0]) == ["exposures", "flight_lines"]
        meta, _, shapes, _ = pyogrio.raw.read(path, layer="exposures")
    places = shapely.get_coordinates(shapely.from_wkb(shapes), include_z=True)
    assert np.abs(places - np.stack([FLOWN.e, FLOWN.n, FLOWN.h], axis=1)).max() < 1e-6 and "25828" in meta["crs"]
    feet = small_plan(brief=Brief(crs="EPSG:25828", unit="us-ft"))
    drawn = ezdxf.read(io.StringIO(flight_dxf(feet))).modelspace()
    points = np.array([tuple(p.dxf.location) for p in drawn.query("POINT")]) * float(UNITS["us-ft"].metres)
    (flown,) = all_flown(feet)
    assert np.abs(points - np.stack([flown.e, flown.n, flown.h], axis=1)).max() < 1e-4
    assert len(drawn.query("POLYLINE")) == len(flown.strips)


def test_kml_heights_are_above_the_sea_or_above_the_ground_and_say_which():
    at = {"k": "http://www.opengis.net/kml/2.2"}
    for heights, mode in (("EPSG:5773", "absolute"), ("ellipsoidal", "relativeToGround")):
        plan = small_plan(brief=Brief(crs="EPSG:25828", heights=heights))
        tree = ElementTree.fromstring(flight_kml(plan))
        assert {m.text for m in tree.iterfind(".//k:altitudeMode", at)} == {mode}
        first = tree.find(".//k:coordinates", at).text.split()[0].split(",")
        (flown,) = all_flown(plan)
        way = waypoints(plan, flown)
        assert float(first[2]) == pytest.approx(way.h[0] if mode == "absolute" else way.above_ground[0], abs=0.006)


def test_waypoints_keep_to_the_exposures_heights_and_no_more_than_are_needed():
    plan = hilly()
    (flown,) = all_flown(plan)
    way = waypoints(plan, flown)
    assert 2 * len(flown.strips) < len(way.e) < len(flown.e), "hills bend the lines, and not at every exposure"
    for k in np.unique(way.strip):
        own, on = way.strip == k, flown.strip == k - 1
        along = np.hypot(flown.e[on] - flown.e[on][0], flown.n[on] - flown.n[on][0])
        at = np.hypot(way.e[own] - flown.e[on][0], way.n[own] - flown.n[on][0])
        assert at[0] == 0 and at[-1] == pytest.approx(along[-1])
        assert np.abs(np.interp(along, at, way.h[own]) - flown.h[on]).max() <= BEND + 1e-6
    level = waypoints(PLAN, FLOWN)
    assert [int((level.strip == k).sum()) >= 2 for k in np.unique(level.strip)] == [True] * len(FLOWN.strips)
    assert (way.taking[np.r_[way.strip[1:] != way.strip[:-1], True]] == 0).all()


def test_the_list_of_waypoints_says_its_units_and_no_name_is_a_formula():
    flight = MAIN.model_copy(update={"name": "=1+1"})
    rows = list(
        csv.DictReader(
            io.StringIO(waypoints_csv(small_plan(flights=(flight,), brief=Brief(crs="EPSG:25828", unit="ft"))))
        )
    )
    assert {"E_ft", "above_ground_m", "speed_m_per_s", "course_deg"} <= set(rows[0])
    assert rows[0]["flight"] == "'=1+1" and float(rows[0]["E_ft"]) * 0.3048 == pytest.approx(FLOWN.e[0], abs=50)
    assert rows[0]["images"] == "on" and float(rows[0]["above_ground_m"]) == pytest.approx(80.0, abs=3.0)


def test_the_card_is_one_page_a_flight_with_the_figures_that_are_typed():
    two = small_plan(flights=(MAIN, MAIN.model_copy(update={"id": "second", "name": "second <flight>"})))
    pages = pypdfium2.PdfDocument(pdf(flight_card_html(two)))
    assert len(pages) == 2
    text = pages[0].get_textpage().get_text_bounded().replace("\u202f", " ")
    flown, _ = all_flown(two)
    assert f"{flown.trigger_distance:.2f} m" in text and f"{flown.trigger_distance / 0.3048:.2f} ft" in text
    assert f"{len(flown.e)} / {len(flown.strips)}" in text and "does not authorise" in text
    assert re.search(r"80\.0 m\b", text) and "second <flight>" in pages[1].get_textpage().get_text_bounded().replace(
        "\u202f", " "
    )
    with pytest.raises(ReadError, match="no such flight"):
        flight_card_html(two, "third")


@pytest.mark.parametrize("name", [n for n in PLAN_FILES if n.startswith("flight.")])
def test_a_plan_without_a_flight_says_so(name):
    with pytest.raises(PlanError, match="no flight"):
        PLAN_FILES[name].write(small_plan(flights=()))


@pytest.mark.parametrize("paper", ["A4", "Letter"])
@pytest.mark.parametrize("demo", ["sallow-bank", "hask-quarry", "tarn-wood"])
def test_each_flight_of_the_demos_is_one_page_with_its_legs_and_corrections(demo, paper):
    plan = demo_plan(demo)
    pages = pypdfium2.PdfDocument(pdf(flight_card_html(plan), paper=paper))
    assert len(pages) == len(plan.flights)
    text = " ".join(pages[0].get_textpage().get_text_bounded().split())
    flown, *_ = all_flown(plan)
    for sortie in flown.sorties:  # where each begins, as whole metres
        e, n = flown.strips[sortie.first_strip].start
        assert f"{e:.0f} {n:.0f}" in text
    assert "planned in wind from" in text and ("from the base" in text or "from the service" in text)
