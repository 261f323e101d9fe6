"""The schools of how many targets, side by side on one site: what each would come to here, and what that costs.

Source: docs/accuracy.md, section 7; the schools are those of field practice, and each has its place."""

from dataclasses import dataclass

import numpy as np

from kardo.core.accuracy.change.whatif import Kept
from kardo.core.accuracy.equation.solution import DefectiveNetwork
from kardo.core.accuracy.figures.acceptance import chance_words
from kardo.core.arrays import Floats
from kardo.core.errors import KardoError
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.geodesy.units import small
from kardo.core.layout.proposed import Layout, SearchOptions, apart, away_from, checks_for, checks_wanted, layout_of
from kardo.core.plan.control import ControlPoint, Occupation
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnSetUp, OwnSession

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
class CommonLayout:
    """One school: what it would lay out, and in a sentence what that comes to here, beside the proposal where there is
    one. layout is None where the network would not hold, or only a full computation could tell."""

    id: str
    name: str
    layout: Layout | None
    words: str


def schools(
    kept: Kept, plan: Plan, wish: SearchOptions, places: Floats, five: tuple[ControlPoint, ...], proposal: Layout | None
) -> list[CommonLayout]:
    """The schools over a solved network, within 3 %; places (c, 2) are those where one may stand, five the extremes and
    the middle."""
    middle = places.mean(axis=0)
    one = (min(five, key=lambda p: float(np.hypot(p.e - middle[0], p.n - middle[1]))),)
    laid_out = {
        "five": _with_checks(plan, places, five, 2),
        "one": _with_checks(plan, places, one, MANY),
        "none": _with_checks(plan, places, (), MANY),
        "logging": _with_checks(plan, places, _logging(plan, five)),
        "own": plan.control,
    }
    return [_told(kept, plan, wish, key, control, proposal) for key, control in laid_out.items() if control]


def _with_checks(
    plan: Plan, places: Floats, targets: tuple[ControlPoint, ...], count: int | None = None
) -> tuple[ControlPoint, ...]:
    """Targets, and so many checks (the usual number where none is said) that keep away from them."""
    free = away_from(places, [(p.e, p.n) for p in targets], apart(plan))
    return (*targets, *checks_for(plan, free, targets, checks_wanted(plan) if count is None else count))


def _logging(plan: Plan, five: tuple[ControlPoint, ...]) -> tuple[ControlPoint, ...]:
    """The five as targets that log on their own as long as is flown, and half an hour."""
    minutes = sum(sortie.minutes for f in all_flown(plan) for sortie in f.sorties)
    base = next((f.positioned_from.setup for f in plan.flights if isinstance(f.positioned_from, OnSetUp)), None)
    own = {
        "positioned_from": OwnSession(hours=round(minutes / 60 + BESIDE, 1), setup=base),
        "occupations": (Occupation(),),
    }
    return tuple(p.model_copy(update=own) for p in five)


def _told(
    kept: Kept, plan: Plan, wish: SearchOptions, key: str, control: tuple[ControlPoint, ...], proposal: Layout | None
) -> CommonLayout:
    try:
        layout = layout_of(kept, plan, wish, control)
    except (KardoError, DefectiveNetwork):
        return CommonLayout(
            key, NAMES[key], None, "Too few control points to hold the block, as far as the solved network tells."
        )
    return CommonLayout(key, NAMES[key], layout, _words(plan, layout, proposal))


def _words(plan: Plan, layout: Layout, proposal: Layout | None) -> str:
    passing = "no checks, and nothing to pass" if layout.chance is None else f"{chance_words(layout.chance)} to pass"
    seldom = " only" if layout.inside and not layout.good and layout.chance is not None else ""
    words = f"{'Inside' if layout.inside else 'Outside'} the tolerance, {passing}{seldom}"
    if proposal is None:
        return f"{words}."
    unit, minutes = plan.brief.unit, layout.minutes - proposal.minutes
    worse = layout.rmse_v - proposal.rmse_v
    than = f"{abs(minutes):.0f} min {'more' if minutes > 0 else 'less'} than the proposal"
    return f"{words}; {than}, V {small(abs(worse), unit)} {'worse' if worse > 0 else 'better'}."
