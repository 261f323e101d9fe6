"""The residuals of a closed job held against what was predicted: would a block as predicted show this?

The global test asks it of all check residuals at once, with their full covariance; each check is then asked given the
others. Residuals much larger than predicted say that something is wrong, in the field or in the assumptions; much
smaller ones too: that the checks are not independent of the map, or that the assumptions promise too little.

Sources: the quadratic form of a normal vector in the inverse of its covariance is chi square; conditional means and
covariances from blocks of the inverse (Rao, Linear Statistical Inference and its Applications, 1973, section 8a.2)."""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy.linalg import cho_factor, cho_solve
from scipy.special import chdtrc, chdtri

from kardo.core.accuracy.figures.acceptance import chance_words, draw_differences
from kardo.core.accuracy.jointly import JointChecks
from kardo.core.arrays import Floats, Triple, triple
from kardo.core.close.verdict import differences
from kardo.core.geodesy.units import small
from kardo.core.plan.model import Plan
from kardo.core.practice.catalogue import Closed, StandsOut

LEVEL = 0.05  # of the global test, half on each side; and of all checks together, each given the others

Says = Literal["as predicted", "worse", "better"]


@dataclass(frozen=True)
class GlobalTest:
    """The global test: quadratic form of the residuals, its degrees of freedom, the chance that a block as predicted
    gives a larger one, the bounds at the level, and what it says."""

    value: float
    degrees: int
    larger: float
    low: float
    high: float
    level: float
    says: Says


@dataclass(frozen=True)
class OwnTest:
    """A check given the others: its residual, what the others make expect of it, metres east, north, up; the sigmas of
    that expectation; the chance that a larger departure comes by itself; and whether it stands out at the level of all
    together, those that stand out more being left out."""

    point: str
    name: str
    d: Triple
    expected: Triple
    sigma: Triple
    larger: float
    stands_out: bool


@dataclass(frozen=True)
class Against:
    """Achieved and predicted: RMSE at the checks (H radial, V) as measured and as predicted for these checks, the
    chance that a block as predicted shows an RMSE at least so large, the tests, checks that were left out as no two
    images were to see them, and all of it in words."""

    rmse_h: float
    rmse_v: float
    predicted_h: float
    predicted_v: float
    larger_h: float
    larger_v: float
    test: GlobalTest
    checks: list[OwnTest]
    left_out: list[str]
    words: list[str]


def against(closed: Plan, d: dict[str, Triple], joint: JointChecks) -> Against | None:
    """Hold residuals (map minus survey, metres along the grid's axes, by point) against the joint covariance of a plan
    as it was closed. None where no check has both."""
    ids, names, measured = differences(closed, d, "check")
    known = set(joint.points)
    keep = [k for k, key in enumerate(ids) if key in known]
    if not keep:
        return None
    ids, left_out = [ids[k] for k in keep], [name for k, name in enumerate(names) if k not in set(keep)]
    names, measured = [names[k] for k in keep], measured[keep]
    covariance = joint.of(ids)
    variances = np.diag(covariance).reshape(-1, 3)
    draws = draw_differences(covariance).astype(np.float64)
    square = (draws**2).mean(axis=1)
    own = (measured**2).mean(axis=0)
    at_least_h = float((square[:, :2].sum(axis=1) >= own[:2].sum()).mean())
    at_least_v = float((square[:, 2] >= own[2]).mean())
    test, each = global_test(measured, covariance), each_given_the_others(measured, covariance)
    outside = standing_out(measured, covariance)
    checks = [
        OwnTest(
            point=key,
            name=name,
            d=triple(x),
            expected=triple(x - e),
            sigma=triple(s),
            larger=p,
            stands_out=k in outside,
        )
        for k, (key, name, x, (e, s, p)) in enumerate(zip(ids, names, measured, each, strict=True))
    ]
    result = Against(
        rmse_h=float(np.sqrt(own[:2].sum())),
        rmse_v=float(np.sqrt(own[2])),
        predicted_h=float(np.sqrt(variances[:, :2].sum(axis=1).mean())),
        predicted_v=float(np.sqrt(variances[:, 2].mean())),
        larger_h=at_least_h,
        larger_v=at_least_v,
        test=test,
        checks=checks,
        left_out=left_out,
        words=[],
    )
    return replace(result, words=_words(result, closed.brief.unit))


