"""A line from the side: heights, exposures, what stands there and the least clearance, held against the lines' own; and
the way home."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.errors import PlanError
from kardo.core.flight.air.clearance import of_lines, of_ways
from kardo.core.flight.air.profile import of_line, of_way
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.plan.site import Feature
from tests.conftest import E0, N0, scan_plan, small_plan

WALL = tuple((E0 + x, N0 + y) for x, y in ((95, -50), (105, -50), (105, 170), (95, 170)))


def with_shed(plan, height=30.0):
    shed = Feature(id="shed", name="the shed", kind="obstacle", shape="area", height=height, vertices=WALL)
    return plan.model_copy(update={"site": plan.site.model_copy(update={"features": (shed,)})})


@settings(max_examples=10, deadline=None)
@given(st.floats(40, 120), st.floats(0, 179), st.booleans())
def test_no_line_is_nearer_than_the_flight_and_one_of_them_as_near(height, course, following):
    plan = with_shed(small_plan(flight={"height_m": height, "course_deg": course, "terrain_following": following}))
    (f,) = all_flown(plan)
    found = [of_line(plan, f, k) for k in range(1, len(f.strips) + 1)]
    whole = of_lines(plan, f)
    for one, strip in zip(found, f.strips, strict=True):
        assert len(one.along) == len(one.ground) == len(one.flown)
        assert (
            one.along[0] == 0
            and one.along[-1] == pytest.approx(np.hypot(*np.subtract(strip.end, strip.start)), rel=1e-3)
            and len(one.exposures) == strip.count
        )
        if one.clearance is not None:
            assert one.clearance.least >= whole.least - 1e-6 and 0 <= one.nearest <= one.along[-1]
        if following and None not in one.ground:
            above = np.subtract(one.flown, one.ground)
            assert np.abs(above - height).max() < 15  # the slope's waves between exposures


def test_a_line_over_a_shed_by_hand():
    """From west to east over a shed from 95 to 105 m, 30 m over ground that rises a centimetre a metre."""
    plan = with_shed(small_plan(flight={"height_m": 60.0, "course_deg": 90.0, "extra_lines": 0}))
    (f,) = all_flown(plan)
    k = next(k for k, s in enumerate(f.strips, 1) if s.end[0] > s.start[0])
    one, strip = of_line(plan, f, k), f.strips[k - 1]
    (shed,) = one.things
    start = E0 + 95 - 20 - strip.start[0]  # told as far as 20 m beside
    assert (
        shed.name == "the shed"
        and shed.first == pytest.approx(start, abs=6)
        and shed.last == pytest.approx(start + 50, abs=6)
    )
    assert one.clearance.over == "the shed" and one.clearance.least == pytest.approx(30, abs=2)
    assert "clear of the shed at the least" in one.words and f"Line {k}, " in one.words
    assert np.diff(one.exposures) == pytest.approx(f.trigger_distance, rel=1e-3)


def test_the_way_home_is_looked_at_from_the_line_and_ends_at_the_take_off_place():
    plan = with_shed(small_plan(flight={"take_off": (E0 - 100, N0 + 60), "return_height_m": 80.0}))
    (f,) = all_flown(plan)
    out, home = of_way(plan, f, 1, False), of_way(plan, f, 1, True)
    last = f.strips[f.sorties[0].last_strip]
    assert home.along[-1] == pytest.approx(np.hypot(last.end[0] - E0 + 100, last.end[1] - N0 - 60), abs=6)
    assert min(out.clearance.least, home.clearance.least) == pytest.approx(of_ways(plan, f).least)
    ground = plan.surface.at(E0 - 100, N0 + 60)
    assert set(np.round(home.flown, 6)) == {round(float(max(ground + 80, f.h[last.first + last.count - 1])), 6)}
    assert "Home from sortie 1" in home.words and "Out to sortie 1" in out.words and not home.exposures


def test_what_is_not_there_is_told():
    plan = small_plan()
    (f,) = all_flown(plan)
    for ask in (lambda: of_line(plan, f, 0), lambda: of_line(plan, f, 99), lambda: of_way(plan, f, 7, True)):
        with pytest.raises(PlanError, match="There is no such"):
            ask()


def test_a_scan_has_no_exposures_and_ground_that_is_not_known_is_said():
    scan = scan_plan()
    (f,) = all_flown(scan)
    assert of_line(scan, f, 1).exposures == []
    bare = small_plan()
    bare = bare.model_copy(update={"site": bare.site.model_copy(update={"ground": type(bare.site.ground)()})})
    (f,) = all_flown(bare)
    one = of_line(bare, f, 1)
    assert one.clearance is None and "no ground is known" in one.words and set(one.ground) == {None}
