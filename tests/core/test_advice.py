"""What would help most: offers predict what the plan then predicts, are ranked, and cost what they say."""

import pytest

from kardo.core.accuracy.change.advice import advise
from kardo.core.accuracy.change.offers import control_offers, other_offers
from kardo.core.accuracy.change.whatif import keep
from kardo.core.accuracy.prediction import predict
from kardo.core.plan.brief import Brief
from kardo.core.plan.edits import changed
from kardo.core.plan.stands import CorrectionService, Link, Mark, OnService, OwnSession
from tests.conftest import E0, N0, small_plan


def weak_plan():
    """A plan short of good: a mark from two hours of logging, one tape reading, a tight tolerance in height; a better
    mark stands near."""
    return small_plan(
        brief=Brief(crs="EPSG:25828", tolerance_h=0.03, tolerance_v=0.026),
        marks=(
            Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2, known="static", hours=2),
            Mark(id="B", name="Heron", e=E0 - 25, n=N0 + 140, h=5.0, sigma_h=0.004, sigma_v=0.006),
        ),
        setup={"readings": (1.8,)},
    )


@pytest.fixture(scope="module")
def advice():
    return advise(weak_plan())


def test_every_offer_predicts_what_the_changed_plan_predicts(advice):
    plan, offers = weak_plan(), {o.kind: o for o in advice.offers}
    assert {"base", "static"} <= set(offers)
    for kind in ("base", "static", "twice", "oblique", "second"):
        if kind not in offers:
            continue
        full = predict(changed(plan, offers[kind].edits))
        tolerance = 0.03 if offers[kind].provisional else 1e-9
        assert offers[kind].rmse_v == pytest.approx(full.rmse_v, rel=tolerance)
        assert offers[kind].rmse_h == pytest.approx(full.rmse_h, rel=tolerance)
        assert offers[kind].chance == pytest.approx(full.chance, abs=0.02)


def test_what_makes_the_plan_good_comes_first_and_the_shortest_of_it_before_the_rest(advice):
    good = [o.good for o in advice.offers]
    assert good == sorted(good, reverse=True) and good[0]
    minutes = [o.minutes for o in advice.offers if o.good]
    assert minutes == sorted(minutes)
    assert advice.offers[0].kind == "base", "the known mark is ten minutes away; logging longer takes hours"


def test_minutes_on_the_ground(advice):
    offers = {o.kind: o for o in advice.offers}
    assert offers["base"].minutes == pytest.approx(10)
    assert offers["static"].minutes == pytest.approx(60 * (4 - 2))


def test_nothing_is_offered_that_does_not_help(advice):
    now = advice.now
    for offer in advice.offers:
        better_v, better_h = offer.rmse_v < now.rmse_v, offer.rmse_h < now.rmse_h
        assert better_v or better_h or offer.chance > now.chance


def test_the_mark_that_is_not_good_enough_is_not_offered():
    plan = weak_plan()
    worse = plan.marks[1].model_copy(update={"sigma_v": 0.5})
    kinds = {o.kind for o in advise(plan.model_copy(update={"marks": (plan.marks[0], worse)})).offers}
    assert "base" not in kinds


def test_a_network_with_a_defect_is_offered_what_settles_it():
    """No camera positions and one target: nothing but more targets gives it a datum."""
    plan = small_plan()
    lone = tuple(p for p in plan.control if p.id == "G1" or p.role == "check")
    plan = small_plan(
        control=lone, flight={"corrections": "none"}, overrides={"code_h": 1e3, "code_v": 1e3, "code_leg_v": 1e3}
    )
    advice = advise(plan)
    words = [o.words for o in advice.offers]
    assert any("four extremes" in w for w in words)
    best = advice.offers[0]
    assert predict(changed(plan, best.edits)).rmse_v == pytest.approx(best.rmse_v, rel=0.03)


def offered(plan, kind):
    return next((o for o in other_offers(plan) if o.kind == kind), None)


def with_marks(*marks, **more):
    return small_plan(marks=marks, **more)


A = Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2)


def test_a_second_base_shares_a_poor_mark_out_over_two():
    poor = A.model_copy(update={"sigma_h": 0.04, "sigma_v": 0.04})
    plan = with_marks(
        poor, A.model_copy(update={"id": "B", "name": "B", "n": N0 + 140, "sigma_v": 0.041, "sigma_h": 0.041})
    )
    second = offered(plan, "second")
    assert second.words == "Observe every control point from a second base too, on {mark/B}"
    assert second.minutes > plan.assume["minutes_set_up"] + len(plan.targets)
    before, after = predict(plan), predict(second.on(plan))
    assert after.rmse_v < 0.85 * before.rmse_v
    assert offered(second.on(plan), "second") is None, "they rest on two already"
    assert offered(with_marks(A), "second") is None


def test_a_base_is_offered_nearer_where_that_takes_something_off():
    far = A.model_copy(update={"e": E0 - 9000, "sigma_h": 0.005, "sigma_v": 0.005})
    near = A.model_copy(update={"id": "B", "name": "B"})
    moved = offered(with_marks(far, near), "nearer")
    assert moved.words.startswith("Move the base to {mark/B}, {length/8") and moved.edits[0].after == "B"
    assert (
        offered(
            with_marks(near.model_copy(update={"id": "A", "name": "A"}), far.model_copy(update={"id": "B"})), "nearer"
        )
        is None
    )


def test_a_base_is_offered_from_where_corrections_reach():
    beyond = A.model_copy(update={"e": E0 - 400})
    near = A.model_copy(update={"id": "B", "name": "B", "sigma_v": 0.0151})
    flight = {"corrections": "live", "take_off": (E0, N0)}
    plan = with_marks(beyond, near, setup={"link": Link(kind="wireless", reach=60.0)}, flight=flight)
    moved = offered(plan, "nearer")
    assert "from where corrections reach" in moved.words
    assert predict(moved.on(plan)).rmse_v < predict(plan).rmse_v, "a fixed flight on as good a mark, for a float one"


def test_a_second_round_is_offered_for_control_from_a_service_as_from_a_base():
    """Both are observed live, by rover."""
    service = CorrectionService(id="N", name="service", sigma_h=0.010, sigma_v=0.020)
    plan = weak_plan()
    moved = tuple(p.model_copy(update={"positioned_from": OnService(service="N")}) for p in plan.control)
    plan = plan.model_copy(update={"correction_services": (service,), "control": moved})
    kept = keep(plan)
    offered = [o for o in control_offers(plan, kept.planned, 1) if o.kind == "twice"]
    assert offered and all(len(p.occupations) == 2 for p in offered[0].on(plan).targets)
    logs = tuple(p.model_copy(update={"positioned_from": OwnSession(hours=2.0)}) for p in plan.control)
    bare = plan.model_copy(update={"control": logs})
    assert not [o for o in control_offers(bare, keep(bare).planned, 1) if o.kind == "twice"]
