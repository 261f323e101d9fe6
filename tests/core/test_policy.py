"""An organisation's figure reaches whatever acts on it, not the findings alone; and what no figure moves is not
computed anew."""

import pickle

import numpy as np
import pytest

from kardo.core.accuracy.change.offers import usual_point
from kardo.core.accuracy.change.schemes import _static
from kardo.core.accuracy.change.search import field
from kardo.core.accuracy.change.whatif import keep
from kardo.core.accuracy.prediction import predict
from kardo.core.book.done import still_to_do
from kardo.core.book.entries import book_of
from kardo.core.control.met import met_by
from kardo.core.day.exposure import exposure
from kardo.core.day.log_cover import log_findings
from kardo.core.flight.air.airtime import air_time
from kardo.core.flight.air.pilot import seen_by_pilot
from kardo.core.flight.air.reach import out_of_reach
from kardo.core.flight.lines.calibration import calibration_edits
from kardo.core.flight.lines.lower import below
from kardo.core.flight.lines.pattern import flown
from kardo.core.layout.base_places import base_places
from kardo.core.layout.proposed import points_at, required, where_targets_may_lie
from kardo.core.plan.edits import changed
from kardo.core.plan.kit import LensEntry
from kardo.core.plan.lens import brought_in_line
from kardo.core.plan.site import Feature
from kardo.core.plan.stands import Link
from kardo.core.policy.organisation import Change, OrganisationRules
from kardo.core.policy.policy import ACTED_ON, catalogue, policy_of, usual
from tests.conftest import E0, N0, point, small_plan
from tests.core.test_book import occupied, read
from tests.core.test_log_check import PLAN as LOGGED
from tests.core.test_log_check import VISIT, good

WHY = {"reason": "of our own", "since": "2026-11-01"}


def asking(rule, figure=None, severity=""):
    return policy_of(OrganisationRules(changes=(Change(rule=rule, threshold=figure, severity=severity, **WHY),)))


def beside_a_wall(plan):
    ring = tuple((E0 + x, N0 + y) for x, y in ((90, 50), (110, 50), (110, 70), (90, 70)))
    wall = Feature(id="wall", name="wall", kind="obstacle", shape="area", vertices=ring, height=9.0)
    return plan.model_copy(update={"site": plan.site.model_copy(update={"features": (wall,)})})


def _seen(plan):
    return int(seen_by_pilot(plan, flown(plan, plan.flights[0]), (E0 - 300, N0))[1].sum())


def _live(plan):
    live = plan.model_copy(
        update={
            "setups": tuple(s.model_copy(update={"link": Link(kind="radio", reach=3000.0)}) for s in plan.setups),
            "flights": tuple(f.model_copy(update={"corrections": "live"}) for f in plan.flights),
        }
    )
    return int(out_of_reach(live, flown(live, live.flights[0])).sum())


def _places(plan):
    walled = beside_a_wall(plan)
    wanted = [(E0 + x, N0 + y) for x in range(0, 200, 10) for y in range(0, 120, 10)]
    return len(where_targets_may_lie(walled, wanted)[0])


def _usable(plan):
    kept = keep(plan)
    candidates = [point(f"C{k}", 20.0 * k, 15.0 * k) for k in range(6)]
    return int(
        field(kept, kept.planned.observe(kept.planned.plan, tuple(candidates)), np.array([], dtype=int)).usable.sum()
    )


def _lower(plan):
    return below(plan, flown(plan, plan.flights[0]), 50.0, 80.0).edits


def _record(plan):
    camera = plan.kit.cameras[0].model_copy(update={"record": (LensEntry(date="2027-03-12", frames=120),)})
    return brought_in_line(plan.model_copy(update={"visits": (VISIT,)}), camera)[0].state


def _rolling(plan):
    camera = plan.kit.cameras[0].model_copy(update={"shutter": "rolling", "readout_ms": 30.0})
    rolled = plan.model_copy(update={"kit": plan.kit.model_copy(update={"cameras": (camera, *plan.kit.cameras[1:])})})
    return exposure(rolled, rolled.flights[0], "clear", "2027-06-01").words[-1]


def _base_place(plan):
    walled = beside_a_wall(plan)
    return [one.score for one in base_places(walled, ()).ranked]


