"""The grids and height systems that are meant for a place, what makes a grid unfit for one, and lengths on the
ground."""

import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyproj import CRS, Geod, Proj

from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.errors import GeodesyError
from kardo.core.flight.lines.areas import area_polygon, ground_scale
from kardo.core.flight.lines.pattern import flown
from kardo.core.geodesy.crs import ELLIPSOIDAL, Grid, grid
from kardo.core.geodesy.fit import fit_at
from kardo.core.geodesy.systems import better_grids, grids_at, heights_at, how_to_bring, search
from kardo.core.plan.brief import Brief
from kardo.core.plan.site import Area
from kardo.core.presentation.summary import summary
from tests.conftest import small_plan

CORVANE = (-13.4, 46.3)


def codes(offers):
    return [offer.code for offer in offers]


def test_the_island_is_offered_its_own_grid_before_the_worlds():
    assert codes(grids_at(*CORVANE))[:2] == ["EPSG:25828", "EPSG:32628"]


@pytest.mark.parametrize(
    ("lon", "lat", "first", "not_before"),
    [
        (-0.1, 51.5, "EPSG:27700", "EPSG:32630"),  # a national grid of the old kind before the continent's
        (11.5, 48.1, "EPSG:10732", "EPSG:5678"),  # a country's new datum before its old one
        (151.2, -33.8, "EPSG:7856", "EPSG:28356"),  # the newer realisation
        (2.3, 48.8, "EPSG:9848", "EPSG:9849"),  # of two narrow zones the one nearer to true scale
        (2.3, 48.8, "EPSG:9848", "EPSG:2154"),  # and both before the one of the whole country
    ],
)
def test_national_grids_come_first_the_newest_of_them(lon, lat, first, not_before):
    found = codes(grids_at(lon, lat))
    assert found[0] == first and found.index(not_before) > 0


def test_the_wanted_unit_comes_first():
    feet, metres = grids_at(-72.6, 44.2, "us-ft"), grids_at(-72.6, 44.2, "m")
    assert feet[0].code == "EPSG:6590" and feet[0].unit == "us-ft" and "US survey feet" in feet[0].words
    assert metres[0].code == "EPSG:6589" and metres[0].unit == "m"


@settings(max_examples=15, deadline=None)
@given(st.floats(-180, 180), st.floats(-80, 80))
def test_what_is_offered_fits_the_ground(lon, lat):
    """Within a part in two hundred, alike in all directions, counting east and north."""
    for offer in grids_at(lon, lat):
        fit = fit_at(offer.code, lon, lat)
        assert not fit.fault and abs(fit.scale - 1) < 0.005 and not fit.mirrored
        assert "west" not in {a.direction for a in CRS(offer.code).axis_info}


def test_a_place_that_is_none_is_refused():
    with pytest.raises(GeodesyError, match="no place"):
        grids_at(190.0, 46.0)


def test_height_systems_of_a_place_say_what_is_missing_and_how_to_bring_it():
    found = heights_at(-72.6, 44.2, "United States (USA) - here")
    by_code = {h.code: h for h in found}
    assert codes(found)[:2] == ["EPSG:5773", ELLIPSOIDAL] and all(h.missing for h in found[2:])
    assert "us_noaa_g2018u0.tif" in by_code["EPSG:5703"].missing
    assert by_code["EPSG:6360"].missing  # the same in survey feet
    assert codes(found).index("EPSG:5703") < codes(found).index("EPSG:6647")  # the country's before its neighbour's


def test_depths_and_levels_of_the_sea_are_no_heights():
    assert not {"EPSG:5715", "EPSG:5861", "EPSG:5866"} & set(codes(heights_at(*CORVANE)))
    assert "downwards" in how_to_bring("EPSG:6357")
    with pytest.raises(GeodesyError, match="downwards"):
        Grid("EPSG:25828", "EPSG:6357")


def test_places_and_searches_are_answered_at_once():
    started = time.perf_counter()
    grids_at(20.0, 60.0)
    heights_at(20.0, 60.0)
    search("height", "vertical")
    assert time.perf_counter() - started < 5


