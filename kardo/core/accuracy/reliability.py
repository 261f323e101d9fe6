"""How far each target is checked by the rest, what a gross error in it could do unnoticed, and what the plan is without it.

Baarda, A testing procedure for use in geodetic networks (1968): a gross error is found with 80 % power at a risk of
0.1 % when it is 4.13 times the sigma of the quantity tested. The test is that of one coordinate of one target.
"""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.accuracy.misclosures import Misclosures, gram
from kardo.core.arrays import Bools, Floats, Json

NON_CENTRALITY = 4.13


@dataclass(frozen=True)
class Reliability:
    """One target, metres. redundancy (3,) of its surveyed coordinates, 0 (nothing checks it) to 1; found (3,) the smallest
    gross error that the test finds, infinite where nothing checks it; effect_h and effect_v, what an error of that size in
    plan or in height does to the worst map point. lost_h and lost_v: map RMSE with this target lost; None where the
    network is not determined without it."""

    redundancy: tuple[float, float, float]
    found: tuple[float, float, float]
    effect_h: float
    effect_v: float
    lost_h: float | None
    lost_v: float | None

    def to_json(self) -> Json:
        """Infinite figures as None."""
        return {
            "redundancy": self.redundancy,
            "found": [x if math.isfinite(x) else None for x in self.found],
            "effect_h": self.effect_h if math.isfinite(self.effect_h) else None,
            "effect_v": self.effect_v if math.isfinite(self.effect_v) else None,
            "lost_h": self.lost_h,
            "lost_v": self.lost_v,
        }


def reliability(targets: Misclosures, with_map: Floats, variances: Floats) -> list[Reliability | None]:
    """For each target of a solved network; None for one whose rays do not intersect.

    with_map (3k, 3m) covariances of the map with the targets' misclosures; variances (k, 3) of the map, NaN where not known.

    V, the covariance of a misclosure predicted without its own target, is R (R - H Q H')^-1 R; a coordinate's error is
    tested with weight (V^-1)_ii, its redundancy is (V^-1)_ii sigma_i^2.
    """
    known: Bools = np.asarray(np.isfinite(variances).all(axis=1))
    inside = gram(targets, targets)
    out: list[Reliability | None] = []
    for k in range(len(targets)):
        at = slice(3 * k, 3 * k + 3)
        if not targets.usable[k]:
            out.append(None)
            continue
        out.append(_one(targets.noise[k], targets.survey[k], inside[at, at], with_map[:, at], variances, known))
    return out


def _one(r: Floats, survey: Floats, g: Floats, p: Floats, variances: Floats, known: Bools) -> Reliability:
    r_inverse = np.linalg.inv(r)
    left = r - g
    weight = np.maximum(np.diag(r_inverse @ left @ r_inverse), 0.0)
    checked = weight * np.diag(survey) > 1e-9
    found = np.where(checked, NON_CENTRALITY / np.sqrt(np.where(checked, weight, 1.0)), np.inf)
    moved = (p @ r_inverse).reshape(-1, 3, 3)[known]  # d(map point) by d(surveyed coordinate)
    lost_h, lost_v = _lost(left, r, p, variances, known)
    return Reliability(
        _triple(weight * np.diag(survey)),
        _triple(found),
        float(max(np.hypot(moved[:, 0, a], moved[:, 1, a]).max() * found[a] for a in (0, 1))),
        float(np.abs(moved[:, 2, 2]).max() * found[2]),
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
