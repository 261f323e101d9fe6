"""The schools of how many targets, side by side on one site: what each would come to here, and what that costs.

Source: docs/accuracy.md, section 7; the schools are those of field practice, and each has its place.
"""

from dataclasses import dataclass

import numpy as np

from kardo.core.accuracy.acceptance import chance_words
from kardo.core.accuracy.solution import DefectiveNetwork
from kardo.core.accuracy.whatif import Kept
from kardo.core.arrays import Floats
from kardo.core.errors import KardoError
from kardo.core.flight.pattern import all_flown
from kardo.core.geodesy.units import small
from kardo.core.plan.control import ControlPoint, Occupation
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OwnSession
from kardo.core.practice.proposed import Layout, Wish, checks_for, layout_of

MANY = 20  # checks of those who trust the camera positions
BESIDE = 0.5  # hours that a target logs beyond the flights
NAMES = {
    "five": "five and two",
    "one": "one and many",
    "none": "none and many",
    "logging": "five that log for themselves",
    "own": "as the plan has it",
}


@dataclass(frozen=True)
class School:
    """One school: what it would lay out, and in a sentence what that comes to here, beside the proposal where there is one. layout is None
    where the network would not hold, or only a full computation could tell."""

    id: str
    name: str
    layout: Layout | None
    words: str


def schools(
    kept: Kept, plan: Plan, wish: Wish, places: Floats, five: tuple[ControlPoint, ...], proposal: Layout | None
) -> list[School]:
    """The schools over a solved network, within 3 %; places (c, 2) are those where one may stand, five the extremes and the middle."""
    middle = places.mean(axis=0)
    one = (min(five, key=lambda p: float(np.hypot(p.e - middle[0], p.n - middle[1]))),)
    many = checks_for(plan, places, (), MANY)
    laid_out = {
        "five": (*five, *checks_for(plan, places, (), 2)),
        "one": (*one, *many),
        "none": many,
        "logging": (*_logging(plan, five), *checks_for(plan, places, ())),
        "own": plan.control,
    }
    return [_told(kept, plan, wish, key, control, proposal) for key, control in laid_out.items() if control]


def _logging(plan: Plan, five: tuple[ControlPoint, ...]) -> tuple[ControlPoint, ...]:
    """The five as targets that log on their own as long as is flown, and half an hour."""
    minutes = sum(leg.minutes for f in all_flown(plan) for leg in f.legs)
    own = {"hangs_on": OwnSession(hours=round(minutes / 60 + BESIDE, 1)), "occupations": (Occupation(),)}
    return tuple(p.model_copy(update=own) for p in five)


def _told(
    kept: Kept, plan: Plan, wish: Wish, key: str, control: tuple[ControlPoint, ...], proposal: Layout | None
) -> School:
    try:
        layout = layout_of(kept, plan, wish, control)
    except (KardoError, DefectiveNetwork):
        return School(key, NAMES[key], None, "Too few targets to hold the block, as far as the solved network tells.")
    return School(key, NAMES[key], layout, _words(plan, layout, proposal))


def _words(plan: Plan, layout: Layout, proposal: Layout | None) -> str:
    passing = "no checks, and nothing to pass" if layout.chance is None else f"{chance_words(layout.chance)} to pass"
    inside = layout.rmse_h <= layout.limit_h and (layout.limit_v is None or layout.rmse_v <= layout.limit_v)
    words = (
        f"{'Inside' if inside else 'Outside'} the tolerance, {passing}{'' if layout.good or not inside else ' only'}"
    )
    if proposal is None:
        return f"{words}."
    unit, minutes = plan.brief.unit, layout.minutes - proposal.minutes
    worse = layout.rmse_v - proposal.rmse_v
    than = f"{abs(minutes):.0f} min {'more' if minutes > 0 else 'less'} than the proposal"
    return f"{words}; {than}, V {small(abs(worse), unit)} {'worse' if worse > 0 else 'better'}."
