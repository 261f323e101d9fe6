"""Coverage: figures worked by hand over level ground, a plain count beside the fast one, and what terrain does to
it."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.errors import PlanError
from kardo.core.flight.ground.coverage import FEW, Spread, coverage
from kardo.core.flight.ground.imaging import project
from kardo.core.flight.ground.sight import Sight
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.plan.site import Area, Feature, Ground, LevelGround, terrain_of
from kardo.core.terrain.surface import Surface
from tests.conftest import E0, N0, small_plan

LEVEL = Ground(level=LevelGround(height=5.0))


def on(ground, **flight):
    plan = small_plan(flight=flight)
    return plan.model_copy(update={"site": plan.site.model_copy(update={"ground": ground})})


def terrain(heights, step=5.0):
    e, n = np.meshgrid(-300 + step * np.arange(160), -300 + step * np.arange(144))
    return Ground(terrain=terrain_of(Surface(E0 - 300, N0 - 300, step, heights(e, n).astype(float)), "test"))


def level_overlaps(forward, side, height=80.0):
    return coverage(on(LEVEL, forward_overlap=forward, side_overlap=side, height_m=height)).overlaps[0]


@settings(max_examples=15, deadline=None)
@given(st.floats(60, 88), st.floats(60, 85), st.floats(50, 120))
def test_over_level_ground_the_overlap_is_the_one_that_was_asked_for(forward, side, height):
    """And nowhere less: to a hundredth of a percent, by which the earth's curve and the grid's scale are in it."""
    found = level_overlaps(forward, side, height)
    assert found.forward == pytest.approx(forward, abs=0.01) and found.forward_median == pytest.approx(
        forward, abs=0.01
    )
    assert found.side == pytest.approx(side, abs=0.05) and found.side_median >= side - 0.05


def test_images_over_a_place_are_as_many_as_the_overlap_makes():
    """1 / (1 - p) along the flight line and across it, rounded down at least: 75 and 70 % give 4 x 3 = 12."""
    found = coverage(on(LEVEL, forward_overlap=75.0, side_overlap=70.0))
    assert found.images[found.seen].min() == 12 and found.strips[found.seen].min() == 3
    assert not found.holes.any() and not found.by_corners.any()
    f = all_flown(on(LEVEL))[0]
    gsd = Spread.of(found.gsd[found.seen])
    assert gsd.least == pytest.approx(f.flight.height_m / f.camera.f_px, rel=1e-4)
    assert gsd.most == pytest.approx(gsd.least, rel=1e-4), "depth is along the axis: a level frame has one pixel"


def test_the_fast_count_is_the_plain_one():
    """Every cell against every image, one at a time; slopes of up to 68 degrees turn their back on some, and hide
    others."""
    plan = on(terrain(lambda e, n: 30 * np.sin(e / 12) + 0.1 * n), oblique_lines=2, cross_lines=1)
    found = coverage(plan)
    middle = plan.site.boundary[0]
    frame = LocalFrame(plan.grid, *middle, 0.0)
    (flight,) = all_flown(plan)
    sight, cam = Sight(flight, frame), flight.camera
    shape = found.images.shape
    east, north = found.e0 + found.step * np.arange(shape[1]), found.n0 + found.step * np.arange(shape[0])
    dn, de = np.gradient(plan.surface.at(*np.meshgrid(east, north)), found.step)
    rng, turned, hid = np.random.default_rng(3), 0, 0
    rows, cols = np.nonzero(found.seen)
    for k in rng.choice(len(rows), 60, replace=False):
        i, j = rows[k], cols[k]
        e, n = found.e0 + j * found.step, found.n0 + i * found.step
        point = frame.to_enu(np.array([e]), np.array([n]), plan.surface.at(np.array([e]), np.array([n])))
        uv, depth = project(cam.f_px, sight.rotation, sight.c, np.repeat(point, len(sight.c), axis=0))
        slack = np.minimum(cam.width_px / 2 - abs(uv[:, 0]), cam.height_px / 2 - abs(uv[:, 1]))
        facing = (sight.c - point) @ np.array([-de[i, j], -dn[i, j], 1.0]) > 0
        turned += int(((depth > 0) & (slack >= 0) & ~facing).sum())
        over = _clearance(plan.surface, flight, e, n)
        hid += int(((depth > 0) & (slack >= 0) & facing & (over < 0)).sum())
        held = (depth > 0) & (slack >= 0) & facing & (over >= 0)
        # a pixel at the frame's edge; a metre past the ground between, which is looked at every few metres
        doubtful = int(
            ((depth > 0) & (abs(slack) < 1.0)).sum() + (held | ((over < 0) & (slack >= 0)))[abs(over) < 1.0].sum()
        )
        assert abs(int(held.sum()) - found.images[i, j]) <= doubtful
        if not doubtful:
            assert found.strips[i, j] == len(set(flight.strip[held].tolist()))
            assert found.gsd[i, j] == pytest.approx(depth[held].min() / cam.f_px, rel=5e-5)
    assert turned > 20 and hid > 20


def _clearance(surface, flight, e, n):
    """Metres (k,) by which the straight line from a place to each exposure clears the ground, at the least, beyond the
    first four metres."""
    far = np.hypot(flight.e - e, flight.n - n)
    h, out = float(surface.at(e, n)), np.full(len(flight.e), np.inf)
    for k in np.flatnonzero(far > 4):
        t = np.arange(4, far[k], 0.25) / far[k]
        ground = surface.at(e + t * (flight.e[k] - e), n + t * (flight.n[k] - n))
        out[k] = np.nanmin(h + t * (flight.h[k] - h) - ground)
    return out


def test_ground_that_rises_beside_the_line_draws_frames_apart():
    """60 m above ground over a wall of 30 m: half the height, half the footprint, and 75 % are 50."""
    wall = terrain(lambda e, n: np.where(e > 100, 30.0, 0.0))
    found = coverage(on(wall, height_m=60.0, terrain_following=False, forward_overlap=75.0, course_deg=0.0))
    low, high = (found.images[found.seen & side].mean() for side in np.split(_east_of(found, 110.0), 2))
    assert high < 0.5 * low
    spread, above = (
        Spread.of(found.gsd[found.seen]),
        all_flown(on(wall, height_m=60.0, terrain_following=False))[0].h[0],
    )
    assert spread.most / spread.least == pytest.approx(above / (above - 30.0), rel=0.01)


def _east_of(found, metres):
    e = found.e0 + found.step * np.arange(found.images.shape[1])
    east = np.broadcast_to(e > E0 + metres, found.images.shape)
    return np.concatenate([~np.broadcast_to(e > E0 + 60, found.images.shape), east])


def test_what_is_not_flown_is_a_hole_and_its_place_is_told():
    ring = ((E0, N0), (E0 + 60, N0), (E0 + 60, N0 + 120), (E0, N0 + 120))
    plan = small_plan(
        areas=(Area(id="half", name="half", ring=ring),),
        flight={"area": "half", "extra_lines": 0, "extra_exposures": 0, "course_deg": 0.0},
    )
    found = coverage(plan)
    e, n = found.middle_of(found.holes)
    assert E0 + 110 < e < E0 + 200 and N0 < n < N0 + 120
    assert 0.3 * 200 * 120 < found.area(found.holes) < 0.7 * 200 * 120
    assert (found.images[found.holes] < FEW).all()


def test_control_does_not_change_it_and_it_is_not_computed_again():
    plan = small_plan()
    moved = plan.model_copy(update={"control": plan.control[:2], "setups": ()})
    fenced = Feature(id="x", name="x", kind="hazard", vertices=((E0, N0),))
    marked = moved.model_copy(update={"site": plan.site.model_copy(update={"features": (fenced,)})})
    assert coverage(plan) is coverage(moved) is coverage(marked)
    assert coverage(small_plan(flight={"height_m": 61.0})) is not coverage(plan)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"flights": ()}, "no flight"),
        ({"site": small_plan().site.model_copy(update={"ground": Ground()})}, "no ground"),
    ],
)
def test_a_plan_that_lacks_something_says_what(change, words):
    with pytest.raises(PlanError, match=words):
        coverage(small_plan().model_copy(update=change))


def test_ground_that_is_not_known_is_neither_seen_nor_a_hole():
    gap = terrain(lambda e, n: np.where((e > 50) & (e < 120), np.nan, 4.0))
    found = coverage(on(gap))
    assert found.unknown.any() and not (found.holes & found.unknown).any() and not (found.seen & found.unknown).any()
