"""A mark of a plan as the library keeps it."""

import math

from kardo.core.errors import PlanError
from kardo.core.geodesy.confidence import RADIAL_95, VERTICAL_95
from kardo.core.geodesy.geoid import OWN
from kardo.core.geodesy.systems import ELLIPSOIDAL
from kardo.core.gnss.occupations import mark_sigma
from kardo.core.plan.model import Plan
from kardo.core.plan.published import Published
from kardo.core.plan.stands import Mark

SAME_PLACE = 0.5  # metres within which two places are one: a target is wider


def carries_control(plan: Plan, e: float, n: float) -> bool:
    """Whether control of a plan lies at a place in grid metres."""
    return any(math.hypot(p.e - e, p.n - n) < SAME_PLACE for p in plan.control)


def published_of(plan: Plan, mark: Mark) -> Published:
    """The coordinates of a plan's mark with their accuracy at 95 %. Raises PlanError for a position taken "here", which
    are nobody's coordinates until they are shifted, and for a mark that the job's local grid alone has."""
    if mark.known == "here":
        raise PlanError(
            f"{mark.name} has a position taken “here”, good to metres.",
            where="Base, marks",
            mend="Keep it once its own coordinates are known: type them, as published or from a static session.",
        )
    if mark.known == "local":
        raise PlanError(
            f"{mark.name} is known in this job's local grid alone.",
            where="Base, marks",
            mend="Keep it once it has coordinates of its own in a grid that others know.",
        )
    east, _, up = mark_sigma(mark, plan.assume)
    heights, h = plan.brief.heights, mark.h
    if heights.startswith(OWN):  # nobody else has the geoid
        heights, h = ELLIPSOIDAL, None if h is None else h + float(plan.grid.separation(mark.e, mark.n))
    session = f"static session of {mark.hours:g} h" if mark.known == "static" else ""
    return Published(
        crs=plan.brief.crs,
        heights=heights,
        e=mark.e,
        n=mark.n,
        h=h,
        circle_95=east * RADIAL_95,
        height_95=up * VERTICAL_95,
        realisation=mark.realisation or plan.brief.realisation,
        epoch=mark.epoch or plan.brief.epoch,
        source="; ".join(filter(None, (mark.source[:200], session))),
    )
