"""Closing a job: the verdict, the comparison with what was predicted, and the block shift."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import binom

from kardo.core.accuracy.figures.acceptance import chance_to_pass
from kardo.core.accuracy.figures.results import Undetermined
from kardo.core.accuracy.figures.standards import SurveyError, standards
from kardo.core.accuracy.jointly import checks_jointly, packed
from kardo.core.accuracy.prediction import predict
from kardo.core.book.entries import Book, book_of
from kardo.core.close.against import LEVEL, against, each_given_the_others, global_test, said_of
from kardo.core.close.closed import as_closed, contradictions
from kardo.core.close.closing import BlockShift, Closing, Outcome, ResidualSet, Waiver, closing_from_json, with_set
from kardo.core.close.record import finding_lines
from kardo.core.close.shift import marks_here, preview, residuals_now, shift_by
from kardo.core.close.verdict import components, verdict
from kardo.core.control.survey import survey
from kardo.core.errors import PlanError
from kardo.core.geodesy.crs import grid
from kardo.core.geodesy.frame import LocalFrame, from_grid
from kardo.core.parts import to_json
from kardo.core.plan.control import Occupation
from kardo.core.plan.stands import Mark, OnSetUp, SetUp
from kardo.core.plan.states import in_state
from kardo.core.practice.catalogue import Finding
from kardo.core.presentation.findings import check_plan
from kardo.demo import demo_plan
from tests.conftest import E0, N0, point, small_plan
from tests.core.test_book import entry, flown, occupied

CLOSINGS = 2000


@pytest.fixture(scope="module")
def demo():
    """The demo, what its checks will measure, and 2,000 closings of it: residuals drawn from the predicted
    covariance."""
    plan = demo_plan("sallow-bank")
    joint = checks_jointly(plan)
    rng = np.random.default_rng(1601)
    root = np.linalg.cholesky(joint.covariance)
    drawn = (rng.standard_normal((CLOSINGS, len(root))) @ root.T).reshape(CLOSINGS, -1, 3)
    return plan, joint, drawn


def by_chance(count, chance, trials=CLOSINGS):
    """Whether so many of the trials are what a chance gives, but for one in ten thousand."""
    low, high = binom.interval(0.9999, trials, chance)
    return low <= count <= high


def residuals(joint, d):
    return {key: tuple(map(float, x)) for key, x in zip(joint.points, d, strict=True)}


def outcomes(plan, d=None, **used):
    """Each point as it was planned, or as said; checks with the differences of d, or none at all."""
    given_ = d or {}
    rows = []
    for p in plan.control:
        use = used.get(p.id, "adjusted" if p.role == "target" else "checked")
        rows.append(Outcome(point=p.id, used=use, d=given_.get(p.id, (0.0, 0.0, 0.0) if use != "unused" else None)))
    return ResidualSet(file="residuals.csv", outcomes=tuple(rows))


def test_what_the_checks_measure_jointly_is_what_the_prediction_says(demo):
    plan, joint, _ = demo
    result = predict(plan)
    variances = np.diag(joint.covariance).reshape(-1, 3)
    assert np.sqrt(variances[:, :2].sum(axis=1).mean()) == pytest.approx(result.seen_rmse_h, rel=1e-9)
    assert np.sqrt(variances[:, 2].mean()) == pytest.approx(result.seen_rmse_v, rel=1e-9)
    assert joint.points == [p.id for p in plan.checks] and joint.hash == plan.hash


def test_the_global_test_rejects_as_often_as_its_level(demo):
    _, joint, drawn = demo
    says = [global_test(d, joint.covariance).says for d in drawn]
    assert by_chance(says.count("worse"), LEVEL / 2) and by_chance(says.count("better"), LEVEL / 2)


def test_a_check_stands_out_given_the_others_as_often_as_its_level(demo):
    _, joint, drawn = demo
    level = LEVEL / len(joint.points)
    found = np.array([[p < level for _, _, p in each_given_the_others(d, joint.covariance)] for d in drawn])
    assert by_chance(int(found.sum()), level, found.size)
    assert not by_chance(int(found.sum()), 3 * level, found.size)


@pytest.mark.parametrize(("h", "v"), [(0.0155, 0.020), (0.0135, 0.030), (0.030, 0.017)])
def test_the_standard_passes_as_often_as_the_chance_said(demo, h, v):
    plan, joint, drawn = demo
    brief = plan.brief.model_copy(update={"tolerance_h": h, "tolerance_v": v})
    plan = plan.model_copy(update={"brief": brief})
    known, standard = survey(plan, plan.checks).total_sigma, standards()[brief.standard]
    told = chance_to_pass(joint.covariance, known, standard, brief.terms)
    assert 0.2 < told.passing < 0.9
    passed = standard.passes(drawn, SurveyError.of(known), brief.terms)
    assert by_chance(int(passed.sum()), told.passing)
    assert [verdict(plan, residuals(joint, d)).passed for d in drawn[:60]] == passed[:60].tolist()


def test_the_chance_of_as_much_or_more_is_even_among_blocks_as_predicted(demo):
    plan, joint, drawn = demo
    chances = np.array([against(plan, residuals(joint, d), joint).larger_v for d in drawn[:200]])
    assert 0.4 < chances.mean() < 0.6 and by_chance(int((chances < 0.1).sum()), 0.1, 200)


def test_a_blunder_at_one_check_stands_out_there_and_nowhere_else(demo):
    plan, joint, drawn = demo
    d = drawn[0].copy()
    k = joint.points.index("K4")
    d[k] += [0.0, 0.0, 0.25]
    found = against(plan, residuals(joint, d), joint)
    assert found.test.says == "worse" and [c.point for c in found.checks if c.stands_out] == ["K4"]
    assert any("K4 stands out" in line for line in found.words)
    assert abs(found.checks[k].expected[2]) < 0.06 < found.checks[k].d[2]


def test_residuals_far_better_than_promised_are_questioned(demo):
    plan, joint, drawn = demo
    found = against(plan, residuals(joint, drawn[0] / 10), joint)
    assert found.test.says == "better" and any("Better than predicted" in line for line in found.words)
    assert found.larger_v > 0.99


def test_a_check_given_the_others_is_the_conditional_normal(demo):
    """The same from the other side: mean and covariance of one block given the rest, by the partitioned covariance."""
    _, joint, drawn = demo
    c, x, k = joint.covariance, drawn[7].ravel(), 2
    own, rest = np.arange(3 * k, 3 * k + 3), np.setdiff1d(np.arange(len(x)), np.arange(3 * k, 3 * k + 3))
    gain = c[np.ix_(own, rest)] @ np.linalg.inv(c[np.ix_(rest, rest)])
    mean, covariance = gain @ x[rest], c[np.ix_(own, own)] - gain @ c[np.ix_(rest, own)]
    departure, sigma, _ = each_given_the_others(drawn[7], c)[k]
    assert departure == pytest.approx(x[own] - mean, rel=1e-9)
    assert sigma == pytest.approx(np.sqrt(np.diag(covariance)), rel=1e-9)


@given(st.integers(1, 6), st.integers(0, 10_000))
def test_the_joint_covariance_comes_back_as_it_was_kept(count, seed):
    rng = np.random.default_rng(seed)
    root = rng.standard_normal((3 * count, 3 * count))
    names = [f"K{k}" for k in range(count)]
    kept = packed(names, root @ root.T, "hash")
    assert np.array_equal(kept.covariance, np.tril(root @ root.T) + np.tril(root @ root.T, -1).T)
    turned = kept.of(names[::-1])
    assert np.array_equal(turned[:3, :3], kept.covariance[-3:, -3:])


def test_residuals_along_the_grid_are_turned_to_true_east_and_north():
    """Held against the frame itself, in a zone whose middle meridian is far: ten metres of grid east and of grid north
    in ENU."""
    system = grid("EPSG:25829", "ellipsoidal")
    e, n = system.from_geodetic(-13.4, 46.3)
    frame = LocalFrame(system, float(e), float(n), 0.0)
    assert abs(frame.convergence) > 0.05
    for column, step in enumerate(((10.0, 0.0), (0.0, 10.0))):
        there = frame.to_enu(np.array([e + step[0]]), np.array([n + step[1]]), np.array([0.0]))[0]
        assert from_grid(frame.convergence)[:2, column] == pytest.approx(there[:2] * frame.scale / 10, abs=1e-5)


DIFFERENCES = st.lists(st.tuples(*[st.floats(-0.2, 0.2)] * 3), min_size=2, max_size=12)


@given(DIFFERENCES)
def test_mean_and_spread_make_up_the_rmse(rows):
    d = np.array(rows)
    found = components([str(k) for k in range(len(d))], d)
    for c in found:
        n = c.n
        assert c.rmse**2 == pytest.approx(c.mean**2 + c.sd**2 * (n - 1) / n, abs=1e-12)
        assert abs(c.worst) >= c.rmse - 1e-12 and abs(c.mean) <= c.rmse + 1e-12
    assert [c.axis for c in found] == ["E", "N", "H", "V"]


def test_figures_of_three_checks_by_hand():
    d = np.array([[0.003, 0.0, 0.012], [0.0, 0.004, 0.006], [-0.003, -0.004, 0.0]])
    e, n, h, v = components(["K1", "K2", "K3"], d)
    assert (v.mean, v.rmse, v.sd) == pytest.approx((0.006, 0.0077460, 0.006), abs=1e-7)
    assert v.mean_95 == pytest.approx(4.30265 * 0.006 / np.sqrt(3), rel=1e-5)  # Student's t of two degrees of freedom
    assert (e.rmse, n.rmse) == pytest.approx((0.00244949, 0.00326599), abs=1e-8)
    assert h.rmse == pytest.approx(np.hypot(e.rmse, n.rmse)) and h.at_95 == pytest.approx(2.4477 * 0.00285774, abs=1e-6)
    assert (v.worst, v.worst_point, h.worst_point, h.worst) == (0.012, "K1", "K3", pytest.approx(0.005))


def test_mean_and_rmse_are_told_apart():
    plan = small_plan()
    shifted = {p.id: (0.0, 0.001 * (-1) ** k, 0.02 + 0.001 * k) for k, p in enumerate(plan.checks)}
    found = verdict(plan, shifted)
    height = next(line for line in found.means if line.startswith("Height"))
    assert "a constant error of 21.5 mm" in height and "would not average out" in height
    even = {p.id: (0.0, 0.0, 0.04 * (-1) ** k) for k, p in enumerate(plan.checks)}
    height = next(line for line in verdict(plan, even).means if line.startswith("Height"))
    assert "no constant error shown" in height and "RMSE is 40.0 mm" in height


def test_the_verdict_is_the_standards_and_says_which_conditions_are_not_met():
    plan = small_plan()
    small = {p.id: (0.001, 0.001, 0.049) for p in plan.checks}
    assert verdict(plan, small).passed
    worse = verdict(plan, small | {"K1": (0.001, 0.001, 0.06)})
    assert worse.h.kept and not worse.v.kept and not worse.passed
    nssda = plan.model_copy(update={"brief": plan.brief.model_copy(update={"standard": "nssda"})})
    strict = verdict(nssda, small)
    assert strict.v.value == pytest.approx(1.96 * 0.049) and not strict.passed
    assert any("4 checks" in line and "20" in line for line in strict.unmet)
    assert verdict(plan, {}) is None


def test_the_plan_as_closed_is_the_plan_edited_by_hand():
    plan = small_plan()
    book = book_of([occupied(k, p.id, k) for k, p in enumerate(plan.control, 1)] + [flown(40, 1, 90, not_fixed=0.8)])
    taken = outcomes(plan, K2="adjusted", G3="unused")
    closed = as_closed(plan, book, Closing(sets=(taken,)))
    flight = plan.flights[0].model_copy(update={"float_sorties": (1,)})
    control = [p for p in plan.control if p.id != "G3"]
    control = [p.model_copy(update={"role": "target"}) if p.id == "K2" else p for p in control]
    hand = plan.model_copy(update={"flights": (flight,), "control": tuple(control)})
    assert predict(closed).rmse_v == predict(hand).rmse_v and len(closed.checks) == 3


def test_what_processing_used_against_the_book_is_told():
    plan = small_plan()
    off = entry(4, 30, kind="set_up", setup="base", mark="A", plummet_on=False, when="after")
    book = book_of([occupied(1, "G1"), entry(2, 5, kind="not_reached", point="K1"), flown(3, 1, 20), off])
    taken = outcomes(plan, G1="unused", K2="adjusted").model_copy(update={"images": 80})
    told = " ".join(contradictions(plan, book, Closing(sets=(taken,))))
    assert "K1 was used, though by the book it was not reached" in told
    assert "K2 was planned as a check and adjusted the block" in told and "G1 was observed and not used" in told
    assert "K3 was used, though the book has no occupation of it" in told
    assert "The book counts 90 images, processing found 80" in told
    assert "The plummet was not on the mark: set-up on A, after the work" in told
    assert contradictions(plan, Book(), Closing()) == []


def test_a_closing_that_does_not_hold_together_is_refused():
    plan = small_plan()
    with pytest.raises(PlanError, match="to be a check and has no residual"):
        closing_from_json({"sets": [{"file": "a", "outcomes": [{"point": "K1", "used": "checked"}]}]})
    twice = {"point": "K1", "used": "unused"}
    with pytest.raises(PlanError, match="two residuals"):
        closing_from_json({"sets": [{"file": "a", "outcomes": [twice, twice]}]})
    with pytest.raises(PlanError, match="no point K9"):
        with_set(plan, Closing(), ResidualSet(file="a", outcomes=(Outcome(point="K9", used="unused"),)))
    with pytest.raises(PlanError, match="up to 100 sets"):
        with_set(plan, Closing(sets=(outcomes(plan),) * 100), outcomes(plan))
    kept = Closing(sets=(outcomes(plan),), waivers=(Waiver(rule="a", reason="because"),))
    assert closing_from_json(to_json(kept)) == kept


def test_an_open_finding_and_a_waived_one():
    usual = {"severity": "stop", "station": "base", "words": "words", "mend": "mend", "object": "marks/A"}
    bare = {"measured": None, "threshold": None, "edits": [], "label": ""}
    found = [Finding(rule=r, **usual, **bare) for r in ("one", "two")]
    lines = finding_lines(found, Closing(waivers=(Waiver(rule="two", object="marks/A", reason="measured again"),)))
    assert [line.waived for line in lines] == ["", "measured again"]


HERE = Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2, known="here")
KNOWN = Mark(id="B", name="B", e=E0 + 250, n=N0 + 60, h=5.0)
SHIFT = BlockShift(
    mark="A",
    e=HERE.e + 1.2,
    n=HERE.n - 0.4,
    h=6.7,
    sigma_h=0.008,
    sigma_v=0.02,
    source="static session, post-processed",
)


def on_here(**changes):
    """The small plan on a base "here"; K4 observed from a mark that is known, K3 from both."""
    other = SetUp(id="other", name="other", mark="B", antenna="disc", readings=(1.8, 1.8))
    base = SetUp(id="base", name="base", mark="A", antenna="disc", readings=(1.8, 1.8))
    plan = small_plan(marks=(HERE, KNOWN), setups=(base, other))
    elsewhere = OnSetUp(setup="other")
    both = (Occupation(), Occupation(after_min=60, positioned_from=elsewhere))
    observed = {"K3": {"occupations": both}, "K4": {"positioned_from": elsewhere}}
    control = tuple(p.model_copy(update=observed.get(p.id, {})) for p in plan.control)
    return plan.model_copy(update={"control": control} | changes)


def test_a_block_shift_moves_the_map_and_all_that_hangs_on_the_mark():
    plan = on_here()
    assert [m.id for m in marks_here(plan)] == ["A"]
    by = shift_by(plan, SHIFT)
    assert by == pytest.approx((1.2, -0.4, 2.5))
    shown = {m.point: m for m in preview(plan, SHIFT, outcomes(plan)).points}
    assert shown["G1"].by == pytest.approx(by) and shown["G1"].d_after == pytest.approx((0, 0, 0))
    assert shown["K1"].by == pytest.approx(by) and shown["K1"].d_after == pytest.approx((0, 0, 0))
    assert shown["K4"].by == pytest.approx((0, 0, 0)) and shown["K4"].d_after == pytest.approx(by)
    part = np.array(shown["K3"].by) / by
    assert (
        (part > 0) & (part < 0.01)
    ).all()  # its mean leans on the base that is known, and hardly on the one that is not


def test_a_check_from_a_known_mark_shows_the_shift_before_and_not_after():
    plan = on_here()
    wrong = {p.id: (0.0, 0.0, 0.0) for p in plan.control} | {"K4": (-1.2, 0.4, -2.5)}
    plain = Closing(sets=(outcomes(plan, wrong),))
    before = {o.point: o.d for o in residuals_now(plan, plain).outcomes}
    assert before["K4"] == (-1.2, 0.4, -2.5)
    shifted = plain.model_copy(update={"shift": SHIFT})
    after = {o.point: o.d for o in residuals_now(plan, shifted).outcomes}
    assert after["K4"] == pytest.approx((0, 0, 0), abs=1e-9)
    assert (
        residuals_now(plan, shifted.model_copy(update={"shift": None})) == plain.judged
    )  # taken back, nothing is left of it


def test_a_mark_taken_here_is_shown_at_the_ground_where_its_height_is_not_typed():
    plan = on_here(marks=(HERE.model_copy(update={"h": None}), KNOWN))
    shown = marks_here(plan)[0]
    assert shown.h == pytest.approx(plan.surface.at(HERE.e, HERE.n)) and shown.h > 1
    assert shift_by(plan, SHIFT)[2] == pytest.approx(SHIFT.h - shown.h)


def test_a_block_shift_mends_what_is_promised_absolutely():
    plan = on_here()
    plain = Closing(sets=(outcomes(plan),))
    before, after = (predict(as_closed(plan, Book(), c)) for c in (plain, plain.model_copy(update={"shift": SHIFT})))
    assert before.rmse_v > 2.5 and after.rmse_v < 0.05
    # Those that rest on the same mark never saw it: without K3 and K4 the checks measure the same before and after.
    alike = outcomes(plan, K3="unused", K4="unused")
    seen = [predict(as_closed(plan, Book(), Closing(sets=(alike,), shift=s))).seen_rmse_v for s in (None, SHIFT)]
    assert seen[0] == pytest.approx(seen[1], rel=0.05)


def test_a_shift_that_is_only_planned_is_not_taken_for_applied():
    """Promised once shifted; closed before anybody shifted it, the figures are those as taken."""
    plan = in_state(on_here(marks=(HERE.model_copy(update={"shift_hours": 4.0}), KNOWN)), "shifted")
    assert predict(plan).rmse_v < 0.05
    assert predict(as_closed(plan, Book(), Closing(sets=(outcomes(plan),)))).rmse_v > 2.5


def test_a_block_that_hangs_on_two_things_cannot_be_shifted():
    plan = on_here()
    mixed = plan.model_copy(
        update={"control": (*plan.control, point("G6", 100, 100, positioned_from=OnSetUp(setup="other")))}
    )
    with pytest.raises(PlanError, match="G6 is not positioned from A") as refused:
        shift_by(mixed, SHIFT)
    assert "process again" in refused.value.mend
    with pytest.raises(PlanError, match="not ones taken “here”"):
        shift_by(plan, SHIFT.model_copy(update={"mark": "B"}))
    free = plan.model_copy(
        update={"flights": (plan.flights[0].model_copy(update={"positioned_from": OnSetUp(setup="other")}),)}
    )
    with pytest.raises(PlanError, match="main flight is not positioned from A"):
        shift_by(free, SHIFT)


def test_a_block_without_its_datum_is_not_compared():
    """No positions and two targets: nothing is determined, and that is said instead of figures."""
    plan = small_plan(flight={"corrections": "none", "state": "code"})
    bare = plan.model_copy(update={"control": plan.checks})
    found = checks_jointly(bare)
    assert isinstance(found, Undetermined) or len(found.points) == 4


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10_000), st.floats(0.2, 5.0))
def test_the_tests_do_not_depend_on_the_unit(seed, scale):
    rng = np.random.default_rng(seed)
    root = rng.standard_normal((9, 9))
    c, d = root @ root.T + np.eye(9), rng.standard_normal((3, 3))
    one, other = global_test(d, c), global_test(d * scale, c * scale**2)
    assert one.value == pytest.approx(other.value, rel=1e-8) and one.says == other.says


def test_a_check_that_stands_out_and_a_failed_global_test_are_stops_before_signing():
    """-121 mm stood under one view and nowhere else, and the survey was signed over it."""
    plan = small_plan()
    joint = checks_jointly(plan)
    quiet = {key: (0.0, 0.0, 0.0) for key in joint.points}
    odd = against(plan, quiet | {joint.points[0]: (0.0, 0.0, -0.121)}, joint)
    closed = said_of(odd, "m")
    assert [one.id for one in closed.outside] == [
        joint.points[0]
    ] and "up more than they make expect" in closed.outside[0].words
    assert closed.worse.startswith("Global test:")
    lines = [f for f in check_plan(plan, None, closed=closed) if f.rule.startswith("closed-")]
    assert {f.severity for f in lines} == {"stop"} and len(lines) == 2 and {f.waives for f in lines} == {"signer"}
    assert f"control/{joint.points[0]}" in {f.object for f in lines}
    calm = said_of(against(plan, {key: (0.002, -0.003, 0.004) for key in joint.points}, joint), "m")
    assert not [f for f in check_plan(plan, None, closed=calm) if f.rule == "closed-outlier"]


def test_a_block_shift_typed_with_an_ellipsoidal_height_closes_on_the_jobs_own():
    plan = on_here()
    plan = plan.model_copy(update={"brief": plan.brief.model_copy(update={"heights": "EPSG:5773"})})
    n = float(plan.grid.separation(SHIFT.e, SHIFT.n))
    typed = SHIFT.model_copy(update={"h": SHIFT.h + n, "heights": "ellipsoidal"})
    assert shift_by(plan, typed) == pytest.approx((1.2, -0.4, 2.5))
    closed = as_closed(plan, Book(), Closing(sets=(outcomes(plan),), shift=typed))
    assert closed.mark("A").h == pytest.approx(SHIFT.h) and closed.mark("A").known == "published"
