"""The observation plan: sigmas as the network has them, hours along the day, satellites then; and levelled heights."""

import math

import pytest

from kardo.core.accuracy.prediction import predict
from kardo.core.control.survey import survey
from kardo.core.day.day import day_of
from kardo.core.day.observing import observation_plan
from kardo.core.gnss.occupations import levelled_sigma
from kardo.core.plan.assumptions import Assumptions
from kardo.core.plan.control import Occupation
from kardo.core.plan.kit import Pole
from kardo.core.plan.model import plan_of
from kardo.core.plan.stands import Levelled, Mark, OwnSession
from tests.conftest import E0, N0, point, small_plan
from tests.core.test_day import visited

BENCH = Mark(id="B", name="bench", e=E0 + 300, n=N0, h=6.0, sigma_h=0.05, sigma_v=0.001)


def test_sigmas_are_those_that_the_network_takes():
    plan = small_plan()
    told, own = observation_plan(plan), survey(plan, plan.control)
    for p, sigma, total in zip(told.points, own.sigma, own.total_sigma, strict=True):
        assert (p.own_h, p.own_v) == pytest.approx((math.hypot(*sigma[:2]), sigma[2]))
        assert p.total_v == pytest.approx(total[2]) and len(p.hangs) == 3
    assert "Give a visit its date" in told.told and all(o.at is None for p in told.points for o in p.occupations)


def test_each_occupation_has_its_hour_within_its_round_and_the_satellites_then():
    plan, visit = visited()
    told, day = observation_plan(plan), day_of(plan, visit.id)
    spans = [(t.start, t.end) for t in day.tasks if t.kind == "observe"]
    for p in told.points:
        at = p.occupations[0].at
        assert any(a <= at <= b for a, b in spans)
        assert 10 <= p.occupations[0].satellites < 60 and 0.5 < p.occupations[0].pdop < 4
    assert told.date == visit.date


def test_two_occupations_too_near_in_time_are_told_to_be_under_one_sky():
    soon = point("G1", 50, 50, occupations=(Occupation(), Occupation(after_min=10.0)))
    (told,) = observation_plan(small_plan(control=(soon,))).points
    assert told.remarks == ["10 min between occupations 1 and 2: one sky still"]


def test_a_pole_is_told_with_its_height():
    kit = small_plan().kit.model_copy(update={"poles": (Pole(id="P1", name="long pole", height=2.0),)})
    held = point("G1", 50, 50, occupations=(Occupation(pole="P1"),))
    (told,) = observation_plan(small_plan(kit=kit, control=(held,))).points
    assert (told.occupations[0].pole, told.occupations[0].pole_height) == ("long pole", 2.0)


@pytest.mark.parametrize(("metres", "millimetres"), [(1000.0, 2.0), (250.0, 1.0), (4000.0, 4.0)])
def test_levelling_grows_with_the_root_of_its_length(metres, millimetres):
    assert 1000 * levelled_sigma(metres, Assumptions({}))[2] == pytest.approx(millimetres)


def levelled_plan(**more):
    marks = (*small_plan().marks, BENCH)
    rover_and_level = (Occupation(), Occupation(positioned_from=Levelled(mark="B", metres=500.0)))
    control = tuple(
        p.model_copy(update={"occupations": rover_and_level}) if p.role == "target" else p for p in small_plan().control
    )
    return small_plan(marks=marks, control=control, **more)


def test_targets_levelled_from_a_good_bench_mark_hold_the_height_and_leave_the_plan_as_it_was():
    plan, without = levelled_plan(), small_plan()
    assert survey(plan, plan.targets).total_sigma[0, 2] < 0.003, "the bench mark, and two millimetres a kilometre"
    assert survey(plan, plan.targets).total_sigma[0, 0] == pytest.approx(
        survey(without, without.targets).total_sigma[0, 0], rel=1e-3
    )
    before, after = predict(without), predict(plan)
    assert after.rmse_v < 0.75 * before.rmse_v and after.rmse_h == pytest.approx(before.rmse_h, rel=0.02)
    assert {share.id for share in after.budget if share.kind == "mark"} == {"A", "B"}


def test_a_point_levelled_alone_is_known_in_plan_by_code_and_says_so():
    alone = point("G1", 50, 50, positioned_from=Levelled(mark="B"))
    plan = small_plan(marks=(*small_plan().marks, BENCH), control=(alone,))
    (told,) = observation_plan(plan).points
    assert told.own_h > 1.0 and told.own_v < 0.002 and "only known by code" in told.remarks[0]
    assert "levelled from mark bench" in told.occupations[0].method
    assert plan_of(plan.to_json()) == plan


def test_what_logs_for_itself_asks_nobody_to_stand_by():
    own = point("G1", 50, 50, positioned_from=OwnSession(hours=2.0))
    (told,) = observation_plan(small_plan(control=(own,))).points
    assert told.occupations[0].minutes == 0.0 and told.hangs == []
