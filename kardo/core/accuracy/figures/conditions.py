"""What a standard asks of checks and control before its statistic counts: numbers, places, and how good control is."""

import math

import numpy as np
from shapely import box

from kardo.core.accuracy.figures.standards import Standard, held_to, standards
from kardo.core.control.survey import survey
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.geodesy.units import length, small
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan


def unmet(plan: Plan) -> list[str]:
    """The conditions of the plan's standard that the plan does not meet, in words; the chance to pass supposes them
    met."""
    standard = standards()[plan.brief.standard]
    found = []
    if len(plan.checks) < standard.least_checks:
        found.append(f"{len(plan.checks)} checks; {standard.name} asks for at least {standard.least_checks}.")
    if standard.quadrant_share:
        found += unmet_places(plan, standard.quadrant_share, standard.spacing, standard.name)
    return found + _control(plan, standard)


def unmet_places(plan: Plan, quadrant_share: float, spacing: float, who: str, least_part: float = 0.0) -> list[str]:
    """What is missing of a share of the checks in each quadrant of the site, and of a distance between them as a part
    of its diagonal, in words. A quadrant that holds less than a part of the site does not count."""
    if len(plan.checks) < 2 or len(plan.site.boundary) < 3:
        return []
    unit = plan.brief.unit
    ring, at = np.array(plan.site.boundary), np.array([(p.e, p.n) for p in plan.checks])
    low, high = ring.min(axis=0), ring.max(axis=0)
    east, north = (at > (low + high) / 2).T
    middle, site = (low + high) / 2, site_polygon(plan)
    shares = []
    for on_east, (west, right) in ((east, (middle[0], high[0])), (~east, (low[0], middle[0]))):
        for on_north, (south, top) in ((north, (middle[1], high[1])), (~north, (low[1], middle[1]))):
            if site.intersection(box(west, south, right, top)).area >= least_part * site.area:
                shares.append(float((on_east & on_north).mean()))
    found = []
    if min(shares) < quadrant_share:
        found.append(
            f"One quadrant holds {100 * min(shares):.0f} % of the checks; {who} asks for {100 * quadrant_share:.0f} %"
            " in each."
        )
    apart = np.linalg.norm(at[:, None] - at, axis=2)[np.triu_indices(len(at), 1)].min()
    least = spacing * float(np.linalg.norm(high - low))
    if apart < least:
        found.append(f"Two checks are {length(apart, unit)} apart; {who} asks for {length(least, unit)}.")
    return found


def _control(plan: Plan, standard: Standard) -> list[str]:
    if not standard.control_factor or not plan.targets:
        return []
    unit = plan.brief.unit
    h, v = control_rmse(plan, plan.targets)
    found = []
    for name, is_, tolerance in zip(("plan", "height"), (h, v), held_to(plan.brief), strict=True):
        if is_ > tolerance / standard.control_factor:
            found.append(
                f"Control is good to {small(is_, unit)} in {name}; {standard.name} asks for "
                f"{small(tolerance / standard.control_factor, unit)}."
            )
    return found


def control_rmse(plan: Plan, points: tuple[ControlPoint, ...]) -> tuple[float, float]:
    """RMSE (radial H, V) in metres of surveyed positions: their own observation, set-up and the mark they rest on."""
    east, north, up = np.mean(survey(plan, points).total_sigma ** 2, axis=0)
    return math.sqrt(east + north), math.sqrt(up)
