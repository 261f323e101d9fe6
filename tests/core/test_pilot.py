"""The pilot at the take-off place: what is in sight, and where there is a better place."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.errors import PlanError
from kardo.core.flight.air.airtime import air_time
from kardo.core.flight.air.pilot import best_take_off, seen_by_pilot, seen_within, told_of
from kardo.core.flight.air.reach import sample_of
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.plan.edits import changed
from kardo.core.plan.site import Feature, Ground, LevelGround
from kardo.core.plan.stands import OnNothing
from tests.conftest import E0, N0, small_plan

LONG = tuple((E0 + x, N0 + y) for x, y in ((0, 0), (1800, 0), (1800, 90), (0, 90)))


def ring(x0, y0, x1, y1):
    return tuple((E0 + x, N0 + y) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1)))


def long_plan():
    """A level strip of land of 1.8 km."""
    plan = small_plan(boundary=LONG, control=())
    level = Ground(level=LevelGround(height=5.0))
    return plan.model_copy(update={"site": plan.site.model_copy(update={"ground": level})})


@settings(max_examples=15, deadline=None)
@given(st.floats(-600, 800), st.floats(-500, 600))
def test_what_is_farther_than_sight_is_never_seen_and_farther_sight_sees_no_less(x, y):
    plan = small_plan()
    (f,) = all_flown(plan)
    sight = plan.policy["flight-sight"]
    away, seen = seen_by_pilot(plan, f, (E0 + x, N0 + y))
    assert not seen[away > sight].any() and away.min() >= f.flight.height_m - 10
    _, more = seen_within(plan, f, (E0 + x, N0 + y), 2 * sight)
    assert more[seen].all()
    some = sample_of(f)
    assert np.array_equal(seen_by_pilot(plan, f, (E0 + x, N0 + y), some)[1], seen[some])


def test_a_long_site_is_flown_best_from_its_middle():
    """From an end most lines lie out of sight and the ways are long."""
    plan = long_plan()
    found, end = best_take_off(plan, plan.flights[0]), told_of(plan, plan.flights[0], (E0 + 10, N0 + 45))
    assert 400 < found.e - E0 < 1400
    assert found.unseen < end.unseen and found.minutes < end.minutes + 1 and found.farthest < end.farthest
    (f,) = all_flown(changed(plan, found.edits))
    assert f.minutes == pytest.approx(found.minutes) and len(f.legs) == found.legs
    assert f.take_off[:2] == (found.e, found.n)
    assert "out of sight" in found.words and f"{found.minutes:.0f} min in {found.legs} sorties" in found.words


def test_nobody_is_sent_where_one_may_not_stand():
    plan = long_plan()
    free = best_take_off(plan, plan.flights[0])
    x = free.e - E0
    moor = Feature(
        id="moor", name="the moor", kind="no_permission", shape="area", vertices=ring(x - 150, -10, x + 150, 100)
    )
    closed = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (moor,)})})
    found = best_take_off(closed, closed.flights[0])
    assert abs(found.e - free.e) > 149 and found.unseen >= free.unseen - 0.02, "its lines are laid anew from there"
    lake = Feature(id="lake", name="the lake", kind="water", shape="area", vertices=ring(-3000, -3000, 5000, 3000))
    drowned = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (lake,)})})
    with pytest.raises(PlanError, match="No place is left"):
        best_take_off(drowned, drowned.flights[0])


def test_air_time_says_from_where_it_reckons():
    plan = small_plan()
    found = air_time(plan, plan.flights[0])
    assert "taken as starting beside the base" in found.told and found.take_off == (E0 - 20, N0 - 20)
    alone = plan.flights[0].model_copy(update={"positioned_from": OnNothing()})
    assert air_time(plan, alone).starts == "starting at the foot of the first exposure"
    marks = (plan.marks[0].model_copy(update={"e": E0 - 4000.0}),)
    far = plan.model_copy(update={"marks": marks})
    assert "foot of the first exposure" in air_time(far, far.flights[0]).told, (
        "a base four kilometres off is no place to start"
    )
    chosen = small_plan(flight={"take_off": (E0 + 50, N0 - 20)})
    found = air_time(chosen, chosen.flights[0])
    assert "taken as" not in found.told and found.starts == "" and found.take_off == (E0 + 50, N0 - 20)
