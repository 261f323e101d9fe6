"""Rules of how control is observed: long enough, under different skies, as good as the tolerance asks, and what of it
is left of earlier visits."""

import math
from collections.abc import Iterator

import numpy as np

from kardo.core.accuracy.figures.standards import held_to
from kardo.core.control.survey import survey
from kardo.core.errors import KardoError
from kardo.core.geodesy.units import length, small
from kardo.core.gnss.occupations import INDEPENDENT_MIN, METHODS, independent
from kardo.core.parts import to_json
from kardo.core.plan.control import ControlPoint, Occupation
from kardo.core.plan.edits import field_edits
from kardo.core.plan.stands import OnService, OnSetUp
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule


def _by_rover(point: ControlPoint, one: Occupation) -> bool:
    return isinstance(one.positioned_from or point.positioned_from, OnSetUp | OnService)


@rule("control-observed")
def _observed(r: Rule, view: View) -> Iterator[Finding]:
    """By its own observation, without what it shares with others, against this part of the tolerance."""
    plan, unit = view.plan, view.plan.brief.unit
    if not view.points:
        return
    try:
        sigma = survey(plan, view.points).sigma
    except KardoError:
        return  # an edition of the defaults that is not here is told where it is
    for p, own in zip(view.points, sigma, strict=True):
        h, v = float(np.hypot(own[0], own[1])), float(own[2])
        part = max(r.threshold, 1e-6)
        allowed = tuple(part * held for held in held_to(plan.brief))
        axis = 1 if v / allowed[1] > h / allowed[0] else 0
        if (h, v)[axis] > allowed[axis]:
            words = (
                f"{p.name} is observed to {small((h, v)[axis], unit)} in {('plan', 'height')[axis]}; "
                f"{small(allowed[axis], unit)} is wanted of it."
            )
            twice = [to_json(o) for o in METHODS["rtk_twice"].occupations]
            better = p.occupations == (Occupation(),) and _by_rover(p, p.occupations[0])
            edits = field_edits(f"control/{p.id}", p, occupations=twice) if better else ()
            mend = "Observe it longer, twice, or otherwise."
            label = "observe it twice" if better else ""
            yield finding(r, words, mend, f"control/{p.id}", (h, v)[axis], edits, label)


@rule("control-epochs")
def _epochs(r: Rule, view: View) -> Iterator[Finding]:
    for p in view.points:
        least = min((o.epochs for o in p.occupations if _by_rover(p, o)), default=None)
        if least is not None and least < r.threshold:
            words = f"{p.name} is observed for {least} epoch{'s' * (least != 1)}."
            asked = int(np.ceil(r.threshold))
            longer = [to_json(o.model_copy(update={"epochs": max(o.epochs, asked)})) for o in p.occupations]
            edits = field_edits(f"control/{p.id}", p, occupations=longer)
            yield finding(r, words, f"Observe {asked}.", f"control/{p.id}", least, edits, f"observe {asked}")


@rule("control-skies")
def _skies(r: Rule, view: View) -> Iterator[Finding]:
    brief, unit = view.plan.brief, view.plan.brief.unit
    _, promised = held_to(brief)
    if promised >= r.threshold:
        return
    once = [p for p in view.plan.control if independent([o for o in p.occupations if _by_rover(p, o)]) == 1]
    if once:
        names = ", ".join(p.name for p in once[:6]) + (f" and {len(once) - 6} more" if len(once) > 6 else "")
        verb = "is" if len(once) == 1 else "are"
        words = f"{names} {verb} observed under one sky; {small(promised, unit)} in height are promised."
        mend = f"Observe a second time, {INDEPENDENT_MIN:.0f} min later or more."
        yield finding(r, words, mend, f"control/{once[0].id}", promised)


@rule("control-earlier")
def _earlier(r: Rule, view: View) -> Iterator[Finding]:
    said = {"not_looked": "nobody has looked yet", "moved": "it was moved", "gone": "it is gone"}
    for p in view.points:
        if p.earlier in said:
            mend = (
                "Look, and observe it again."
                if p.earlier == "not_looked"
                else "Lay it anew, and observe it as a new one."
            )
            yield finding(r, f"{p.name} is of an earlier visit: {said[p.earlier]}.", mend, f"control/{p.id}")


@rule("control-returns")
def _returns(r: Rule, view: View) -> Iterator[Finding]:
    """By metres from where the pilot stands to the nearest point that stays, or known mark."""
    stay = [(p.e, p.n) for p in view.plan.control if p.returns] + [
        (m.e, m.n) for m in view.plan.marks if m.known != "here"
    ]
    starts = [(f, f.take_off) for f in view.plan.flights if f.take_off is not None]
    for flight, (e, n) in starts[:1] if view.plan.control else ():
        away = min((math.hypot(e - a, n - b) for a, b in stay), default=math.inf)
        if away > r.threshold:
            unit = view.plan.brief.unit
            near = f"the nearest is {length(away, unit)} away" if math.isfinite(away) else "there is none on this site"
            mend = "Set a durable mark there and observe it (Control, points: it stays)."
            measured = away if math.isfinite(away) else None
            yield finding(
                r,
                f"No return mark by the take-off place of {flight.name}: {near}.",
                mend,
                f"flights/{flight.id}",
                measured,
            )
