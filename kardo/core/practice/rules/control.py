"""Rules of Control: targets and checks."""

import math
from collections.abc import Iterator
from itertools import islice

import numpy as np
from scipy.spatial import cKDTree
from shapely import Point, contains_xy

from kardo.core.accuracy.change.offers import new_target
from kardo.core.accuracy.figures.conditions import unmet, unmet_places
from kardo.core.accuracy.figures.standards import standards
from kardo.core.arrays import Floats
from kardo.core.control.recording import longest, recordings
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.geodesy.units import length, place, small
from kardo.core.parts import to_json
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import Edit, field_edits
from kardo.core.plan.stands import OwnSession
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule

MOST_TOLD = 20


@rule("target-none")
def _no_target(r: Rule, view: View) -> Iterator[Finding]:
    count = len(view.plan.targets)
    if count < r.threshold:
        mend = f"Place at least {r.threshold:.0f}, better four extremes and the middle."
        words = f"There {'is' if count == 1 else 'are'} {count or 'no'} control point{'s' * (count != 1)}."
        yield finding(r, words, mend, measured=count)


@rule("target-records")
def _records(r: Rule, view: View) -> Iterator[Finding]:
    found = recordings(view.plan)
    most = longest(found)
    if most is None or most.asked_min is None:
        return
    for one in found:
        point = next(p for p in view.plan.control if p.id == one.point)
        if 60 * one.hours >= most.asked_min - 1e-6:
            continue
        words = f"{point.name} records {60 * one.hours:.0f} min; {most.asked_min} min are asked of this set."
        hours = math.ceil(most.asked_min / 6) / 10
        edits: tuple[Edit, ...] = ()
        if isinstance(point.positioned_from, OwnSession) and len(point.by_source) == 1:
            longer = to_json(point.positioned_from.model_copy(update={"hours": hours}))
            edits = field_edits(f"control/{point.id}", point, positioned_from=longer)
        yield finding(
            r, words, f"Leave it {hours:g} h.", f"control/{point.id}", 60 * one.hours, edits, f"record {hours:g} h"
        )


@rule("control-baseline")
def _baseline(r: Rule, view: View) -> Iterator[Finding]:
    for point in view.points:
        for on in point.by_source:
            mark = view.plan.base_mark(on) if isinstance(on, OwnSession) else None
            if mark is None or not isinstance(on, OwnSession):
                continue
            asked = math.ceil(r.threshold + math.hypot(point.e - mark.e, point.n - mark.n) / 1000)
            if 60 * on.hours < asked - 1e-6:
                words = f"{point.name} logs {60 * on.hours:.0f} min against {mark.name}; {asked} min are asked."
                yield finding(r, words, f"Let it log {asked} min.", f"control/{point.id}", 60 * on.hours)


@rule("standard-conditions")
def _check_count(r: Rule, view: View) -> Iterator[Finding]:
    for words in unmet(view.plan):
        yield finding(r, words, "The test counts only once its standard's conditions are met.")


@rule("check-beside-target")
def _beside(r: Rule, view: View) -> Iterator[Finding]:
    if not view.flights:
        return
    least, unit = min(f.footprint_along for f in view.flights) / 4, view.plan.brief.unit
    targets = view.plan.targets
    for check in view.plan.checks:
        near = min(targets, key=lambda t: _distance(t, check), default=None)
        if near is not None and _distance(near, check) < least:
            words = (
                f"{check.name} stands {length(_distance(near, check), unit, 1)} from control point {near.name}: it"
                " proves nothing."
            )
            yield finding(
                r, words, f"Move it at least {length(least, unit)} away.", f"control/{check.id}", _distance(near, check)
            )


def _distance(a: ControlPoint, b: ControlPoint) -> float:
    return float(np.hypot(a.e - b.e, a.n - b.n))


