"""Flying lower under a ceiling, what is gone through before take-off, wind by height, lines that are too short."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kardo.core.flight.air.airtime import air_time
from kardo.core.flight.air.ceilings import above_ceilings
from kardo.core.flight.lines.lower import below
from kardo.core.flight.lines.pattern import all_flown, flown
from kardo.core.flight.lines.wind import at_height
from kardo.core.plan.edits import changed
from kardo.core.plan.site import Feature, Zone
from tests.conftest import E0, N0, scan_plan, small_plan


def under(ceiling, **flight):
    ring = tuple((E0 + x, N0 + y) for x, y in ((-80, -80), (280, -80), (280, 200), (-80, 200)))
    zone = Feature(
        id="Z", name="zone", kind="airspace", shape="area", vertices=ring, zone=Zone(number="Z-1", ceiling=ceiling)
    )
    plan = small_plan(flight=flight)
    return plan.model_copy(update={"site": plan.site.model_copy(update={"features": (zone,)})})


@pytest.mark.parametrize("ceiling", [30.0, 50.0, 75.0])
def test_below_a_ceiling_it_flies_slower_with_more_overlap_and_no_more_blur(ceiling):
    plan = under(ceiling)
    (f,) = all_flown(plan)
    (above,) = above_ceilings(plan, (f,))
    found = below(plan, f, above.ceiling, above.highest)
    after = changed(plan, found.edits)
    (then,) = all_flown(after)
    assert not list(above_ceilings(after, (then,)))
    assert then.blur_px <= f.blur_px * 1.01 and then.imaging.forward_overlap == 80 and then.images > f.images
    assert f"{then.images} images instead of {f.images}" in found.words
    assert below(plan, f, 12.0, above.highest) is None, "that near the ground is nowhere to fly"


def test_before_take_off_the_figures_of_this_site_are_gone_through():
    words = " ".join(air_time(under(60.0), under(60.0).flights[0]).cautions)
    for said in (
        "Registration, licence",
        "not looked up yet",
        "lowest ceiling about is 60 m",
        "in sight",
        "Return height 80 m",
        "Fail-safes set for this site",
    ):
        assert said in words, said
    assert "over the ground" in words or "highest ground" in words
    assert air_time(scan_plan(), scan_plan().flights[0]).cautions


@given(st.floats(0.1, 30), st.floats(1, 100), st.floats(10, 200))
def test_the_wind_grows_with_height_and_is_itself_where_it_was_measured(speed, low, height):
    assert at_height(speed, height, height) == pytest.approx(speed)
    assert (at_height(speed, low, height) >= speed) == (height >= low)


def test_lines_too_short_to_reach_the_speed_are_told():
    plan = small_plan(flight={"speed_m_per_s": 14.0, "course_deg": 0.0})
    craft = plan.aircraft("quad")
    slow = plan.model_copy(update={"kit": plan.kit.model_copy(update={"aircraft": (craft.model_copy(update={"accelerate_m_per_s2": 0.9}),)})})  # fmt: skip
    assert max(s.length for s in flown(slow, slow.flights[0]).strips) < 14.0**2 / 0.9
    assert "too short to reach 14 m/s" in air_time(slow, slow.flights[0]).told
    assert "too short" not in air_time(small_plan(), small_plan().flights[0]).told
