"""The chance that the planned checks will find the product inside its tolerance."""

from functools import lru_cache
from typing import Any

import numpy as np

from kardo.core.accuracy.figures.results import Chance, Histogram
from kardo.core.accuracy.figures.standards import Standard, SurveyError
from kardo.core.arrays import Floats
from kardo.core.plan.brief import Terms

DRAWS, SEED, BINS = 20_000, 1972, 40


def draw_differences(joint: Floats, draws: int = DRAWS, seed: int = SEED) -> Any:
    """Check differences (draws, checks, 3) from their joint covariance (3c, 3c), with a fixed seed. Single precision: a
    difference to a millionth of itself, in half the time."""
    values, vectors = np.linalg.eigh(joint)
    root = vectors * np.sqrt(np.maximum(values, 0.0))
    return (_normals(draws, len(joint), seed) @ root.T.astype(np.float32)).reshape(draws, -1, 3)


@lru_cache(maxsize=4)
def _normals(draws: int, columns: int, seed: int) -> Any:
    return np.random.default_rng(seed).standard_normal((draws, columns), dtype=np.float32)


def chance_words(chance: float) -> str:
    """A chance in words; a simulated one is never quite certain.

    >>> chance_words(0.623), chance_words(0.9995), chance_words(0.004)
    ('62 %', 'more than 99 %', '0.4 %')
    """
    if chance < 1 / DRAWS:
        return f"fewer than 1 in {DRAWS:,}"
    if chance > 0.99:
        return "more than 99 %"
    return f"{100 * chance:.0f} %" if chance >= 0.01 else f"{100 * chance:.1f} %"


def chance_to_pass(joint: Floats, survey: Floats, standard: Standard, terms: Terms) -> Chance | None:
    """Chance to pass, by simulation. joint (3c, 3c) as the checks see it; survey (c, 3) the checks' own sigmas.
    None where there are no checks to judge by. Source: docs/accuracy.md, section 4.

    >>> from kardo.core.accuracy.figures.standards import standards
    >>> joint = np.diag([0.01**2, 0.01**2, 0.02**2] * 8)
    >>> chance = chance_to_pass(joint, np.full((8, 3), 0.01), standards()["user_rmse"], Terms(0.03, 0.05))
    >>> chance.passing > 0.99
    True
    """
    if not len(joint):
        return None
    h, v = standard.statistics(draw_differences(joint), SurveyError.of(survey), terms)
    tolerance_h, tolerance_v = standard.tolerances(terms)
    p = float(((h <= tolerance_h) & (v <= tolerance_v)).mean())
    error = float(np.sqrt(max(p * (1 - p), 1 / DRAWS) / DRAWS))
    h, v = np.sort(h), np.sort(v)  # once: a histogram and percentiles of what is in order cost next to nothing
    return Chance(
        passing=p,
        uncertainty=error,
        spread_h=_spread(h),
        spread_v=_spread(v),
        histogram_h=_histogram(h),
        histogram_v=_histogram(v),
    )


def _histogram(ascending: Floats) -> Histogram:
    """As np.histogram counts."""
    edges = np.histogram_bin_edges(ascending, BINS)
    below = np.searchsorted(ascending, edges[1:-1])
    return Histogram(edges.tolist(), np.diff(np.r_[0, below, len(ascending)]).tolist())


def _spread(ascending: Floats) -> tuple[float, float, float]:
    """As np.percentile has them, between two values along the line."""
    return _percentile(ascending, 5), _percentile(ascending, 50), _percentile(ascending, 95)


def _percentile(ascending: Floats, percent: float) -> float:
    at = percent / 100 * (len(ascending) - 1)
    k = int(at)
    before, after = ascending[k], ascending[min(k + 1, len(ascending) - 1)]
    return float(before) + float(after - before) * (at - k)


def chance_by_count(
    joint: Floats, survey: Floats, standard: Standard, terms: Terms, planned: int, seed: int = SEED
) -> list[tuple[int, float, float]]:
    """How much the test is worth with n checks: (n, chance to pass, scatter of the judged V relative to its mean).

    The first `planned` checks of joint (3c, 3c) and survey (c, 3) are the plan's; the rest are checks that could be
    added. The plan's are taken in a fixed random order, so that the curve speaks of number, not of one corner of the
    site."""
    if not len(joint):
        return []
    d = draw_differences(joint, draws=2500)
    order = np.r_[np.random.default_rng(seed).permutation(planned), planned : d.shape[1]].astype(np.int64)
    curve = []
    for n in range(1, d.shape[1] + 1):
        some = d[:, order[:n]]
        known = SurveyError.of(survey[order[:n]])
        _, v = standard.statistics(some, known, terms)
        curve.append((n, float(standard.passes(some, known, terms).mean()), float(v.std() / v.mean())))
    return curve
