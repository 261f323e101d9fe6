"""Figures that every prediction tells, whatever the map is made of: from the errors of the map and of what the checks
will measure."""

import math
from collections import Counter
from collections.abc import Mapping, Sequence

import numpy as np

from kardo.core.accuracy.figures import acceptance
from kardo.core.accuracy.figures.judged import Errors
from kardo.core.accuracy.figures.results import BlindSpot, Ellipse, ErrorMap, Figures, Share, Worst, nullable
from kardo.core.accuracy.figures.standards import standards
from kardo.core.arrays import Floats, Ints
from kardo.core.gnss.shifts import Shift, Source, source_of
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan

CURVE = 40  # checks up to which the worth of the test is told
ALIKE = 0.1  # part by which a check may hold another share of a shift than the map does, and still not see it
BLIND_FROM = 0.05  # share of the variance from which a shift that the checks share is worth a sentence


def rmse(variances: Floats) -> tuple[float, float]:
    """RMSE, radial H and V in metres, from variances (k, 3) east, north, up; NaN rows (not determined) are left out."""
    known = variances[np.isfinite(variances).all(axis=1)]
    if not len(known):
        return float("nan"), float("nan")
    return float(np.sqrt(known[:, :2].sum(axis=1).mean())), float(np.sqrt(known[:, 2].mean()))


def figures(plan: Plan, errors: Errors) -> Figures:
    """What the staff shows: absolute and as-seen RMSE, limits, chance."""
    brief, joint, survey = plan.brief, errors.differences(plan.brief), errors.survey
    rmse_h, rmse_v = rmse(errors.map_variances(plan))
    seen_h, seen_v = rmse(np.diag(joint).reshape(-1, 3)) if len(joint) else (None, None)
    standard = standards()[brief.standard]
    chance = acceptance.chance_to_pass(joint, survey, standard, brief.terms)
    limit_h, limit_v = standard.rmse_limits(brief.terms)
    passing = chance.passing if chance else None
    return Figures(
        rmse_h=rmse_h,
        rmse_v=rmse_v,
        seen_rmse_h=seen_h,
        seen_rmse_v=seen_v,
        limit_h=limit_h,
        limit_v=limit_v if math.isfinite(limit_v) else None,
        chance=passing,
        chance_detail=chance,
    )


def further_checks(plan: Plan, map_e: Floats, map_n: Floats, count: int) -> tuple[ControlPoint, ...]:
    """Checks that could be added, at places of the map (k,) in grid metres, each as far as can be from all control
    before it, observed as the plan's own are."""
    places = np.stack([map_e, map_n], axis=1)
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


def error_map(e: Floats, n: Floats, step: float, images: Ints, variances: Floats) -> ErrorMap:
    """The map sample (k,) in grid metres with how many images, or flight lines, see each, and its predicted errors,
    from variances (k, 3)."""
    h, v = np.sqrt(variances[:, 0] + variances[:, 1]), np.sqrt(variances[:, 2])
    known = np.isfinite(v)

    def worst(values: Floats) -> Worst | None:
        if not known.any():
            return None
        k = int(np.nanargmax(values))
        place = float(e[k]), float(n[k])
        return Worst(float(values[k]), *place, float(np.percentile(values[known], 95)))

    return ErrorMap(
        e=e.tolist(),
        n=n.tolist(),
        step=step,
        h=nullable(h),
        v=nullable(v),
        images=images.tolist(),
        uncovered=int((~known).sum()),
        worst_h=worst(h),
        worst_v=worst(v),
    )


def ellipse(cov: Floats, convergence: float) -> Ellipse:
    """The standard ellipse of a covariance (3, 3) or (2, 2) east and north, along the grid; convergence in radians."""
    values, vectors = np.linalg.eigh(cov[:2, :2])
    azimuth = np.degrees(np.arctan2(vectors[0, 1], vectors[1, 1]) - convergence) % 180
    return Ellipse(float(np.sqrt(values[1])), float(np.sqrt(max(values[0], 0.0))), float(azimuth))


def blind_spots(
    shifts: Sequence[Shift], of_map: Floats, checks: Sequence[Mapping[int, float]], budget: Sequence[Share]
) -> list[BlindSpot]:
    """Every source of some weight that the map rests on together with some or all of the checks, the largest first.
    of_map (s,): how much of each shift the map holds, zero for one that it does not; checks: what each of them does, by
    number. One that holds another part sees the rest."""
    shares = {(s.kind, s.id): s for s in budget}
    blind: Counter[Source] = Counter()
    for held in checks:
        alike = (k for k, share in held.items() if of_map[k] and abs(share / of_map[k] - 1) <= ALIKE)
        blind.update({source_of(shifts[k]) for k in alike})
    found = [spot(shares[source], count) for source, count in blind.items() if source in shares]
    return sorted((s for s in found if s.share >= BLIND_FROM), key=lambda s: -s.share)


def spot(share: Share, checks: int) -> BlindSpot:
    """A source that so many checks share with the map, in the axis where it weighs more."""
    in_height = share.share_v >= share.share_h
    part, sigma = (share.share_v, share.sigma_v) if in_height else (share.share_h, share.sigma_h)
    return BlindSpot(kind=share.kind, id=share.id, in_height=in_height, share=part, sigma=sigma, checks=checks)
