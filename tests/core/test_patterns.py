"""Patterns of lines: corridors with bends, walls, several areas, oblique ways, flight lines of one's own; and that a
corridor is covered on the outer side of its bends."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import LineString, Point

from kardo.core.accuracy.change.offers import other_offers
from kardo.core.accuracy.change.savings import savings
from kardo.core.accuracy.prediction import predict
from kardo.core.errors import PlanError
from kardo.core.flight.air.airtime import air_time
from kardo.core.flight.ground.coverage import coverage
from kardo.core.flight.lines.areas import flight_polygon
from kardo.core.flight.lines.own_lines import another_line
from kardo.core.flight.lines.pattern import all_flown, flown
from kardo.core.plan.edits import changed
from kardo.core.plan.flights import CorridorLines, OwnLine, OwnLines, ParallelLines, WallLines
from kardo.core.plan.site import Area, Ground, LevelGround, Site
from kardo.core.practice.catalogue import View, findings
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.summary import flight_figures
from tests.conftest import E0, N0, scan_plan, small_plan


def _at(*places):
    return tuple((E0 + x, N0 + y) for x, y in places)


BEND = _at((0, 0), (200, 0), (340, 140), (340, 320))


def level(ring, areas=(), **flight):
    """A plan over level ground with a boundary of its own."""
    plan = small_plan(flight=flight, boundary=ring, areas=areas)
    site = Site(boundary=ring, areas=areas, ground=Ground(level=LevelGround(height=5.0)))
    return plan.model_copy(update={"site": site, "control": ()})


def about(line, half):
    return tuple(LineString(line).buffer(half, cap_style="flat", join_style="mitre").exterior.coords)[:-1]


def strips(plan, kind="main"):
    return [s for s in all_flown(plan)[0].strips if s.kind == kind]


def test_a_corridor_has_strips_along_each_part_there_and_back():
    plan = level(about(BEND, 20), pattern=CorridorLines(line=BEND, width_m=40.0, extra_lines=0, side_overlap=70))
    (f,) = all_flown(plan)
    count = math.ceil(40 / f.spacing) + 1
    assert len(f.strips) == 3 * count
    courses = [round(math.degrees(f.course[s.first])) % 360 for s in f.strips[:6]]
    assert courses == [90, 45, 0, 180, 225, 270], "out over the bends, and back over them"
    middle = LineString(BEND)
    offsets = {
        round(Point((s.start[0] + s.end[0]) / 2, (s.start[1] + s.end[1]) / 2).distance(middle), 1) for s in f.strips
    }
    assert max(offsets) == pytest.approx((count - 1) / 2 * f.spacing, abs=0.2)


@settings(max_examples=20, deadline=None)
@given(
    st.lists(st.tuples(st.floats(60, 200), st.floats(-80, 80)), min_size=2, max_size=4),
    st.floats(20, 90),
    st.sampled_from([60.0, 75.0, 85.0]),
)
def test_a_corridor_is_covered_on_both_sides_of_every_bend(parts, width, overlap):
    """Whatever its bends, up to 80 degrees at a time, every place of its width is seen by two images."""
    places, way = [(0.0, 0.0)], 0.0
    for length, bend in parts:
        way += bend
        e, n = places[-1]
        places.append((e + length * math.sin(math.radians(way)), n + length * math.cos(math.radians(way))))
    line = _at(*places)
    if not LineString(line).buffer(width).exterior.is_simple or LineString(line).is_ring:
        return
    half = LineString(line).buffer(width / 2, cap_style="flat", join_style="round")
    if half.interiors or half.geom_type != "Polygon" or not half.is_valid:
        return
    ring = tuple(half.exterior.coords)[:-1]
    plan = level(ring, pattern=CorridorLines(line=line, width_m=width, side_overlap=overlap), forward_overlap=overlap)
    found = coverage(plan)
    assert found.area(found.holes) == 0


def test_small_bends_are_flown_straight():
    wavy = _at(*((20.0 * k, 2.0 * math.sin(k)) for k in range(12)))
    plan = level(about(wavy, 15), pattern=CorridorLines(line=wavy, width_m=30.0, extra_lines=0))
    assert {s.sortie for s in strips(plan)} and len(strips(plan)) == math.ceil(30 / all_flown(plan)[0].spacing) + 1


@pytest.mark.parametrize("turn", [1, -1])
def test_walls_are_passed_outside_and_looked_at(turn):
    """Round a building of either turn: each line the stand-off outside, the camera towards the wall, 45 degrees
    down."""
    house = _at((60, 40), (120, 40), (120, 80), (60, 80), (60, 40))[::turn]
    plan = small_plan(flight={"pattern": WallLines(line=house, stand_off_m=12.0, extra_exposures=1), "height_m": 30.0})
    (f,) = all_flown(plan)
    assert len(f.strips) == 4 and np.degrees(f.tilt) == pytest.approx(45.0)
    middle = np.array([E0 + 90, N0 + 60])
    for s in f.strips:
        own = slice(s.first, s.first + s.count)
        place = np.array([f.e[own].mean(), f.n[own].mean()])
        assert LineString(house).distance(Point(place)) == pytest.approx(12.0, abs=0.05)
        towards = middle - place
        look = np.array([math.sin(f.yaw[s.first]), math.cos(f.yaw[s.first])])
        assert look @ towards / np.linalg.norm(towards) > 0.99
    scanning = scan_plan(pattern=WallLines(line=house, stand_off_m=12.0, extra_exposures=1), height_m=30.0)
    longest = max(s.length for s in all_flown(scanning)[0].strips)
    assert longest == pytest.approx(60 + 4 * all_flown(scanning)[0].trigger_distance, abs=6)
    assert not all_flown(scanning)[0].tilt.any()


def test_a_wall_is_seen_in_the_frames_that_look_at_it():
    house = _at((60, 40), (120, 40), (120, 80), (60, 80), (60, 40))
    both = small_plan()
    round_it = both.flights[0].having(id="walls", pattern=WallLines(line=house, stand_off_m=12.0, extra_exposures=1), height_m=30.0)  # fmt: skip
    plan = both.model_copy(update={"flights": (*both.flights, round_it)})
    with_walls, bare = predict(plan), predict(both)
    seen = sum(with_walls.map.images) - sum(bare.map.images)
    assert seen > 0 and with_walls.rmse_v <= bare.rmse_v * 1.001


def test_several_areas_are_flown_in_one():
    west = Area(id="west", name="west", ring=_at((0, 0), (60, 0), (60, 120), (0, 120)))
    east = Area(id="east", name="east", ring=_at((150, 0), (200, 0), (200, 120), (150, 120)))
    plan = level(_at((0, 0), (200, 0), (200, 120), (0, 120)), areas=(west, east), area="west", more_areas=("east",), course_deg=0.0)  # fmt: skip
    assert flight_polygon(plan, plan.flights[0]).area == pytest.approx(110 * 120)
    alone = level(_at((0, 0), (200, 0), (200, 120), (0, 120)), areas=(west, east), area="west", course_deg=0.0)
    offsets = sorted(round(s.start[0] - E0) for s in strips(plan))
    assert min(offsets) < 10 and max(offsets) > 190 and len(strips(plan)) > len(strips(alone))
    gone = plan.flights[0].having(more_areas=("nowhere",))
    with pytest.raises((PlanError, ValueError), match="nowhere"):
        type(plan).model_validate(plan.to_json() | {"flights": [gone.model_dump(mode="json")]})


def test_oblique_strips_look_four_ways():
    (f,) = all_flown(small_plan(flight={"oblique_lines": 2, "oblique_across": 2, "course_deg": 0.0}))
    tilted = np.degrees(f.tilt) > 1
    assert {round(math.degrees(a)) % 360 for a in np.unique(f.yaw[tilted].round(6))} == {0, 90, 180, 270}


def test_strips_of_ones_own_are_flown_as_they_were_drawn():
    drawn = (
        OwnLine(start=(E0, N0 + 20), end=(E0 + 200, N0 + 20)),
        OwnLine(start=(E0 + 200, N0 + 60), end=(E0, N0 + 60), height_m=95.0),
    )
    (f,) = all_flown(small_plan(flight={"pattern": OwnLines(lines=drawn)}))
    assert len(f.strips) == 2
    for s, own in zip(f.strips, drawn, strict=True):
        a = np.array([math.dist(s.start, own.start), math.dist(s.end, own.end)])
        assert a.max() <= f.trigger_distance
    high = f.h[f.strip == 1] - f.h[f.strip == 0].mean()
    assert high.mean() > 5 and len(f.e[f.strip == 1]) < len(f.e[f.strip == 0])
    with pytest.raises(PlanError, match="no flight lines"):
        all_flown(small_plan(flight={"pattern": OwnLines()}))
    with pytest.raises(PlanError, match="no line"):
        all_flown(small_plan(flight={"pattern": CorridorLines()}))


@settings(max_examples=20, deadline=None)
@given(st.floats(0, 359), st.floats(30, 120))
def test_another_line_lies_beside_the_last_as_the_overlap_asks_and_is_flown_back(azimuth, height):
    a = math.radians(azimuth)
    end = (E0 + 150 * math.sin(a), N0 + 150 * math.cos(a))
    plan = small_plan(
        flight={"pattern": OwnLines(lines=(OwnLine(start=(E0, N0), end=end, height_m=height),), side_overlap=70)}
    )
    (f,) = all_flown(changed(plan, another_line(plan, plan.flights[0])))
    first, second = (LineString([s.start, s.end]) for s in f.strips)
    asked = f.spacing * height / f.flight.height_m
    assert first.distance(second) == pytest.approx(asked, rel=0.01, abs=0.1)
    there, back = (np.subtract(s.end, s.start) for s in f.strips)
    assert there @ back < 0
    # to the right of where the first is flown
    off = np.subtract(f.strips[1].end, f.strips[0].start)
    assert there[1] * off[0] - there[0] * off[1] > 0


def test_the_first_strip_of_ones_own_crosses_the_area():
    plan = small_plan(flight={"pattern": OwnLines()})
    (f,) = all_flown(changed(plan, another_line(plan, plan.flights[0])))
    assert f.strips[0].length == pytest.approx(200, abs=f.trigger_distance) and f.e.min() < E0 + 10


def test_fewest_turns_lie_along_the_longest_side():
    by_turns = small_plan(flight={"course_by": "turns", "course_deg": None})
    (f,) = all_flown(by_turns)
    assert f.main_course % 180 == pytest.approx(90.0, abs=0.2)
    across = flown(by_turns, by_turns.flights[0].having(course_deg=0.0))
    assert len(f.strips) < len(across.strips)


def test_lines_that_end_at_the_boundary_say_what_that_costs_and_why():
    plan = small_plan(
        flight={
            "extra_lines": 0,
            "extra_exposures": 0,
            "side_overlap": 60.0,
            "extra_reason": "the road may not be crossed",
        }
    )
    view = View(plan, all_flown(plan), None, covers=True)
    (found,) = [f for f in findings(view) if f.rule == "flight-margin"]
    assert (
        "end at the boundary" in found.words
        and "the road may not be crossed" in found.words
        and "fewer than three flight lines" in found.words
    )


WAY = _at((10, 20), (120, 40), (190, 100))
PATTERNS = {
    "parallel": ParallelLines(),
    "corridor": CorridorLines(line=WAY, width_m=60.0),
    "walls": WallLines(line=WAY),
    "own": OwnLines(lines=(OwnLine(start=WAY[0], end=WAY[2]),)),
}


@pytest.mark.parametrize("carrying", [small_plan, scan_plan], ids=["images", "scan"])
@pytest.mark.parametrize("pattern", PATTERNS)
def test_every_pattern_is_flown_with_every_sensor_judged_and_advised(carrying, pattern):
    """Whatever is offered for it fits it."""
    bare = carrying()
    plan = bare.model_copy(update={"flights": (bare.flights[0].having(pattern=PATTERNS[pattern]),)})
    (f,) = all_flown(plan)
    assert air_time(plan, f.flight).minutes == pytest.approx(f.minutes) and flight_figures(plan, f).strips
    for found in check_plan(plan, None):
        changed(plan, found.edits)
    for remedy in other_offers(plan):
        remedy.on(plan)
    for remedy in savings(plan):
        remedy.on(plan)
