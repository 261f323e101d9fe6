"""The prediction: figures, error surface, chance and budget of a plan, from its network."""

import math
import time
from dataclasses import dataclass

import numpy as np

from kardo.core.accuracy import acceptance, effort, normals
from kardo.core.accuracy.budget import OnMap, Share, propagate_to_map
from kardo.core.accuracy.conditions import unmet
from kardo.core.accuracy.defaults import Assumptions
from kardo.core.accuracy.effort import Progress
from kardo.core.accuracy.misclosures import Misclosures, difference_covariance, misclosures
from kardo.core.accuracy.network import Network
from kardo.core.accuracy.planned import Planned, area_polygon, planned_network, site_polygon
from kardo.core.accuracy.reliability import reliability
from kardo.core.accuracy.solution import DefectiveNetwork, Solution, as_seen, solve
from kardo.core.accuracy.standards import VERTICAL_95, standards
from kardo.core.accuracy.volume import mean_height_sigma
from kardo.core.arrays import Floats, Json
from kardo.core.plan.model import Brief, ControlPoint, Plan

ENGINE = 2  # raised whenever the same plan would give other numbers
CURVE = 40  # checks up to which the worth of the test is told


def predict_network(net: Network) -> Json:
    """RESULT.json of a bare network: each point's covariance, the checks' joint covariance, interior sigmas.

    Raises DefectiveNetwork.
    """
    solution = solve(net)
    cov = solution.point_covariances(np.arange(len(net.x)))
    interior = np.sqrt(np.diag(solution.border_covariance())[: 7 * len(net.f_px)])
    return {
        "cov": [None if np.isnan(c).any() else c.tolist() for c in cov],
        "seen": [_nullable(row) for row in as_seen(solution).joint],
        "sigma_io": interior.tolist(),
        "left_out": solution.left_out.tolist(),
        "defects": [],
    }


@dataclass(frozen=True)
class Figures:
    """RMSE over a set of variances: radial H and V, metres."""

    h: float
    v: float


def rmse(variances: Floats) -> Figures:
    """From (k, 3) variances east, north, up; NaN rows (not determined) are left out."""
    known = variances[np.isfinite(variances).all(axis=1)]
    if not len(known):
        return Figures(float("nan"), float("nan"))
    return Figures(float(np.sqrt(known[:, :2].sum(axis=1).mean())), float(np.sqrt(known[:, 2].mean())))


def predict(plan: Plan, progress: Progress = lambda stage, share: None) -> Json:
    """RESULT.json of a plan. Raises PlanError where the plan lacks something, and reports a defect of the network
    under `defects`, without figures."""
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
        return {"hash": plan.hash, "engine": ENGINE, "defects": [d.to_json() for d in fault.defects]}
    progress(effort.MAP, work.share(effort.MAP))
    targets = misclosures(solution, planned.observe(plan, plan.targets))
    on_map = propagate_to_map(
        solution,
        planned.map_points,
        solution.columns(planned.targets),
        targets,
        progress=lambda part: progress(effort.MAP, work.share(effort.MAP, part)),
    )
    progress(effort.CHECKS, work.share(effort.CHECKS))
    variances, seen = map_variances(plan, on_map.covariances), as_seen(solution)
    result = {"hash": plan.hash, "engine": ENGINE, "defects": []}
    result |= figures(plan.brief, variances, seen.measured, planned.network.check_sigma[seen.known])
    result |= {
        "unmet": unmet(plan),
        "tolerances": standards()[plan.brief.standard].tolerances(plan.brief.terms),
        "chance_curve": _chance_curve(plan, planned, solution),
        "volumes": _volumes(plan, planned, solution),
        "map": map_json(planned, variances),
        "control": _control_json(plan, planned, solution),
        "reliability": _reliability_json(plan, targets, on_map, variances),
        "sigma_io": np.sqrt(np.diag(solution.border_covariance())[:7]).tolist(),
        "left_out": solution.left_out.tolist(),
        "size": {
            "exposures": planned.network.n_exposures,
            "order": 6 * len(solution.order) + len(solution.factor.m),
            "half_band": solution.half_band,
        },
        "budget": [s.to_json() for s in on_map.shares],
        "blind": _blind_words(plan, planned, on_map.shares),
    }
    progress(effort.DONE, 1.0)
    result["seconds"] = time.perf_counter() - started
    return result


