"""Rules of flying it: what could put an aircraft into the ground, or a leg's data beyond use."""

import math
from collections.abc import Iterator

import numpy as np

from kardo.core.arrays import Bools, Floats
from kardo.core.flight.clearance import Clearance, of_lines, of_ways, steepest
from kardo.core.flight.pattern import FlightPlan
from kardo.core.flight.pilot import SIGHT, seen_by_pilot
from kardo.core.flight.reach import REMOTE, sample_of
from kardo.core.geodesy.units import length, place, speed
from kardo.core.kept import kept
from kardo.core.plan.edits import field_edits
from kardo.core.plan.model import Plan
from kardo.core.practice.catalogue import FIELD, Finding, Rule, View, rule
from kardo.core.practice.rules.flight import mended, path_of

FAR = 0.3  # of a leg's minutes, from which its ways out and home are what to mend


@rule(
    "flight-clearance",
    "Does every line keep clear of the ground and of what stands on it?",
    "stop",
    "flight",
    (10.0, "m"),
    "Terrain, its data and the aircraft's height are each wrong by metres; the lines are looked at along their whole length.",
    FIELD,
)
def _clearance(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.flights:
        found = of_lines(view.plan, f)
        if found is not None and found.least < r.threshold:
            words = view.of_flight(f.flight.name, _near(found, view.plan.brief.unit, "a line"))
            yield r.found(words, "Follow the terrain, fly higher, or leave that part out.", path_of(f), found.least)


def _near(found: Clearance, unit: str, what: str) -> str:
    spot = place(found.e, found.n, unit)
    over = found.over or "the ground"
    if found.least <= 0:
        inside = f"inside {over}" if not found.over else f"below the top of {over}"
        return f"{what} runs {length(-found.least, unit, 1)} {inside} at {spot}."
    return f"{what} comes within {length(found.least, unit, 1)} of {over} at {spot}."


@rule(
    "flight-way-home",
    "Does the way out and home, at the return height, keep clear?",
    "stop",
    "flight",
    (10.0, "m"),
    "On a lost link the aircraft comes home straight, at the return height above its take-off place, whatever stands between.",
    FIELD,
)
def _way_home(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.flights:
        found = of_ways(view.plan, f)
        if found is None or found.least >= r.threshold:
            continue
        higher = math.ceil(f.flight.homeward + r.threshold - found.least)
        words = view.of_flight(f.flight.name, _near(found, unit, "the way out or home"))
        mend = f"Set a return height of {length(higher, unit)} or more above the take-off place, or take off elsewhere."
        edits = mended(f, return_height=float(higher)) if higher <= 1000 else ()
        yield r.found(words, mend, path_of(f), found.least, edits, f"return at {length(higher, unit)}" if edits else "")


@rule(
    "flight-climb",
    "Can the aircraft climb and descend as the lines ask?",
    "stop",
    "flight",
    None,
    "An aircraft that cannot follow flies into the slope, or leaves its height and with it overlap and pixel size.",
    "the aircraft's profile",
)
def _climb(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.flights:
        craft = view.plan.aircraft(f.flight.aircraft)
        for what, needed, can in zip(
            ("climb", "descent"), steepest(f), (craft.climb_m_per_s, craft.descend_m_per_s), strict=True
        ):
            if needed.rate > can * (1 + 1e-9):
                slower = math.floor(10 * f.flight.speed * can / needed.rate) / 10
                words = f"a {what} of {speed(round(needed.rate, 1), unit)} is needed along a strip about {place(needed.e, needed.n, unit)}; the aircraft does {speed(can, unit)}."
                edits = mended(f, speed=slower) if slower >= 1 else ()
                mend = f"Fly at {speed(slower, unit)}, along the slope's contours, or without following the terrain."
                yield r.found(
                    view.of_flight(f.flight.name, words),
                    mend,
                    path_of(f),
                    needed.rate,
                    edits,
                    f"fly {speed(slower, unit)}" if edits else "",
                )


@rule(
    "flight-speed",
    "Can the aircraft fly this fast?",
    "stop",
    "flight",
    None,
    "A speed that is not reached makes the day longer; one against the wind is not reached at all.",
    "the aircraft's profile",
)
def _speed(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.plan.flights:
        most = view.plan.aircraft(f.aircraft).max_m_per_s
        if f.speed > most:
            words = view.of_flight(f.name, f"{speed(f.speed, unit)} is faster than the aircraft's {speed(most, unit)}.")
            edits = field_edits(f"flights/{f.id}", f, speed=most)
            yield r.found(
                words,
                f"Fly at {speed(most, unit)} at most.",
                f"flights/{f.id}",
                f.speed,
                edits,
                f"fly {speed(most, unit)}",
            )


@rule(
    "flight-trigger",
    "Can the camera keep up?",
    "stop",
    "flight",
    None,
    "A camera that is asked for images faster than it writes them leaves some out, and the overlap with them.",
    "the camera's profile",
)
def _trigger(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.imaged:
        least = f.camera.least_interval_s
        if f.trigger_interval < least * (1 - 1e-9):
            slower = math.floor(10 * f.trigger_distance / least) / 10
            words = f"an image every {f.trigger_interval:.2f} s; the camera needs {least:g} s."
            yield r.found(
                view.of_flight(f.flight.name, words),
                f"Fly at {speed(slower, unit)} or lower the forward overlap.",
                path_of(f),
                f.trigger_interval,
                mended(f, speed=slower) if slower > 0 else (),
                f"fly {speed(slower, unit)}" if slower > 0 else "",
            )


@rule(
    "flight-gap",
    "Is the ground known under the whole flight?",
    "warn",
    "flight",
    None,
    "Where the terrain has no heights, nothing says how high the aircraft is; what is flown there is left out of the prediction.",
    FIELD,
)
def _gap(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.flights:
        unknown = np.isnan(f.h)
        if unknown.any():
            spot = place(float(f.e[unknown].mean()), float(f.n[unknown].mean()), unit)
            words = f"{int(unknown.sum())} of {len(f.h)} {'places of its lines' if f.scans else 'exposures'} lie over no known ground, about {spot}."
            mend = "Bring in terrain that covers the flight, margins included."
            yield r.found(view.of_flight(f.flight.name, words), mend, path_of(f), int(unknown.sum()))


@rule(
    "flight-sight",
    "Does the pilot see the aircraft on every line?",
    "warn",
    "flight",
    (SIGHT, "m"),
    "Who flies keeps the aircraft in sight unless the law of the place gives leave: beyond some hundred metres nobody makes out which way it heads.",
    "field practice; the law of the place decides",
)
def _sight(r: Rule, view: View) -> Iterator[Finding]:
    """By metres to the farthest exposure; of flights whose take-off place is chosen."""
    for f, away, seen in _from_pad(view, r.threshold):
        far = length(float(away.max()), view.plan.brief.unit)
        what = f"the pilot does not see {100 * np.mean(~seen):.0f} % of its lines: they lie up to {far} away, or behind something."
        mend = "Take off elsewhere, change places between legs, or post an observer; beyond sight needs leave."
        yield r.found(view.of_flight(f.flight.name, what), mend, path_of(f), float(away.max()))


def _from_pad(view: View, sight: float) -> Iterator[tuple[FlightPlan, Floats, Bools]]:
    """Flights whose take-off place is chosen and that are not in sight of it throughout: metres to a sample of the exposures (k,), and whether each is in sight."""
    for f in view.flights:
        if f.flight.standpoint is not None:
            away, seen = _by_pilot(view.plan, f, f.flight.standpoint, sight)
            if not seen.all():
                yield f, away, seen


@kept(128, by=lambda plan, f, at, sight: (f, at, sight, plan.site.ground, plan.site.features))
def _by_pilot(plan: Plan, f: FlightPlan, at: tuple[float, float], sight: float) -> tuple[Floats, Bools]:
    return seen_by_pilot(plan, f, at, sample_of(f), sight)


@rule(
    "flight-link",
    "Does the controller reach the aircraft on every line?",
    "warn",
    "flight",
    (REMOTE, "m"),
    "On a lost link the aircraft does what its fail-safe says: mostly it comes home, and the line is not flown.",
    "what remote controllers reach in free sight, about; the instrument's own figure is better",
)
def _link(r: Rule, view: View) -> Iterator[Finding]:
    """By metres to the farthest exposure; of flights whose take-off place is chosen."""
    for f, away, reached in _from_pad(view, r.threshold):
        far = length(float(away[~reached].max()), view.plan.brief.unit)
        what = f"{100 * np.mean(~reached):.0f} % of its lines may lie beyond the controller: up to {far} away, or behind something."
        mend = "Take off nearer, or from where nothing stands between."
        yield r.found(view.of_flight(f.flight.name, what), mend, path_of(f), float(away.max()))


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
    for f in view.flights:
        for k, leg in enumerate(f.legs):
            if leg.battery_left < f.flight.reserve - 1e-6:
                words = view.of_flight(f.flight.name, f"leg {k + 1} lands with {leg.battery_left:.0f} % left.")
                far = leg.out + leg.home > FAR * leg.minutes
                words += (
                    f" The ways out and home take {leg.out + leg.home:.0f} of {leg.minutes:.0f} min." if far else ""
                )
                mend = "Take off nearer, or shorten its lines." if far else "Shorten its lines or fly faster."
                yield r.found(words, mend, path_of(f), leg.battery_left)


@rule(
    "flight-reserve",
    "Does 25 % of the battery stay for the way home?",
    "warn",
    "flight",
    (25, "%"),
    "Wind on the way back, a go-around, a cold battery: the reserve is what they are flown from.",
    FIELD,
)
def _reserve(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.plan.flights:
        if f.reserve < r.threshold:
            words = view.of_flight(f.name, f"a battery reserve of {f.reserve:.0f} %.")
            usual = max(28.0, r.threshold)
            edits = field_edits(f"flights/{f.id}", f, reserve=usual)
            yield r.found(words, f"Plan with {usual:.0f} %.", f"flights/{f.id}", f.reserve, edits, f"set {usual:.0f} %")


@rule(
    "leg-short",
    "Is each leg long enough to be post-processed?",
    "note",
    "flight",
    (10, "min"),
    "Ambiguities are resolved over minutes: a leg shorter than ten may stay float.",
    "usual of post-processing; per instrument",
)
def _short_leg(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.flights:
        if not f.flight.corrected or f.flight.corrections == "live":
            continue
        for k, leg in enumerate(f.legs):
            if leg.minutes < r.threshold:
                words = view.of_flight(f.flight.name, f"leg {k + 1} takes {leg.minutes:.1f} min.")
                mend = "Keep the log running on the ground until ten minutes are full, or join it with another leg."
                yield r.found(words, mend, path_of(f), leg.minutes)


@rule(
    "flight-insurance",
    "Are raw data logged beside live corrections?",
    "note",
    "flight",
    None,
    "A link that breaks costs nothing where the raw data can be post-processed afterwards.",
    "one school of three; the one that costs nothing",
)
def _insurance(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.plan.flights:
        if f.corrected and f.corrections == "live":
            words = view.of_flight(f.name, "the corrections are live only.")
            edits = field_edits(f"flights/{f.id}", f, corrections="both")
            yield r.found(
                words, "Log raw data on base and aircraft as well.", f"flights/{f.id}", None, edits, "log raw too"
            )
