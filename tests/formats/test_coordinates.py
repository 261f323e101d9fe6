"""Coordinate lists as people paste them."""

import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kardo.core.errors import GeodesyError, KardoError, ReadError
from kardo.core.geodesy.angles import format_dms
from kardo.core.geodesy.crs import ELLIPSOIDAL, grid
from kardo.formats.coordinates import read_places, read_points

GRID = grid("EPSG:25828", "EPSG:5773")
E, N = 623_100.25, 5_128_400.5


@pytest.mark.parametrize(
    "text",
    [
        "P1,623100.25,5128400.5,3.2,GCP\nP2,623200,5128500,4,CHK",
        "P1;623100,25;5128400,5;3,2;GCP\nP2;623200;5128500;4;CHK",
        "P1\t623100.25\t5128400.5\t3.2\tGCP\nP2\t623200\t5128500\t4\tCHK",
        "P1 623100.25 5128400.5 3.2 GCP\nP2 623200 5128500 4 CHK",
        "point,N,E,Z,code\nP1,5128400.5,623100.25,3.2,GCP\nP2,5128500,623200,4,CHK",
        "code;name;Easting [m];Northing [m];height\nGCP;P1;623100.25;5128400.5;3.2\nCHK;P2;623200;5128500;4",
        "P1 5128400.5 623100.25 3.2 GCP\nP2 5128500 623200 4 CHK",
        "# a comment\n\nP1, 623100.25, 5128400.5, 3.2, GCP\n",
    ],
)
def test_shapes_of_lists(text):
    first = read_points(text, GRID, "m").points[0]
    assert (first.name, first.code, first.h) == ("P1", "GCP", 3.2)
    assert (first.e, first.n) == (pytest.approx(E), pytest.approx(N))


def test_it_says_how_it_read_them():
    how = " ".join(read_points("5128400.5 623100.25", GRID, "m").how)
    assert "spaces" in how and "No header" in how and "northing" in how


@given(st.floats(622_000, 624_500), st.floats(5_127_000, 5_130_000))
def test_degrees_minutes_seconds_and_decimals_give_the_same_place(e, n):
    lon, lat = (float(v) for v in GRID.to_geodetic(e, n))
    lists = (
        f"{lat:.11f}, {lon:.11f}",
        f"{format_dms(abs(lat), 7)}N, {format_dms(abs(lon), 7)}W",
        f"{format_dms(abs(lon), 7)}W\t{format_dms(abs(lat), 7)}N",
        f"lon;lat\n{lon:.11f};{lat:.11f}",
    )
    for text in lists:
        p = read_points(text, GRID, "m").points[0]
        assert abs(p.e - e) < 1e-4 and abs(p.n - n) < 1e-4


def test_grid_coordinates_are_in_the_jobs_unit():
    feet = read_points(f"{E / 0.3048:.5f} {N / 0.3048:.5f} 10", GRID, "ft").points[0]
    assert feet.e == pytest.approx(E, abs=1e-5) and feet.h == pytest.approx(3.048)


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ("", ""),
        ("E,N\n", ""),
        ("P1,623100,north", "line 1"),
        ("E,N\n623100,5128400\n623100,x", "line 3"),
        ("a,b,c\nd,e,f", "line 1"),
        ("623100", "line 1"),
        ("name,E,N,h\nP1,623100,5128400,tall", "line 2"),
        ("lat,lon\n95,10", "line 2"),
        ("46 60 00,13 24 00 W", ""),
    ],
)
def test_faults_name_the_line(text, where):
    with pytest.raises(KardoError) as caught:
        read_points(text, GRID, "m")
    assert where in str(caught.value)


def test_limits():
    with pytest.raises(ReadError, match="rows"):
        read_points("\n".join(f"P{k} 623100 5128400" for k in range(6500)), GRID, "m")
    with pytest.raises(ReadError, match="megabyte"):
        read_points("x" * 1_100_000, GRID, "m")


def test_coordinates_of_another_zone_are_refused():
    with pytest.raises(GeodesyError, match="outside the area"):
        read_points("323100.0 9128400.0", GRID, "m")


def test_reading_keeps_every_row():
    rows = "\n".join(f"P{k},{E + k},{N - k}" for k in range(300))
    points = read_points(rows, GRID, "m").points
    assert np.allclose([p.e for p in points], E + np.arange(300))


