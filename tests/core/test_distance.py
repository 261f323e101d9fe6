"""What distance to a base shares, and what wanders from line to line: docs/accuracy.md, sections 2, 7 and 11."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.accuracy.change.advice import advise
from kardo.core.accuracy.change.whatif import keep, what_if
from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.prediction import predict
from kardo.core.control.survey import survey
from kardo.core.errors import NetworkError
from kardo.core.gnss.occupations import METHODS
from kardo.core.plan.control import Occupation
from kardo.core.plan.stands import Mark, OnSetUp, SetUp
from kardo.core.plan.visits import Visit
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.words import blind_words
from tests.conftest import E0, MAIN, N0, point, scan_plan, small_plan

REFERENCE = Path(__file__).parents[1] / "reference"
SHARED = np.sqrt(0.8)


def far_plan(away, *, targets=16, sigma=0.0001, north=0.0, overrides=None, **more):
    """Many targets and nine checks from a base so many metres east, on a mark without an error of its own unless it is
    given one."""
    spots = [(x, y) for x in (10, 70, 130, 190) for y in (8, 43, 78, 112)][:targets]
    control = [point(f"G{k}", x, y) for k, (x, y) in enumerate(spots)]
    control += [point(f"K{k}", 20 + 19 * k, 30 + (37 * k) % 60) for k in range(9)]
    mark = Mark(id="A", name="A", e=E0 + away, n=N0 + north, h=4.2, sigma_h=sigma, sigma_v=sigma)
    given = {"marks": (mark,), "control": tuple(control)} | more
    return small_plan(overrides=overrides, **given)


def test_thirty_kilometres_move_the_whole_site_and_no_target_from_there_mends_it():
    """About 31 mm in height, of which the checks see what a site near its base shows, and their own fifth of the
    distance."""
    near, far = predict(far_plan(100.0)), predict(far_plan(30_000.0))
    assert far.rmse_v == pytest.approx(np.hypot(near.rmse_v, SHARED * 0.03), rel=0.03)
    anew = 0.03 * np.sqrt(0.2)
    assert near.seen_rmse_v < far.seen_rmse_v < np.hypot(near.seen_rmse_v, 1.2 * anew)
    (spot,) = [b for b in far.blind if b.kind == "distance"]
    assert spot.checks == 9 and spot.in_height and spot.sigma == pytest.approx(SHARED * 0.03, rel=0.02)
    words = " ".join(blind_words(far_plan(30_000.0), far))
    assert "distance to mark A (±26.7 mm). Every check shares it" in words
    (told,) = [f for f in check_plan(far_plan(30_000.0), None) if f.rule == "base-distance"]
    assert "±30.0 mm each axis" in told.words


def test_the_budget_has_the_distance_and_still_adds_up():
    result = predict(far_plan(20_000.0, north=-9_000.0))
    (share,) = [s for s in result.budget if s.kind == "distance"]
    assert share.id == "A" and share.sigma_v == pytest.approx(SHARED * np.hypot(20.0, 9.0) / 1000, rel=0.02)
    assert sum(s.share_v for s in result.budget) == pytest.approx(1, abs=1e-6)


def test_with_nothing_but_distance_the_map_has_it_whole_and_the_checks_nothing():
    """All of it shared, and everything else as good as can be said: D ppm absolute, next to nothing seen."""
    quiet = {key: 1e-4 for key in ("fixed_h", "fixed_v", "leg_h", "leg_v", "lever_arm", "rover_fast_h", "rover_fast_v", "rover_slow_h", "rover_slow_v", "centring_pole", "centring_tripod", "height_taped_twice", "geoid_v")}  # fmt: skip
    quiet |= {"distance_shared": 1.0, "trigger_time": 0.0}
    near, far = (predict(far_plan(d, overrides=quiet)) for d in (50.0, 40_000.0))
    assert np.sqrt(far.rmse_v**2 - near.rmse_v**2) == pytest.approx(0.04, rel=0.01)
    assert far.seen_rmse_v == pytest.approx(near.seen_rmse_v, rel=0.1), "what little the block can tell of it, it uses"


@settings(max_examples=12, deadline=None)
@given(st.floats(-400, 600), st.floats(-400, 400))
def test_figures_are_continuous_as_the_base_moves_through_the_site(x, y):
    here, there = (survey(p, p.control).total_sigma for p in (far_plan(x, north=y), far_plan(x + 0.5, north=y)))
    assert here == pytest.approx(there, abs=2e-6)


def two_bases(*hung):
    """The small plan's flight twice over, each half of the sorties on the base named; one base 20 km east, one as far
    west."""
    marks = tuple(Mark(id=k, name=k, e=E0 + 100 + d, n=N0, h=4.2) for k, d in (("A", 20_000.0), ("B", -20_000.0)))
    setups = tuple(SetUp(id=f"on-{m.id}", name=m.id, mark=m.id, antenna="disc", readings=(1.8, 1.8)) for m in marks)
    flights = tuple(
        MAIN.model_copy(update={"id": f"f{k}", "name": f"f{k}", "positioned_from": OnSetUp(setup=f"on-{base}")})
        for k, base in enumerate(hung)
    )
    return predict(small_plan(marks=marks, setups=setups, flights=flights, control=()))


def test_two_bases_on_opposite_sides_are_better_than_either():
    both, one, other = two_bases("A", "B"), two_bases("A", "A"), two_bases("B", "B")
    assert both.rmse_h < 0.85 * min(one.rmse_h, other.rmse_h) and both.rmse_v < min(one.rmse_v, other.rmse_v)


def test_another_visit_draws_it_anew_and_the_figures_follow():
    """Checks of a second day from the same base see what a first day's distance did; a hash of its own."""
    plan = far_plan(30_000.0, visits=(Visit(id="v1", name="first"), Visit(id="v2", name="second")))
    later = (Occupation(visit="v2"),)
    control = tuple(p.model_copy(update={"occupations": later}) if p.role == "check" else p for p in plan.control)
    again = plan.model_copy(update={"control": control})
    assert again.hash != plan.hash
    same, other = predict(plan), predict(again)
    assert other.rmse_v == pytest.approx(same.rmse_v, rel=1e-6)
    assert other.seen_rmse_v > np.hypot(same.seen_rmse_v, 0.9 * 0.03)
    assert not [b for b in other.blind if b.kind == "distance"]
    swapped = again.model_copy(update={"visits": plan.visits[::-1]})
    assert swapped.hash != again.hash, "what names no visit is of the first"
    half = (Occupation(), Occupation(after_min=1440, visit="v2"))
    mixed = survey(again, (plan.control[0].model_copy(update={"occupations": half}),)).held[0]
    of_distance = [h.share[0] for h in mixed if h.shift.kind == "distance_east"]
    assert of_distance == pytest.approx([-14.995, -14.995])


