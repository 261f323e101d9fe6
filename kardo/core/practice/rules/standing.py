"""Rules of where control lies: on what, how steep, how near to what stands there, under which name."""

import re
from collections import Counter
from collections.abc import Iterator

import numpy as np

from kardo.core.flight.standing import STEEP, TWICE, nearest_standing, shapes_of, slopes, why_not
from kardo.core.geodesy.units import length
from kardo.core.practice.catalogue import FIELD, Finding, Rule, View, rule


@rule(
    "control-forbidden",
    "Does control lie where one may stand?",
    "stop",
    "control",
    None,
    "Nobody is sent into a keep-out, onto ground without permission, into water, beside a hazard; under trees no image sees a target.",
    FIELD,
)
def _forbidden(r: Rule, view: View) -> Iterator[Finding]:
    shapes = shapes_of(view.plan)
    for p in view.plan.control if shapes else ():
        if why := why_not(view.plan, shapes, p.e, p.n, trusted=True):
            yield r.found(f"{p.name} lies where nobody should stand: {why}.", "Move it.", f"control/{p.id}")


@rule(
    "control-slope",
    "Does control lie on ground that is nearly level?",
    "warn",
    "control",
    STEEP,
    "On a slope a target slips, is seen askew, and its height hangs on where its centre is.",
    FIELD,
)
def _slope(r: Rule, view: View) -> Iterator[Finding]:
    control = view.plan.control
    if not control or view.plan.surface is None:
        return
    for p, slope in zip(control, slopes(view.plan, np.array([(p.e, p.n) for p in control])), strict=True):
        if slope > r.threshold:
            words = f"{p.name} lies on a slope of {slope:.0f}°."
            yield r.found(words, f"Move it to ground under {r.threshold:.0f}°.", f"control/{p.id}", float(slope))


@rule(
    "control-clearance",
    "Is control twice as far from what stands there as that is tall?",
    "warn",
    "control",
    TWICE,
    "Nearer, half the sky is gone, and what is left comes by reflection.",
    FIELD,
)
def _clearance(r: Rule, view: View) -> Iterator[Finding]:
    shapes, unit = shapes_of(view.plan), view.plan.brief.unit
    for p in view.plan.control if shapes else ():
        found = nearest_standing(shapes, p.e, p.n)
        if found is None:
            continue
        feature, away, twice = found
        asked = twice * r.threshold / TWICE
        if 0 < away < asked:
            words = f"{p.name} is {length(away, unit)} from {feature.name}, {length(asked, unit)} asked."
            yield r.found(words, "Move it away, or observe it otherwise.", f"control/{p.id}", away)


@rule(
    "control-names",
    "Do names say the role?",
    "note",
    "control",
    None,
    "A check that is called like a target is adjusted one day, and then it checks nothing.",
    FIELD,
)
def _names(r: Rule, view: View) -> Iterator[Finding]:
    """By the letters that names begin with: those of most targets should begin no check, and the other way."""
    letters = {p.id: re.sub(r"[^a-z].*", "", p.name.casefold()) for p in view.plan.control}
    for role, others, what in (("target", view.plan.checks, "a target"), ("check", view.plan.targets, "a check")):
        own = [letters[p.id] for p in view.plan.control if p.role == role and letters[p.id]]
        usual = Counter(own).most_common(1)
        if not usual or usual[0][1] < 2:
            continue
        theirs = Counter(letters[p.id] for p in others).most_common(1)
        for p in others:
            if letters[p.id] == usual[0][0] != (theirs[0][0] if theirs else ""):
                yield r.found(
                    f"{p.name} is called like {what} and is none.", "Give it another name.", f"control/{p.id}"
                )
