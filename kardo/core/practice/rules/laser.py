"""Rules of a scan: what it covers, what settles it, and what its inertial unit wants."""

import math
from collections.abc import Iterator

import numpy as np

from kardo.core.flight.lines.swath import sequence_words, used_angle
from kardo.core.geodesy.units import area, speed
from kardo.core.plan.flights import WallLines
from kardo.core.plan.library import SCAN_OVERLAP
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule
from kardo.core.practice.rules.coverage import where_of
from kardo.core.practice.rules.flight import mended, path_of, pattern_mended, sensor_mended

MOSTLY = 0.9  # of what no line sees, from which that it is hidden is what to mend


@rule("scan-gaps")
def _gaps(r: Rule, view: View) -> Iterator[Finding]:
    """By square metres."""
    found = view.density
    if found is not None and (missing := found.area(found.gaps)) > r.threshold:
        words, mend = f"No line sees {where_of(view, found, found.gaps)}.", "Raise the side overlap or the margin."
        if hidden := found.area(found.hidden):
            words += f" {area(hidden, view.plan.brief.unit)} of it are hidden by what stands there, or turn away."
            mend = (
                "Add a flight line on its far side, or more side overlap."
                if hidden > MOSTLY * missing
                else f"{mend[:-1]}, and add a flight line on its far side."
            )
        yield finding(r, words, mend, measured=missing)


@rule("scan-ground")
def _ground(r: Rule, view: View) -> Iterator[Finding]:
    """By square metres that a line sees."""
    found = view.density
    if found is None:
        return
    thin = found.holes & ~found.gaps
    if (missing := found.area(thin)) > r.threshold:
        words = (
            f"Fewer than {found.asked:.3g} returns from the ground on a square metre come from"
            f" {where_of(view, found, thin)}."
        )
        yield finding(
            r, words, "Fly slower, lower or with more overlap there; or say that it is interpolated.", measured=missing
        )


@rule("scan-water")
def _water(r: Rule, view: View) -> Iterator[Finding]:
    """By square metres."""
    found = view.density
    if found is not None and (wet := found.area(found.water)) > 0:
        words = (
            f"{area(wet, view.plan.brief.unit)} of the site are water: the scan maps nothing there, and nothing is"
            " promised."
        )
        yield finding(r, words, "Say so in the deliverable; survey the bed otherwise if it matters.", measured=wet)


@rule("scan-overlap")
def _overlap(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.scanned:
        if not isinstance(f.flight.pattern, WallLines) and f.flight.pattern.side_overlap < r.threshold:
            usual = max(SCAN_OVERLAP, r.threshold)
            yield finding(
                r,
                view.of_flight(f.flight.name, f"the scan has {f.flight.pattern.side_overlap:.0f} % side overlap."),
                f"Raise it to {usual:.0f} %.",
                path_of(f),
                f.flight.pattern.side_overlap,
                pattern_mended(f, side_overlap=usual),
                f"set {usual:.0f} %",
            )


@rule("scan-start")
def _start(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.scanned:
        if not f.scanning.start_up and f.scanner.start_up.seconds:
            words = view.of_flight(f.flight.name, "the inertial unit is not started as its profile asks.")
            mend = f"Before the first line: {sequence_words(f.scanner)}."
            yield finding(r, words, mend, path_of(f), None, sensor_mended(f, start_up=True), "fly the sequence")


@rule("scan-target")
def _target(r: Rule, view: View) -> Iterator[Finding]:
    if view.scanned and len(view.plan.targets) < r.threshold:
        words = (
            "No control point settles the height of the scan."
            if not view.plan.targets
            else "Few control points settle the scan."
        )
        mend = "Put one on hard, level ground in the open, and use it for the height."
        yield finding(r, words, mend, measured=len(view.plan.targets))


@rule("scan-unused")
def _unused(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.scanned:
        if f.scanning.adjustment == "none" and view.plan.targets:
            words = view.of_flight(f.flight.name, "the scan is not adjusted to the control points.")
            edits = sensor_mended(f, adjustment="height")
            yield finding(
                r, words, "Settle its height by them, or make them checks.", path_of(f), None, edits, "use them"
            )


@rule("scan-flat")
def _flat(r: Rule, view: View) -> Iterator[Finding]:
    """By degrees off straight down."""
    for f in view.scanned:
        half = math.degrees(used_angle(f.scanner, f.scanning)) / 2
        if half > r.threshold + 1e-9:
            words = view.of_flight(f.flight.name, f"beams up to {half:.0f}° off straight down are used.")
            yield finding(
                r,
                words,
                f"Use {2 * r.threshold:.0f}° of the angle.",
                path_of(f),
                half,
                sensor_mended(f, scan_angle_deg=2 * float(r.threshold)),
                f"use {2 * r.threshold:.0f}°",
            )


@rule("scan-lines")
def _lines(r: Rule, view: View) -> Iterator[Finding]:
    """By how many times the mean spacing of returns the lines are apart."""
    unit = view.plan.brief.unit
    for f in view.scanned:
        if f.scanner.pattern == "rosette":
            continue
        apart = f.flight.speed_m_per_s / f.scanner.lines_per_s / f.gsd
        if apart > r.threshold:
            slower = max(1.0, math.floor(10 * f.flight.speed_m_per_s * (r.threshold / apart) ** 2) / 10)
            words = view.of_flight(f.flight.name, f"its lines are {apart:.1f} times as far apart as its returns are.")
            yield finding(
                r,
                words,
                f"Fly at {speed(slower, unit)}, or use less of the angle.",
                path_of(f),
                apart,
                mended(f, speed_m_per_s=slower),
                f"fly {speed(slower, unit)}",
            )


@rule("scan-images")
def _images(r: Rule, view: View) -> Iterator[Finding]:
    if view.scanned and view.imaged:
        names = " and ".join(f.flight.name for f in view.imaged)
        words = f"The verdict is that of the scan; the images of {names} are not in it."
        yield finding(
            r, words, "Plan the images as a job of their own.", measured=float(np.sum([f.images for f in view.imaged]))
        )
