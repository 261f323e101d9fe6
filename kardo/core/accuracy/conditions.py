"""What a standard asks of checks and control before its statistic counts: numbers, places, and how good control is."""

import math

import numpy as np

from kardo.core.accuracy.standards import Standard, standards
from kardo.core.control.survey import survey
from kardo.core.geodesy.units import length, small
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan


def unmet(plan: Plan) -> list[str]:
    """The conditions of the plan's standard that the plan does not meet, in words; the chance to pass supposes them met."""
    standard = standards()[plan.brief.standard]
    found = []
    if len(plan.checks) < standard.least_checks:
        found.append(f"{len(plan.checks)} checks; {standard.name} asks for at least {standard.least_checks}.")
    return found + _places(plan, standard) + _control(plan, standard)


def _places(plan: Plan, standard: Standard) -> list[str]:
    if len(plan.checks) < 2 or not standard.quadrant_share or len(plan.site.boundary) < 3:
        return []
    unit = plan.brief.unit
    ring, at = np.array(plan.site.boundary), np.array([(p.e, p.n) for p in plan.checks])
    low, high = ring.min(axis=0), ring.max(axis=0)
    east, north = (at > (low + high) / 2).T
    shares = [float((on_east & on_north).mean()) for on_east in (east, ~east) for on_north in (north, ~north)]
    found = []
    if min(shares) < standard.quadrant_share:
        found.append(
            f"One quadrant holds {min(shares):.0%} of the checks; {standard.name} asks for {standard.quadrant_share:.0%} in each."
        )
    apart = np.linalg.norm(at[:, None] - at, axis=2)[np.triu_indices(len(at), 1)].min()
    least = standard.spacing * float(np.linalg.norm(high - low))
    if apart < least:
        found.append(f"Two checks are {length(apart, unit)} apart; {standard.name} asks for {length(least, unit)}.")
    return found


def _control(plan: Plan, standard: Standard) -> list[str]:
    if not standard.control_factor or not plan.targets:
        return []
    unit = plan.brief.unit
    h, v = control_rmse(plan, plan.targets)
    found = []
    for name, is_, tolerance in (("plan", h, plan.brief.tolerance_h), ("height", v, plan.brief.tolerance_v)):
        if is_ > tolerance / standard.control_factor:
            found.append(
                f"Control is good to {small(is_, unit)} in {name}; {standard.name} asks for "
                f"{small(tolerance / standard.control_factor, unit)}."
            )
    return found


def control_rmse(plan: Plan, points: tuple[ControlPoint, ...]) -> tuple[float, float]:
    """RMSE (radial H, V) in metres of surveyed positions: their own observation, set-up and the mark they hang on."""
    east, north, up = np.mean(survey(plan, points).total_sigma ** 2, axis=0)
    return math.sqrt(east + north), math.sqrt(up)
