"""A mark of a plan as the library keeps it."""

from kardo.core.errors import PlanError
from kardo.core.geodesy.confidence import RADIAL_95, VERTICAL_95
from kardo.core.gnss.occupations import mark_sigma
from kardo.core.plan.model import Plan
from kardo.core.plan.published import Published
from kardo.core.plan.stands import Mark


def published_of(plan: Plan, mark: Mark) -> Published:
    """The coordinates of a plan's mark with their accuracy at 95 %. Raises PlanError for a position taken "here": those are nobody's
    coordinates until they are shifted."""
    if mark.known == "here":
        raise PlanError(
            f"{mark.name} has a position taken “here”, good to metres.",
            where="Base, marks",
            mend="Keep it once its own coordinates are known: type them, as published or from a static session.",
        )
    east, _, up = mark_sigma(mark, plan.assume)
    session = f"static session of {mark.hours:g} h" if mark.known == "static" else ""
    return Published(
        crs=plan.brief.crs,
        heights=plan.brief.heights,
        e=mark.e,
        n=mark.n,
        h=mark.h,
        circle_95=east * RADIAL_95,
        height_95=up * VERTICAL_95,
        realisation=mark.realisation or plan.brief.realisation,
        epoch=mark.epoch or plan.brief.epoch,
        source="; ".join(filter(None, (mark.source[:200], session))),
    )