@rule("control-outside")
def _outside(r: Rule, view: View) -> Iterator[Finding]:
    if len(view.plan.site.boundary) < 3 or not view.flights:
        return
    polygon = site_polygon(view.plan)
    for p in view.points:
        away = float(polygon.distance(Point(p.e, p.n)))
        if away > 0:
            yield finding(
                r,
                f"{p.name} lies {length(away, view.plan.brief.unit, 1)} outside the boundary.",
                "Move it inside.",
                f"control/{p.id}",
                away,
            )


@rule("control-images")
def _images(r: Rule, view: View) -> Iterator[Finding]:
    names = {p.id: p.name for p in view.plan.control}
    if view.plan.mapped_by != "images":
        return
    for row in view.result.control if view.result else ():
        if row.images < r.threshold:
            words = f"{names.get(row.id, row.id)} is seen by {row.images} images."
            mend = "Move it in from the edge of the block, or fly a margin."
            yield finding(r, words, mend, f"control/{row.id}", row.images)


@rule("target-width")
def _width(r: Rule, view: View) -> Iterator[Finding]:
    """Of the finest flight that sees it where that is known, else of the finest there is."""
    if not view.imaged or view.plan.mapped_by != "images":
        return
    finest = min(f.gsd for f in view.imaged)
    seen = {row.id: row.width_px for row in view.result.control} if view.result else {}
    for p in view.points:
        width = seen.get(p.id, p.width / finest)
        if width < r.threshold:
            wider = round(8.5 * p.width / width + 0.05, 1)
            yield finding(
                r,
                f"{p.name} is {width:.1f} pixels wide.",
                f"Use a target of {length(wider, view.plan.brief.unit, 1)}.",
                f"control/{p.id}",
                width,
                field_edits(f"control/{p.id}", p, width=wider),
                f"widen to {length(wider, view.plan.brief.unit, 1)}",
            )


@rule("control-height")
def _control_height(r: Rule, view: View) -> Iterator[Finding]:
    surface = view.plan.surface
    for p in view.points:
        if surface is None or p.h is None:
            continue
        off = p.h - float(surface.at(p.e, p.n))
        if abs(off) > r.threshold:
            words = f"{p.name} stands {length(off, view.plan.brief.unit, 1)} from the terrain."
            yield finding(r, words, "Check its height system and unit.", f"control/{p.id}", off)


@rule("weakest-place")
def _weakest(r: Rule, view: View) -> Iterator[Finding]:
    worst = view.result.map.worst_v if view.result else None
    if view.result is None or worst is None or not view.result.limit_v:
        return
    unit = view.plan.brief.unit
    if worst.sigma > view.result.limit_v * r.threshold:
        words = f"Weakest place: height to {small(worst.sigma, unit)} at {place(worst.e, worst.n, unit)}."
        target = (new_target(view.plan, worst.e, worst.n),)
        yield finding(
            r, words, "Put a control point there.", measured=worst.sigma, edits=target, label="add control point"
        )


@rule("control-spur")
def _spur(r: Rule, view: View) -> Iterator[Finding]:
    main = next((f for f in view.imaged if f.flight.purpose in {"map", "corridor"}), None)
    if main is None or len(view.plan.site.boundary) < 3:
        return
    polygon, unit = site_polygon(view.plan), view.plan.brief.unit
    half = r.threshold * main.spacing / 2
    wide = polygon.buffer(-half).buffer(half * 1.05)
    rest = polygon.difference(wide)
    for part in getattr(rest, "geoms", [rest]):
        if part.area < main.spacing**2 or any(part.distance(Point(t.e, t.n)) == 0 for t in view.plan.targets):
            continue
        spot = part.representative_point()
        words = (
            f"The narrow part about {place(spot.x, spot.y, unit)} is less than three flight lines wide and has no"
            " control point."
        )
        edits = (new_target(view.plan, spot.x, spot.y),)
        yield finding(
            r, words, "Put a control point into it.", measured=part.area, edits=edits, label="add control point"
        )