def test_live_answers_carry_the_distance():
    plan = far_plan(25_000.0)
    kept = keep(plan)
    moved = (plan.control[0].model_copy(update={"e": plan.control[0].e + 40}), *plan.control[1:])
    live = what_if(kept, moved)
    full = predict(plan.model_copy(update={"control": moved}))
    assert np.sqrt(live.map_variances(plan)[:, 2].mean()) == pytest.approx(full.rmse_v, rel=0.03)


def test_a_mark_near_the_site_is_offered_against_the_distance():
    near = Mark(id="B", name="near", e=E0 + 250, n=N0, h=4.2, sigma_h=0.004, sigma_v=0.006)
    plan = far_plan(25_000.0, sigma=0.005, targets=5)
    advice = advise(plan.model_copy(update={"marks": (*plan.marks, near)}))
    assert advice.largest.kind == "distance"
    first = advice.offers[0]
    assert first.kind in ("second", "nearer") and first.minutes > 0 and first.rmse_v < 0.8 * advice.now.rmse_v
    assert {o.kind for o in advice.offers} >= {"second", "nearer"}


def test_a_network_has_no_gradient_and_an_older_plan_keeps_its_figures():
    plan = far_plan(30_000.0)
    older = plan.model_copy(update={"assumptions": plan.assumptions.model_copy(update={"edition": "2026-11-27"})})
    kinds = {s.kind for s in planned_network(older).network.shifts}
    assert not kinds & {"distance_east", "distance_north", "line"}
    sorties = [s.sigma[2] for s in planned_network(older).network.shifts if s.kind == "leg"]
    assert sorties == pytest.approx([np.hypot(0.012, 0.0299)] * len(sorties), rel=2e-3)


@pytest.mark.parametrize(
    "at, key", [((), "posts"), (("exposures", 3), "share"), (("checks", 0), "sigma"), (("camera",), "f")]
)
def test_a_key_that_nobody_reads_is_refused_by_its_name(at, key):
    data = json.loads((REFERENCE / "distant_base.network.json").read_text())
    place = data
    for step in at:
        place = place[step]
    place[key] = 1
    with pytest.raises(NetworkError, match=f"“{key}” is not a key"):
        network_from_json(data)


@pytest.mark.parametrize("shares", [[[1, 1, 1]], [[1, 1], [1, 1]], [["x", 1, 1]] * 5, [[1e9, 1, 1]] * 5])
def test_shares_of_an_exposure_are_as_many_as_its_shifts_and_numbers(shares):
    data = json.loads((REFERENCE / "distant_base.network.json").read_text())
    data["exposures"][0]["shares"] = shares
    with pytest.raises(NetworkError):
        network_from_json(data)


def test_one_target_does_not_mend_a_float_flight():
    """A target removes what lasts for the sortie; what each line has for itself stays. One pixel and a third was told
    before."""
    spots = (point("G0", 100, 60), *small_plan().checks)
    plan = small_plan(control=spots, flight={"state": "float"})
    lines = {s.id for s in planned_network(plan).network.shifts if s.kind == "line"}
    assert len(lines) == len(planned_network(plan).flights[0].strips)
    before = small_plan(control=spots, flight={"state": "float"}, overrides={"wander_float": 0.001})
    assert predict(plan).rmse_v > 1.3 * predict(before).rmse_v


@settings(max_examples=8, deadline=None)
@given(st.sampled_from(["tactical", "small"]), st.sampled_from(["none", "height", "matched"]), st.booleans())
def test_the_same_lines_flown_slower_in_more_legs_never_make_a_scan_worse(scanner, adjustment, many):
    """A slower aircraft takes more batteries, and each of them another sortie: as good, and mostly better."""
    twice = METHODS["rtk_twice"].occupations if many else METHODS["rtk_once"].occupations
    control = tuple(p.model_copy(update={"occupations": twice}) for p in small_plan().control)
    usual = {"scanner": scanner, "adjustment": adjustment, "control": control}
    slow, fast = (predict(scan_plan(speed_m_per_s=v, **usual)) for v in (3.0, 12.0))
    assert slow.rmse_v <= fast.rmse_v * 1.001
