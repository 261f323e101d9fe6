"""The catalogue of standards: constants as published, statistics by hand, and how chance and conditions follow."""

import re
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.accuracy.figures.acceptance import chance_by_count, chance_to_pass
from kardo.core.accuracy.figures.conditions import control_rmse, unmet
from kardo.core.accuracy.figures.standards import SurveyError, Terms, standards
from kardo.core.accuracy.prediction import predict
from kardo.core.plan.brief import Brief
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.summary import summary
from tests.conftest import point, small_plan

NONE = SurveyError(0.0, 0.0)
TERMS = Terms(0.03, 0.05)


def differences(*rows):
    return np.array([rows], dtype=float)


def test_nssda_by_its_published_constants():
    """1.7308 RMSE_r and 1.9600 RMSE_z; unequal components by 2.4477 x 0.5 (RMSE_x + RMSE_y)."""
    nssda = standards()["nssda"]
    d = np.tile([0.01, 0.01, 0.02], (1, 20, 1))
    h, v = nssda.statistics(d, NONE, TERMS)
    assert h[0] == pytest.approx(1.7308 * np.hypot(0.01, 0.01), rel=1e-4)
    assert v[0] == pytest.approx(1.96 * 0.02)
    unequal = np.tile([0.01, 0.03, 0.0], (1, 20, 1))
    assert nssda.statistics(unequal, NONE, TERMS)[0][0] == pytest.approx(2.4477 * 0.02)
    assert nssda.rmse_limits(Terms(0.017308, 0.0196)) == (pytest.approx(0.01, rel=1e-4), pytest.approx(0.01))
    assert (nssda.least_checks, nssda.quadrant_share, nssda.spacing) == (20, 0.2, 0.1)


def test_asprs_adds_the_check_survey_in_quadrature():
    asprs = standards()["asprs_2023"]
    d = np.tile([0.003, 0.004, 0.02], (1, 30, 1))
    h, v = asprs.statistics(d, SurveyError(0.012, 0.015), TERMS)
    assert (h[0], v[0]) == (pytest.approx(0.013), pytest.approx(0.025))
    assert (asprs.least_checks, asprs.control_factor) == (30, 2.0)
    survey = SurveyError.of(np.tile([0.003, 0.004, 0.01], (5, 1)))
    assert (survey.h, survey.v) == (pytest.approx(0.005), pytest.approx(0.01))


def test_per_point_limit_is_the_error_the_share_stays_inside():
    rule = standards()["per_point"]
    d = np.zeros((1, 10, 3))
    d[0, :, 2] = np.arange(10) / 100
    assert rule.statistics(d, NONE, Terms(1, 1, 0.9))[1][0] == pytest.approx(0.08)
    assert rule.statistics(d, NONE, Terms(1, 1, 0.91))[1][0] == pytest.approx(0.09), "nine of ten are too few for 91 %"
    h, v = rule.rmse_limits(Terms(0.1, 0.1, 0.95))
    assert h == pytest.approx(0.1 / 1.7308, rel=1e-4), "a circle that holds 95 % is 1.7308 RMSE_r"
    assert v == pytest.approx(0.1 / 1.96, rel=1e-4)


def test_contour_interval_asks_nine_of_ten_within_half_of_it():
    rule = standards()["contour"]
    assert rule.rmse_limits(Terms(0.03, 9, interval=0.5)) == (0.03, pytest.approx(0.5 / 3.2898))
    z = np.random.default_rng(1).normal(0, 0.5 / 3.2898, 200_000)
    assert (np.abs(z) < 0.25).mean() == pytest.approx(0.9, abs=0.003)


def test_volume_judges_the_mean_and_says_what_a_mean_hides():
    rule = standards()["volume"]
    d = differences([0, 0, 0.2], [0, 0, -0.2], [0, 0, 0.03])
    assert rule.statistics(d, NONE, TERMS)[1][0] == pytest.approx(0.01)
    assert "plus cancel minus" in rule.silent
    assert rule.rmse_limits(TERMS)[1] == np.inf


@pytest.mark.parametrize("name", standards())
def test_every_standard_names_publisher_edition_clause_and_what_it_leaves_unsaid(name):
    rule = standards()[name]
    assert all((rule.publisher, rule.edition, rule.clause, rule.statistic_h, rule.statistic_v))
    assert len(rule.silent) > 40 and rule.least_checks > 0


@settings(max_examples=20, deadline=None)
@given(st.sampled_from(list(standards())), st.integers(2, 30), st.floats(0.2, 3.0))
def test_larger_errors_never_pass_more_often(name, checks, factor):
    rule = standards()[name]
    joint, survey = np.eye(3 * checks) * 0.02**2, np.full((checks, 3), 0.005)
    small, large = (chance_to_pass(joint * f**2, survey, rule, TERMS).passing for f in (1.0, 1.0 + factor))
    assert large <= small + 0.01
    assert 0 <= large <= 1


