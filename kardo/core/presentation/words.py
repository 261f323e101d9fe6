"""Results in words, with the names that things have now."""

import math
from dataclasses import dataclass, replace

from kardo.core.accuracy.change.advice import Advice
from kardo.core.accuracy.change.schemes import Schemes, here_words
from kardo.core.accuracy.equation.defects import Defect
from kardo.core.accuracy.figures.conditions import unmet
from kardo.core.accuracy.figures.judged import heights_of_surface
from kardo.core.accuracy.figures.results import BlindSpot, Result, Share, Undetermined
from kardo.core.geodesy.units import length, small
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of, named
from kardo.core.plan.states import to_shift

METRES_FROM = 0.5  # metres from which an error is told in whole units


@dataclass(frozen=True)
class ResultText:
    """A result in words, with the names that things have now: the sources of the budget in its order, what is judged,
    in which of two states it is shown and what the other is (empty where there is but one), what the checks are blind
    to, the standard's conditions that are not met, and the defects."""

    budget: list[str]
    judged: str
    state: str
    blind: list[str]
    unmet: list[str]
    defects: list[Defect]


def result_text(plan: Plan, result: Result | Undetermined) -> ResultText:
    """A result in words."""
    defects = [replace(d, words=named(d.words, plan), mend=named(d.mend, plan)) for d in result.defects]
    if isinstance(result, Undetermined):
        return ResultText(budget=[], judged="", state="", blind=[], unmet=[], defects=defects)
    budget = [source_name(plan, s) for s in result.budget]
    return ResultText(
        budget=budget,
        judged=judged_words(plan, result),
        state=state_words(plan, result),
        blind=blind_words(plan, result),
        unmet=unmet(plan),
        defects=defects,
    )


def named_advice(plan: Plan, advice: Advice) -> Advice:
    """Advice with the names that things have now."""
    offers, spare = ([replace(o, words=named(o.words, plan)) for o in some] for some in (advice.offers, advice.spare))
    return replace(advice, offers=offers, spare=spare)


def named_schemes(plan: Plan, found: Schemes) -> Schemes:
    """Schemes with the names that things have now."""
    return Schemes([replace(row, on=named(row.on, plan)) for row in found.rows], named(found.here, plan))


# What reading a height from the surface adds, by what the map is made of: as a source, and in a sentence.
SURFACE = {"images": ("matching and slope", "matching and slope add"), "scan": ("slope", "slope adds")}


def source_name(plan: Plan, share: Share | BlindSpot) -> str:
    """What a source of error is called."""
    several_flights = len(plan.flights) > 1
    several_cameras = len({f.sensor.profile for f in plan.flights}) > 1
    camera = f" of {name_of(plan, 'camera', share.id)}" if several_cameras and share.id else ""
    flight = f" of {name_of(plan, 'flight', share.id)}" if several_flights and share.id else ""
    plain = {
        "images": "image measurements",
        "targets": "surveyed control points",
        "positions": f"camera position noise{camera}",
        "calibration": f"calibration{camera}",
        "legs": f"positioning per sortie{flight}",
        "pattern": f"unmodelled lens and shutter errors{camera}",
        "boresight": f"boresight of the scanner{flight}",
        "range": f"range and lever arm{flight}",
        "attitude": f"attitude of the inertial unit{flight}",
        "returns": "noise of the returns",
        "ties": "matching of flight lines",
        "points": "point identification",
        "surface": SURFACE[plan.mapped_by][0],
        "geoid": "geoid separation, as stated" if plan.brief.separation else "geoid model",
        "local": "site calibration",
    }
    return plain.get(share.kind) or name_of(plan, share.kind, share.id)


def judged_words(plan: Plan, result: Result) -> str:
    """What the standard is held against: points that can be identified, or the surface; and what that adds."""
    unit, added = plan.brief.unit, {s.kind: s for s in result.budget}
    words = "Heights are judged on the surface" if heights_of_surface(plan.brief) else "Heights are judged at points"
    if heights_of_surface(plan.brief) and "surface" in added:
        words += f": {SURFACE[plan.mapped_by][1]} ±{small(added['surface'].sigma_v, unit)} to a single one"
    if "points" in added:
        words += (
            f". In plan, point identification adds ±{small(added['points'].sigma_h / math.sqrt(2), unit)} each axis"
        )
    return words + "."


def state_words(plan: Plan, result: Result) -> str:
    """In which state a plan with a base taken "here" is shown, and what it is in the other, for somebody who does not
    survey."""
    other, unit = result.other, plan.brief.unit
    if other is None:
        return ""
    before, after = (other, result) if other.state == "as_taken" else (result, other)
    h, v = before.seen_rmse_h, before.seen_rmse_v
    by = ", ".join(f"{m.shift_hours:g} h of log on {m.name}" for m in to_shift(plan))
    shown = "Shown once it is shifted. " if other.state == "as_taken" else "Shown before it is shifted. "
    return shown + here_words(
        (before.rmse_h, before.rmse_v),
        None if h is None or v is None else (h, v),
        (after.rmse_h, after.rmse_v),
        by,
        lambda metres: small(metres, unit) if metres < METRES_FROM else length(metres, unit, 2),
    )


def blind_words(plan: Plan, result: Result) -> list[str]:
    """What the checks cannot see, in words."""
    count = len(plan.checks)
    if not count:
        return ["There are no checks: nothing in this plan would show an error."]
    if not result.blind:
        return ["The checks share no large error with the map: they see the error as it is."]
    return [_blind_sentence(plan, spot, count) for spot in result.blind]


def _blind_sentence(plan: Plan, spot: BlindSpot, count: int) -> str:
    everyone = spot.checks == count
    who = "Every check shares it" if everyone else f"{spot.checks} of {count} checks share it"
    return (
        f"{'Height' if spot.in_height else 'Plan'}: {100 * spot.share:.0f} % of the variance is"
        f" {source_name(plan, spot)} (±{small(spot.sigma, plan.brief.unit)}). {who}, so"
        f" {'no check' if everyone else 'only the others'} can see it."
    )
