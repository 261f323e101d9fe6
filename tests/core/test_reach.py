"""How far corrections reach: sight over the ground and past things, the link, and what is lost by it."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely import Polygon

from kardo.core.accuracy.prediction import predict
from kardo.core.flight.air.reach import out_of_reach, reach
from kardo.core.flight.air.take_off import take_offs
from kardo.core.flight.lines.pattern import flown
from kardo.core.plan.edits import changed
from kardo.core.plan.site import Feature
from kardo.core.plan.stands import Link, OnNothing
from kardo.core.presentation.findings import check_plan
from kardo.core.terrain.sightline import in_sight
from kardo.core.terrain.surface import Surface
from tests.conftest import E0, N0, small_plan

FLAT = Surface(E0 - 2000, N0 - 2000, 10.0, np.zeros((401, 401)))


def ridge(height):
    """A wall of ground ten metres wide, north and south through E0 + 500."""
    z = np.zeros((401, 401))
    z[:, 250:252] = height
    return Surface(E0 - 2000, N0 - 2000, 10.0, z)


def sees(surface, to, things=(), eye=(0.0, 0.0, 2.0)):
    target = (np.array([v]) for v in (E0 + to[0], N0 + to[1], to[2]))
    return bool(in_sight(surface, list(things), np.array([E0 + eye[0], N0 + eye[1], eye[2]]), *target)[0])


@given(st.floats(5, 80), st.floats(600, 1500), st.floats(5, 120))
def test_a_ridge_hides_what_lies_below_the_line_over_its_top(height, far, up):
    """Similar triangles: over the ridge 500 m away the line from 2 m to `up` has risen by 500 / far of the difference.
    Within half a metre of the top the width of the ridge and the earth's curve decide."""
    over = 2 + (up - 2) * 500 / far
    if abs(over - height) > 0.5 + abs(up - 2) * 20 / far:
        assert sees(ridge(height), (far, 0.0, up)) == (over > height)


def test_level_ground_and_no_ground_hide_nothing_within_reach():
    assert sees(FLAT, (1500.0, 300.0, 60.0)) and sees(None, (1500.0, 300.0, 60.0))
    assert not sees(FLAT, (1500.0, 300.0, -5.0))


def test_the_earths_curve_hides_what_lies_low_and_far():
    """Both ends a metre over level ground: the curve rises d^2 / 8R by the effective radius, 0.94 m at 8 km."""
    wide = Surface(E0 - 50, N0 - 9000, 100.0, np.zeros((181, 2)))
    effective = 6_371_000 / 0.75
    for far in (7000.0, 10_000.0):
        bulge = far**2 / (8 * effective)
        ends = {"eye": (0.0, -far / 2, 1.0)}
        assert sees(wide, (0.0, far / 2, 1.0), **ends) == (bulge < 1.0)


def test_a_thing_hides_what_is_behind_it_and_lower():
    house = (Polygon([(E0 + 100, N0 - 20), (E0 + 120, N0 - 20), (E0 + 120, N0 + 20), (E0 + 100, N0 + 20)]), 12.0)
    assert not sees(FLAT, (300.0, 0.0, 20.0), [house]) and sees(FLAT, (300.0, 0.0, 60.0), [house])
    assert sees(FLAT, (90.0, 0.0, 5.0), [house]), "it stands before it"
    assert sees(FLAT, (300.0, 200.0, 20.0), [house]), "it stands beside it"


def linked(kind="radio", reach=3000.0, corrections="live", take_off=None, **plan):
    made = small_plan(
        setup={"link": Link(kind=kind, reach=reach)}, flight={"corrections": corrections, "take_off": take_off}, **plan
    )
    return made, flown(made, made.flights[0])


def test_a_plan_that_says_nothing_of_its_link_is_what_it_was():
    plan = small_plan(flight={"corrections": "live"})
    assert reach(plan, flown(plan, plan.flights[0])) is None
    assert not out_of_reach(plan, flown(plan, plan.flights[0])).any()
    free = small_plan(
        setup={"link": Link(kind="radio")}, flight={"positioned_from": OnNothing(), "corrections": "none"}
    )
    assert reach(free, flown(free, free.flights[0])) is None


def test_beside_the_base_on_open_ground_everything_is_reached():
    plan, flight = linked("wireless", 50.0)
    found_ = reach(plan, flight)
    assert found_.linked and found_.away == 0 and found_.out == []
    assert predict(plan).rmse_v == pytest.approx(predict(small_plan(flight={"corrections": "live"})).rmse_v, rel=1e-9)


def test_a_standpoint_beyond_the_link_leaves_all_float_and_the_log_saves_it():
    far = (E0 + 60.0, N0 + 60.0)
    plan, flight = linked("wireless", 30.0, take_off=far)
    told = reach(plan, flight)
    assert (
        not told.linked and len(told.out) == len(flight.e) and told.away == pytest.approx(math.hypot(80, 80), abs=0.1)
    )
    logged, same = linked("wireless", 30.0, "both", take_off=far)
    assert not out_of_reach(logged, same).any()
    lost, kept = predict(plan), predict(logged)
    assert lost.rmse_v > kept.rmse_v
    float_ = predict(small_plan(flight={"corrections": "live", "state": "float", "take_off": far}))
    assert lost.rmse_v == pytest.approx(float_.rmse_v, rel=1e-6), "all out of reach is the same as all float"
    assert any(
        f.rule == "base-reach" and "no corrections come to the take-off place" in f.words.casefold()
        for f in check_plan(plan, None)
    )
    by_internet, same = linked("internet", take_off=far)
    assert reach(by_internet, same).linked


def test_a_thing_between_leaves_some_without_and_a_better_standpoint_is_found():
    wall = Feature(
        id="W",
        name="wall",
        kind="obstacle",
        shape="line",
        vertices=((E0 - 15, N0 - 60), (E0 - 15, N0 + 160)),
        height=55.0,
    )
    plan, flight = linked("internet")
    plan = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (wall,)})})
    told = reach(plan, flight)
    assert 0 < len(told.out) < len(flight.e)
    better = take_offs(plan, plan.flights[0])[0]
    moved = changed(plan, better.edits)
    then = reach(moved, flown(moved, moved.flights[0]))
    assert then.linked and len(then.out) == better.unreached * len(flight.e) < len(told.out)


def test_no_farther_than_controller_and_aircraft_hear_each_other():
    plan, flight = linked("internet", take_off=(E0 - 2500, N0))
    assert len(reach(plan, flight).out) == len(flight.e)