@pytest.mark.parametrize("number", ["nan", "inf", "-inf", "1e308", "NaN"])
@pytest.mark.parametrize("line", ["P1 {} 5128400", "P1 623100 {}", "P1 623100 5128400 {}", "{} 5128400"])
def test_numbers_that_are_none_are_refused_with_their_line(number, line):
    text = (
        f"P0 623100 5128400 3\n{line.format(number)} x"
        if line.startswith("P1")
        else f"623100 5128400\n{line.format(number)}"
    )
    with pytest.raises(ReadError) as caught:
        read_points(text.removesuffix(" x"), GRID, "m")
    assert caught.value.where == "line 2"


def test_a_numbered_list_without_header_or_height():
    first = read_points("1 623100.25 5128400.5\n2 623200 5128500", GRID, "m").points[0]
    assert (first.name, first.e, first.n, first.h) == ("1", E, N, None)
    swapped = read_points("7 5128400.5 623100.25", GRID, "m").points[0]
    assert (swapped.name, swapped.e, swapped.n) == ("7", E, N)
    with_height = read_points("623100.25 5128400.5 3.2", GRID, "m").points[0]
    assert (with_height.name, with_height.h) == ("", 3.2)


@pytest.mark.parametrize(
    "head", ["Punkt-Nr.", "Pkt", "Nr", "Nom", "Numéro", "Punto", "Nombre", "Point ID", "Bezeichnung"]
)
def test_a_column_of_names_is_known_in_other_languages_too(head):
    found = read_points(f"{head};Rechtswert;Hochwert;H\nA7;623100.25;5128400.5;3.2\n12;623200;5128500;4\n", GRID, "m")
    assert [(p.name, p.e, p.n) for p in found.points] == [("A7", E, N), ("12", 623200.0, 5128500.0)]


PLACES = st.tuples(st.floats(622_000, 624_500), st.floats(5_127_000, 5_130_000))
NAMES = st.sampled_from(["P1", "N1", "E1", "W1", "12E", "S 3".replace(" ", ""), "7", "101", "O2", "a.b", "46N"])
GRID_HABITS = [
    "{name},{e:.4f},{n:.4f}",
    "{name};{n:.4f};{e:.4f};{h:.3f}",
    "{name}\t{e:.4f}\t{n:.4f}\t{h:.3f}\tGCP",
    "{name} {e:.4f} {n:.4f} {h:.3f}",
    "{e:.4f} {n:.4f}",
    "{n:.4f} {e:.4f} {h:.3f}",
    "name,N,E,Z\n{name},{n:.4f},{e:.4f},{h:.3f}",
    "E [m];N [m];name\n{e:.4f};{n:.4f};{name}",
    "X,Y,Z (ft)\n{e:.4f},{n:.4f},{h:.3f}",
]
DEGREE_HABITS = ["{name} {lat} {lon}", "{name},{lat},{lon}", "{name}\t{lon}\t{lat}", "{lat};{lon}"]


@given(PLACES, NAMES, st.sampled_from(GRID_HABITS), st.booleans())
def test_any_grid_habit_is_read_back_or_asked_about_and_never_to_another_place(at, name, habit, comma):
    e, n = at
    text = habit.format(name=name, e=e, n=n, h=3.2)
    if comma and "," not in habit:
        text = text.replace(".", ",") if "a.b" not in text else text
    reading = read_points(text, GRID, "m", at)
    told = reading.points[0]
    assert reading.options or (abs(told.e - e) < 1e-3 and abs(told.n - n) < 1e-3), reading.how
    if "name" in habit and not reading.options:
        assert told.name == name
    if "(ft)" in habit:
        assert told.h == pytest.approx(3.2 * 0.3048)


def written(degrees, positive, negative, shape):
    """An angle in one of the habits, with the letter of its hemisphere behind, before or as a sign."""
    letter = negative if degrees < 0 else positive
    total = round(abs(degrees) * 3600 * 1e6)
    d, rest = divmod(total, 3600 * 10**6)
    m, s = divmod(rest, 60 * 10**6)
    seconds = f"{s // 10**6:02d}.{s % 10**6:06d}"
    return {
        "marks": f"{d}°{m:02d}'{seconds}\"{letter}",
        "curly": f"{d}º{m:02d}’{seconds}”{letter}",
        "spaces": f"{d} {m:02d} {seconds} {letter}",
        "before": f"{letter} {d} {m:02d} {seconds}",
        "comma": f"{d}°{m:02d}'{seconds.replace('.', ',')}\"{letter}",
        "sign": f"{'-' if degrees < 0 else ''}{d} {m:02d} {seconds}",
        "decimal": f"{degrees:.10f}",
    }[shape]


SHAPES = ["marks", "curly", "spaces", "before", "comma", "sign", "decimal"]


