"""Rules of where control lies: on what, how steep, how near to what stands there, under which name."""

import math
import re
from collections import Counter
from collections.abc import Iterator
from itertools import islice

import numpy as np
from shapely import Point, convex_hull, multipoints
from shapely.geometry.base import BaseGeometry

from kardo.core.control.survey import by_rover, skies_over, survey
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.geodesy.units import length, small
from kardo.core.gnss.occupations import polar_sigma
from kardo.core.kept import kept
from kardo.core.parts import to_json
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import field_edits
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnInstrument, OnSetUp, OwnSession
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule
from kardo.core.practice.rules.control import MOST_TOLD, pairs_within
from kardo.core.site.occupiable import POLE, nearest_upright, open_sky, shapes_of, slopes, what_moves_it, why_not

MAPS = {"map", "corridor"}
SESSION_H = 1.0  # hours of the static session that is offered where a fixed solution is not to be trusted
OUTSIDE = 40.0  # metres from a total station outside to a point under trees, about
ALIKE = {"light": ("snow", "sand", "concrete"), "dark": ("asphalt", "soil", "mud")}


@rule("control-forbidden")
def _forbidden(r: Rule, view: View) -> Iterator[Finding]:
    shapes = shapes_of(view.plan)
    treeless = tuple((f, shape) for f, shape in shapes if f.kind != "canopy")
    for p in view.points if shapes else ():
        against = treeless if _wanted_under_trees(view, p) else shapes
        if why := why_not(view.plan, against, p.e, p.n, trusted=True):
            yield finding(r, f"{p.name} lies where nobody should stand: {why}.", "Move it.", f"control/{p.id}")


def _wanted_under_trees(view: View, p: ControlPoint) -> bool:
    """Whether a point is a scan's check that stands under trees: what a scan finds there is what has to be checked."""
    if view.plan.mapped_by != "scan" or p.role != "check":
        return False
    return any(f.kind == "canopy" and shape.covers(Point(p.e, p.n)) for f, shape in shapes_of(view.plan))


@rule("control-slope")
def _slope(r: Rule, view: View) -> Iterator[Finding]:
    control = view.points
    if not control or view.plan.surface is None:
        return
    for p, slope in zip(control, slopes(view.plan, np.array([(p.e, p.n) for p in control])), strict=True):
        if slope > r.threshold:
            words = f"{p.name} lies on a slope of {slope:.0f}°."
            yield finding(r, words, f"Move it to ground under {r.threshold:.0f}°.", f"control/{p.id}", float(slope))


@rule("control-clearance")
def _clearance(r: Rule, view: View) -> Iterator[Finding]:
    shapes, unit = shapes_of(view.plan), view.plan.brief.unit
    for p in view.points if shapes else ():
        found = nearest_upright(shapes, p.e, p.n, r.threshold)
        if found is None:
            continue
        feature, away, asked = found
        if 0 < away < asked:
            words = f"{p.name} is {length(away, unit)} from {feature.name}, {length(asked, unit)} asked."
            yield finding(r, words, "Move it away, or observe it otherwise.", f"control/{p.id}", away)


@rule("control-sky")
def _sky(r: Rule, view: View) -> Iterator[Finding]:
    """Of those observed by satellites: the share of the sky over fifteen degrees that ground and things leave open."""
    points = [
        p for p in view.points if not isinstance(p.positioned_from, OnInstrument) and not _wanted_under_trees(view, p)
    ]
    if not points:
        return
    eyes = np.nan_to_num(heights_of(view.plan, tuple(points))) + POLE
    for p, share in zip(points, open_sky(view.plan, np.array([(p.e, p.n) for p in points]), eyes), strict=True):
        if share < r.threshold:
            words = f"{p.name} sees {100 * share:.0f} % of the sky above 15°."
            mend = "Move it into the open, or observe it with an instrument."
            yield finding(r, words, mend, f"control/{p.id}", float(share))


@rule("control-fixed")
def _fixed(r: Rule, view: View) -> Iterator[Finding]:
    """Of those observed live; what would do instead, each with what it costs and what it comes to."""
    plan, points = view.plan, tuple(p for p in view.points if any(by_rover(on) for on in p.by_source))
    for p, left in zip(points, skies_over(plan, points, heights_of(plan, points)), strict=True):
        if left is None or left.fixed:
            continue
        behind = next((f.name for f in plan.site.features if f.id == left.behind), "the ground")
        words = (
            f"{p.name}: {behind} leaves {left.satellites:.0f} of {left.in_the_open:.0f} satellites and a PDOP of"
            f" {min(left.pdop, 99):.1f}; a fixed solution is not to be trusted there, and it is predicted as float."
        )
        session = OwnSession(
            hours=SESSION_H, setup=next((on.setup for on in p.by_source if isinstance(on, OnSetUp)), None)
        )
        edits = field_edits(f"control/{p.id}", p, positioned_from=to_json(session))
        yield finding(
            r,
            words,
            _instead(plan, p, session),
            f"control/{p.id}",
            left.satellites,
            edits,
            f"log {SESSION_H:g} h there",
        )


