"""Rules of Control: targets and checks."""

from collections.abc import Iterator

import numpy as np
from shapely import Point

from kardo.core.accuracy.conditions import unmet
from kardo.core.accuracy.offers import field_edits, new_target
from kardo.core.flight.areas import site_polygon
from kardo.core.geodesy.units import length, place, small
from kardo.core.plan.control import ControlPoint
from kardo.core.practice.catalogue import FIELD, Finding, Rule, View, rule


@rule(
    "target-none",
    "Is there a target for the height?",
    "warn",
    "control",
    1,
    "Camera positions alone leave focal length and base height to trust.",
    FIELD,
)
def _no_target(r: Rule, view: View) -> Iterator[Finding]:
    if not view.plan.targets:
        mend = "Place at least one, better four extremes and the middle."
        yield r.found("There is no control target.", mend, measured=0)


@rule(
    "standard-conditions",
    "Are checks and control as the standard asks?",
    "warn",
    "control",
    None,
    "Few checks, or checks in one corner, make a test that says little; poor control cannot carry a better product.",
    "the standard in the Brief",
)
def _check_count(r: Rule, view: View) -> Iterator[Finding]:
    for words in unmet(view.plan):
        yield r.found(words, "The test counts only once its standard's conditions are met.")


@rule(
    "check-beside-target",
    "Do checks stand apart from targets?",
    "warn",
    "control",
    None,
    "A check beside a target proves the target, not the map.",
    FIELD,
)
def _beside(r: Rule, view: View) -> Iterator[Finding]:
    if not view.flights:
        return
    least, unit = min(f.footprint_along for f in view.flights) / 4, view.plan.brief.unit
    for check in view.plan.checks:
        near = min(view.plan.targets, key=lambda t: _distance(t, check), default=None)
        if near is not None and _distance(near, check) < least:
            words = f"{check.name} stands {length(_distance(near, check), unit, 1)} from target {near.name}: it proves nothing."
            yield r.found(
                words, f"Move it at least {length(least, unit)} away.", f"control/{check.id}", _distance(near, check)
            )


def _distance(a: ControlPoint, b: ControlPoint) -> float:
    return float(np.hypot(a.e - b.e, a.n - b.n))


@rule(
    "control-outside",
    "Is control inside the boundary?",
    "warn",
    "control",
    None,
    "Outside the block few images see a target.",
    FIELD,
)
def _outside(r: Rule, view: View) -> Iterator[Finding]:
    if len(view.plan.site.boundary) < 3 or not view.flights:
        return
    polygon, slack = site_polygon(view.plan), max(f.spacing for f in view.flights)
    for p in view.plan.control:
        away = float(polygon.distance(Point(p.e, p.n)))
        if away > slack:
            yield r.found(
                f"{p.name} lies {length(away, view.plan.brief.unit)} outside the boundary.",
                "Move it inside.",
                f"control/{p.id}",
                away,
            )


@rule(
    "control-images",
    "Do at least five images see each target and check?",
    "warn",
    "control",
    5,
    "A point in few images is intersected weakly and a blunder in it is not found.",
    FIELD,
)
def _images(r: Rule, view: View) -> Iterator[Finding]:
    names = {p.id: p.name for p in view.plan.control}
    for row in view.result.control if view.result else ():
        if row.images < r.threshold:
            words = f"{names.get(row.id, row.id)} is seen by {row.images} images."
            mend = "Move it in from the edge of the block, or fly a margin."
            yield r.found(words, mend, f"control/{row.id}", row.images)


@rule(
    "target-width",
    "Is each target at least eight pixels wide?",
    "warn",
    "control",
    8,
    "Pointing worsens below eight pixels; below four a target cannot be measured.",
    FIELD,
)
def _width(r: Rule, view: View) -> Iterator[Finding]:
    """Of the finest flight that sees it where that is known, else of the finest there is."""
    if not view.flights:
        return
    finest = min(f.gsd for f in view.flights)
    seen = {row.id: row.width_px for row in view.result.control} if view.result else {}
    for p in view.plan.control:
        width = seen.get(p.id, p.width / finest)
        if width < r.threshold:
            wider = round(8.5 * p.width / width + 0.05, 1)
            yield r.found(
                f"{p.name} is {width:.1f} pixels wide.",
                f"Use a target of {length(wider, view.plan.brief.unit, 1)}.",
                f"control/{p.id}",
                width,
                field_edits(f"control/{p.id}", p, width=wider),
                f"widen to {length(wider, view.plan.brief.unit, 1)}",
            )


@rule(
    "control-height",
    "Does each typed height agree with the terrain?",
    "warn",
    "control",
    8.0,
    "A height in another system or unit stands out against the terrain.",
    FIELD,
)
def _control_height(r: Rule, view: View) -> Iterator[Finding]:
    surface = view.plan.surface
    for p in view.plan.control:
        if surface is None or p.h is None:
            continue
        off = p.h - float(surface.at(p.e, p.n))
        if abs(off) > r.threshold:
            words = f"{p.name} stands {length(off, view.plan.brief.unit, 1)} from the terrain."
            yield r.found(words, "Check its height system and unit.", f"control/{p.id}", off)


@rule(
    "weakest-place",
    "Does the weakest place keep within the tolerance with something to spare?",
    "warn",
    "control",
    0.8,
    "A spur or a corner with few strips hangs on the block like a lever.",
    FIELD,
)
def _weakest(r: Rule, view: View) -> Iterator[Finding]:
    worst = view.result.map.worst_v if view.result else None
    if view.result is None or worst is None or not view.result.limit_v:
        return
    unit = view.plan.brief.unit
    if worst.sigma > view.result.limit_v * r.threshold:
        words = f"Weakest place: height to {small(worst.sigma, unit)} at {place(worst.e, worst.n, unit)}."
        target = (new_target(view.plan, worst.e, worst.n),)
        yield r.found(words, "Put a target there.", measured=worst.sigma, edits=target, label="add target")