@given(PLACES, NAMES, st.sampled_from(DEGREE_HABITS), st.sampled_from(SHAPES))
def test_any_degree_habit_is_read_back_or_asked_about_and_never_to_another_place(at, name, habit, shape):
    lon, lat = (float(v) for v in GRID.to_geodetic(*at))
    text = habit.format(name=name, lat=written(lat, "N", "S", shape), lon=written(lon, "E", "W", shape))
    try:
        reading = read_points(text, GRID, "m", at)
    except KardoError:
        assert shape == "comma" and "," in habit, "the comma parts columns and decimals at once"
        return
    told = reading.points[0]
    assert reading.options or (abs(told.e - at[0]) < 2e-3 and abs(told.n - at[1]) < 2e-3), reading.how


def test_two_readings_that_fit_are_asked_about_and_the_chosen_one_is_taken():
    square = grid("EPSG:2180", ELLIPSOIDAL)
    reading = read_points("P1 500300 480400", square, "m")
    assert [o.key for o in reading.options] == ["name-e-n-m-m-west", "name-n-e-m-m-west"]
    chosen = read_points("P1 500300 480400", square, "m", None, "name-n-e-m-m-west")
    assert (chosen.points[0].e, chosen.points[0].n) == (480_400, 500_300) and not chosen.options
    by_site = read_points("P1 500300 480400", square, "m", (480_000.0, 500_000.0))
    assert by_site.points[0].e == 480_400 and not by_site.options


@pytest.mark.parametrize(
    ("text", "lat", "lon"),
    [
        ("46 18 22 N 13 24 40 W", 46 + 18 / 60 + 22 / 3600, -(13 + 24 / 60 + 40 / 3600)),
        ("46 18 22.5 N 13 24 40 W", 46 + 18 / 60 + 22.5 / 3600, -(13 + 24 / 60 + 40 / 3600)),
        ("46 18 22,5 N 13 24 40,25 W", 46 + 18 / 60 + 22.5 / 3600, -(13 + 24 / 60 + 40.25 / 3600)),
        ("46 18.5 N 13 24.7 W", 46 + 18.5 / 60, -(13 + 24.7 / 60)),
    ],
)
def test_the_degrees_of_a_place_are_no_name_of_a_point(text, lat, lon):
    """Both angles have as many parts: the first of them is not a point's number with an angle of fewer parts behind
    it."""
    places, _, options = read_places(text)
    assert places == [pytest.approx((lon, lat), abs=1e-9)] and not options


def test_an_x_is_what_the_grid_says_where_only_that_fits():
    """A grid whose first axis, X, is north."""
    gauss = grid("EPSG:31467", ELLIPSOIDAL)
    north_first = read_points("X;Y\n5540400;3500500", gauss, "m")
    assert (north_first.points[0].e, north_first.points[0].n) == (3_500_500, 5_540_400)
    assert "northing, easting" in " ".join(north_first.how)
    assert read_points("X;Y\n3500500;5540400", gauss, "m").points[0].e == 3_500_500


def test_feet_against_the_grids_own_feet_are_asked_about():
    survey = grid("EPSG:2230", ELLIPSOIDAL)
    reading = read_points("P1 6397500.0 1968500.0", survey, "ft")
    assert len(reading.options) == 2
    assert any("US survey feet" in o.words for o in reading.options)
    assert not read_points("P1 6397500.0 1968500.0", survey, "us-ft").options
    assert len(read_points("E (ft),N (ft)\n6397500.0,1968500.0", survey, "us-ft").options) == 2
    assert not read_points("E (usft),N (usft)\n6397500.0,1968500.0", survey, "ft").options


def test_an_o_is_west_or_east_by_the_site_or_by_asking():
    text = "P1 46 17 52.1 N 13 24 4.5 O"
    assert read_points(text, GRID, "m").points[0].e == pytest.approx(623_128, abs=2)
    world = grid("EPSG:3857", ELLIPSOIDAL)
    asked = read_points(text, world, "m")
    assert [o.key.rpartition("-")[2] for o in asked.options] == ["west", "east"]
    assert read_points(text, world, "m", None, asked.options[1].key).points[0].e > 0 > asked.points[0].e


def test_commas_as_decimals_and_columns_at_once_are_refused():
    with pytest.raises(KardoError):
        read_points("P1,623100,25,5128400,5", GRID, "m")


def test_a_list_of_two_thousand_points_is_read_within_a_second():
    started = time.process_time()
    read_points("\n".join(f"P{k} {E + k / 10:.3f} {N + k / 10:.3f} 3.2" for k in range(2000)), GRID, "m")
    assert time.process_time() - started < 1