def map_variances(plan: Plan, covariances: Floats) -> Floats:
    """Variances (k, 3) of the deliverable: the network's, and the geoid model's where heights are orthometric."""
    variances = np.einsum("kaa->ka", covariances).copy()
    variances[:, 2] += _geoid_sigma(plan) ** 2
    return variances


def _geoid_sigma(plan: Plan) -> float:
    return Assumptions(plan.assumptions)["geoid_v"] if plan.brief.heights != "ellipsoidal" else 0.0


def figures(brief: Brief, variances: Floats, joint: Floats, survey: Floats) -> Json:
    """What the staff shows: absolute and as-seen RMSE, limits, chance. variances (k, 3) of the map; joint (3c, 3c) of the
    checks that can be measured, survey (c, 3) their own sigmas."""
    absolute = rmse(variances)
    seen = rmse(np.diag(joint).reshape(-1, 3)) if len(joint) else None
    standard = standards()[brief.standard]
    chance = acceptance.chance_to_pass(joint, survey, standard, brief.terms)
    limit_h, limit_v = standard.rmse_limits(brief.terms)
    return {
        "rmse_h": absolute.h,
        "rmse_v": absolute.v,
        "seen_rmse_h": seen.h if seen else None,
        "seen_rmse_v": seen.v if seen else None,
        "limit_h": limit_h,
        "limit_v": limit_v if math.isfinite(limit_v) else None,
        "chance": chance.passing if chance else None,
        "chance_detail": chance.to_json() if chance else None,
    }


def _chance_curve(plan: Plan, planned: Planned, solution: Solution) -> list[tuple[int, float, float]]:
    """The planned checks, and checks that could be added to them, one after another."""
    if not plan.checks:
        return []
    checks = plan.checks + further_checks(plan, planned, CURVE - len(plan.checks))
    found = misclosures(solution, planned.observe(plan, checks))
    survey = np.sqrt(np.einsum("kaa->ka", found.survey[found.usable]))
    own = int(found.usable[: len(plan.checks)].sum())
    joint = difference_covariance(found.take(found.usable), solution)
    return acceptance.chance_by_count(joint, survey, standards()[plan.brief.standard], plan.brief.terms, own)


def further_checks(plan: Plan, planned: Planned, count: int) -> tuple[ControlPoint, ...]:
    """Checks that could be added, each as far as can be from all control before it, observed as the plan's own are."""
    places = np.stack([planned.map_e, planned.map_n], axis=1)
    taken = np.array([(p.e, p.n) for p in plan.control])
    away = np.min(np.linalg.norm(places[:, None] - taken, axis=2), axis=1)
    out = []
    for k in range(max(0, count)):
        far = int(np.argmax(away))
        like = plan.checks[k % len(plan.checks)]
        e, n = (float(x) for x in places[far])
        out.append(like.model_copy(update={"id": f"further-{k}", "e": e, "n": n, "h": None}))
        away = np.minimum(away, np.linalg.norm(places - places[far], axis=1))
    return tuple(out)


def _volumes(plan: Plan, planned: Planned, solution: Solution) -> list[Json]:
    """The whole site, then each area: standard deviation of its mean height and of its volume, and both at 95 %."""
    geoid = _geoid_sigma(plan)
    places = [
        ("", "the whole site", site_polygon(plan).area, planned.map_points),
        *(
            (a.id, a.name, area_polygon(a).area, points)
            for a, points in zip(plan.areas, planned.area_points, strict=True)
        ),
    ]
    out = []
    for identifier, name, extent, points in places:
        sigma = mean_height_sigma(solution, points)
        if sigma is not None:
            sigma = math.hypot(sigma, geoid)
            row = {"id": identifier, "name": name, "area": extent, "sigma": sigma, "sigma_volume": sigma * extent}
            out.append(row | {"sigma_95": VERTICAL_95 * sigma, "volume_95": VERTICAL_95 * sigma * extent})
    return out


