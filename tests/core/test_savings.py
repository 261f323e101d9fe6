"""What a plan that passes could do without: each saving leaves it good, saves its minutes, and no more can go with
those that go together."""

import pytest

from kardo.core.accuracy.change.advice import advise
from kardo.core.accuracy.change.offers import minutes_on_ground
from kardo.core.accuracy.change.savings import savings, spare_points
from kardo.core.accuracy.figures.standards import standards
from kardo.core.accuracy.prediction import figures_of
from kardo.core.plan.control import Occupation
from kardo.core.plan.edits import changed
from kardo.core.plan.stands import OnSetUp
from kardo.core.presentation.words import named_advice
from tests.conftest import small_plan


def roomy(**brief):
    """A plan that passes with room to spare, with cross lines."""
    plan = small_plan(flight={"cross_lines": 2})
    return plan.model_copy(
        update={"brief": plan.brief.model_copy(update={"tolerance_h": 0.06, "tolerance_v": 0.09} | brief)}
    )


@pytest.fixture(scope="module")
def advice():
    return advise(roomy())


def ratio(told):
    return max(told.rmse_h / told.limit_h, told.rmse_v / told.limit_v if told.limit_v else 0.0)


def test_each_saving_leaves_the_plan_good_and_saves_what_the_ground_takes(advice):
    plan = roomy()
    assert advice.now.good and advice.spare
    assert [o.minutes for o in advice.spare] == sorted(o.minutes for o in advice.spare)
    for offer in advice.spare:
        after = changed(plan, offer.edits)
        told = figures_of(after)
        assert offer.minutes < 0 and ratio(told) <= 1.001 and told.chance >= plan.brief.chance - 0.01
        assert offer.rmse_v == pytest.approx(told.rmse_v, rel=0.03)
        if len(after.control) < len(plan.control):
            saved = minutes_on_ground(plan, after.control) - minutes_on_ground(plan, plan.control)
            assert offer.minutes == pytest.approx(saved, abs=0.06)
    words = " ".join(o.words for o in named_advice(plan, advice).spare)
    assert "cross lines" in words and "{" not in words


def test_nothing_more_can_go_with_what_goes_together(advice):
    plan = roomy()
    together = max(advice.spare, key=lambda o: sum(e.after is None for e in o.edits))
    left = changed(plan, together.edits)
    assert len(left.control) < len(plan.control) - 1
    for point in spare_points(left):
        without = left.model_copy(update={"control": tuple(p for p in left.control if p != point)})
        told = figures_of(without)
        assert ratio(told) > 1 or (told.chance or 0.0) < plan.brief.chance, f"{point.name} could go too"


def test_a_plan_that_does_not_pass_has_nothing_to_spare():
    assert advise(roomy(tolerance_h=0.004, tolerance_v=0.004)).spare == []


def test_pinned_points_and_the_checks_that_a_standard_needs_stay():
    plan = small_plan()
    pinned = plan.control[0].model_copy(update={"pinned": True})
    assert pinned not in spare_points(plan.model_copy(update={"control": (pinned, *plan.control[1:])}))
    strict = next(key for key, s in standards().items() if s.least_checks >= len(plan.checks))
    brief = plan.brief.model_copy(update={"standard": strict})
    assert {p.role for p in spare_points(plan.model_copy(update={"brief": brief}))} == {"target"}


def test_a_second_base_can_go_where_every_point_keeps_another_occupation():
    plan = small_plan()
    first = plan.setups[0]
    second = first.model_copy(update={"id": "B2", "name": "base 2"})
    twice = tuple(
        p.model_copy(
            update={"occupations": (*p.occupations, Occupation(after_min=60, positioned_from=OnSetUp(setup="B2")))}
        )
        for p in plan.control
    )
    both = plan.model_copy(update={"setups": (first, second), "control": twice})
    (gone,) = [r for r in savings(both) if "one base" in r.words]
    after = gone.on(both)
    assert after.setups == (first,) and after.control == plan.control
    assert gone.minutes < -plan.assume["minutes_set_up"] - len(plan.control)
    alone = twice[0].model_copy(update={"occupations": twice[0].occupations[1:]})
    assert not [r for r in savings(both.model_copy(update={"control": (alone, *twice[1:])})) if "one base" in r.words]
