"""Flight lines, exposures and sorties: invariants of any flight, and figures worked by hand."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import Polygon, box

from kardo.core.errors import PlanError
from kardo.core.flight.lines.pattern import Equipment, flown
from kardo.core.flight.lines.pattern import fly as lay_out
from kardo.core.flight.lines.sensor import ImageSensor
from kardo.core.plan.library import kit_of, library
from kardo.core.terrain.surface import Surface
from tests.conftest import MAIN, small_plan

AREA = box(0, 0, 300, 180)
KIT = kit_of()


def fly(options, area, surface):
    """The usual flight with options, over an area."""
    usual = {"extra_lines": 2, "extra_exposures": 2, "side_overlap": 75.0}
    flight = MAIN.having(**(usual | options))
    sensor = ImageSensor(KIT.cameras[0], flight.sensor)
    return lay_out(flight, Equipment(sensor, KIT.aircraft[0], KIT.batteries[0]), area, surface)


def test_ground_sample_distance_and_footprint_by_hand():
    """20 MP, 8.8 mm, 2.41 um pixels at 80 m: 80 x 2.41e-6 / 8.8e-3 = 21.9 mm; 5472 px across."""
    flight = fly(dict(height_m=80, course_deg=0), AREA, None)
    assert flight.gsd == pytest.approx(80 * 2.41e-6 / 8.8e-3, rel=1e-9)
    assert flight.footprint_across == pytest.approx(5472 * flight.gsd)
    assert flight.trigger_distance == pytest.approx(flight.footprint_along * 0.25)


@settings(max_examples=30, deadline=None)
@given(
    st.floats(40, 120),
    st.integers(50, 85),
    st.integers(60, 80),
    st.floats(0, 359),
    st.integers(0, 2),
    st.integers(0, 2),
)
def test_every_flight_covers_the_area_with_its_overlap(height, forward, side, course, strips, exposures):
    flight = fly(
        dict(
            height_m=height,
            forward_overlap=forward,
            side_overlap=side,
            course_deg=course,
            extra_lines=strips,
            extra_exposures=exposures,
        ),
        AREA,
        None,
    )
    a = np.radians(flight.main_course)
    across, along = flight.e * np.cos(a) - flight.n * np.sin(a), flight.e * np.sin(a) + flight.n * np.cos(a)
    x, y = np.meshgrid(np.linspace(1, 299, 12), np.linspace(1, 179, 9))
    px, py = x * np.cos(a) - y * np.sin(a), x * np.sin(a) + y * np.cos(a)
    seen = (np.abs(px.ravel()[:, None] - across) <= flight.footprint_across / 2) & (
        np.abs(py.ravel()[:, None] - along) <= flight.footprint_along / 2
    )
    assert seen.sum(axis=1).min() >= 2
    for s in set(flight.strip):
        gaps = np.abs(np.diff(along[flight.strip == s]))
        assert np.allclose(gaps, flight.trigger_distance)
    offsets = np.unique(np.round([across[flight.strip == s][0] for s in set(flight.strip)], 6))
    assert np.allclose(np.diff(offsets), flight.spacing)


def test_margins_reach_beyond_the_area():
    bare = fly(dict(height_m=80, course_deg=0, extra_lines=0, extra_exposures=0), AREA, None)
    wide = fly(dict(height_m=80, course_deg=0, extra_lines=2, extra_exposures=2), AREA, None)
    assert wide.e.min() < bare.e.min() - 1.9 * wide.spacing
    assert wide.n.min() < bare.n.min() - 1.9 * wide.trigger_distance


def test_shortest_course_flies_along_a_corridor():
    corridor = Polygon([(0, 0), (1000, 200), (1000, 260), (0, 60)])
    bare = {"height_m": 80, "side_overlap": 70, "extra_lines": 0, "course_deg": None}
    flight = fly(bare, corridor, None)
    assert abs(flight.main_course % 180 - np.degrees(np.arctan2(1000, 200))) < 1
    others = [fly(bare | {"course_deg": c}, corridor, None).minutes for c in (0.0, 45.0, 120.0)]
    assert flight.minutes <= min(others) + 1e-6


def test_terrain_following_keeps_the_height_above_ground():
    e, n = np.meshgrid(np.arange(-300, 700, 10.0), np.arange(-300, 500, 10.0))
    ground = Surface(-300, -300, 10.0, 20 + 0.1 * e + 8 * np.sin(n / 60))
    following = fly(dict(height_m=80, course_deg=0, terrain_following=True), AREA, ground)
    assert np.allclose(following.h - ground.at(following.e, following.n), 80)
    level = fly(dict(height_m=80, course_deg=0, terrain_following=False), AREA, ground)
    assert np.ptp(level.h) == 0


def test_legs_land_with_their_reserve():
    flight = fly(dict(height_m=60, speed_m_per_s=5, course_deg=0, reserve_percent=28), box(0, 0, 600, 600), None)
    assert len(flight.sorties) > 1
    assert all(sortie.battery_left >= 28 for sortie in flight.sorties)
    assert [sortie.first_strip for sortie in flight.sorties[1:]] == [
        sortie.last_strip + 1 for sortie in flight.sorties[:-1]
    ]
    assert sum(s.count for s in flight.strips) == len(flight.e)


def test_too_many_exposures_are_refused_before_they_are_laid_out():
    with pytest.raises(PlanError, match="exposures"):
        fly(dict(height_m=10, forward_overlap=95, side_overlap=95), box(0, 0, 20_000, 20_000), None)


def test_library_is_generic_and_whole():
    for cam in library().cameras.values():
        assert 1000 < cam.f_px < 20_000 and cam.width_px > cam.height_px and cam.origin.revision >= 1
    with pytest.raises(PlanError, match="library"):
        kit_of(cameras=("nothing",))


@pytest.mark.parametrize("strips", ["cross_lines", "oblique_lines"])
def test_strips_beside_the_block_count_towards_the_most_that_is_planned(strips):
    with pytest.raises(PlanError, match="exposures"):
        fly({"height_m": 12.0, "course_deg": 0.0, "forward_overlap": 95.0, strips: 20}, box(0, 0, 300, 700), None)


@given(st.floats(-50, 350), st.floats(-50, 250))
def test_bilinear_surface_reproduces_a_plane_and_makes_up_no_ground_outside(x, y):
    e, n = np.meshgrid(np.arange(0, 301, 10.0), np.arange(0, 201, 10.0))
    plane = Surface(0, 0, 10.0, 5 + 0.3 * e - 0.2 * n)
    cx, cy = np.clip(x, 0, 300), np.clip(y, 0, 200)
    if max(abs(x - cx), abs(y - cy)) > 5:
        assert np.isnan(plane.at(x, y))
    else:
        assert float(plane.at(x, y)) == pytest.approx(5 + 0.3 * cx - 0.2 * cy, abs=1e-9)


def test_surface_packs_to_the_millimetre_and_refuses_damage():
    rng = np.random.default_rng(3)
    heights = np.round(rng.normal(10, 3, (7, 9)), 3)
    heights[2, 3] = np.nan
    packed = Surface(0, 0, 1.0, heights).pack()
    again = Surface.unpack(0, 0, 1.0, 7, 9, packed)
    assert np.array_equal(again.heights, heights, equal_nan=True)
    for rows, data in ((7, packed[:-24]), (6, packed), (7, "not base64!")):
        with pytest.raises(PlanError, match="damaged"):
            Surface.unpack(0, 0, 1.0, rows, 9, data)


def crossed(**options):
    plan = small_plan(flight=options)
    return flown(plan, plan.flights[0])


def test_crossing_strips_lie_at_a_right_angle_and_higher():
    plain, flight = crossed(course_deg=90.0), crossed(course_deg=90.0, cross_lines=2)
    extra = [s for s in flight.strips if s.kind == "crossing"]
    assert len(extra) == 2 and len(flight.strips) == len(plain.strips) + 2
    for s in extra:
        some = slice(s.first, s.first + s.count)
        assert np.degrees(flight.course[some]) % 180 == pytest.approx(0, abs=1e-9)
        assert np.ptp(flight.e[some]) < 1e-6
        assert flight.h[some].mean() - flight.h[: plain.h.size].mean() == pytest.approx(0.2 * 80, abs=1.5)
    assert crossed(course_deg=90.0, cross_lines=1, cross_height_m=120.0).h.max() > 120


def test_oblique_strips_begin_earlier_by_what_the_camera_looks_ahead():
    flight = crossed(course_deg=0.0, oblique_lines=2, oblique_tilt_deg=30.0)
    main = [s for s in flight.strips if s.kind == "main"]
    low = min(min(s.start[1], s.end[1]) for s in main)
    first, second = (s for s in flight.strips if s.kind == "oblique")
    ahead = 80.0 * math.tan(math.radians(30))
    assert first.start[1] < first.end[1] and second.start[1] > second.end[1], "there and back"
    assert low - first.start[1] == pytest.approx(ahead, abs=15)
    assert np.degrees(flight.tilt[first.first]) == pytest.approx(30) and flight.tilt[0] == 0
    assert flight.minutes > crossed(course_deg=0.0).minutes


def test_oblique_images_see_ahead_of_themselves_and_settle_the_focal_length():
    from kardo.core.accuracy.equation.solution import solve
    from kardo.core.accuracy.images.planned import planned_network

    sigmas = []
    for options in ({}, {"cross_lines": 2}, {"oblique_lines": 2}):
        planned = planned_network(small_plan(flight={"course_deg": 90.0} | options, calibration="never"))
        sigmas.append(math.sqrt(solve(planned.network).border_covariance()[0, 0]))
        owner, seen = planned.network.rays.owner(), planned.network.rays.values
        tilted = planned.flights[0].tilt[seen] > 0
        if tilted.any():
            to_point = (planned.network.x[owner] - planned.network.c[seen])[tilted]
            azimuth = planned.flights[0].course[seen][tilted]
            ahead = to_point[:, 0] * np.sin(azimuth) + to_point[:, 1] * np.cos(azimuth)
            half = math.degrees(math.atan(3648 / 2 / (8.8e3 / 2.41)))
            near, far = (80 * math.tan(math.radians(30 + x)) for x in (-half, half))
            assert near - 3 < ahead.min() and ahead.max() < far + 5, (
                "within what the frame sees over nearly level ground"
            )
    assert sigmas[1] < 0.8 * sigmas[0] and sigmas[2] < 0.6 * sigmas[0]