def test_independent_errors_at_the_tolerance_pass_about_half_the_time():
    """The mean of the squares of n normals is below its expectation slightly more often than not (chi-squared)."""
    from scipy.stats import chi2

    n = 20
    joint = np.diag(np.tile([1e-12, 1e-12, 0.05**2], n))
    chance = chance_to_pass(joint, np.zeros((n, 3)), standards()["user_rmse"], TERMS)
    assert chance.passing == pytest.approx(chi2.cdf(n, n), abs=4 * chance.uncertainty)


def test_more_checks_make_the_rmse_found_less_uncertain():
    joint = np.diag(np.tile([0.02**2, 0.02**2, 0.04**2], 40))
    curve = chance_by_count(joint, np.full((40, 3), 0.01), standards()["user_rmse"], TERMS, planned=8)
    assert [n for n, _, _ in curve] == list(range(1, 41))
    spread = {n: s for n, _, s in curve}
    # an RMSE of n independent errors scatters by about 1 / sqrt(2 n)
    assert spread[8] == pytest.approx(1 / 4, rel=0.1)
    assert spread[32] == pytest.approx(1 / 8, rel=0.1)


def test_what_checks_share_does_not_average_out():
    shared = np.zeros((120, 120))
    shared[2::3, 2::3] = 0.03**2
    joint = shared + np.eye(120) * 0.01**2
    curve = chance_by_count(joint, np.full((40, 3), 0.01), standards()["user_rmse"], TERMS, planned=40)
    assert curve[-1][2] > 0.5


def test_the_curve_of_a_plan_goes_on_beyond_its_own_checks():
    result = predict(small_plan())
    assert len(result.chance_curve) == 40 > len(small_plan().checks)


def plan_with(standard, checks, **brief):
    plan = small_plan(brief=Brief(crs="EPSG:25828", standard=standard, **brief))
    control = [p for p in plan.control if p.role == "target"] + [
        point(f"K{k}", x, y) for k, (x, y) in enumerate(checks)
    ]
    return plan.model_copy(update={"control": tuple(control)})


def test_conditions_of_number_quadrants_and_spacing():
    grid = [(20 + 40 * (k % 5), 15 + 30 * (k // 5)) for k in range(20)]
    assert unmet(plan_with("nssda", grid)) == []
    west = [(x * 0.4, y) for x, y in grid]
    words = " ".join(unmet(plan_with("nssda", west)))
    assert "quadrant holds 0 %" in words and "m apart" in words
    assert "3 checks" in unmet(plan_with("nssda", grid[:3]))[0]


def test_asprs_asks_for_control_twice_as_good():
    grid = [(20 + 30 * (k % 6), 15 + 20 * (k // 6)) for k in range(30)]
    assert unmet(plan_with("asprs_2023", grid, tolerance_h=0.06, tolerance_v=0.08)) == []
    tight = unmet(plan_with("asprs_2023", grid, tolerance_h=0.02, tolerance_v=0.02))
    assert len(tight) == 2 and "height" in tight[1]
    h, v = control_rmse(small_plan(), small_plan().targets)
    assert h > 0.01 * np.sqrt(2) and v > 0.015, "the mark's own error is part of the control's"


def test_a_field_that_the_standard_does_not_use_promises_nothing():
    """Contours of a metre with 20 mm left over in a field that the form hides: 304 mm are allowed, and nobody is asked
    to be good to 10."""
    plan = plan_with("contour", [(50, 30), (150, 90)], contour_interval=1.0, tolerance_v=0.02)
    told = " ".join(f.words for f in check_plan(plan, None))
    assert "20.0 mm in height are promised" not in told and "10.0 mm is wanted of it" not in told
    assert summary(plan).limits.held_v == pytest.approx(0.30397, abs=1e-4)


def test_nobody_but_the_brief_and_the_standards_reads_the_typed_tolerances():
    """Who wants to know asks `held_to`; tests and demo plans may type them."""
    own = {"kardo/core/plan/brief.py", "kardo/core/plan/upgrades.py"}
    root = Path(__file__).parents[2]
    sources = [*(root / "kardo").rglob("*.py"), *(root / "web/src").rglob("*.ts*")]
    read = re.compile(r"\.tolerance_[hv]\b")
    who = {str(f.relative_to(root)) for f in sources if read.search(f.read_text())} - own
    assert who == {"web/src/stations/brief/BriefTray.tsx"}
