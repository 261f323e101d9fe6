"""Units, angles, grids, heights and the local frame, against published figures."""

import math
import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj import get_units_map

from kardo.core.errors import GeodesyError, KardoError, PlanError, ReadError
from kardo.core.geodesy.angles import format_dms, is_sexagesimal, parse_angle
from kardo.core.geodesy.antenna import height_chain, vertical_from_slant
from kardo.core.geodesy.crs import ELLIPSOIDAL, Grid, grid, height_name
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.geodesy.systems import how_to_bring, search
from kardo.core.geodesy.units import UNITS, parse_length
from kardo.core.plan.kit import Antenna

UTM28 = ("EPSG:25828", "EPSG:5773")

LENGTHS = [
    ("1.834 m", 1.834),
    ("183.4cm", 1.834),
    ("1834 mm", 1.834),
    ("6' 0 1/4\"", 6 * 0.3048 + 0.25 * 0.0254),
    ("5' 6\"", 5.5 * 0.3048),
    ("1/4 in", 0.00635),
    ("0.5 km", 500.0),
    ("3 ftUS", 3 * 1200 / 3937),
    ("3 ftInd", 3 * 0.30479841),
    ("-2.5", -2.5),
    ("1,25 m", 1.25),
]


@pytest.mark.parametrize(("text", "metres"), LENGTHS)
def test_lengths_as_people_type_them(text, metres):
    assert parse_length(text) == pytest.approx(metres, abs=1e-12)


@pytest.mark.parametrize("text", ["", "m", "1.8.3", "abc", "5 6", "1/0 in", "6' x", "1 m 2"])
def test_what_is_no_length_is_refused(text):
    with pytest.raises(KardoError):
        parse_length(text)


@given(st.floats(0.001, 9e6), st.sampled_from(sorted(UNITS)))
def test_a_bare_number_is_in_the_jobs_unit(value, unit):
    assert parse_length(f"{value:.6f}", unit) == pytest.approx(round(value, 6) * float(UNITS[unit].metres), rel=1e-12)


def test_the_feet_differ_by_two_and_five_parts_in_a_million():
    assert float(UNITS["us-ft"].metres / UNITS["ft"].metres) - 1 == pytest.approx(2.000004e-6, rel=1e-6)
    assert float(UNITS["ind-ft"].metres / UNITS["ft"].metres) - 1 == pytest.approx(-5.2165e-6, rel=1e-4)


def test_every_unit_is_what_the_epsg_register_has():
    register = {"m": "9001", "ft": "9002", "us-ft": "9003", "ind-ft": "9081"}
    known = {unit.code: unit.conv_factor for unit in get_units_map(auth_name="EPSG").values()}
    assert {key: float(unit.metres) for key, unit in UNITS.items()} == pytest.approx(
        {key: known[code] for key, code in register.items()}, rel=1e-14
    )


@given(st.floats(-180, 180))
def test_degrees_minutes_seconds_come_back(angle):
    assert parse_angle(format_dms(angle)) == pytest.approx(angle, abs=2e-9)


def test_seconds_carry():
    assert format_dms(12.9999999999) == "13°00'00.00000\""


@pytest.mark.parametrize(
    ("text", "degrees"),
    [("46°18'45\"N", 46.3125), ("W 13 24 00", -13.4), ("-13:24:00", -13.4), ("46.3125", 46.3125), ("13°24′S", -13.4)],
)
def test_angles_as_people_write_them(text, degrees):
    assert parse_angle(text) == pytest.approx(degrees, abs=1e-12)


def test_sixty_minutes_are_no_angle():
    with pytest.raises(ReadError, match="60"):
        parse_angle("46 60 00")
    assert is_sexagesimal("46 18 45") and not is_sexagesimal("46.3")


@pytest.mark.parametrize(
    ("lat", "lon", "undulation"),
    [
        (38.6281550, 269.7791550, -31.628),
        (-14.6212170, 305.0211140, -2.969),
        (46.8743190, 102.4487290, -43.575),
        (-23.6174460, 133.8747120, 15.871),
        (38.6254730, 359.9995000, 50.066),
        (-0.4667440, 0.0023000, 17.329),
    ],
)
def test_egm96_undulations(lat, lon, undulation):
    """The test points published with the EGM96 interpolation program (NIMA); a bilinear 15' grid comes within 0.4 m."""
    world = Grid("EPSG:3857", "EPSG:5773")
    e, n = world.from_geodetic((lon + 180) % 360 - 180, lat)
    assert float(world.separation(e, n)) == pytest.approx(undulation, abs=0.4)


def test_topocentric_frame_of_the_guidance_note():
    """IOGP Guidance Note 7-2, example of method 9837: U -189013.869, V -128642.040, W -4220.171."""
    wgs84 = Grid("EPSG:32631", ELLIPSOIDAL)
    e0, n0 = wgs84.from_geodetic(5.0, 55.0)
    frame = LocalFrame(wgs84, float(e0), float(n0), 200.0)
    e, n = wgs84.from_geodetic(parse_angle("2°07'46.38\"E"), parse_angle("53°48'33.82\"N"))
    enu = frame.to_enu(np.array([float(e)]), np.array([float(n)]), np.array([73.0]))[0]
    assert enu == pytest.approx([-189013.869, -128642.040, -4220.171], abs=0.01)


