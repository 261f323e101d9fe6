"""The prediction of a scan: the same figures, error surface, chance and budget as of a block of images, from its returns. Source: docs/laser.md."""

import math
import time

import numpy as np

from kardo.core.accuracy.figures import acceptance, effort
from kardo.core.accuracy.figures.effort import Progress
from kardo.core.accuracy.figures.figures import CURVE, blind_spots, ellipse, error_map, figures, further_checks, rmse
from kardo.core.accuracy.figures.heaps import content
from kardo.core.accuracy.figures.judged import Errors, Places, geoid_sigma, heights_of_surface, on_surface, with_added
from kardo.core.accuracy.figures.results import (
    ENGINE,
    BlindSpot,
    ByNewer,
    ControlFigures,
    Figures,
    InOtherState,
    Result,
    Share,
    Size,
    TargetReliability,
    Volume,
    nullable,
)
from kardo.core.accuracy.figures.standards import standards
from kardo.core.accuracy.inputs.places import MAP_POINTS, sample
from kardo.core.accuracy.scan.network import LaserResult
from kardo.core.accuracy.scan.planned import Scanned, scanned_plan
from kardo.core.arrays import Bools, Floats, Ints, triple
from kardo.core.flight.lines.areas import area_polygon, ground_scale, site_polygon
from kardo.core.geodesy.confidence import NON_CENTRALITY
from kardo.core.gnss.shifts import Source, source_of
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan

MOST_LOST = 30  # targets of which each is lost in turn


def predict_scan(plan: Plan, other: InOtherState | None, newer: ByNewer | None, progress: Progress) -> Result:
    """What a plan that scans promises; other: what it promises in its other state, newer: by newer defaults. Raises PlanError where the plan lacks something."""
    started = time.perf_counter()
    progress(effort.LAYING_OUT, 0.0)
    scan = scanned_plan(plan, _further(plan))
    progress(effort.FACTORING, 0.4)
    found = scan.result
    progress(effort.MAP, 0.6)
    errors = _errors(scan, found)
    on_map = errors.map_variances(plan)
    variances = np.full((len(scan.map_at), 3), np.nan)
    variances[scan.map_at >= 0] = on_map
    budget = with_added(_shares(scan, found), errors.of_network(), errors.added(plan))
    progress(effort.CHECKS, 0.8)
    network = scan.looked_at
    result = Result(
        **vars(figures(plan, errors)),
        map=error_map(scan.map_e, scan.map_n, scan.map_step, scan.map_strips, variances),
        hash=plan.hash,
        engine=ENGINE,
        defects=[],
        other=other,
        newer=newer,
        tolerances=standards()[plan.brief.standard].tolerances(plan.brief.terms),
        chance_curve=_chance_curve(scan, found),
        volumes=_volumes(scan, found),
        control=_control_figures(scan, found),
        reliability=_reliability(scan, found, variances),
        sigma_io={},
        left_out=[],
        size=Size(0, len(network.prior), 0),
        budget=budget,
        blind=_blind_spots(scan, budget),
        seconds=time.perf_counter() - started,
    )
    progress(effort.DONE, 1.0)
    return result


def figures_of_scan(plan: Plan) -> Figures:
    """The figures of a plan that scans, without the map. Raises PlanError."""
    scan = scanned_plan(plan)
    return figures(plan, _errors(scan, scan.result))


def joint_of_scan(plan: Plan) -> tuple[list[str], Floats, float]:
    """Ids of the checks that lines see, the joint covariance (3c, 3c) of what they will measure, in the local frame, and that frame's convergence in radians."""
    scan = scanned_plan(plan)
    errors = _errors(scan, scan.result)
    return [p.id for p in _own_checks(scan)[1]], errors.differences(plan.brief), scan.frame.convergence


def _further(plan: Plan) -> tuple[ControlPoint, ...]:
    """Checks that could be added, over a map of the site."""
    if not plan.checks or len(plan.site.boundary) < 3:
        return ()
    e, n, _ = sample(site_polygon(plan), MAP_POINTS)
    return further_checks(plan, e, n, CURVE - len(plan.checks))


def _own_checks(scan: Scanned) -> tuple[Ints, list[ControlPoint]]:
    """Of the plan's checks that lines see: their places among the control that is seen, and themselves."""
    own = {p.id for p in scan.plan.checks}
    which = [k for k, j in enumerate(scan.seen.tolist()) if scan.points[j].role == "check" and scan.points[j].id in own]
    return np.array(which, dtype=np.int64), [scan.points[scan.seen[k]] for k in which]


