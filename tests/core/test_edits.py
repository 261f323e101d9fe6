"""The grammar of edits: apply, invert, rebase; and old steps through the upgrade chain."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.errors import PlanError
from kardo.core.plan.edits import (
    ROW_LISTS,
    ConflictError,
    Edit,
    apply,
    changed,
    difference,
    edit_from_json,
    held,
    invert,
    value_at,
)
from kardo.core.plan.library import new_plan
from kardo.core.plan.model import plan_of
from kardo.core.plan.upgrades.chain import upgraded, upgraded_step
from tests.conftest import E0, small_plan

PLAN = small_plan()
DOCUMENT = PLAN.without_heights().to_json()


def moved(key, by):
    e = next(p.e for p in PLAN.control if p.id == key)
    return Edit(f"control/{key}/e", e, e + by)


STEPS = st.lists(
    st.one_of(
        st.builds(moved, st.sampled_from(["G1", "G2", "K1"]), st.floats(1, 50)),
        st.builds(lambda v: Edit("brief/tolerance_h", 0.03, v), st.floats(0.001, 0.9).filter(lambda v: v != 0.03)),
        st.builds(lambda v: Edit("assumptions/overrides/tie_ray_px", None, v), st.floats(0.1, 3)),
        st.builds(
            lambda k: Edit(f"control/{k}", value_at(DOCUMENT, f"control/{k}"), None), st.sampled_from(["G3", "K2"])
        ),
        st.builds(
            lambda k: Edit(f"control/N{k}", None, {**DOCUMENT["control"][0], "id": f"N{k}", "name": f"N{k}"}),
            st.integers(1, 9),
        ),
        st.just(Edit("site/boundary", DOCUMENT["site"]["boundary"], DOCUMENT["site"]["boundary"][:3])),
        st.just(held(Edit("setups/base/readings", [1.8, 1.8], [1.81, 1.82]))),
    ),
    min_size=1,
    max_size=6,
    unique_by=lambda e: e.path,
)


@settings(max_examples=80, deadline=None)
@given(STEPS)
def test_what_is_done_and_undone_leaves_no_trace(steps):
    done = apply(DOCUMENT, steps)
    assert not done.conflicts and len(done.done) == len(steps)
    plan_of(done.document)
    back = apply(done.document, invert(done.done))
    assert not back.conflicts and back.document == DOCUMENT, "rows come back where they were"
    again = apply(back.document, invert(back.done))
    assert again.document == done.document


@settings(max_examples=60, deadline=None)
@given(STEPS, STEPS)
def test_edits_of_different_fields_both_win_in_either_order(mine, theirs):
    taken = {e.path for e in mine} | {e.path.rsplit("/", 1)[0] for e in mine}
    theirs = [e for e in theirs if e.path not in taken and e.path.rsplit("/", 1)[0] not in {m.path for m in mine}]
    one = apply(apply(DOCUMENT, mine).document, theirs)
    other = apply(apply(DOCUMENT, theirs).document, mine)
    assert not one.conflicts and not other.conflicts
    rows = lambda d: sorted(map(json.dumps, d["control"]))  # noqa: E731
    assert rows(one.document) == rows(other.document)


@settings(max_examples=40, deadline=None)
@given(STEPS)
def test_the_difference_of_two_documents_makes_one_of_the_other(steps):
    after = apply(DOCUMENT, steps).document
    found = apply(DOCUMENT, difference(DOCUMENT, after))
    assert not found.conflicts
    assert difference(found.document, after) == []


def test_the_same_field_is_a_conflict_with_both_values():
    theirs = apply(DOCUMENT, [moved("G1", 5)]).document
    clash = apply(theirs, [moved("G1", 9), moved("G2", 1)])
    assert [(c.path, c.mine, c.theirs) for c in clash.conflicts] == [("control/G1/e", E0 + 19, E0 + 15)]
    assert [e.path for e in clash.done] == ["control/G2/e"]
    assert not apply(theirs, [moved("G1", 5)]).done, "the same change twice is none"
    with pytest.raises(ConflictError, match="G1"):
        changed(plan_of(theirs), [moved("G1", 9)])


def test_a_row_that_is_gone_is_a_conflict_for_whoever_changes_it():
    row = value_at(DOCUMENT, "control/G1")
    gone = apply(DOCUMENT, [Edit("control/G1", row, None)]).document
    assert apply(gone, [moved("G1", 5)]).conflicts[0].theirs is None
    other = apply(DOCUMENT, [moved("G1", 5)]).document
    assert apply(other, [Edit("control/G1", row, None)]).conflicts, "and one that was changed is not taken away unseen"


def test_a_whole_row_sent_changes_only_the_fields_that_differ():
    row = value_at(DOCUMENT, "control/G1")
    theirs = apply(DOCUMENT, [Edit("control/G1/name", "G1", "sluice")]).document
    mine = apply(theirs, [Edit("control/G1", row, row | {"e": E0 + 12})])
    assert not mine.conflicts and [e.path for e in mine.done] == ["control/G1/e"]
    assert value_at(mine.document, "control/G1/name") == "sluice"


def test_the_document_given_is_never_changed():
    before = json.dumps(DOCUMENT)
    apply(DOCUMENT, [moved("G1", 1), Edit("control/G2", value_at(DOCUMENT, "control/G2"), None)])
    assert json.dumps(DOCUMENT) == before


@pytest.mark.parametrize("path", ["", "/", "brief", "version", "control", "control/G1/id", "control//e", "a/b/c/d/e/f/g/h/i",
                                  "brief/title/0", "site/boundary/0", "kit/engines/x", "control/G1/positioned_from/setup/x"])  # fmt: skip
def test_paths_that_a_plan_has_not_are_refused(path):
    with pytest.raises(PlanError, match="no part"):
        apply(DOCUMENT, [Edit(path, 1, 2)])


@pytest.mark.parametrize(
    "value", [float("nan"), float("inf"), "nul\x00", "\ud800", [[[[[[[[[[1]]]]]]]]]], {"a": float("nan")}]
)
def test_values_that_cannot_be_stored_are_refused(value):
    with pytest.raises(PlanError):
        edit_from_json({"path": "brief/title", "before": None, "after": value})


def test_every_list_of_rows_is_known_to_the_grammar():
    assert {("control",), ("flights",), ("setups",), ("marks",), ("kit", "cameras"), ("site", "areas")} <= ROW_LISTS
    assert ("site", "boundary") not in ROW_LISTS


def test_a_step_of_version_1_becomes_edits_by_field():
    flight = {"camera": "mp20", "height": 60.0, "calibration": "earlier"}
    step = [{"object": "flight", "before": flight, "after": flight | {"height": 70.0, "calibration": "never"}}]
    edits = {e.path: e for e in upgraded_step(step, new_plan().to_json())}
    assert set(edits) == {
        "flights/main/height_m",
        "kit/cameras/mp20/calibration/state",
        "kit/cameras/mp20/calibration/sigma_io",
    }
    assert (edits["flights/main/height_m"].before, edits["flights/main/height_m"].after) == (60.0, 70.0)
    point = {"id": "K1", "name": "K1", "role": "check", "e": 1.0, "n": 2.0}
    step = [{"object": "control/K1", "before": point, "after": point | {"mark": "heron", "method": "rtk_twice"}}]
    paths = [e.path for e in upgraded_step(step, new_plan().to_json())]
    assert paths == ["setups/rover-heron", "control/K1/positioned_from/setup", "control/K1/occupations"]
    with pytest.raises(PlanError, match=r"cannot be read|not laid out"):
        upgraded_step([{"object": "control/K1", "before": None, "after": {"role": 7}}], new_plan().to_json())


@pytest.mark.parametrize(
    "document", [{"version": 1, "control": 7}, {"version": 1, "flight": {"camera": "none"}}, {"version": "x"}]
)
def test_documents_that_are_not_as_their_version_says(document):
    with pytest.raises(PlanError):
        upgraded({"format": "kardo-plan"} | document)


def test_an_empty_plan_of_version_1_upgrades_to_one_that_wants_a_mark():
    plan = plan_of(upgraded({"format": "kardo-plan", "version": 1}))
    assert plan.flights[0].corrected and plan.setups[0].mark is None
    long = "m" * 40
    point = {"id": "K1", "name": "K1", "role": "check", "e": 1.0, "n": 2.0, "mark": long}
    mark = {"id": long, "name": "M", "e": 1.0, "n": 2.0, "h": 3.0}
    assert plan_of(upgraded({"version": 1, "control": [point], "marks": [mark]})).setups[1].mark == long


def test_an_edit_formed_before_a_row_had_a_field_fits_what_stands_now():
    """The model grows a field with a default; a step that was stored before has it not."""
    once = {k: v for k, v in DOCUMENT["control"][0]["occupations"][0].items() if k != "positioned_from"}
    twice = [once, once | {"after_min": 60}]
    fitted = held(Edit("control/G1/occupations", [once], twice))
    done = apply(DOCUMENT, [fitted])
    assert not done.conflicts and done.done[0].after[1]["positioned_from"] is None
    older = {k: v for k, v in DOCUMENT["control"][0].items() if k != "occupations"} | {"occupations": [once]}
    gone = apply(DOCUMENT, [held(Edit("control/G1", older, None))])
    assert not gone.conflicts and all(p["id"] != "G1" for p in gone.document["control"])


@settings(max_examples=60, deadline=None)
@given(STEPS)
def test_what_the_model_holds_already_stays_as_it_is(steps):
    assert [held(e) for e in steps] == steps


@pytest.mark.parametrize("path", ["control/G1/occupations", "control/G1", "brief", "no/such/part", "control", "x"])
def test_what_the_model_would_refuse_is_left_to_be_told_when_it_is_applied(path):
    odd = Edit(path, {"no": "sense"}, [{"none": 1}])
    assert held(odd) == odd
