"""The prediction: figures, error surface, chance and budget of a plan, from its network."""

import math
import time

import numpy as np

from kardo.core.accuracy.equation import normals
from kardo.core.accuracy.equation.network import Network
from kardo.core.accuracy.equation.solution import DefectiveNetwork, SeenByChecks, Solution, as_seen, solve
from kardo.core.accuracy.equation.volume import mean_height_sigma
from kardo.core.accuracy.figures import acceptance, effort
from kardo.core.accuracy.figures.effort import Progress
from kardo.core.accuracy.figures.figures import (
    BLIND_FROM,
    CURVE,
    blind_spots,
    ellipse,
    error_map,
    figures,
    further_checks,
    spot,
)
from kardo.core.accuracy.figures.heaps import content
from kardo.core.accuracy.figures.judged import Errors, geoid_sigma, heights_of_surface, on_surface, with_added
from kardo.core.accuracy.figures.results import (
    ENGINE,
    BlindSpot,
    ByNewer,
    ControlFigures,
    ErrorMap,
    Figures,
    InOtherState,
    Result,
    Share,
    Size,
    Undetermined,
    Volume,
    nullable,
)
from kardo.core.accuracy.figures.standards import standards
from kardo.core.accuracy.images.budget import propagate_to_map
from kardo.core.accuracy.images.misclosures import difference_covariance, misclosures
from kardo.core.accuracy.images.planned import Planned, planned_network
from kardo.core.accuracy.images.reliability import reliability
from kardo.core.accuracy.scan.prediction import figures_of_scan, predict_scan
from kardo.core.arrays import Floats, Json
from kardo.core.flight.lines.areas import area_polygon, ground_scale, site_polygon
from kardo.core.gnss.shifts import GRADIENT
from kardo.core.plan.assumptions import CURRENT_EDITION
from kardo.core.plan.model import Plan
from kardo.core.plan.states import OTHER, in_state, to_shift


def predict_network(net: Network) -> Json:
    """RESULT.json of a bare network: each point's covariance, the checks' joint covariance, interior sigmas.

    Raises DefectiveNetwork.
    """
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
    if plan.scans:
        return predict_scan(plan, _in_other_state(plan), _by_newer(plan), progress)
    started = time.perf_counter()
    progress(effort.LAYING_OUT, 0.0)
    planned = planned_network(plan)
    net = planned.network
    progress(effort.FORMING, 0.02)
    formed = normals.form(net)
    work = effort.Effort(
        len(net.rays.values), len(formed.band), formed.half_band, len(planned.map_points), len(plan.checks)
    )
    progress(effort.FACTORING, work.share(effort.FACTORING))
    try:
        solution = solve(net, formed)
    except DefectiveNetwork as fault:
        return Undetermined(plan.hash, ENGINE, fault.defects)
    progress(effort.MAP, work.share(effort.MAP))
    targets = misclosures(solution, planned.observe(plan, plan.targets))
    on_map = propagate_to_map(
        solution,
        planned.map_points,
        solution.columns(planned.targets, delivered=False),
        targets,
        progress=lambda part: progress(effort.MAP, work.share(effort.MAP, part)),
    )
    progress(effort.CHECKS, work.share(effort.CHECKS))
    errors = errors_of(planned, on_map.covariances, as_seen(solution))
    variances = errors.map_variances(plan)
    budget = with_added(on_map.shares, errors.of_network(), errors.added(plan))
    border = np.sqrt(np.diag(solution.border_covariance()))
    result = Result(
        **vars(figures(plan, errors)),
        map=map_of(planned, variances),
        hash=plan.hash,
        engine=ENGINE,
        defects=[],
        other=_in_other_state(plan),
        newer=_by_newer(plan),
        tolerances=standards()[plan.brief.standard].tolerances(plan.brief.terms),
        chance_curve=_chance_curve(plan, planned, solution),
        volumes=_volumes(plan, planned, solution),
        control=_control_figures(plan, planned, solution),
        reliability=reliability(tuple(p.id for p in plan.targets), targets, on_map, variances),
        sigma_io={camera: border[7 * k : 7 * k + 7].tolist() for k, camera in enumerate(net.cameras)},
        left_out=solution.left_out.tolist(),
        size=Size(net.n_exposures, 6 * len(solution.order) + len(solution.factor.m), solution.half_band),
        budget=budget,
        blind=_blind_spots(planned, budget),
        seconds=time.perf_counter() - started,
    )
    progress(effort.DONE, 1.0)
    return result


def figures_of(plan: Plan) -> Figures:
    """The figures of a plan from a computation of their own, without the map. Raises PlanError, DefectiveNetwork."""
    if plan.scans:
        return figures_of_scan(plan)
    planned = planned_network(plan)
    solution = solve(planned.network)
    return figures(plan, errors_of(planned, solution.point_covariances(planned.map_points), as_seen(solution)))


def map_of(planned: Planned, variances: Floats) -> ErrorMap:
    """The map sample with its predicted errors, from variances (k, 3)."""
    images = np.diff(planned.network.rays.start)[planned.map_points]
    return error_map(planned.map_e, planned.map_n, planned.map_step, images, variances)


def _in_other_state(plan: Plan) -> InOtherState | None:
    """What a plan with a base taken "here" promises in the state that it is not shown in; None where it has but one."""
    if not to_shift(plan):
        return None
    state = OTHER[plan.brief.state]
    found = figures_of(in_state(plan, state))
    return InOtherState(state, found.rmse_h, found.rmse_v, found.seen_rmse_h, found.seen_rmse_v, found.chance)


