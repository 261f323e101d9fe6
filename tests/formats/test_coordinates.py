"""Coordinate lists as people paste them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kardo.core.errors import GeodesyError, KardoError, ReadError
from kardo.core.geodesy.angles import format_dms
from kardo.core.geodesy.crs import grid
from kardo.formats.coordinates import read_points

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
        read_points("\n".join(f"P{k} 623100 5128400" for k in range(2500)), GRID, "m")
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
