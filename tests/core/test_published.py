"""Published coordinates in other grids and heights, against PROJ; and what changed between two versions."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Transformer

from kardo.core.errors import GeodesyError
from kardo.core.geodesy.crs import grid
from kardo.core.plan.published import Published, brought, step_between
from tests.conftest import E0, N0

GRID = grid("EPSG:25828", "EPSG:5773")
FIELDS = {"crs": "EPSG:25828", "heights": "EPSG:5773", "e": E0, "n": N0, "h": 5.0, "circle_95": 0.02, "height_95": 0.03}


def published(**more):
    return Published(**{**FIELDS, **more})


def test_what_is_in_the_jobs_own_grid_is_not_touched():
    there = brought(published(), GRID)
    assert (there.e, there.n, there.h, there.accuracy, there.words) == (E0, N0, 5.0, 0.0, [])


@pytest.mark.parametrize("code", ["EPSG:3035", "EPSG:3034"])
def test_another_projection_of_the_same_datum_is_exact(code):
    e, n = Transformer.from_crs("EPSG:25828", code, always_xy=True).transform(E0, N0)
    there = brought(published(crs=code, e=e, n=n), GRID)
    assert there.accuracy == 0.0
    # PROJ's own way back from the equal-area projection is half a millimetre short, by its series of the authalic
    # latitude
    assert (there.e, there.n) == pytest.approx((E0, N0), abs=6e-4 if code == "EPSG:3035" else 1e-4)


def test_another_datum_is_named_with_what_it_is_good_to():
    """ED50: some hundred metres off, by the transformation that PROJ takes for this place."""
    there = brought(published(crs="EPSG:23028"), GRID)
    assert 50 < math.hypot(there.e - E0, there.n - N0) < 300
    assert there.accuracy is None or there.accuracy >= 1
    assert "ED50" in there.words[0] and ("good to" in there.words[0] or "not known" in there.words[0])
    assert there.h == 5.0, "one height system, whatever the datum"


def test_heights_of_another_system_come_by_the_ellipsoid_they_share():
    ellipsoidal = published(heights="ellipsoidal", h=60.0)
    there = brought(ellipsoidal, GRID)
    assert there.h == pytest.approx(60.0 - float(GRID.separation(E0, N0)), abs=1e-9)
    assert "by the ellipsoid" in there.words[-1]
    on_other = brought(published(crs="EPSG:23028", heights="ellipsoidal"), GRID)
    assert on_other.h is None and "type it" in on_other.words[-1], "two ellipsoids: left open rather than guessed"
    alike = brought(published(crs="EPSG:23028", heights="ellipsoidal", h=60.0), grid("EPSG:25828", "ellipsoidal"))
    assert alike.h is None and "on another datum" in alike.words[-1], "one word, two surfaces some metres apart"


@given(*[st.floats(-3, 3)] * 3)
def test_a_step_between_versions_is_what_the_ground_has(de, dn, dh):
    """Grid metres over the grid's scale, turned to true north: to a tenth of a millimetre over some metres."""
    step = step_between(published(), published(e=E0 + de, n=N0 + dn, h=5.0 + dh))
    convergence, scale = GRID.convergence_and_scale(E0, N0)
    flat = math.hypot(de, dn) / scale
    assert step.horizontal == pytest.approx(flat, abs=1e-4) and step.up == pytest.approx(dh, abs=1e-4)
    east = (de * np.cos(convergence) + dn * np.sin(convergence)) / scale
    assert step.east == pytest.approx(east, abs=1e-4)


def test_a_step_says_when_the_realisation_changed_and_leaves_an_unknown_height_open():
    step = step_between(published(h=None, epoch="2020.0"), published(realisation="ETRF2014", epoch="2027.0"))
    assert step.up is None and step.words == ["Realisation and epoch: 2020.0 became ETRF2014 2027.0."]


def test_what_its_grid_cannot_hold_is_refused():
    for bad in (published(e=9e6), published(crs="EPSG:4326"), published(crs="the local one")):
        with pytest.raises(GeodesyError):
            bad.at()
