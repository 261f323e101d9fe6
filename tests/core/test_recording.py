"""How long targets that log for themselves must record: each by its own rule, a mixed set by the longest."""

import math

import pytest

from kardo.core.control.recording import longest, recordings
from kardo.core.day.sessions import sessions
from kardo.core.plan.edits import changed
from kardo.core.plan.library import library
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OwnSession
from kardo.core.practice.catalogue import View, findings
from tests.conftest import E0, N0, small_plan


def logging(**hours: tuple[float, str | None]) -> Plan:
    """The small plan, some of whose points log for themselves: so many hours, by a profile."""
    plan = small_plan()
    own = {key: OwnSession(hours=h, logger=logger) for key, (h, logger) in hours.items()}
    control = tuple(p.model_copy(update={"positioned_from": own.get(p.id, p.positioned_from)}) for p in plan.control)
    kit = plan.kit.model_copy(update={"loggers": tuple(library().loggers.values())})
    return Plan.model_validate({**plan.to_json(), "control": control, "kit": kit})


def test_each_is_asked_by_its_rule_and_its_distance():
    plan = logging(G1=(1.0, "one_frequency"), G2=(1.0, "several_frequencies"), G3=(1.0, None))
    found = {r.point: r for r in recordings(plan)}
    one, several = library().loggers["one_frequency"], library().loggers["several_frequencies"]
    away = ((10 + 20) ** 2 + (10 + 20) ** 2) ** 0.5 / 1000
    assert found["G1"].asked_min == math.ceil(one.least_min + one.per_km_min * away)
    assert found["G2"].asked_min == several.least_min + 1 and found["G3"].asked_min is None
    assert longest(list(found.values())).point == "G1"


def test_a_mixed_set_is_left_as_long_as_the_longest_rule_says():
    plan = logging(G1=(0.5, "one_frequency"), G2=(0.5, "several_frequencies"))
    found = [f for f in findings(View(plan, (), None)) if f.rule == "target-records"]
    assert [f.object for f in found] == ["control/G1", "control/G2"], "half an hour is enough for the second alone"
    mended = changed(plan, [e for f in found for e in f.edits])
    assert not [f for f in findings(View(mended, (), None)) if f.rule == "target-records"]
    told = sessions(plan).told
    assert "before the first take-off" in told and "46 min at least, for G1 asks for that, and the set is mixed" in told


def test_what_nobody_has_said_is_asked_for_and_no_rule_made_up():
    assert "Nobody has said yet what they are" in sessions(logging(G1=(1.0, None))).told
    assert sessions(small_plan()).told == "" and longest([]) is None
    assert not [f for f in findings(View(logging(G1=(0.2, None)), (), None)) if f.rule == "target-records"]


def test_a_far_base_asks_for_more():
    plan = logging(G1=(1.0, "one_frequency"))
    far = plan.marks[0].model_copy(update={"e": E0 - 12_000, "n": N0})
    assert recordings(plan.model_copy(update={"marks": (far,)}))[0].asked_min > 100


def test_a_logger_is_one_of_the_kit_and_changes_no_figure():
    with pytest.raises(ValueError, match="not among the plan's loggers"):
        logging(G1=(1.0, "some-other"))
    assert logging(G1=(1.0, None)).hash == logging(G1=(1.0, "one_frequency")).hash