@pytest.mark.parametrize("code", ["EPSG:25828", "EPSG:32628", "EPSG:3034"])
def test_the_scale_is_the_projections_own(code):
    """Against PROJ's factors, of conformal grids."""
    crs = CRS(code)
    fit = fit_at(code, *CORVANE)
    assert fit.scale == pytest.approx(Proj(crs).get_factors(*CORVANE).meridional_scale, rel=1e-7)
    assert fit.stretch < 1e-6


@pytest.mark.parametrize(
    ("code", "lon", "lat", "words"),
    [
        ("EPSG:3857", -13.4, 46.3, "longer than they are here"),  # a web map
        ("EPSG:3857", -13.4, 0.5, "does not keep angles"),  # at the equator too: it is drawn on a sphere
        ("EPSG:3035", 10.0, 60.0, "does not keep angles"),  # equal area
        ("EPSG:4087", -13.4, 46.3, "longer"),
        ("EPSG:32628", -13.4, 46.3, ""),
        ("EPSG:3031", 40.0, -71.0, ""),  # about the pole, where both axes point north
        ("EPSG:5041", 40.0, 84.0, ""),
        ("EPSG:2154", 8.9, 42.0, ""),
    ],
)
def test_what_makes_a_grid_unfit(code, lon, lat, words):
    assert words in fit_at(code, lon, lat).fault and bool(words) == bool(fit_at(code, lon, lat).fault)


@pytest.mark.parametrize("code", ["EPSG:2048", "EPSG:5513"])
def test_a_grid_that_counts_backwards_is_refused_with_better_ones(code):
    with pytest.raises(GeodesyError, match="towards south or west") as fault:
        Grid(code, ELLIPSOIDAL)
    assert "EPSG:" in fault.value.mend


def on_web_map():
    """The small site on a web map's grid."""
    lon, lat = grid("EPSG:25828", "EPSG:5773").to_geodetic(*np.array(small_plan().site.boundary).T)
    ring = np.transpose(grid("EPSG:3857", "EPSG:5773").from_geodetic(lon, lat))
    return small_plan(brief=Brief(crs="EPSG:3857"), boundary=tuple((float(e), float(n)) for e, n in ring))


def test_a_plan_on_a_web_map_is_not_predicted_and_is_offered_better_grids():
    plan = on_web_map()
    (station, words), *_ = missing(plan)
    assert station == "brief" and "44.7 % longer" in words and "EPSG:25828" in words
    fault = summary(plan).faults["fit"]
    assert "EPSG:25828" in fault.mend
    assert not missing(small_plan())


def test_areas_are_those_on_the_ground():
    plan = small_plan(
        areas=(Area(id="heap", name="heap", ring=((622_950, 5_128_320), (623_000, 5_128_320), (623_000, 5_128_390))),)
    )
    lon, lat = plan.grid.to_geodetic(*np.array(plan.site.boundary).T)
    h = float(plan.surface.at(623_000.0, 5_128_360.0)) + float(plan.grid.separation(623_000.0, 5_128_360.0))
    on_ellipsoid = abs(Geod(ellps="GRS80").polygon_area_perimeter(lon, lat)[0])
    assert summary(plan).area == pytest.approx(on_ellipsoid * (1 + h / 6.37e6) ** 2, rel=2e-6)
    assert summary(plan).area / (200 * 120) - 1 == pytest.approx(4.4e-4, abs=1e-5)  # not what the grid says
    assert area_polygon(plan.site.areas[0]).area == pytest.approx(1750)


def test_spacing_and_length_of_strips_are_those_on_the_ground():
    """Measured in the local frame between exposures, against what the camera's overlap asks for."""
    plan = small_plan(flight={"course_deg": 0.0, "terrain_following": False})
    flight = flown(plan, plan.flights[0])
    geod = Geod(ellps="GRS80")
    lon, lat = plan.grid.to_geodetic(flight.e, flight.n)
    up = 1 + float(plan.surface.at(623_000.0, 5_128_360.0) + plan.grid.separation(623_000.0, 5_128_360.0)) / 6.37e6
    first, last = (next(s for s in flight.strips if s.kind == "main"), flight.strips[-1])
    along = geod.inv(lon[0], lat[0], lon[first.count - 1], lat[first.count - 1])[2] * up
    assert along / (first.count - 1) == pytest.approx(flight.trigger_distance, rel=3e-6)
    middles = [(np.mean([s.start, s.end], axis=0)) for s in (first, last)]
    (lon0, lat0), (lon1, lat1) = (map(float, plan.grid.to_geodetic(*m)) for m in middles)
    across = geod.inv(lon0, lat0, lon1, lat1)[2] * up
    assert across / (len(flight.strips) - 1) == pytest.approx(flight.spacing, rel=1e-5)
    assert ground_scale(plan) == pytest.approx(0.99978, abs=2e-5)


