"""Rules of flying it: what could put an aircraft into the ground, or a sortie's data beyond use."""

import math
from collections.abc import Iterator

import numpy as np

from kardo.core.arrays import Bools, Floats
from kardo.core.flight.air.clearance import Clearance, of_lines, of_ways, steepest
from kardo.core.flight.air.pilot import seen_from_take_offs
from kardo.core.flight.air.reach import sample_of
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.geodesy.units import length, place, speed
from kardo.core.kept import kept
from kardo.core.plan.edits import field_edits
from kardo.core.plan.model import Plan
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule
from kardo.core.practice.rules.flight import mended, path_of

FAR = 0.3  # of a sortie's minutes, from which its ways out and home are what to mend


@rule("flight-clearance")
def _clearance(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.flights:
        found = of_lines(view.plan, f)
        if found is not None and found.least < r.threshold:
            words = view.of_flight(f.flight.name, _near(found, view.plan.brief.unit, "a line"))
            yield finding(r, words, "Follow the terrain, fly higher, or leave that part out.", path_of(f), found.least)


def _near(found: Clearance, unit: str, what: str) -> str:
    spot = place(found.e, found.n, unit)
    over = found.over or "the ground"
    if found.least <= 0:
        inside = f"inside {over}" if not found.over else f"below the top of {over}"
        return f"{what} runs {length(-found.least, unit, 1)} {inside} at {spot}."
    return f"{what} comes within {length(found.least, unit, 1)} of {over} at {spot}."


@rule("flight-way-home")
def _way_home(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.flights:
        found = of_ways(view.plan, f)
        if found is None or found.least >= r.threshold:
            continue
        higher = math.ceil(f.flight.homeward + r.threshold - found.least)
        words = view.of_flight(f.flight.name, _near(found, unit, "the way out or home"))
        mend = f"Set a return height of {length(higher, unit)} or more above the take-off place, or take off elsewhere."
        edits = mended(f, return_height_m=float(higher)) if higher <= 1000 else ()
        yield finding(
            r, words, mend, path_of(f), found.least, edits, f"return at {length(higher, unit)}" if edits else ""
        )


@rule("flight-climb")
def _climb(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.flights:
        craft = view.plan.aircraft(f.flight.aircraft)
        for what, needed, can in zip(
            ("climb", "descent"), steepest(f), (craft.climb_m_per_s, craft.descend_m_per_s), strict=True
        ):
            if needed.rate > can * (1 + 1e-9):
                slower = math.floor(10 * f.flight.speed_m_per_s * can / needed.rate) / 10
                words = (
                    f"a {what} of {speed(round(needed.rate, 1), unit)} is needed along a flight line about"
                    f" {place(needed.e, needed.n, unit)}; the aircraft does {speed(can, unit)}."
                )
                edits = mended(f, speed_m_per_s=slower) if slower >= 1 else ()
                mend = f"Fly at {speed(slower, unit)}, along the slope's contours, or without following the terrain."
                yield finding(
                    r,
                    view.of_flight(f.flight.name, words),
                    mend,
                    path_of(f),
                    needed.rate,
                    edits,
                    f"fly {speed(slower, unit)}" if edits else "",
                )


@rule("flight-speed")
def _speed(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.plan.flights:
        most = view.plan.aircraft(f.aircraft).max_m_per_s
        if f.speed_m_per_s > most:
            words = view.of_flight(
                f.name, f"{speed(f.speed_m_per_s, unit)} is faster than the aircraft's {speed(most, unit)}."
            )
            edits = field_edits(f"flights/{f.id}", f, speed_m_per_s=most)
            yield finding(
                r,
                words,
                f"Fly at {speed(most, unit)} at most.",
                f"flights/{f.id}",
                f.speed_m_per_s,
                edits,
                f"fly {speed(most, unit)}",
            )


@rule("flight-trigger")
def _trigger(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.imaged:
        least = f.camera.least_interval_s
        if f.trigger_interval < least * (1 - 1e-9):
            slower = math.floor(10 * f.trigger_distance / least) / 10
            words = f"an image every {f.trigger_interval:.2f} s; the camera needs {least:g} s."
            yield finding(
                r,
                view.of_flight(f.flight.name, words),
                f"Fly at {speed(slower, unit)} or lower the forward overlap.",
                path_of(f),
                f.trigger_interval,
                mended(f, speed_m_per_s=slower) if slower > 0 else (),
                f"fly {speed(slower, unit)}" if slower > 0 else "",
            )


@rule("flight-gap")
def _gap(r: Rule, view: View) -> Iterator[Finding]:
    unit = view.plan.brief.unit
    for f in view.flights:
        unknown = np.isnan(f.h)
        if unknown.any():
            spot = place(float(f.e[unknown].mean()), float(f.n[unknown].mean()), unit)
            words = f"{int(unknown.sum())} of {len(f.h)} {f.sensor.places} lie over no known ground, about {spot}."
            mend = "Bring in terrain that covers the flight, margins included."
            yield finding(r, view.of_flight(f.flight.name, words), mend, path_of(f), int(unknown.sum()))


@rule("flight-sight")
def _sight(r: Rule, view: View) -> Iterator[Finding]:
    """By metres to the farthest exposure; of flights whose take-off place is chosen."""
    for f, away, seen in _from_pad(view, r.threshold):
        far = length(float(away.max()), view.plan.brief.unit)
        what = (
            f"the pilot does not see {100 * np.mean(~seen):.0f} % of its lines: they lie up to {far} away, or behind"
            " something."
        )
        mend = "Take off elsewhere, change places between sorties, or post an observer; beyond sight needs leave."
        yield finding(r, view.of_flight(f.flight.name, what), mend, path_of(f), float(away.max()))


def _from_pad(view: View, sight: float) -> Iterator[tuple[FlightPlan, Floats, Bools]]:
    """Flights whose take-off place is chosen and that are not in sight of it throughout: metres to a sample of the
    exposures (k,), and whether each is in sight."""
    for f in view.flights:
        if f.flight.take_off is not None or f.flight.take_off_moves:
            away, seen = _by_pilot(view.plan, f, sight)
            if not seen.all():
                yield f, away, seen


@kept(128, by=lambda plan, f, sight: (f, sight, plan.site.ground, plan.site.features))
def _by_pilot(plan: Plan, f: FlightPlan, sight: float) -> tuple[Floats, Bools]:
    return seen_from_take_offs(plan, f, sight, sample_of(f))


@rule("flight-link")
def _link(r: Rule, view: View) -> Iterator[Finding]:
    """By metres to the farthest exposure; of flights whose take-off place is chosen."""
    for f, away, reached in _from_pad(view, r.threshold):
        far = length(float(away[~reached].max()), view.plan.brief.unit)
        what = (
            f"{100 * np.mean(~reached):.0f} % of its lines may lie beyond the controller: up to {far} away, or behind"
            " something."
        )
        mend = "Take off nearer, or from where nothing stands between."
        yield finding(r, view.of_flight(f.flight.name, what), mend, path_of(f), float(away.max()))


@rule("leg-battery")
def _battery(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.flights:
        for k, sortie in enumerate(f.sorties):
            if sortie.battery_left < f.flight.reserve_percent - 1e-6:
                words = view.of_flight(f.flight.name, f"sortie {k + 1} lands with {sortie.battery_left:.0f} % left.")
                far = sortie.out + sortie.home > FAR * sortie.minutes
                words += (
                    f" The ways out and home take {sortie.out + sortie.home:.0f} of {sortie.minutes:.0f} min."
                    if far
                    else ""
                )
                mend = "Take off nearer, or shorten its lines." if far else "Shorten its lines or fly faster."
                yield finding(r, words, mend, path_of(f), sortie.battery_left)


@rule("flight-reserve")
def _reserve(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.plan.flights:
        if f.reserve_percent < r.threshold:
            words = view.of_flight(f.name, f"a battery reserve of {f.reserve_percent:.0f} %.")
            usual = max(28.0, r.threshold)
            edits = field_edits(f"flights/{f.id}", f, reserve_percent=usual)
            yield finding(
                r, words, f"Plan with {usual:.0f} %.", f"flights/{f.id}", f.reserve_percent, edits, f"set {usual:.0f} %"
            )


@rule("leg-short")
def _short_sortie(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.flights:
        if not f.flight.corrected or f.flight.corrections == "live":
            continue
        for k, sortie in enumerate(f.sorties):
            if sortie.minutes < r.threshold:
                words = view.of_flight(f.flight.name, f"sortie {k + 1} takes {sortie.minutes:.1f} min.")
                mend = "Keep the log running on the ground until ten minutes are full, or join it with another sortie."
                yield finding(r, words, mend, path_of(f), sortie.minutes)


@rule("flight-insurance")
def _insurance(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.plan.flights:
        if f.corrected and f.corrections == "live":
            words = view.of_flight(f.name, "the corrections are live only.")
            edits = field_edits(f"flights/{f.id}", f, corrections="both")
            yield finding(
                r, words, "Log raw data on base and aircraft as well.", f"flights/{f.id}", None, edits, "log raw too"
            )
