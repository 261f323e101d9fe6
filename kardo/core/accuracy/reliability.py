"""How far each target is checked by the rest, what a gross error in it could do unnoticed, and what the plan is without it.

Baarda, A testing procedure for use in geodetic networks (1968): a gross error is found with 80 % power at a risk of
0.1 % when it is 4.13 times the sigma of the quantity tested. The test is that of one coordinate of one target.
"""

import math

import numpy as np

from kardo.core.accuracy.misclosures import Misclosures, gram
from kardo.core.accuracy.results import TargetReliability, nullable
from kardo.core.arrays import Bools, Floats

NON_CENTRALITY = 4.13


def reliability(
    names: tuple[str, ...], targets: Misclosures, with_map: Floats, variances: Floats
) -> list[TargetReliability]:
    """Of the targets of a solved network, by name; those whose rays do not intersect are left out.

    with_map (3k, 3m) covariances of the map with the targets' misclosures; variances (k, 3) of the map, NaN where not known.

    V, the covariance of a misclosure predicted without its own target, is R (R - H Q H')^-1 R; a coordinate's error is
    tested with weight (V^-1)_ii, its redundancy is (V^-1)_ii sigma_i^2.
    """
    known: Bools = np.asarray(np.isfinite(variances).all(axis=1))
    inside = gram(targets, targets)
    out = []
    for k in np.flatnonzero(targets.usable):
        at = slice(3 * k, 3 * k + 3)
        of_one = targets.noise[k], targets.survey[k], inside[at, at], with_map[:, at]
        out.append(_one(names[k], *of_one, variances, known))
    return out


def _one(
    name: str, r: Floats, survey: Floats, g: Floats, p: Floats, variances: Floats, known: Bools
) -> TargetReliability:
    r_inverse = np.linalg.inv(r)
    left = r - g
    weight = np.maximum(np.diag(r_inverse @ left @ r_inverse), 0.0)
    checked = weight * np.diag(survey) > 1e-9
    found = np.where(checked, NON_CENTRALITY / np.sqrt(np.where(checked, weight, 1.0)), np.inf)
    moved = (p @ r_inverse).reshape(-1, 3, 3)[known]  # d(map point) by d(surveyed coordinate)
    lost_h, lost_v = _lost(left, r, p, variances, known)
    effect_h = max(float(np.hypot(moved[:, 0, a], moved[:, 1, a]).max() * found[a]) for a in (0, 1))
    effect_v = float(np.abs(moved[:, 2, 2]).max() * found[2])
    east, north, up = nullable(found)
    return TargetReliability(
        name,
        _triple(weight * np.diag(survey)),
        (east, north, up),
        effect_h if math.isfinite(effect_h) else None,
        effect_v if math.isfinite(effect_v) else None,
        lost_h,
        lost_v,
    )


def _lost(left: Floats, r: Floats, p: Floats, variances: Floats, known: Bools) -> tuple[float | None, float | None]:
    """Map RMSE when the target is dropped: C + P (R - H Q H')^-1 P'."""
    if np.linalg.eigvalsh(left)[0] < 1e-9 * np.linalg.eigvalsh(r)[-1]:
        return None, None
    more = np.einsum("ka,ab,kb->k", p, np.linalg.inv(left), p).reshape(-1, 3)
    v = (variances + more)[known].mean(axis=0)
    return math.sqrt(v[0] + v[1]), math.sqrt(v[2])


def _triple(values: Floats) -> tuple[float, float, float]:
    a, b, c = (float(v) for v in values)
    return a, b, c
