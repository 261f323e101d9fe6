"""The way out to a sortie and home from it: by hand, against its invariants, and what a battery is then promised."""

import math
from itertools import pairwise

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from kardo.core.errors import PlanError
from kardo.core.flight.air.airtime import air_time
from kardo.core.flight.air.pilot import ways_from
from kardo.core.flight.lines.out_and_home import HANDLING, minutes_out_and_home
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.flight.lines.wind import Wind
from kardo.core.plan.library import library
from tests.conftest import E0, N0, small_plan

QUAD = library().aircraft["quad"]  # cruises at 7 of 15 m/s, climbs at 4, descends at 3, at least 2 min
LEVEL = QUAD.model_copy(update={"transit_min": 0.0})
metres = st.floats(-3000, 3000)


def test_by_hand_up_along_and_down():
    """2,100 m at 7 m/s take 5 min; 60 m up 15 s, down 20 s."""
    out, home = minutes_out_and_home(QUAD, (2100.0, 0.0), 60.0, 60.0)
    assert (out, home) == pytest.approx((HANDLING + 5 + 0.25, HANDLING + 5 + 1 / 3))


def test_a_return_height_over_the_line_is_climbed_and_left_again():
    """To a line at 60 m by way of 120: 30 s up, 20 s down to it; home 15 s up, 40 s down."""
    out, home = minutes_out_and_home(LEVEL, (0.0, 0.0), 60.0, 120.0)
    assert (out, home) == pytest.approx((HANDLING + 50 / 60, HANDLING + 55 / 60))


def test_with_the_wind_out_and_against_it_home():
    """In 10 m/s from the west: eastward the wanted 7 m/s are flown, westward 15 - 10 = 5."""
    out, home = minutes_out_and_home(LEVEL, (2100.0, 0.0), 0.0, 0.0, Wind(10.0, 270.0))
    assert (out, home) == pytest.approx((HANDLING + 5, HANDLING + 7))
    assert minutes_out_and_home(LEVEL, (2100.0, 0.0), 0.0, 0.0, Wind(15.0, 270.0))[1] == math.inf


@given(metres, metres, st.floats(0, 300), st.floats(0, 300), st.floats(1.1, 3))
def test_farther_and_over_more_never_takes_less_and_the_profile_is_the_least(x, y, up, top, more):
    here, farther = (
        minutes_out_and_home(QUAD, (x, y), up, top),
        minutes_out_and_home(QUAD, (more * x, more * y), up, top),
    )
    higher = minutes_out_and_home(QUAD, (x, y), up, more * max(top, up))
    for k in (0, 1):
        assert QUAD.transit_min <= here[k] <= min(farther[k], higher[k]) + 1e-9


@given(metres, metres, st.floats(0, 7.9), st.floats(0, 360))
def test_out_and_home_in_a_wind_never_take_less_than_in_still_air(x, y, speed, whence):
    assume(math.hypot(x, y) > 1)
    still, windy = (minutes_out_and_home(LEVEL, (x, y), 50.0, 50.0, w) for w in (Wind(), Wind(speed, whence)))
    assert sum(windy) >= sum(still) - 1e-9


def standing(east, **more):
    return small_plan(flight={"speed_m_per_s": 1.5, "cross_lines": 2, "take_off": (E0 + east, N0 + 60.0), **more})


def test_a_far_take_off_place_takes_its_minutes_from_the_lines_of_every_leg():
    near, far = (all_flown(standing(east))[0] for east in (0.0, -1800.0))
    assert len(far.sorties) > len(near.sorties) and far.minutes > near.minutes
    for sortie in far.sorties:
        assert sortie.out > 4 and sortie.home > 4  # 1.8 km at 7 m/s
        assert sortie.battery_left >= 28 or sortie.first_strip == sortie.last_strip
    plan = standing(-1800.0)
    found = air_time(plan, plan.flights[0])
    for k, sortie in enumerate(far.sorties):
        assert (found.sorties[k].minutes, found.sorties[k].out, found.sorties[k].home) == pytest.approx(
            (sortie.minutes, sortie.out, sortie.home)
        )
    ways = sum(sortie.out + sortie.home for sortie in far.sorties)
    assert f"{ways:.0f} of them on ways out and home" in found.told


def test_minutes_of_a_leg_are_its_ways_lines_and_turns():
    plan = standing(-900.0)
    found = air_time(plan, plan.flights[0].model_copy(update={"wind_m_per_s": 3.0, "wind_from_deg": 250.0}))
    for sortie in found.sorties:
        own = [line for line in found.lines if line.sortie == sortie.number]
        assert sortie.minutes == pytest.approx(
            sortie.out + sortie.home + sum(line.minutes + line.turn_minutes for line in own)
        )


def test_a_wind_that_lets_nothing_come_home_is_told():
    """Lines across a wind of 14.9 m/s are flown, slowly; home against it is not."""
    plan = standing(-900.0, course_deg=0.0, cross_lines=0, wind_m_per_s=14.95, wind_from_deg=270.0)
    with pytest.raises(PlanError, match="does not come home"):
        all_flown(plan)


def test_the_height_of_the_ways_is_part_of_what_the_plan_is():
    """Where sorties are cut rests on it, and on that the prediction."""
    assert standing(0.0).hash != standing(0.0, return_height_m=120.0).hash


@settings(max_examples=25, deadline=None)
@given(st.floats(-2500, 2500), st.floats(-2500, 2500), st.floats(1.0, 6.0), st.floats(10, 50))
def test_legs_land_with_their_reserve_and_none_could_have_taken_the_next_line(x, y, speed, reserve):
    place = {"take_off": (E0 + x, N0 + y), "speed_m_per_s": speed, "reserve_percent": reserve, "cross_lines": 3}
    plan = small_plan(flight=place)
    (f,) = all_flown(plan)
    craft, battery = plan.aircraft("quad"), plan.battery("quad")
    usable = battery.minutes * (1 - reserve / 100)
    out, home = ways_from(plan, f, f.take_off[:2])
    assert f.sorties[0].first_strip == 0 and f.sorties[-1].last_strip == len(f.strips) - 1
    for sortie, following in pairwise((*f.sorties, None)):
        assert sortie.out == pytest.approx(out[sortie.first_strip]) and sortie.home == pytest.approx(
            home[sortie.last_strip]
        )
        assert sortie.minutes <= usable + 1e-9 or sortie.first_strip == sortie.last_strip
        if following is not None:
            k = following.first_strip
            longer = sortie.minutes - sortie.home + (f.strips[k - 1].then + f.strips[k].length / speed) / 60 + home[k]
            assert k == sortie.last_strip + 1 and longer > usable - 1e-9
    turns = sum(s.then for s in f.strips) - sum(f.strips[a.last_strip].then - craft.turn_s for a in f.sorties)
    on = sum(s.length for s in f.strips) / speed
    assert f.minutes == pytest.approx((on + turns) / 60 + sum(a.out + a.home for a in f.sorties))