def _by_newer(plan: Plan) -> ByNewer | None:
    """What a plan that rests on older defaults promises by the newest; None where it rests on those, or they leave it a defect."""
    if plan.assumptions.edition == CURRENT_EDITION:
        return None
    newest = plan.assumptions.model_copy(update={"edition": CURRENT_EDITION})
    try:
        found = figures_of(plan.model_copy(update={"assumptions": newest}))
    except DefectiveNetwork:
        return None
    return ByNewer(CURRENT_EDITION, found.rmse_h, found.rmse_v, found.chance)


def errors_of(planned: Planned, covariances: Floats, seen: SeenByChecks) -> Errors:
    """What a solved network says of the map, covariances (k, 3, 3), and of the checks."""
    checks = np.array([p.role == "check" for p in planned.plan.control], dtype=bool)
    at_checks = planned.control.take(np.flatnonzero(checks)[seen.known])
    return Errors(covariances, planned.map_places, seen.measured, at_checks.total_sigma, at_checks.places)


def _chance_curve(plan: Plan, planned: Planned, solution: Solution) -> list[tuple[int, float, float]]:
    """The planned checks, and checks that could be added to them, one after another."""
    if not plan.checks:
        return []
    checks = plan.checks + further_checks(plan, planned.map_e, planned.map_n, CURVE - len(plan.checks))
    control = planned.observe(plan, checks)
    found = misclosures(solution, control)
    own = int(found.usable[: len(plan.checks)].sum())
    joint, measured = (
        difference_covariance(found.take(found.usable), solution),
        control.take(np.flatnonzero(found.usable)),
    )
    if heights_of_surface(plan.brief):
        joint = on_surface(joint, measured.places)
    standard, terms = standards()[plan.brief.standard], plan.brief.terms
    return acceptance.chance_by_count(joint, measured.total_sigma, standard, terms, own)


def _volumes(plan: Plan, planned: Planned, solution: Solution) -> list[Volume]:
    """The whole site, then each area: standard deviation of its mean height and of its volume, and both at 95 %."""
    metre = ground_scale(plan) ** 2
    whole: tuple[str, float, float | None] = ("", site_polygon(plan).area / metre, None)
    grounds = [(whole, planned.map_points, planned.map_places)]
    for area, points, places in zip(plan.site.areas, planned.area_points, planned.area_places, strict=True):
        grounds.append(((area.id, area_polygon(area).area / metre, content(plan, area)), points, places))
    out = []
    for (key, extent, lies), points, places in grounds:
        sigma = mean_height_sigma(solution, points, places.reading)
        if sigma is not None:
            noise = places.mean_noise(extent, plan.assume["surface_length_px"])
            sigma = math.sqrt(sigma**2 + noise + geoid_sigma(plan) ** 2)
            out.append(Volume.of(key, extent, sigma, lies))
    return out


def _control_figures(plan: Plan, planned: Planned, solution: Solution) -> list[ControlFigures]:
    which = np.concatenate([planned.targets, planned.checks])
    cov = solution.point_covariances(which)
    images = np.diff(planned.network.rays.start)[which]
    sigma = np.concatenate([planned.network.sigma_x[planned.targets], planned.network.check_sigma])
    width = {p.id: float(w) for p, w in zip(plan.control, planned.control.width_px, strict=True)}
    rows = []
    for k, p in enumerate((*plan.targets, *plan.checks)):
        known = bool(np.isfinite(cov[k]).all())
        map_h = float(np.sqrt(cov[k, 0, 0] + cov[k, 1, 1])) if known else None
        map_v = float(np.sqrt(cov[k, 2, 2])) if known else None
        shape = ellipse(cov[k], planned.frame.convergence) if known else None
        own = float(np.hypot(*sigma[k, :2])), float(sigma[k, 2])
        rows.append(ControlFigures(p.id, int(images[k]), width[p.id], *own, map_h, map_v, shape))
    return rows


def _blind_spots(planned: Planned, budget: list[Share]) -> list[BlindSpot]:
    """What checks are blind to; of a base's gradients, held by the kilometre, the map holds what its exposures do, in the mean."""
    net = planned.network
    held = np.concatenate([net.exposure_shifts.values, net.point_shifts.values])
    of_map = np.bincount(held, minlength=len(net.shifts)).clip(max=1).astype(float)
    for k, shift in enumerate(net.shifts):
        if shift.kind in GRADIENT:
            of_map[k] = net.exposure_shares[net.exposure_shifts.values == k, 0, 0].sum() / max(1, net.n_exposures)
    least = np.einsum("qaa->qa", net.check_shares).min(axis=1, initial=np.inf)
    checks = [
        dict(zip(net.check_shifts[c].tolist(), least[net.check_shifts.places(np.array([c]))].tolist(), strict=True))
        for c in range(len(net.check_point))
    ]
    spots = blind_spots(net.shifts, of_map, checks, budget)
    calibration = next((s for s in budget if s.kind == "local"), None)
    if calibration and not net.check_delivered.all():
        spots.append(spot(calibration, int((~net.check_delivered).sum())))
    return sorted((s for s in spots if s.share >= BLIND_FROM), key=lambda s: -s.share)