def _errors(scan: Scanned, found: LaserResult) -> Errors:
    """What the scan says of the map, where it is covered, and of the plan's checks."""
    own, _ = _own_checks(scan)
    count = len(own)
    joint = found.seen[: 3 * count, : 3 * count]
    at = scan.map_at[scan.map_at >= 0]
    return Errors(found.cov[at], scan.map_places, joint, scan.control_total[own], scan.control_places.take(own))


def _groups(scan: Scanned) -> dict[Source, Ints]:
    """Causes of the network by the source that each counts under."""
    sources: list[Source] = [*scan.parameters.sources, *(source_of(shift) for shift in scan.shifts for _ in range(3))]
    return {source: np.flatnonzero([s == source for s in sources]) for source in dict.fromkeys(sources)}


def _shares(scan: Scanned, found: LaserResult) -> list[Share]:
    """Every source's exact part of the mean variance of the map."""
    at = (3 * scan.map_at[scan.map_at >= 0][:, None] + np.arange(3)).ravel()
    causes, tied = found.causes[at] * found.net.prior, found.tied[at]
    parts: dict[Source, Floats] = {
        source: (causes[:, which] ** 2).sum(axis=1) for source, which in _groups(scan).items()
    }
    returns, targets = found.own_shares(at)
    parts["returns", ""] = returns
    parts["ties", ""] = np.einsum("ka,ka->k", tied @ found.tie_noise, tied)
    parts["targets", ""] = targets
    total = np.sum(list(parts.values()), axis=0).reshape(-1, 3)
    all_h, all_v = float(total[:, :2].sum(axis=1).mean()), float(total[:, 2].mean())
    out = []
    for source, part in parts.items():
        each = part.reshape(-1, 3)
        h, v = float(each[:, :2].sum(axis=1).mean()), float(each[:, 2].mean())
        if h > 0 or v > 0:
            out.append(Share(*source, h / all_h, v / all_v, math.sqrt(h), math.sqrt(v)))
    return sorted(out, key=lambda s: -max(s.share_h, s.share_v))


def _chance_curve(scan: Scanned, found: LaserResult) -> list[tuple[int, float, float]]:
    plan = scan.plan
    checks = np.array([k for k, j in enumerate(scan.seen.tolist()) if scan.points[j].role == "check"], dtype=np.int64)
    if not checks.size:
        return []
    joint = found.seen
    if heights_of_surface(plan.brief):
        joint = on_surface(joint, scan.control_places.take(checks))
    own = len(_own_checks(scan)[0])
    standard, terms = standards()[plan.brief.standard], plan.brief.terms
    return acceptance.chance_by_count(joint, scan.control_total[checks], standard, terms, own)


def _volumes(scan: Scanned, found: LaserResult) -> list[Volume]:
    """The whole site, then each area: standard deviation of its mean height and of its volume, and both at 95 %."""
    plan, metre = scan.plan, ground_scale(scan.plan) ** 2
    grounds: list[tuple[str, float, float | None, Ints, Places]] = [
        ("", site_polygon(plan).area / metre, None, scan.map_at, scan.map_places)
    ]
    for area, at, places in zip(plan.site.areas, scan.area_at, scan.area_places, strict=True):
        grounds.append((area.id, area_polygon(area).area / metre, content(plan, area), at, places))
    out = []
    for key, extent, lies, at, places in grounds:
        some = at[at >= 0]
        if not some.size:
            continue
        read = places.reading.ravel() / len(some)  # a volume is of the surface, whatever heights are judged at
        sigma = math.sqrt(float(read @ found.joint(some) @ read) + geoid_sigma(plan) ** 2)
        out.append(Volume.of(key, extent, sigma, lies))
    return out


