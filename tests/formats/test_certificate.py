"""A mark as its certificate prints it: every form of its latitude, longitude and height leads to the same place."""

import math

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from kardo.core.errors import KardoError
from kardo.formats.certificate import read_certificate
from kardo.formats.coordinates import read_points
from tests.conftest import E0, N0, small_plan

GRID = small_plan().grid


def sexagesimal(degrees: float, letters: str, form: str) -> str:
    """Degrees as certificates print them, to a hundred-thousandth of a second."""
    parts = round(abs(degrees) * 3600 * 1e5)
    d, m, s = parts // 360_000_000, parts // 6_000_000 % 60, parts % 6_000_000 / 1e5
    return form.format(d=d, m=m, s=s, letter=letters[degrees < 0])


FORMS = [
    "{d}°{m:02d}'{s:08.5f}\"{letter}",
    "{d} {m:02d} {s:08.5f} {letter}",
    "{letter} {d}° {m:02d}' {s:08.5f}\"",
    "{d}:{m:02d}:{s:08.5f}{letter}",
    "{d} {m:02d} {s:08.5f}({letter})",
]
LAYOUTS = [
    ("Latitude: {lat}\nLongitude: {lon}\nEllipsoidal height: 61.232 m", "ellipsoidal"),
    ("LAT {lat}, LON {lon}, ELLIP HT 61.232", "ellipsoidal"),
    ("Station name: Heron 9\nLatitud = {lat}\nLongitud = {lon}\nh (ell) 200.892 US survey feet", "ellipsoidal"),
    (
        "DESIGNATION -  Heron 9\n* NAD 83(2011) POSITION- {lat}   {lon}     ADJUSTED\n"
        "* NAD 83(2011) ELLIP HT-   61.232 (meters)        (06/27/12)   ADJUSTED",
        "ellipsoidal",
    ),
    ("Designation: Heron 9\nBreite {lat}\nLänge {lon}\nHöhe 61,232", ""),
]  # fmt: skip


@pytest.mark.parametrize("form", FORMS)
@pytest.mark.parametrize(("layout", "says"), LAYOUTS)
@given(x=st.floats(-4000, 4000), y=st.floats(-4000, 4000))
def test_every_form_leads_to_the_mark(form, layout, says, x, y):
    e, n = E0 + x, N0 + y
    lon, lat = map(float, GRID.to_geodetic(e, n))
    text = layout.format(lat=sexagesimal(lat, "NS", form), lon=sexagesimal(lon, "EW", form))
    found = read_certificate(text, GRID, "m")
    assert math.hypot(found.e - e, found.n - n) < 0.0005
    assert found.says == says and found.height == pytest.approx(61.232, abs=1e-4)
    separation = float(GRID.separation(e, n))
    assert found.ellipsoidal == pytest.approx(found.height - separation, abs=1e-6)
    assert ("what it is" in " ".join(found.how)) == (not says), "a height that does not say what it is is asked for"
    assert found.name == ("Heron 9" if "Heron" in text else "")
    assert read_certificate(text.replace("\n", "\r\n"), GRID, "m") == found, "as a form sends it"


def test_grid_coordinates_and_bare_rows_are_read_too():
    lon, lat = map(float, GRID.to_geodetic(E0, N0))
    for text in (
        f"Easting {E0:,.3f} m\nNorthing {N0:,.3f} m\nOrthometric height 5.20 m".replace(",", " "),
        f"N = {N0}\nE = {E0}\nh = 5.2",
        f"{lat:.10f} {lon:.10f} 5.2",
        f"{lat:.10f}\n{lon:.10f}\n5.2",
    ):
        found = read_certificate(text, GRID, "m")
        assert (found.e, found.n, found.height) == pytest.approx((E0, N0, 5.2), abs=0.001), text


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("Latitude: 99 N\nLongitude: 13 W", "no latitude"),
        ("Latitude: 46 E\nLongitude: 13 W", "no latitude"),
        ("Latitude: N 46\nLongitude: rubbish", "not an angle"),
        ("Latitude: 46.3 N\nLongitude: 13.4 W\nHeight: high", "not a length"),
        ("Latitude: 10 N\nLongitude: 100 E", "area"),
        ("1 2 3\n4 5 6", "outside the area of"),
        ("x" * 5000, "longer than"),
        ("", "nothing to read"),
    ],
)
def test_what_cannot_be_read_says_so(text, what):
    with pytest.raises(KardoError, match=what):
        read_certificate(text, GRID, "m")


@given(st.text(max_size=300) | st.text("latonhegipsdm:= \n\t0123456789.,°'\"NSEW-", max_size=300))
@example("lat lat lat\nlon lon")
def test_no_text_does_harm(text):
    try:
        found = read_certificate(text, GRID, "m")
    except KardoError:
        return
    assert math.isfinite(found.e) and math.isfinite(found.n)


def test_columns_of_a_list_that_are_not_taken_are_named():
    how = read_points(f"name,E,N,H,class,stability\nA,{E0},{N0},5.2,1,good", GRID, "m").how
    assert "Not taken: class, stability." in how
    assert not any("Not taken" in line for line in read_points(f"name,E,N,H\nA,{E0},{N0},5.2", GRID, "m").how)