def said_of(found: Against, unit: str) -> Closed:
    """What the rules ask of it."""
    outside = tuple(
        StandsOut(
            c.point,
            f"{c.name} stands out from the other checks: {_off(c, unit)} more than they make expect of it; a larger"
            f" departure comes by itself in {chance_words(c.larger)}.",
        )
        for c in found.checks
        if c.stands_out
    )
    return Closed(outside, _of_test(found.test) if found.test.says == "worse" else "")


def _of_test(test: GlobalTest) -> str:
    told = (
        f"Global test: {test.value:.1f} with {test.degrees} degrees of freedom, {test.low:.1f} to {test.high:.1f}"
        " expected. "
    )
    if test.says == "worse":
        return (
            told
            + "Worse than predicted: look for a blunder in what stands out below, then in what all checks share, then"
            " in the assumptions."
        )
    if test.says == "better":
        return (
            told
            + "Better than predicted, which is questioned as well: did a check adjust the block, were the check points"
            " observed from the same set-up as the control points, or do the assumptions promise too little?"
        )
    return told + "The residuals are what a block as predicted shows."


def _off(check: OwnTest, unit: str) -> str:
    """By how much, in the axis where it is most."""
    by = [abs(a - b) for a, b in zip(check.d, check.expected, strict=True)]
    axis = max(range(3), key=lambda k: by[k] / check.sigma[k])
    return f"{small(by[axis], unit)} {('east', 'north', 'up')[axis]}"


def global_test(d: Floats, covariance: Floats, level: float = LEVEL) -> GlobalTest:
    """Of differences d (c, 3) with their covariance (3c, 3c).

    >>> global_test(np.zeros((4, 3)), np.eye(12)).says
    'better'
    >>> global_test(np.full((4, 3), 1.0), np.eye(12)).says
    'as predicted'
    """
    x = d.ravel()
    value, degrees = float(x @ cho_solve(cho_factor(covariance), x)), len(x)
    low, high = (float(b) for b in chdtri(degrees, [1 - level / 2, level / 2]))
    says: Says = "worse" if value > high else "better" if value < low else "as predicted"
    return GlobalTest(
        value=value, degrees=degrees, larger=float(chdtrc(degrees, value)), low=low, high=high, level=level, says=says
    )


def each_given_the_others(d: Floats, covariance: Floats) -> list[tuple[Floats, Floats, float]]:
    """For each check of d (c, 3): its departure (3,) from what the others make expect, the sigmas (3,) of that
    departure, and the chance of a larger one in a block as predicted. Source: docs/accuracy.md, section 11."""
    weight = cho_solve(cho_factor(covariance), np.eye(len(covariance)))
    pulled = weight @ d.ravel()
    out = []
    for k in range(len(d)):
        at = slice(3 * k, 3 * k + 3)
        own = np.linalg.inv(weight[at, at])
        departure = own @ pulled[at]
        value = float(departure @ pulled[at])
        out.append((departure, np.sqrt(np.diag(own)), float(chdtrc(3, value))))
    return out


def standing_out(d: Floats, covariance: Floats, level: float = LEVEL) -> list[int]:
    """Which of the checks d (c, 3) stand out given the others, the worst first. One at a time, and then without it: a
    blunder at one spoils what is expected of its neighbours too. Source: Baarda, A testing procedure for use in
    geodetic networks (1968)."""
    left, outside = list(range(len(d))), []
    while left:
        rows = np.concatenate([3 * k + np.arange(3) for k in left])
        chances = [p for _, _, p in each_given_the_others(d[left], covariance[np.ix_(rows, rows)])]
        worst = int(np.argmin(chances))
        if chances[worst] >= level / len(left):
            break
        outside.append(left.pop(worst))
    return outside


def _words(found: Against, unit: str) -> list[str]:
    out = []
    for axis, got, promised, larger in (
        ("H", found.rmse_h, found.predicted_h, found.larger_h),
        ("V", found.rmse_v, found.predicted_v, found.larger_v),
    ):
        out.append(
            f"{axis}: achieved {small(got, unit)} where {small(promised, unit)} was predicted for these checks; of"
            f" blocks as predicted {chance_words(larger)} show as much or more."
        )
    out.append(_of_test(found.test))
    outside = [c.name for c in found.checks if c.stands_out]
    if outside:
        out.append(f"Given the others, {', '.join(outside)} {'stands' if len(outside) == 1 else 'stand'} out.")
    if found.left_out:
        out.append(f"Not held against the prediction, for no two images were to see them: {', '.join(found.left_out)}.")
    return out