def _control_figures(scan: Scanned, found: LaserResult) -> list[ControlFigures]:
    """Targets first, then checks: flight lines that see each, its width in spacings of returns, its own sigmas and the map's there."""
    plan, rows = scan.plan, []
    number = {p.id: k for k, p in enumerate(scan.points)}
    at = {scan.points[j].id: k for k, j in enumerate(scan.seen.tolist())}
    own = {c.place: c.sigma for c in (*scan.looked_at.targets, *scan.looked_at.checks)}
    for p in (*plan.targets, *plan.checks):
        k = at.get(p.id)
        strips = int(scan.control_shot.strips[number[p.id]])
        if k is None:
            rows.append(ControlFigures(p.id, strips, 0.0, 0.0, 0.0, None, None, None))
            continue
        cov, sigma = found.cov[k], own[k]
        width = p.width / float(scan.control_places.ground_px[k])
        in_plan = sigma[:2] if np.isfinite(sigma[:2]).all() else scan.control_total[k, :2]
        map_h, map_v = float(np.sqrt(cov[0, 0] + cov[1, 1])), float(np.sqrt(cov[2, 2]))
        shape = ellipse(cov, scan.frame.convergence)
        own_h, own_v = float(np.hypot(*in_plan)), float(sigma[2])
        rows.append(ControlFigures(p.id, strips, width, own_h, own_v, map_h, map_v, shape))
    return rows


def _reliability(scan: Scanned, found: LaserResult, variances: Floats) -> list[TargetReliability]:
    """How far each target is checked by the rest, what a gross error does to the map, and the map without it. A gross error is found with 80 % power at a risk of
    0.1 % when it is 4.13 / sqrt(M_ii), M the weight of the observations among themselves, less what is fitted to them."""
    targets = scan.looked_at.targets
    axes = [(k, int(axis)) for k, t in enumerate(targets) for axis in np.flatnonzero(np.isfinite(t.sigma))]
    weight = _weight(scan, found, [axis for _, axis in axes])
    known: Bools = np.asarray(np.isfinite(variances).all(axis=1), dtype=np.bool_)
    moved = found.moved[(3 * scan.map_at[scan.map_at >= 0][:, None] + np.arange(3)).ravel()]
    by_place = {t.place: k for k, t in enumerate(targets)}
    out = []
    for k, j in enumerate(scan.seen.tolist()):
        point = scan.points[j]
        if point.role != "target":
            continue
        mine = by_place[k]
        redundancy, found_at, effect = np.ones(3), np.full(3, np.inf), [0.0, 0.0, 0.0]
        for row, (target, axis) in enumerate(axes):
            if target != mine:
                continue
            checked = max(float(weight[row, row]), 0.0)
            redundancy[axis] = min(checked * found.variances[row], 1.0)
            if checked > 1e-9 / found.variances[row]:
                found_at[axis] = NON_CENTRALITY / math.sqrt(checked)
            effect[axis] = float(np.abs(moved[:, row]).max()) * found_at[axis]
        lost_h, lost_v = _lost(scan, mine, known) if len(targets) <= MOST_LOST else (None, None)
        east, north, up = nullable(found_at)
        h, v = float(max(effect[:2])), float(effect[2])
        effect_h, effect_v = (x if math.isfinite(x) else None for x in (h, v))
        row_of = TargetReliability(point.id, triple(redundancy), (east, north, up), effect_h, effect_v, lost_h, lost_v)
        out.append(row_of)
    return out


def _weight(scan: Scanned, found: LaserResult, axes: list[int]) -> Floats:
    """M (q, q) of the targets' observations, each of an axis: the inverse of their covariance, less what a height or a shift that is fitted to them takes."""
    inner = found.innovation[: len(axes), : len(axes)]
    if not axes:
        return inner
    weight = np.asarray(np.linalg.inv(inner), dtype=np.float64)
    if scan.looked_at.adjustment not in ("height", "position"):
        return weight
    fitted = np.array([[float(axis == a) for a in sorted(set(axes))] for axis in axes])
    return np.asarray(weight - weight @ fitted @ np.linalg.inv(fitted.T @ weight @ fitted) @ fitted.T @ weight)


def _lost(scan: Scanned, target: int, known: Bools) -> tuple[float | None, float | None]:
    errors = _errors(scan, scan.without(target))
    h, v = rmse(errors.map_variances(scan.plan))
    return (h, v) if known.any() else (None, None)


def _blind_spots(scan: Scanned, budget: list[Share]) -> list[BlindSpot]:
    """What checks are blind to; of each shift the map holds what its returns do, in the mean of those that hold it."""
    own, _ = _own_checks(scan)
    held = scan.looked_at.returns.held
    of_map = held.sum(axis=0) / np.maximum(1, (held != 0).sum(axis=0))
    checks = [
        dict(zip(c.shifts, c.shares.min(axis=1).tolist(), strict=True)) for c in scan.looked_at.checks[: len(own)]
    ]
    return blind_spots(scan.shifts, of_map, checks, budget)