def _reliability_json(plan: Plan, targets: Misclosures, on_map: OnMap, variances: Floats) -> list[Json]:
    found = reliability(targets, on_map.with_misclosures, variances)
    return [{"id": p.id} | r.to_json() for p, r in zip(plan.targets, found, strict=True) if r]


def map_json(planned: Planned, variances: Floats) -> Json:
    h, v = np.sqrt(variances[:, 0] + variances[:, 1]), np.sqrt(variances[:, 2])
    images = np.diff(planned.network.rays.start)[planned.map_points]
    known = np.isfinite(v)

    def place(values: Floats) -> Json | None:
        if not known.any():
            return None
        k = int(np.nanargmax(values))
        return {
            "sigma": float(values[k]),
            "e": float(planned.map_e[k]),
            "n": float(planned.map_n[k]),
            "p95": float(np.nanpercentile(values, 95)),
        }

    return {
        "e": planned.map_e.tolist(),
        "n": planned.map_n.tolist(),
        "step": planned.map_step,
        "h": _nullable(h),
        "v": _nullable(v),
        "images": images.tolist(),
        "uncovered": int((~known).sum()),
        "worst_h": place(h),
        "worst_v": place(v),
    }


def _nullable(values: Floats) -> list[float | None]:
    return [float(x) if np.isfinite(x) else None for x in values]


def _control_json(plan: Plan, planned: Planned, solution: Solution) -> list[Json]:
    which = np.concatenate([planned.targets, planned.checks])
    cov = solution.point_covariances(which)
    images = np.diff(planned.network.rays.start)[which]
    points = [*plan.targets, *plan.checks]
    sigma = np.concatenate([planned.network.sigma_x[planned.targets], planned.network.check_sigma])
    width = {p.id: float(w) for p, w in zip(plan.control, planned.width_px, strict=True)}
    rows = []
    for k, p in enumerate(points):
        known = np.isfinite(cov[k]).all()
        rows.append(
            {
                "id": p.id,
                "images": int(images[k]),
                "width_px": width[p.id],
                "own_h": float(sigma[k, 0]),
                "own_v": float(sigma[k, 2]),
                "map_h": float(np.sqrt(cov[k, 0, 0] + cov[k, 1, 1])) if known else None,
                "map_v": float(np.sqrt(cov[k, 2, 2])) if known else None,
                "ellipse": _ellipse(cov[k], planned.frame.convergence) if known else None,
            }
        )
    return rows


def _ellipse(cov: Floats, convergence: float) -> Json:
    """Standard ellipse of the horizontal error: semi axes in metres, grid azimuth of the major one in degrees."""
    values, vectors = np.linalg.eigh(cov[:2, :2])
    azimuth = np.degrees(np.arctan2(vectors[0, 1], vectors[1, 1]) - convergence) % 180
    return {"major": float(np.sqrt(values[1])), "minor": float(np.sqrt(max(values[0], 0.0))), "azimuth": float(azimuth)}


def _blind_words(plan: Plan, planned: Planned, shares: list[Share]) -> list[str]:
    """What the checks cannot see, in words: every shift that the map hangs on together with some or all of the checks."""
    net = planned.network
    if not plan.checks:
        return ["There are no checks: nothing in this plan would show an error."]
    used = set(net.exposure_shifts.values.tolist()) | set(net.point_shifts.values.tolist())
    by_name = {s.group: s for s in shares}
    words = []
    for s in sorted(used & set(net.check_shifts.values.tolist())):
        name, n = net.shift_names[s], len(plan.checks)
        share = by_name[name]
        if max(share.share_h, share.share_v) < 0.05:
            continue
        hanging = sum(s in net.check_shifts[k] for k in range(n))
        height = share.share_v >= share.share_h
        part, sigma = (share.share_v, share.sigma_v) if height else (share.share_h, share.sigma_h)
        who = "Every check hangs" if hanging == n else f"{hanging} of {n} checks hang"
        words.append(
            f"{'Height' if height else 'Plan'}: {part:.0%} of the variance is {name} (±{sigma * 1000:.0f} mm). {who} on it too, so "
            f"{'no check' if hanging == n else 'only the others'} can see that share."
        )
    return words or ["The checks hang on nothing large that the map hangs on: they see the error as it is."]
