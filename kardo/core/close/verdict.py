"""The verdict by the standard, from the residuals at checks: what was measured, per component, and whether it
passes."""

import math
from dataclasses import dataclass

import numpy as np
from scipy.special import stdtrit

from kardo.core.accuracy.figures.conditions import unmet
from kardo.core.accuracy.figures.standards import SurveyError, standards
from kardo.core.arrays import Floats
from kardo.core.control.survey import survey
from kardo.core.geodesy.confidence import RADIAL_95, VERTICAL_95
from kardo.core.geodesy.units import small
from kardo.core.plan.model import Plan

SURE = 0.95  # two-sided, from which a mean is called one


@dataclass(frozen=True)
class Component:
    """One component over n residuals, metres: axis E, N, V or H (radial). mean with the half width of its 95 % interval
    by Student's t (None for one residual; for H the length of the mean vector); root mean square; standard deviation
    about the mean (None for one residual); accuracy at 95 %, of normal errors without a mean; the worst, with its
    point."""

    axis: str
    n: int
    mean: float
    mean_95: float | None
    rmse: float
    sd: float | None
    at_95: float
    worst: float
    worst_point: str


@dataclass(frozen=True)
class Judged:
    """What the standard computes in plan or in height, what it allows (None where it sets no limit), and whether it is
    kept."""

    statistic: str
    value: float
    allowed: float | None
    kept: bool


@dataclass(frozen=True)
class ClosedVerdict:
    """The verdict: components of the checks and of the points that adjusted (which prove nothing), the two judged
    statistics, whether both are kept, the standard's conditions that are not met, and in words what the means say."""

    checks: list[Component]
    adjusted: list[Component]
    h: Judged
    v: Judged
    passed: bool
    unmet: list[str]
    means: list[str]


def components(names: list[str], d: Floats) -> list[Component]:
    """Statistics of differences d (n, 3), map minus survey in metres, of points by name; none where there are no
    points.

    Accuracy at 95 %: 1.9600 RMSE of a component, 2.4477 x 0.5 (RMSE_x + RMSE_y) in plan. Source: FGDC-STD-007.3-1998,
    sections 3.2.1 and 3.2.2 and appendix 3-A.

    >>> e, n, h, v = components(["K1", "K2"], np.array([[0.01, 0.0, 0.02], [0.03, 0.0, -0.02]]))
    >>> round(e.mean, 3), round(v.mean, 3), round(v.rmse, 3), v.worst_point
    (0.02, 0.0, 0.02, 'K1')
    """
    if not len(d):
        return []
    rms = np.sqrt(np.mean(d**2, axis=0))
    axes = [_component(axis, names, d[:, k], VERTICAL_95 * float(rms[k])) for k, axis in enumerate("ENV")]
    far = np.hypot(d[:, 0], d[:, 1])
    worst = int(np.argmax(far))
    spread = [axes[k].sd for k in (0, 1)]
    radial = Component(
        axis="H",
        n=len(d),
        mean=math.hypot(axes[0].mean, axes[1].mean),
        mean_95=None,
        rmse=math.hypot(rms[0], rms[1]),
        sd=None if spread[0] is None or spread[1] is None else math.hypot(spread[0], spread[1]),
        at_95=RADIAL_95 * 0.5 * float(rms[0] + rms[1]),
        worst=float(far[worst]),
        worst_point=names[worst],
    )
    return [axes[0], axes[1], radial, axes[2]]


def _component(axis: str, names: list[str], d: Floats, at_95: float) -> Component:
    n, worst = len(d), int(np.argmax(np.abs(d)))
    sd = float(d.std(ddof=1)) if n > 1 else None
    half = None if sd is None else float(stdtrit(n - 1, (1 + SURE) / 2)) * sd / math.sqrt(n)
    rmse = float(np.sqrt(np.mean(d**2)))
    return Component(
        axis=axis,
        n=n,
        mean=float(d.mean()),
        mean_95=half,
        rmse=rmse,
        sd=sd,
        at_95=at_95,
        worst=float(d[worst]),
        worst_point=names[worst],
    )


def differences(plan: Plan, d: dict[str, tuple[float, float, float]], role: str) -> tuple[list[str], list[str], Floats]:
    """Ids, names and differences (n, 3) of the plan's points of a role that have one."""
    points = [p for p in plan.control if p.role == role and p.id in d]
    return [p.id for p in points], [p.name for p in points], np.array([d[p.id] for p in points]).reshape(-1, 3)


def verdict(closed: Plan, d: dict[str, tuple[float, float, float]]) -> ClosedVerdict | None:
    """By the standard of a plan as it was closed; d: map minus survey (east, north, up, metres) by point. None without
    checks."""
    ids, names, at_checks = differences(closed, d, "check")
    if not ids:
        return None
    _, others, at_targets = differences(closed, d, "target")
    standard, terms, unit = standards()[closed.brief.standard], closed.brief.terms, closed.brief.unit
    checks = tuple(p for p in closed.checks if p.id in set(ids))
    known = SurveyError.of(survey(closed, checks).total_sigma)
    h, v = standard.statistics(at_checks[None], known, terms)
    allowed_h, allowed_v = standard.tolerances(terms)
    judged_h = _judged(standard.statistic_h, float(h[0]), allowed_h)
    judged_v = _judged(standard.statistic_v, float(v[0]), allowed_v)
    found = components(names, at_checks)
    measured = closed.model_copy(update={"control": (*closed.targets, *checks)})
    return ClosedVerdict(
        checks=found,
        adjusted=components(others, at_targets),
        h=judged_h,
        v=judged_v,
        passed=judged_h.kept and judged_v.kept,
        unmet=unmet(measured),
        means=[_mean_words(c, unit) for c in found if c.axis != "H"],
    )


def _judged(statistic: str, value: float, allowed: float) -> Judged:
    return Judged(statistic, value, allowed if math.isfinite(allowed) else None, value <= allowed)


SPOKEN = {"E": "East", "N": "North", "V": "Height"}


def _mean_words(c: Component, unit: str) -> str:
    """Mean and RMSE told apart: an average lets plus cancel minus, an RMSE does not say which part is constant."""
    who, mean, rmse = SPOKEN[c.axis], small(c.mean, unit), small(c.rmse, unit)
    if c.mean_95 is None:
        return f"{who}: one check says nothing of a mean."
    interval = f"{mean} ± {small(c.mean_95, unit)} at 95 %"
    part = min(1.0, (c.mean / c.rmse) ** 2) if c.rmse else 0.0
    if abs(c.mean) > c.mean_95:
        return (
            f"{who}: a constant error of {interval} is {100 * part:.0f} % of the squared RMSE of {rmse}; it would not"
            " average out."
        )
    return (
        f"{who}: the mean is {interval}, no constant error shown; a small mean alone would prove nothing, the RMSE is"
        f" {rmse}."
    )