def _instead(plan: Plan, p: ControlPoint, session: OwnSession) -> str:
    """What would do, with its minutes and its sigma in plan and in height."""
    unit = plan.brief.unit
    outside = polar_sigma(2, OUTSIDE, plan.assume)
    logged = survey(plan, (p.model_copy(update={"positioned_from": session}),)).sigma[0]
    polar, static = (f"±{small(h * math.sqrt(2), unit)} H and ±{small(v, unit)} V" for h, v in (outside, logged[1:]))
    return (
        f"A total station from two points outside: {2 * plan.assume['minutes_set_up']:.0f} min more, {polar}; or a"
        f" static session of {SESSION_H:g} h: {static}."
    )


@rule("control-moved")
def _moved(r: Rule, view: View) -> Iterator[Finding]:
    shapes = shapes_of(view.plan)
    for p in view.points if shapes else ():
        if why := what_moves_it(shapes, p.e, p.n):
            mend = "Move it, or photograph it and observe it before and after the flight."
            yield finding(r, f"{p.name} may be moved: {why}.", mend, f"control/{p.id}")


@rule("control-stable")
def _stable(r: Rule, view: View) -> Iterator[Finding]:
    for p in view.points:
        if p.lies_on in ("snow", "sand", "mud", "crop"):
            mend = "Pin it or weigh it down, and observe it right before or after the flight."
            yield finding(r, f"{p.name} lies on {p.lies_on}.", mend, f"control/{p.id}")


@rule("control-contrast")
def _contrast(r: Rule, view: View) -> Iterator[Finding]:
    for p in view.points:
        if p.lies_on in ALIKE.get(p.face, ()):
            other = "dark" if p.face == "light" else "light"
            words = f"{p.name} is {p.face} on {p.lies_on}."
            edits = field_edits(f"control/{p.id}", p, face=other)
            mend = f"Take a {other} or a chequered one."
            yield finding(r, words, mend, f"control/{p.id}", edits=edits, label=f"make it {other}")


@rule("control-edge")
def _edge(r: Rule, view: View) -> Iterator[Finding]:
    """By the outline of all exposures; the threshold in flight lines."""
    mapping = tuple(f for f in view.imaged if f.flight.purpose in MAPS)
    if not mapping:
        return
    block = _outline(mapping)
    spacing, unit = max(f.spacing for f in mapping), view.plan.brief.unit
    inside = site_polygon(view.plan) if len(view.plan.site.boundary) >= 3 else block
    for p in view.points:
        here = Point(p.e, p.n)
        away = float(block.exterior.distance(here)) if block.geom_type == "Polygon" else float("inf")
        away = away if block.covers(here) else -away
        if away < r.threshold * spacing and inside.covers(here):
            words = (
                f"{p.name} lies {length(abs(away), unit)} {'inside' if away >= 0 else 'outside'} of the outermost"
                " exposures."
            )
            mend = f"Move it in, or fly a margin: {length(r.threshold * spacing, unit)} at least."
            yield finding(r, words, mend, f"control/{p.id}", away / spacing)


@kept(32, by=lambda flights: flights)
def _outline(flights: tuple[FlightPlan, ...]) -> BaseGeometry:
    """About all exposures."""
    return convex_hull(multipoints(np.concatenate([np.column_stack([f.e, f.n]) for f in flights])))


@rule("targets-crowded")
def _crowded(r: Rule, view: View) -> Iterator[Finding]:
    """By flight lines of the main flight, of targets that are not one place."""
    main = next((f for f in view.flights if f.flight.purpose in MAPS), None)
    targets = view.plan.targets
    if main is None or len(targets) < 2:
        return
    at = np.array([(t.e, t.n) for t in targets])
    for a, b in islice(pairs_within(at, r.threshold * main.spacing), MOST_TOLD):
        away = float(np.hypot(*(at[a] - at[b])))
        words = f"{targets[a].name} and {targets[b].name} stand {length(away, view.plan.brief.unit, 1)} apart."
        yield finding(r, words, "Move one of them to where none is.", f"control/{targets[b].id}", away / main.spacing)


@rule("base-clearance")
def _base_clearance(r: Rule, view: View) -> Iterator[Finding]:
    plan, unit = view.plan, view.plan.brief.unit
    shapes = shapes_of(plan)
    for setup in plan.setups if shapes else ():
        mark = plan.mark(setup.mark)
        found = nearest_upright(shapes, mark.e, mark.n, r.threshold) if mark else None
        if mark is None or found is None:
            continue
        feature, away, asked = found
        if away < asked:
            what = f"it stands {length(away, unit)} from {feature.name}, {length(asked, unit)} asked."
            words = view.of_set_up(setup.name, what)
            yield finding(r, words, "Stand elsewhere (Base, reach), or park away from it.", f"setups/{setup.id}", away)


@rule("base-sky")
def _base_sky(r: Rule, view: View) -> Iterator[Finding]:
    plan = view.plan
    stands = [(s, mark) for s in plan.setups if (mark := plan.mark(s.mark)) is not None]
    if not stands:
        return
    eyes = np.nan_to_num([plan.mark_height(mark) for _, mark in stands]) + POLE
    for (setup, _), share in zip(stands, open_sky(plan, np.array([(m.e, m.n) for _, m in stands]), eyes), strict=True):
        if share < r.threshold:
            words = view.of_set_up(setup.name, f"it sees {100 * share:.0f} % of the sky above 15°.")
            yield finding(r, words, "Look for another place (Base, reach).", f"setups/{setup.id}", float(share))


@rule("control-names")
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
                yield finding(
                    r, f"{p.name} is called like {what} and is none.", "Give it another name.", f"control/{p.id}"
                )