@given(st.floats(-3000, 3000), st.floats(-3000, 3000), st.floats(-50, 400))
def test_frame_and_grid_are_inverse(de, dn, h):
    g = grid(*UTM28)
    frame = LocalFrame(g, 623_200.0, 5_128_500.0, 3.0)
    there = np.array([623_200.0 + de]), np.array([5_128_500.0 + dn]), np.array([h])
    e, n, back = frame.from_enu(frame.to_enu(*there))
    assert abs(e[0] - there[0][0]) < 1e-5 and abs(n[0] - there[1][0]) < 1e-5 and abs(back[0] - h) < 1e-5


def test_grid_distance_is_ground_distance_times_the_combined_factor():
    g = grid(*UTM28)
    frame = LocalFrame(g, 623_200.0, 5_128_500.0, 3.0)
    ground = np.linalg.norm(frame.to_enu(np.array([623_300.0]), np.array([5_128_500.0]), np.array([3.0]))[0])
    assert 100.0 / ground == pytest.approx(g.combined_factor(623_250.0, 5_128_500.0, 3.0), abs=2e-7)


def test_a_grid_in_feet_is_kept_in_metres():
    """A State Plane zone in US survey feet: the same place, metres inside."""
    feet, metres = Grid("EPSG:2263", ELLIPSOIDAL), Grid("EPSG:32118", ELLIPSOIDAL)
    for lon, lat in ((-74.0, 40.7), (-73.5, 40.9)):
        assert np.allclose(feet.from_geodetic(lon, lat), metres.from_geodetic(lon, lat), atol=1e-3)
    assert feet.metres_per_unit == pytest.approx(1200 / 3937)


def test_coordinates_outside_the_area_are_refused_by_number():
    with pytest.raises(GeodesyError, match="Point 2"):
        grid(*UTM28).require_inside(np.array([623_000.0, 5_128_000.0]), np.array([5_128_000.0, 623_000.0]), "list")


@pytest.mark.parametrize(
    ("code", "heights"), [("EPSG:4326", ELLIPSOIDAL), ("nonsense", ELLIPSOIDAL), ("EPSG:25828", "EPSG:25828")]
)
def test_systems_that_are_not_what_is_needed(code, heights):
    with pytest.raises(GeodesyError):
        Grid(code, heights)


def test_a_geoid_that_is_not_here_is_an_error_never_zero():
    with pytest.raises(GeodesyError, match="cannot be reached"):
        Grid("EPSG:25828", "EPSG:3855").separation(623_000.0, 5_128_000.0)


def test_search_finds_by_words_and_code():
    assert "EPSG:25828" in [c.code for c in search("etrs89 utm 28n")]
    assert search("25828")[0].code == "EPSG:25828"
    assert search("egm96", "vertical")[0].code == "EPSG:5773"
    assert height_name("EPSG:5773") == "EGM96 height"


DISC = Antenna(id="t", name="test", disc_radius=0.165, edge_above_arp=0.035, apc_above_arp=0.091)


def test_slant_height_by_hand():
    """sqrt(1.872^2 - 0.165^2) - 0.035, worked with a pocket calculator."""
    assert vertical_from_slant(1.872, DISC) == pytest.approx(1.829714, abs=1e-6)


@given(st.floats(0.3, 3.0))
def test_slant_and_vertical_are_inverse(vertical):
    slant = math.hypot(vertical + DISC.edge_above_arp, DISC.disc_radius)
    assert vertical_from_slant(slant, DISC) == pytest.approx(vertical, abs=1e-12)


def test_slant_shorter_than_the_disc():
    with pytest.raises(PlanError, match="shorter"):
        vertical_from_slant(0.1, DISC)


def test_height_chain_adds_up():
    verticals = tuple(vertical_from_slant(s, DISC) for s in (1.872, 1.874))
    chain = height_chain("EGM96 height", 3.233, 55.112, verticals, DISC)
    assert chain.apc_ellipsoidal == pytest.approx(3.233 + 55.112 + chain.arp_above_mark + 0.091)
    assert chain.arp == pytest.approx(chain.apc - 0.091)
    assert chain.spread == pytest.approx(0.002, abs=2e-5)
    assert height_chain("x", 1.0, 0.0, (2.0,), DISC).arp == 3.0


def test_a_height_system_whose_geoid_is_not_on_this_machine_is_known_before_it_is_chosen():
    assert not how_to_bring("EPSG:5773")
    assert "us_nga_egm08_25.tif" in how_to_bring("EPSG:3855") and how_to_bring("EPSG:5703")
    with pytest.raises(GeodesyError, match="cannot be reached"):
        grid("EPSG:25828", "EPSG:3855")
    started = time.perf_counter()
    assert any(line.missing for line in search("height", "vertical"))
    assert time.perf_counter() - started < 8  # each file missing is known by name; the machine may be busy


def test_a_system_far_away_is_refused_before_a_way_to_it_is_sought():
    """PROJ takes up to a second to seek one, for every file that names such a system."""
    import time

    from pyproj import CRS

    job, far = grid("EPSG:25828", "EPSG:5773"), CRS(6677)  # Japan's plane IX
    job.way_to(CRS(4326), -13.4, 46.3)
    started = time.process_time()
    with pytest.raises(GeodesyError) as refused:
        job.way_to(far, -7000.0, -36000.0)
    assert "outside the area of ETRS89 / UTM zone 28N" in refused.value.what and refused.value.mend
    assert time.process_time() - started < 0.2
