"""The pilot at the take-off place: what is in sight, and where there is a better place."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.flight.air.airtime import air_time
from kardo.core.flight.air.pilot import seen_by_pilot, seen_within
from kardo.core.flight.air.reach import sample_of
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.plan.stands import OnNothing
from tests.conftest import E0, N0, small_plan


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
