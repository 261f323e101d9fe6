"""What practitioners know, as rules: each is data plus a function that looks at a plan and its prediction.

A rule yields findings; a finding names the object, the measured value, the threshold and the mend. Thresholds are common
practice, not law.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from shapely import Point

from kardo.core.accuracy.conditions import unmet
from kardo.core.accuracy.defects import spans
from kardo.core.accuracy.planned import control_heights, site_polygon
from kardo.core.arrays import Json
from kardo.core.errors import KardoError
from kardo.core.flight.pattern import FlightPlan
from kardo.core.geodesy.antenna import antennas, vertical_from_slant
from kardo.core.plan.model import ControlPoint, Plan

Severity = Literal["stop", "warn", "note"]
ORDER = {"stop": 0, "warn": 1, "note": 2}


@dataclass(frozen=True)
class Finding:
    """What a rule found. station and object say where to go; change, when given, is the edit that mends it."""

    rule: str
    severity: Severity
    station: str
    words: str
    mend: str
    object: str = ""
    measured: float | None = None
    threshold: float | None = None
    change: Json = field(default_factory=dict)
    label: str = ""

    def to_json(self) -> Json:
        return self.__dict__.copy()


@dataclass(frozen=True)
class View:
    """What rules look at: the plan, its flight if it can be laid out, its prediction if there is one."""

    plan: Plan
    flight: FlightPlan | None
    prediction: Json | None


@dataclass(frozen=True)
class Rule:
    """A rule of the catalogue: what it asks, its default threshold, why, and where in the trade it comes from."""

    id: str
    asks: str
    severity: Severity
    station: str
    threshold: float | None
    why: str
    source: str
    look: Callable[["Rule", View], Iterator[Finding]]

    def found(self, words: str, mend: str, **more: object) -> Finding:
        return Finding(self.id, self.severity, self.station, words, mend, threshold=self.threshold, **more)  # type: ignore[arg-type]

    def to_json(self) -> Json:
        return {k: v for k, v in self.__dict__.items() if k != "look"}


CATALOGUE: dict[str, Rule] = {}
Look = Callable[[Rule, View], Iterator[Finding]]


def rule(
    id: str, asks: str, severity: Severity, station: str, threshold: float | None, why: str, source: str
) -> Callable[[Look], Look]:
    """Enter a function into the catalogue."""

    def enter(look: Look) -> Look:
        CATALOGUE[id] = Rule(id, asks, severity, station, threshold, why, source, look)
        return look

    return enter


def findings(view: View) -> list[Finding]:
    """Everything the catalogue finds, worst first."""
    found = [f for r in CATALOGUE.values() for f in r.look(r, view)]
    return sorted(found, key=lambda f: ORDER[f.severity])


FIELD = "field practice"


@rule(
    "base-height-system",
    "Is the mark's height in the job's height system?",
    "stop",
    "base",
    8.0,
    "A mean-sea-level height typed as ellipsoidal, or the reverse, moves the whole map by the geoid separation.",
    FIELD,
)
def _height_system(r: Rule, view: View) -> Iterator[Finding]:
    plan = view.plan
    if plan.surface is None or not plan.brief.crs:
        return
    for mark in plan.marks:
        if not plan.surface.contains(np.array([mark.e]), np.array([mark.n])):
            continue
        ground = float(plan.surface.at(mark.e, mark.n))
        off = mark.h - ground
        separation = float(plan.grid.separation(mark.e, mark.n)) if plan.brief.heights != "ellipsoidal" else 0.0
        if abs(off) <= (r.threshold or 0.0):
            continue
        looks = abs(abs(off) - abs(separation)) < (r.threshold or 0.0) and separation
        words = f"{mark.name} stands {off:+.1f} m from the terrain"
        words += (
            f", close to the geoid separation of {separation:.1f} m: is its height ellipsoidal?"
            if looks
            else ": one of the two heights is wrong."
        )
        mended = round(mark.h - separation * np.sign(off) * np.sign(separation), 4)
        change = {"object": f"mark/{mark.id}", "value": {**mark.model_dump(mode="json"), "h": mended}} if looks else {}
        yield r.found(
            words,
            "Type the height in the job's system, or change the system in the Brief.",
            object=f"mark/{mark.id}",
            measured=off,
            change=change,
            label=f"convert to {mended:.3f} m" if looks else "",
        )


@rule(
    "base-readings",
    "Do the antenna height readings agree?",
    "stop",
    "base",
    0.003,
    "An antenna height read wrong once goes into every height of the map.",
    FIELD,
)
def _readings(r: Rule, view: View) -> Iterator[Finding]:
    base = view.plan.base
    if base.support != "tripod" or base.mark is None or base.antenna not in antennas():
        return
    try:
        verticals = [vertical_from_slant(s, antennas()[base.antenna]) for s in base.readings]
    except KardoError as fault:
        yield r.found(fault.what, fault.mend, object="base")
        return
    spread = max(verticals) - min(verticals)
    if spread > (r.threshold or 0.0) + 1e-9:
        yield r.found(
            f"The antenna height readings differ by {spread * 1000:.1f} mm.",
            "Measure again: 3 mm apart at most.",
            object="base",
            measured=spread,
        )


@rule("base-taped-once", "Is the antenna height measured twice?", "warn", "base", 2, "One reading has no check.", FIELD)
def _taped_once(r: Rule, view: View) -> Iterator[Finding]:
    base = view.plan.base
    if base.support == "tripod" and base.mark is not None and len(base.readings) < 2:
        yield r.found(
            "The antenna height is planned to be taped only once.",
            "Measure it twice, two ways.",
            object="base",
            measured=1,
        )


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
        yield r.found(
            "There is no control target.", "Place at least one, better four extremes and the middle.", measured=0
        )


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
    if view.flight is None:
        return
    least = view.flight.footprint_along / 4
    for check in view.plan.checks:
        near = min(view.plan.targets, key=lambda t: _distance(t, check), default=None)
        if near is not None and _distance(near, check) < least:
            yield r.found(
                f"{check.name} stands {_distance(near, check):.1f} m from target {near.name}: it proves nothing.",
                f"Move it at least {least:.0f} m away.",
                object=f"control/{check.id}",
                measured=_distance(near, check),
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
    if len(view.plan.site.boundary) < 3 or view.flight is None:
        return
    polygon = site_polygon(view.plan)
    for p in view.plan.control:
        away = float(polygon.distance(Point(p.e, p.n)))
        if away > view.flight.spacing:
            yield r.found(
                f"{p.name} lies {away:.0f} m outside the boundary.",
                "Move it inside.",
                object=f"control/{p.id}",
                measured=away,
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
    for row in (view.prediction or {}).get("control", []):
        if row["images"] < (r.threshold or 0):
            yield r.found(
                f"{names.get(row['id'], row['id'])} is seen by {row['images']} images.",
                "Move it in from the edge of the block, or fly a margin.",
                object=f"control/{row['id']}",
                measured=row["images"],
            )


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
    if view.flight is None:
        return
    for p in view.plan.control:
        width = p.width / view.flight.gsd
        if width < (r.threshold or 0):
            wider = round(8.5 * view.flight.gsd + 0.05, 1)
            yield r.found(
                f"{p.name} is {width:.1f} pixels wide.",
                f"Use a target of {wider:.1f} m.",
                object=f"control/{p.id}",
                measured=width,
                change={"object": f"control/{p.id}", "value": {**p.model_dump(mode="json"), "width": wider}},
                label=f"widen to {wider:.1f} m",
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
    typed = tuple(p for p in view.plan.control if p.h is not None)
    if surface is None or not typed:
        return
    for p, h in zip(typed, control_heights(view.plan, typed), strict=True):
        off = h - float(surface.at(p.e, p.n))
        if abs(off) > (r.threshold or 0):
            yield r.found(
                f"{p.name} stands {off:+.1f} m from the terrain.",
                "Check its height system and unit.",
                object=f"control/{p.id}",
                measured=off,
            )


@rule(
    "spur-without-target",
    "Has every narrow part its own target?",
    "warn",
    "control",
    0.8,
    "A spur with few strips hangs on the block like a lever.",
    FIELD,
)
def _weakest(r: Rule, view: View) -> Iterator[Finding]:
    prediction = view.prediction
    worst = ((prediction or {}).get("map") or {}).get("worst_v")
    if not prediction or not worst:
        return
    if prediction["limit_v"] and worst["sigma"] > prediction["limit_v"] * (r.threshold or 1):
        yield r.found(
            f"Weakest place: height to {worst['sigma'] * 1000:.1f} mm at {worst['e']:.0f} E {worst['n']:.0f} N.",
            "Put a target there.",
            measured=worst["sigma"],
            change=_new_target(view.plan, worst["e"], worst["n"]),
            label="add target",
        )


def _new_target(plan: Plan, e: float, n: float) -> Json:
    taken = {p.id for p in plan.control} | {p.name for p in plan.control}
    name = next(f"G{k}" for k in range(1, 10_000) if f"G{k}" not in taken)
    point = ControlPoint(id=name, name=name, role="target", e=round(e, 1), n=round(n, 1))
    return {"object": f"control/{name}", "value": point.model_dump(mode="json")}


@rule(
    "flight-blur",
    "Does the image stay sharp at this speed?",
    "warn",
    "flight",
    0.5,
    "Speed times exposure time smears the image; half a pixel is the usual limit, one pixel a stop.",
    FIELD,
)
def _blur(r: Rule, view: View) -> Iterator[Finding]:
    if view.flight and view.flight.blur_px > (r.threshold or 0):
        slower = round(view.plan.flight.speed * 0.5 / view.flight.blur_px, 1)
        yield r.found(
            f"Blur of {view.flight.blur_px:.2f} pixels.",
            f"Fly at {slower} m/s or shorten the exposure.",
            measured=view.flight.blur_px,
            change={"object": "flight", "value": {**view.plan.flight.model_dump(mode="json"), "speed": slower}},
            label=f"fly {slower} m/s",
        )


@rule(
    "flight-shutter",
    "Is the shutter mechanical?",
    "warn",
    "flight",
    None,
    "A rolling shutter reads the rows one after another while the aircraft moves.",
    FIELD,
)
def _shutter(r: Rule, view: View) -> Iterator[Finding]:
    if view.flight and view.flight.camera.shutter == "rolling":
        yield r.found(
            "The camera has a rolling shutter; the prediction takes every row at one moment.",
            "Fly slowly, or use a mechanical shutter.",
        )


@rule(
    "flight-overlap",
    "Is the side overlap at least 60 %?",
    "warn",
    "flight",
    60,
    "Below it single rays miss and the block loses its height strength.",
    FIELD,
)
def _overlap(r: Rule, view: View) -> Iterator[Finding]:
    f = view.plan.flight
    if f.side_overlap < (r.threshold or 0):
        yield r.found(
            f"Side overlap of {f.side_overlap:.0f} %.",
            "Raise it to 60 % or more.",
            measured=f.side_overlap,
            change={"object": "flight", "value": {**f.model_dump(mode="json"), "side_overlap": 70.0}},
            label="set 70 %",
        )


@rule(
    "flight-margin",
    "Does the flight reach two strips and two exposures beyond?",
    "note",
    "flight",
    2,
    "The block is weakest at its edge; the margin keeps the edge outside what matters.",
    "one school of two; airspace or safety may force the other",
)
def _margin(r: Rule, view: View) -> Iterator[Finding]:
    f = view.plan.flight
    if min(f.margin_strips, f.margin_exposures) < 2:
        yield r.found(
            "The lines end at the boundary.",
            "Add two strips and two exposures where airspace allows.",
            measured=min(f.margin_strips, f.margin_exposures),
            change={
                "object": "flight",
                "value": {**f.model_dump(mode="json"), "margin_strips": 2, "margin_exposures": 2},
            },
            label="add margin",
        )


@rule(
    "flight-relief",
    "Does the flight follow the terrain where it must?",
    "warn",
    "flight",
    0.1,
    "Relief beyond a tenth of the height eats the overlap on high ground.",
    FIELD,
)
def _relief(r: Rule, view: View) -> Iterator[Finding]:
    f, surface = view.plan.flight, view.plan.surface
    if f.terrain_following or surface is None or view.flight is None:
        return
    ground = surface.at(view.flight.e, view.flight.n)
    relief = float(np.nanmax(ground) - np.nanmin(ground)) / f.height
    if relief > (r.threshold or 0):
        yield r.found(
            f"Relief is {relief:.0%} of the flying height.",
            "Follow the terrain.",
            measured=relief,
            change={"object": "flight", "value": {**f.model_dump(mode="json"), "terrain_following": True}},
            label="follow terrain",
        )


@rule(
    "leg-battery",
    "Does every leg land with its reserve?",
    "stop",
    "flight",
    None,
    "The way home needs 25 to 30 %.",
    FIELD,
)
def _battery(r: Rule, view: View) -> Iterator[Finding]:
    for k, leg in enumerate(view.flight.legs if view.flight else ()):
        if leg.battery_left < view.plan.flight.reserve - 1e-6:
            yield r.found(
                f"Leg {k + 1} lands with {leg.battery_left:.0f} % left.",
                "Shorten its lines or fly faster.",
                measured=leg.battery_left,
            )


@rule(
    "map-uncovered",
    "Do two images see every part of the site?",
    "stop",
    "flight",
    0,
    "Where fewer than two images see, there is no map.",
    FIELD,
)
def _uncovered(r: Rule, view: View) -> Iterator[Finding]:
    mapped = (view.prediction or {}).get("map")
    if mapped and mapped["uncovered"]:
        share = mapped["uncovered"] / len(mapped["h"])
        yield r.found(
            f"{share:.0%} of the site is seen by fewer than two images.",
            "Raise the overlap or the margin.",
            measured=mapped["uncovered"],
        )


@rule(
    "exposures-untied",
    "Can every exposure be oriented?",
    "warn",
    "flight",
    6,
    "An exposure with fewer than six tie rays hangs on its neighbours by too little; over water and at ragged edges there are none.",
    "theory of the orientation of an image",
)
def _untied(r: Rule, view: View) -> Iterator[Finding]:
    left_out = (view.prediction or {}).get("left_out") or []
    if left_out:
        yield r.found(
            f"{len(left_out)} of the images see fewer than six tie points and are left out: {spans(np.array(left_out))}.",
            "Raise the overlap there, or fly a margin over ground that can be tied.",
            measured=len(left_out),
        )


@rule(
    "verdict-tolerance",
    "Is the predicted RMSE inside the tolerance?",
    "stop",
    "verdict",
    None,
    "This is what was promised.",
    "the Brief",
)
def _tolerance(r: Rule, view: View) -> Iterator[Finding]:
    p = view.prediction
    if not p or p.get("defects"):
        return
    for axis, name in (("h", "H"), ("v", "V")):
        limit = p[f"limit_{axis}"]
        if limit is not None and p[f"rmse_{axis}"] > limit:
            yield r.found(
                f"{name} of {p[f'rmse_{axis}'] * 1000:.1f} mm is outside the {limit * 1000:.1f} mm allowed.",
                "See the largest share of the budget.",
                measured=p[f"rmse_{axis}"],
            )


@rule(
    "verdict-volume",
    "Is the mean height good enough for the volume?",
    "stop",
    "verdict",
    1.96,
    "A volume is as good as the mean height over it, and that hangs on what all its points share.",
    "the Brief",
)
def _volume(r: Rule, view: View) -> Iterator[Finding]:
    if view.plan.brief.standard != "volume" or not view.prediction:
        return
    for volume in view.prediction.get("volumes", []):
        at_95 = volume["sigma"] * (r.threshold or 0)
        if at_95 > view.plan.brief.tolerance_v:
            yield r.found(
                f"Mean height over {volume['name']} is good to {at_95 * 1000:.1f} mm at 95 %; "
                f"{view.plan.brief.tolerance_v * 1000:.1f} mm is allowed.",
                "See the largest share of the budget.",
                measured=at_95,
            )


@rule(
    "base-mark-unsettled",
    "Is the base on coordinates that will hold?",
    "warn",
    "base",
    4.0,
    "A position taken here is good to metres until the block is shifted; a short static session is worse than its law.",
    "Eckl and others, J. Geodesy 2001, for the hours; field practice for the rest",
)
def _unsettled(r: Rule, view: View) -> Iterator[Finding]:
    mark = view.plan.mark_of(view.plan.base.mark)
    if mark is None or mark.known == "published" or (mark.known == "static" and mark.hours >= (r.threshold or 0)):
        return
    words = (
        f"{mark.name} has the position it was given on the spot: the verdict is that before any shift."
        if mark.known == "here"
        else f"{mark.name} rests on {mark.hours:g} h of logging; below four hours the figures are only a cautious guess."
    )
    yield r.found(
        words,
        "Log four hours or more and post-process, or stand on a known mark.",
        object=f"mark/{mark.id}",
        measured=mark.hours,
    )


@rule(
    "verdict-blind",
    "Would the checks see an error of the base?",
    "note",
    "verdict",
    None,
    "Targets, checks and corrections on one base share its error: a perfect report on a shifted map.",
    FIELD,
)
def _blind(r: Rule, view: View) -> Iterator[Finding]:
    plan = view.plan
    if plan.checks and plan.base.mark is not None and all(p.mark in (None, plan.base.mark) for p in plan.checks):
        yield r.found(
            "Every check hangs on the base's own mark.",
            "Observe some checks from another mark.",
            object=f"control/{plan.checks[0].id}",
        )
