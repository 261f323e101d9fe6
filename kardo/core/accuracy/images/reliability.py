"""How far each target is checked by the rest, what a gross error in it could do unnoticed, and what the plan is without
it.

Baarda, A testing procedure for use in geodetic networks (1968): a gross error is found with 80 % power at a risk of 0.1
% when it is 4.13 times the sigma of the quantity tested. The test is that of one coordinate of one target."""

import math
from typing import NamedTuple

import numpy as np

from kardo.core.accuracy.figures.results import TargetReliability, nullable
from kardo.core.accuracy.images.budget import OnMap
from kardo.core.accuracy.images.misclosures import Misclosures, gram
from kardo.core.arrays import Bools, Floats, triple
from kardo.core.geodesy.confidence import NON_CENTRALITY


def reliability(
    names: tuple[str, ...], targets: Misclosures, on_map: OnMap, variances: Floats
) -> list[TargetReliability]:
    """Of the targets of a solved network, by name; those whose rays do not intersect are left out. on_map holds the
    map's covariances with their misclosures; variances (k, 3) are the map's, NaN where not known.

    V, the covariance of a misclosure predicted without its own target, is R (R - H Q H')^-1 R; a coordinate's error is
    tested with weight (V^-1)_ii, its redundancy is (V^-1)_ii sigma_i^2. What is tested scatters with the lens and
    shutter pattern too, by R^-1 F, which the adjustment does not know of; so an error must be larger to stand out."""
    known: Bools = np.asarray(np.isfinite(variances).all(axis=1))
    inside = gram(targets, targets)
    out = []
    for k in np.flatnonzero(targets.usable):
        at = slice(3 * k, 3 * k + 3)
        own = _Target(targets.noise[k], targets.survey[k], inside[at, at], targets.h_pattern[:, at])
        out.append(_one(names[k], own, on_map.with_misclosures[:, at], on_map.pattern, variances, known))
    return out


class _Target(NamedTuple):
    """One target's R, Sigma and H Q H' (3, 3), and F' (s, 3)."""

    r: Floats
    survey: Floats
    g: Floats
    f: Floats


def _one(name: str, own: _Target, p: Floats, pattern: Floats, variances: Floats, known: Bools) -> TargetReliability:
    r_inverse, sigma = np.linalg.inv(own.r), np.diag(own.survey)
    weight = np.maximum(np.diag(r_inverse @ (own.r - own.g) @ r_inverse), 0.0)
    scatter = np.sqrt(weight + ((own.f @ r_inverse) ** 2).sum(axis=0))
    checked = weight * sigma > 1e-9
    found = np.where(checked, NON_CENTRALITY * scatter / np.where(checked, weight, 1.0), np.inf)
    moved = (p @ r_inverse).reshape(-1, 3, 3)[known]  # d(map point) by d(surveyed coordinate)
    lost_h, lost_v = _lost(own, p, pattern, variances, known)
    effect_h = max(float(np.hypot(moved[:, 0, a], moved[:, 1, a]).max() * found[a]) for a in (0, 1))
    effect_v = float(np.abs(moved[:, 2, 2]).max() * found[2])
    east, north, up = nullable(found)
    return TargetReliability(
        id=name,
        redundancy=triple(weight * sigma),
        found=(east, north, up),
        effect_h=effect_h if math.isfinite(effect_h) else None,
        effect_v=effect_v if math.isfinite(effect_v) else None,
        lost_h=lost_h,
        lost_v=lost_v,
    )


def _lost(
    own: _Target, p: Floats, pattern: Floats, variances: Floats, known: Bools
) -> tuple[float | None, float | None]:
    """Map RMSE when the target is dropped: C + P (R - H Q H')^-1 P', and E + P (R - H Q H')^-1 F in the place of E."""
    left = own.r - own.g
    if np.linalg.eigvalsh(left)[0] < 1e-9 * np.linalg.eigvalsh(own.r)[-1]:
        return None, None
    gain = p @ np.linalg.inv(left)
    more = (gain * p).sum(axis=1)
    more += ((pattern + own.f @ gain.T) ** 2 - pattern**2).sum(axis=0)
    v = (variances + more.reshape(-1, 3))[known].mean(axis=0)
    return math.sqrt(v[0] + v[1]), math.sqrt(v[2])