@rule("control-extremes")
def _extremes(r: Rule, view: View) -> Iterator[Finding]:
    plan = view.plan
    if len(plan.targets) < 3 or len(plan.site.boundary) < 3:
        return
    ring, at = np.array(plan.site.boundary), np.array([(t.e, t.n) for t in plan.targets])
    middle, size = ring.mean(axis=0), float(np.linalg.norm(np.ptp(ring, axis=0)))
    axes = np.linalg.svd(ring - middle, full_matrices=False)[2]
    corners = {int(np.argmax(sign * (ring - middle) @ axis)) for axis in axes for sign in (1.0, -1.0)}
    inside = site_polygon(plan).representative_point()
    for what, (e, n) in [*(("end", ring[k]) for k in sorted(corners)), ("middle", (inside.x, inside.y))]:
        away = float(np.linalg.norm(at - (e, n), axis=1).min())
        if away > r.threshold * size:
            spot = place(float(e), float(n), plan.brief.unit)
            words = (
                f"The {what} of the site about {spot} is {length(away, plan.brief.unit)} from the nearest control"
                " point."
            )
            yield finding(r, words, "Let control points enclose the site, and put one in the middle.", measured=away)


@rule("control-heights")
def _high_and_low(r: Rule, view: View) -> Iterator[Finding]:
    plan, surface = view.plan, view.plan.surface
    if surface is None or len(plan.targets) < 2 or not view.flights or len(plan.site.boundary) < 3:
        return
    west, south, east, north = site_polygon(plan).bounds
    e, n = (v.ravel() for v in np.meshgrid(np.linspace(west, east, 40), np.linspace(south, north, 40)))
    ground = surface.at(e, n)[contains_xy(site_polygon(plan), e, n)]
    own = surface.at(np.array([t.e for t in plan.targets]), np.array([t.n for t in plan.targets]))
    if not (np.isfinite(ground).any() and np.isfinite(own).any()):
        return
    relief, spread = float(np.ptp(ground[np.isfinite(ground)])), float(np.ptp(own[np.isfinite(own)]))
    if relief > 0.1 * min(f.flight.height_m for f in view.flights) and spread < r.threshold * relief:
        unit = plan.brief.unit
        words = (
            f"The ground rises {length(relief, unit)}; control points stand within {length(spread, unit)} of height."
        )
        yield finding(r, words, "Put control points on the highest and the lowest ground.", measured=spread / relief)


@rule("check-places")
def _check_places(r: Rule, view: View) -> Iterator[Finding]:
    plan = view.plan
    if standards()[plan.brief.standard].quadrant_share or len(plan.checks) < 4 or len(plan.site.boundary) < 3:
        return  # where the standard asks it, it is told as the standard's
    for words in unmet_places(plan, r.threshold, 0.1, "practice", 0.1):
        yield finding(r, words, "Spread them.")


def pairs_within(at: Floats, apart: float) -> Iterator[tuple[int, int]]:
    """Pairs of places (k, 2) that lie no farther apart than so many metres, in order: as many as are asked for, for
    there may be millions."""
    tree = cKDTree(at)
    for a in np.flatnonzero(tree.query(at, k=2)[0][:, 1] <= apart).tolist():
        yield from ((a, b) for b in sorted(tree.query_ball_point(at[a], apart)) if b > a)


@rule("control-twice")
def _twice(r: Rule, view: View) -> Iterator[Finding]:
    points, unit = view.plan.control, view.plan.brief.unit
    named: dict[str, ControlPoint] = {}
    for p in points:
        other = named.setdefault(p.name.casefold().strip(), p)
        if other is not p:
            yield finding(r, f"Two points are called {p.name}.", "Give one of them another name.", f"control/{p.id}")
    if len(points) < 2:
        return
    for a, b in islice(pairs_within(np.array([(p.e, p.n) for p in points]), r.threshold), MOST_TOLD):
        p, q = points[a], points[b]
        words = f"{p.name} and {q.name} stand {length(_distance(p, q), unit, 2)} apart: one place."
        yield finding(r, words, "Move or remove one of them.", f"control/{q.id}", _distance(p, q))
