"""Rules of the Flight."""

import math
from collections.abc import Iterator

import numpy as np

from kardo.core.accuracy.equation.defects import spans
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.geodesy.units import area, speed
from kardo.core.plan.edits import Edit, field_edits
from kardo.core.plan.flights import CorridorLines, Flight, Imaging, ParallelLines
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, newer_in_library, rule


def path_of(flight: FlightPlan) -> str:
    """The path of a flight in the plan."""
    return f"flights/{flight.flight.id}"


def mended(flight: FlightPlan, **update: object) -> tuple[Edit, ...]:
    """Edits of a flight that mend a finding."""
    return field_edits(path_of(flight), flight.flight, **update)


def sensor_mended(flight: FlightPlan, **update: object) -> tuple[Edit, ...]:
    """Edits of how a flight uses its sensor."""
    return field_edits(f"{path_of(flight)}/sensor", flight.flight.sensor, **update)


def pattern_mended(flight: FlightPlan, **update: object) -> tuple[Edit, ...]:
    """Edits of a flight's pattern."""
    return field_edits(f"{path_of(flight)}/pattern", flight.flight.pattern, **update)


@rule("flight-blur")
def _blur(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.flights:
        if f.blur_px > r.threshold * (1 + 1e-9):
            yield _blurred(r, view, f, f"blur of {f.blur_px:.2f} pixels.")


def _blurred(r: Rule, view: View, f: FlightPlan, words: str) -> Finding:
    unit = view.plan.brief.unit
    sharp = min(view.plan.policy["flight-blur"], r.threshold)
    slower = math.floor(10 * f.flight.speed_m_per_s * sharp / f.blur_px) / 10  # down, or the finding would stay
    return finding(
        r,
        view.of_flight(f.flight.name, words),
        f"Fly at {speed(slower, unit)} or shorten the exposure." if slower else "Shorten the exposure.",
        path_of(f),
        f.blur_px,
        mended(f, speed_m_per_s=slower) if slower else (),
        f"fly {speed(slower, unit)}" if slower else "",
    )


@rule("flight-smeared")
def _smeared(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.flights:
        if f.blur_px > r.threshold * (1 + 1e-9):
            yield _blurred(r, view, f, f"blur of {f.blur_px:.2f} pixels: the images are smeared.")


@rule("flight-shutter")
def _shutter(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.imaged:
        if f.camera.shutter == "rolling":
            words = view.of_flight(
                f.flight.name,
                f"the camera has a rolling shutter: the ground moves by {_rolled(f):.1f} pixels while it reads, and the"
                " prediction takes every row at one moment.",
            )
            yield finding(r, words, "Fly slowly, or use a mechanical shutter.", path_of(f))


def _rolled(f: FlightPlan) -> float:
    return f.flight.speed_m_per_s * f.camera.readout_ms / 1000 / f.gsd


@rule("flight-overlap")
def _overlap(r: Rule, view: View) -> Iterator[Finding]:
    for f in _mapping(view):
        if isinstance(f.pattern, ParallelLines | CorridorLines) and f.pattern.side_overlap < r.threshold:
            usual = max(70.0, r.threshold)
            yield finding(
                r,
                view.of_flight(f.name, f"side overlap of {f.pattern.side_overlap:.0f} %."),
                f"Raise it to {r.threshold:.0f} % or more.",
                f"flights/{f.id}",
                f.pattern.side_overlap,
                field_edits(f"flights/{f.id}/pattern", f.pattern, side_overlap=usual),
                f"set {usual:.0f} %",
            )


@rule("flight-forward")
def _forward(r: Rule, view: View) -> Iterator[Finding]:
    for f in _mapping(view):
        use = f.sensor
        if isinstance(use, Imaging) and use.forward_overlap < r.threshold:
            words = view.of_flight(f.name, f"forward overlap of {use.forward_overlap:.0f} %.")
            usual = max(75.0, r.threshold)
            edits = field_edits(f"flights/{f.id}/sensor", use, forward_overlap=usual)
            mend, label = f"Raise it to {usual:.0f} %.", f"set {usual:.0f} %"
            yield finding(r, words, mend, f"flights/{f.id}", use.forward_overlap, edits, label)


def _mapping(view: View) -> Iterator[Flight]:
    """The flights that map the site by images."""
    for f in view.plan.flights:
        if isinstance(f.sensor, Imaging) and f.purpose in {"map", "corridor"}:
            yield f


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'' if number == 1 else 's'}"


def _lost_at_the_edge(view: View) -> str:
    """What a margin that is missing costs, where it is known."""
    seen = view.coverage
    if seen is None:
        return ""
    weak = seen.area(seen.narrow | seen.by_corners | seen.holes)
    unit = view.plan.brief.unit
    return f" {area(weak, unit)} are seen by fewer than three flight lines, or by corners alone." if weak else ""


@rule("flight-margin")
def _margin(r: Rule, view: View) -> Iterator[Finding]:
    for f in _mapping(view):
        pattern, wanted = f.pattern, math.ceil(r.threshold)
        if not isinstance(pattern, ParallelLines | CorridorLines):
            continue
        least = min(pattern.extra_lines, pattern.extra_exposures)
        if least < r.threshold:
            reach = (
                f"the lines reach {_count(pattern.extra_lines, 'flight line')} and"
                f" {_count(pattern.extra_exposures, 'exposure')} beyond."
            )
            if pattern.extra_exposures == 0:
                reach = "the lines end at the boundary."
            elif pattern.extra_lines == 0:
                reach = "no flight line lies beyond the sides of the site."
            why = f" Why: {pattern.extra_reason}" if pattern.extra_reason else ""
            yield finding(
                r,
                view.of_flight(f.name, reach + _lost_at_the_edge(view) + why),
                f"Add flight lines and exposures, {wanted} of each, where airspace allows.",
                f"flights/{f.id}",
                least,
                field_edits(f"flights/{f.id}/pattern", pattern, extra_lines=wanted, extra_exposures=wanted),
                "add margin",
            )


@rule("flight-relief")
def _relief(r: Rule, view: View) -> Iterator[Finding]:
    surface = view.plan.surface
    for f in view.flights:
        if f.flight.terrain_following or surface is None:
            continue
        ground = surface.at(f.e, f.n)
        if not np.isfinite(ground).any():
            continue
        relief = float(np.nanmax(ground) - np.nanmin(ground) + 2 * surface.slack) / f.flight.height_m
        if relief > r.threshold:
            yield finding(
                r,
                view.of_flight(f.flight.name, f"relief is {100 * relief:.0f} % of the flying height."),
                "Follow the terrain.",
                path_of(f),
                relief,
                mended(f, terrain_following=True),
                "follow terrain",
            )


@rule("exposures-untied")
def _untied(r: Rule, view: View) -> Iterator[Finding]:
    left_out = view.result.left_out if view.result else []
    if left_out:
        words = (
            f"{len(left_out)} of the images see fewer than six tie points and are left out:"
            f" {spans(np.array(left_out))}."
        )
        mend = "Raise the overlap there, or fly a margin over ground that can be tied."
        yield finding(r, words, mend, measured=len(left_out))


@rule("kit-newer")
def _newer(r: Rule, view: View) -> Iterator[Finding]:
    yield from newer_in_library(r, view, ("cameras", "scanners", "aircraft", "batteries"))