def test_a_files_own_grid_is_offered_first_even_where_many_come_before_it():
    usual = codes(grids_at(-0.1, 51.5))
    assert "EPSG:9300" not in usual[:4] and codes(grids_at(-0.1, 51.5, own="EPSG:9300"))[0] == "EPSG:9300"
    hidden = "EPSG:26918"  # a realisation so old that twelve others come before it
    assert hidden not in codes(grids_at(-72.6, 44.2)) and codes(grids_at(-72.6, 44.2, own=hidden))[0] == hidden
    assert "EPSG:3857" not in codes(grids_at(*CORVANE, own="EPSG:3857")), "unfit all the same"


def test_a_boundary_that_crosses_itself_is_told_where_it_is_and_is_no_fault_of_the_grid():
    ring = small_plan().site.boundary
    plan = small_plan(boundary=(ring[0], ring[2], ring[1], ring[3]))
    assert not any(station == "brief" for station, _ in missing(plan))
    assert "crosses itself" in summary(plan).faults["area"].what


def test_better_grids_are_found_across_the_180th_meridian():
    with pytest.raises(GeodesyError, match="towards south or west") as fault:
        Grid("EPSG:2048", ELLIPSOIDAL)
    assert "EPSG:32734" in fault.value.mend or "EPSG:32733" in fault.value.mend
    assert better_grids(179.5, -17.8) == better_grids(179.5, -17.8) and "EPSG:" in better_grids(-179.5, -17.8)


@pytest.mark.parametrize(
    ("text", "kind", "at", "unit", "first"),
    [
        ("utm32n", "projected", (9.0, 50.0), "m", "UTM zone 32N"),
        ("UTM 32 N", "projected", (9.0, 50.0), "m", "UTM zone 32N"),
        ("utm 13n", "projected", (-104.9, 39.7), "m", "NAD83(2011) / UTM zone 13N"),
        ("state plane colorado central ftus", "projected", (-104.9, 39.7), "us-ft", "NAD83(2011) / Colorado Central (ftUS)"),
        ("Colorado central", "projected", (-104.9, 39.7), "us-ft", "NAD83(2011) / Colorado Central (ftUS)"),
        ("colorado central", "projected", (-104.9, 39.7), "m", "NAD83(2011) / Colorado Central"),
        ("british", "projected", (-1.5, 52.5), "m", "OSGB36 / British National Grid"),
        ("ODN", "vertical", (-1.5, 52.5), "m", "ODN height"),
        ("NAVD88", "vertical", (-104.9, 39.7), "us-ft", "NAVD88 height"),
    ],
)  # fmt: skip
def test_a_search_finds_what_people_write_and_the_places_own_first(text, kind, at, unit, first):
    found = search(text, kind, at=at, unit=unit)
    assert first in found[0].name and len(found) == len({i.code for i in found})
    if kind == "projected":
        assert found[0].unit == unit


def test_a_geoid_that_is_missing_is_that_of_the_place_and_is_brought_in_the_brief():
    (colorado, *_), (mexico, *_) = (
        search("NAVD88 height", "vertical", at=at) for at in ((-104.9, 39.7), (-99.1, 19.4))
    )
    assert colorado.code == mexico.code == "EPSG:5703" and colorado.missing != mexico.missing
    assert (
        "us_noaa_g2018u0.tif" in colorado.missing
        and "geoids of your own" in colorado.missing
        and "/" not in colorado.missing
    )
    assert search("9999999") == [] and search("no such words at all", at=(9.0, 50.0)) == []
    assert all(i.code for i in search("utm 32n", at=(200.0, 95.0))), "a place that is none puts nothing first"
