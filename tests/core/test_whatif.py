"""Live answers against the full computation of the same change, and the reliability of targets against dropping
them."""

import time

import numpy as np
import pytest

from benchmarks.prediction import block_plan
from kardo.core.accuracy.change.whatif import keep, what_if
from kardo.core.accuracy.equation.solution import solve
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.images.budget import OnMap
from kardo.core.accuracy.images.misclosures import gram, misclosures
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.images.reliability import reliability
from kardo.core.accuracy.prediction import predict
from kardo.core.errors import PlanError
from kardo.core.gnss.occupations import METHODS
from kardo.core.plan.control import Occupation
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnSetUp, SetUp
from kardo.demo import demo_plan

TWICE = METHODS["rtk_twice"].occupations
FROM_BOTH = (Occupation(), Occupation(after_min=60, positioned_from=OnSetUp(setup="rover")))


@pytest.fixture(scope="module")
def plan() -> Plan:
    return demo_plan("sallow-bank")


@pytest.fixture(scope="module")
def kept(plan):
    return keep(plan)


def changed(point, **update):
    return point.model_copy(update=update)


CHANGES = {
    "nothing": lambda c: c,
    "target moved": lambda c: (changed(c[0], e=c[0].e + 70, n=c[0].n + 15), *c[1:]),
    "target moved far": lambda c: (changed(c[0], e=c[0].e + 900, n=c[0].n + 120), *c[1:]),
    "target dropped": lambda c: c[1:],
    "target added": lambda c: (*c, changed(c[2], id="new", name="new", e=c[2].e + 340, n=c[2].n + 70)),
    "targets observed twice": lambda c: tuple(changed(p, occupations=TWICE) for p in c),
    "target positioned from another mark": lambda c: (changed(c[0], positioned_from=OnSetUp(setup="rover")), *c[1:]),
    "target observed from another mark too": lambda c: (changed(c[0], occupations=FROM_BOTH), *c[1:]),
    "check observed from another mark too": lambda c: (*c[:-1], changed(c[-1], occupations=FROM_BOTH)),
    "target made a check": lambda c: (changed(c[0], role="check"), *c[1:]),
    "check moved": lambda c: (*c[:-1], changed(c[-1], e=c[-1].e - 260, n=c[-1].n - 30)),
    "all targets dropped": lambda c: tuple(p for p in c if p.role == "check"),
}


@pytest.mark.parametrize("change", CHANGES)
def test_live_figures_are_within_three_per_cent_of_the_full_computation(plan, kept, change):
    control = CHANGES[change](plan.control)
    after = plan.model_copy(update={"control": control})
    answer = what_if(kept, control)
    live = figures(after, answer)
    full = predict(after)
    for key in ("rmse_h", "rmse_v", "seen_rmse_h", "seen_rmse_v"):
        assert getattr(live, key) == pytest.approx(getattr(full, key), rel=0.005), key
    assert live.chance == pytest.approx(full.chance, abs=0.005)
    surface = np.sqrt(answer.map_variances(after)[:, 2])
    assert np.nanmax(np.abs(surface / np.array(full.map.v, dtype=float) - 1)) < 0.03


def test_a_change_taken_back_leaves_no_trace(plan, kept):
    before = what_if(kept, plan.control)
    what_if(kept, CHANGES["target moved"](plan.control))
    assert np.array_equal(what_if(kept, plan.control).covariances, before.covariances)
    assert np.allclose(before.covariances, kept.on_map.covariances, equal_nan=True)


def test_a_set_up_that_the_network_has_not_is_left_to_the_full_computation(plan):
    third = SetUp(id="third", name="third", mark="heron-2", antenna="disc")
    later = plan.model_copy(update={"setups": (*plan.setups, third)})
    hung = changed(plan.control[5], positioned_from=OnSetUp(setup="third"))
    with pytest.raises(PlanError, match="not in this network"):
        keep(plan).misclosures(later, (hung,))


def test_live_answer_for_two_thousand_exposures_takes_a_tenth_of_a_second():
    """The contract's 100 ms are what a machine of one's own gives (docs/benchmarks.md); machines are shared, so here
    the live answer is held against the full computation of three seconds in the same run."""
    plan = block_plan(2000)
    started = time.perf_counter()
    predict(plan)
    full = time.perf_counter() - started
    kept = keep(plan)
    seconds = []
    for k in range(12):
        control = (changed(plan.control[0], e=plan.control[0].e + 7.0 * (k + 1)), *plan.control[1:])
        started = time.perf_counter()
        answer = what_if(kept, control)
        figures(plan, answer)
        seconds.append(time.perf_counter() - started)
    print(f"live answer: {min(seconds) * 1000:.0f} ms, median {sorted(seconds)[6] * 1000:.0f} ms; full {full:.1f} s")
    assert min(seconds) < max(0.1, full / 20)


def test_redundancy_and_loss_of_targets_agree_with_adjusting_without_them(plan):
    planned = planned_network(plan)
    solution = solve(planned.network)
    result = predict(plan)
    targets = misclosures(solution, planned.observe(plan, plan.targets))
    for k, row in enumerate(result.reliability):
        lost = predict(plan.model_copy(update={"control": tuple(p for p in plan.control if p.id != row.id)}))
        assert row.lost_h == pytest.approx(lost.rmse_h, rel=1e-3)
        assert row.lost_v == pytest.approx(lost.rmse_v, rel=1e-3)
        at = slice(3 * k, 3 * k + 3)
        residual = targets.noise[k] - gram(targets, targets)[at, at]
        assert np.linalg.eigvalsh(residual)[0] > 0
        assert all(0 < r < 1 for r in row.redundancy)
        sigma = np.sqrt(np.diag(targets.survey[k]))
        least = 4.13 * sigma / np.sqrt(row.redundancy)
        assert (row.found >= least).all() and (row.found < 1.3 * least).all(), (
            "a little more, for the pattern hides some"
        )


def test_redundancy_numbers_add_up_to_the_observations_less_the_unknowns():
    """Baarda: the redundancy numbers of all observations add to the redundancy of the adjustment. Two targets at one
    place, observed alike and hanging on nothing else, over a block whose own datum is far weaker: half of each is
    checked."""
    plan = demo_plan("sallow-bank")
    weak = plan.model_copy(update={"flights": (changed(plan.flights[0], corrections="none"),)})
    g = plan.control[2]
    twins = tuple(changed(g, id=f"t{k}", name=f"t{k}", occupations=TWICE) for k in (1, 2))
    planned = planned_network(weak.model_copy(update={"control": (*plan.control[:2], *twins, *plan.control[3:5])}))
    solution = solve(planned.network)
    targets = misclosures(solution, planned.observe(planned.plan, planned.plan.targets))
    nowhere = OnMap(np.ones((1, 3, 3)), [], np.zeros((3, 3 * len(targets))), np.zeros((24, 3)), None, None)
    found = reliability(tuple("abcdef"), targets, nowhere, np.ones((1, 3)))
    first, second = found[2], found[3]
    assert first.redundancy == pytest.approx(second.redundancy, rel=1e-6)
    assert 0.3 < first.redundancy[0] < 1.0
