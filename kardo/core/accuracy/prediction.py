"""The prediction of a plan: its survey by whatever it is flown with, judged and told."""

import time
from collections.abc import Callable

import numpy as np

from kardo.core.accuracy.equation.network import Network
from kardo.core.accuracy.equation.solution import DefectiveNetwork, as_seen, solve
from kardo.core.accuracy.figures.effort import Progress
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.figures.results import ENGINE, ByNewer, Figures, InOtherState, Result, Undetermined, nullable
from kardo.core.accuracy.figures.survey import Survey, assembled
from kardo.core.accuracy.images.survey import image_survey
from kardo.core.accuracy.scan.survey import scan_survey
from kardo.core.arrays import Json
from kardo.core.plan.assumptions import CURRENT_EDITION
from kardo.core.plan.model import Plan
from kardo.core.plan.states import OTHER, in_state, to_shift

SURVEYS: dict[str, Callable[..., Survey]] = {"images": image_survey, "scan": scan_survey}  # by what makes the map


def predict_network(net: Network) -> Json:
    """RESULT.json of a bare network: each point's covariance, the checks' joint covariance, interior sigmas.

    Raises DefectiveNetwork."""
    solution = solve(net)
    cov = solution.point_covariances(np.arange(len(net.x)))
    interior = np.sqrt(np.diag(solution.border_covariance())[: 7 * len(net.f_px)])
    return {
        "cov": [None if np.isnan(c).any() else c.tolist() for c in cov],
        "seen": [nullable(row) for row in as_seen(solution).joint],
        "sigma_io": interior.tolist(),
        "left_out": solution.left_out.tolist(),
        "defects": [],
    }


def predict(plan: Plan, progress: Progress = lambda stage, share: None) -> Result | Undetermined:
    """What a plan promises. Raises PlanError where the plan lacks something; a defect of the network is told in words,
    without figures."""
    started = time.perf_counter()
    try:
        survey = SURVEYS[plan.mapped_by](plan, progress)
    except DefectiveNetwork as fault:
        return Undetermined(plan.hash, ENGINE, fault.defects)
    return assembled(plan, survey, _in_other_state(plan), _by_newer(plan), started, progress)


def survey_of(plan: Plan) -> Survey:
    """A plan's survey, adjusted. Raises PlanError, DefectiveNetwork."""
    return SURVEYS[plan.mapped_by](plan)


def figures_of(plan: Plan) -> Figures:
    """The figures of a plan from a computation of their own, without the map. Raises PlanError, DefectiveNetwork."""
    return figures(plan, survey_of(plan).errors())


def _in_other_state(plan: Plan) -> InOtherState | None:
    """What a plan with a base taken "here" promises in the state that it is not shown in; None where it has but one."""
    if not to_shift(plan):
        return None
    state = OTHER[plan.brief.state]
    found = figures_of(in_state(plan, state))
    return InOtherState(
        state=state,
        rmse_h=found.rmse_h,
        rmse_v=found.rmse_v,
        seen_rmse_h=found.seen_rmse_h,
        seen_rmse_v=found.seen_rmse_v,
        chance=found.chance,
    )


def _by_newer(plan: Plan) -> ByNewer | None:
    """What a plan that rests on older defaults promises by the newest; None where it rests on those, or they leave it a
    defect."""
    if plan.assumptions.edition == CURRENT_EDITION:
        return None
    newest = plan.assumptions.model_copy(update={"edition": CURRENT_EDITION})
    try:
        found = figures_of(plan.model_copy(update={"assumptions": newest}))
    except DefectiveNetwork:
        return None
    return ByNewer(CURRENT_EDITION, found.rmse_h, found.rmse_v, found.chance)