# rule: another figure than the trade's, and what acts on it
ACTING = {
    "flight-sight": (150.0, _seen),
    "flight-link": (150.0, _live),
    "flight-forward": (99.0, lambda plan: air_time(plan, plan.flights[0]).enough),
    "leg-short": (60.0, lambda plan: air_time(plan, plan.flights[0]).longer),
    "calibration-frames": (130.0, _record),
    "control-images": (400.0, _usable),
    "control-slope": (0.01, _places),
    "control-sky": (0.999, _places),
    "control-clearance": (6.0, _places),
    "target-width": (30.0, lambda plan: points_at(plan, np.array([(E0, N0)]), "target", "G")[0].width),
    "control-epochs": (180.0, lambda plan: usual_point(plan.policy).occupations[0].epochs),
    "control-twice": (3.0, lambda plan: met_by(plan, [("A", E0, N0), ("B", E0 + 2, N0)])[1].twice),
    "flight-low": (30.0, _lower),
    "flight-blur": (0.2, _rolling),
    "base-clearance": (40.0, _base_place),
    "base-mark-unsettled": (9.0, _static),
    "base-taped-once": (3.0, lambda plan: still_to_do(plan, book_of([read(1, 1, 1.80), read(2, 2, 1.80)])).setups),
    "base-readings": (0.05, lambda plan: still_to_do(plan, book_of([read(1, 1, 1.80), read(2, 2, 1.80), read(3, 3, 1.82)])).odd),
}  # fmt: skip


@pytest.mark.parametrize("rule", ACTING)
def test_what_acts_on_a_figure_moves_with_it(rule):
    figure, acting = ACTING[rule]
    plan = small_plan()
    assert acting(plan.under(asking(rule, figure))) != acting(plan)
    assert acting(plan.under(asking(rule, catalogue()[rule].threshold))) == acting(plan)


def test_a_logs_interval_and_height_are_held_against_the_organisations_figures():
    unsaid = LOGGED.model_copy(update={"setups": tuple(s.model_copy(update={"log": None}) for s in LOGGED.setups)})
    slow = good(interval=5.0, epochs=1000)
    assert any("every 5 s" in f.words for f in log_findings(slow, unsaid))
    assert not any("every 5 s" in f.words for f in log_findings(slow, unsaid.under(asking("base-log-interval", 10.0))))
    off = good(antenna_height=1.9)
    assert any("antenna height" in f.words for f in log_findings(off, LOGGED))
    assert not any("antenna height" in f.words for f in log_findings(off, LOGGED.under(asking("base-readings", 0.5))))


def test_a_rule_that_is_not_asked_adds_no_target_and_keeps_none_away():
    spur = ((E0, N0), (E0 + 200, N0), (E0 + 200, N0 + 120), (E0 + 110, N0 + 120), (E0 + 110, N0 + 400), (E0 + 90, N0 + 400), (E0 + 90, N0 + 120), (E0, N0 + 120))  # fmt: skip
    plan = small_plan(boundary=spur, control=())
    assert required(plan, ()), "a narrow part wants one of its own"
    assert not required(plan.under(asking("control-spur", severity="off")), ())
    off = plan.under(asking("control-sky", severity="off"))
    assert _places(small_plan().under(asking("control-sky", 0.999))) < _places(small_plan().under(off.policy))


def test_what_was_observed_too_briefly_is_told_as_asked():
    plan, book = small_plan(), book_of([occupied(1, "G1", epochs=30)])
    assert not still_to_do(plan, book).short
    (words,) = still_to_do(plan.under(asking("control-epochs", 60.0)), book).short
    assert words == "fewer than 60 epochs: G1"


def test_a_changed_plan_is_looked_at_by_the_same_organisation():
    own = asking("flight-sight", 150.0)
    plan = small_plan().under(own)
    edited = changed(plan, [calibration_edits(plan, plan.flights[0])[0]])
    assert edited.policy == own == pickle.loads(pickle.dumps(plan)).policy
    assert plan.hash == small_plan().hash, "a rule is no part of the plan"


def test_a_computation_is_made_anew_for_the_figures_that_it_acts_on_and_no_others():
    assert usual().keys == dict.fromkeys(ACTED_ON, "")
    other = asking("backdrop-old", 10.0)
    assert {kind for kind, key in other.keys.items() if key} == {"layouts"}
    assert all(asking("flight-link", 900.0).keys.values())
    assert pickle.loads(pickle.dumps(other)).keys == other.keys
    assert policy_of(OrganisationRules(changes=(Change(rule="no-longer-asked", **WHY),))) == usual()


def test_a_prediction_acts_on_no_figure_that_is_not_in_its_key(monkeypatch):
    asked, getting = set(), type(usual()).__getitem__
    monkeypatch.setattr(type(usual()), "__getitem__", lambda self, rule: asked.add(rule) or getting(self, rule))
    plan = small_plan(setup={"link": Link(kind="radio", reach=3000.0)}, flight={"corrections": "live"})
    real = predict.__wrapped__ if hasattr(predict, "__wrapped__") else predict
    real(plan)
    assert asked <= set(ACTED_ON["prediction"]) and asked
