"""Rules of a flight's design: what the ground, the height and the lens ask of its overlap and its flight lines."""

from collections.abc import Iterator

import numpy as np
import shapely

from kardo.core.errors import KardoError
from kardo.core.flight.lines.areas import flight_polygon
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.geodesy.units import length
from kardo.core.plan.flights import ParallelLines
from kardo.core.plan.lens import brought_in_line
from kardo.core.policy.policy import Rule
from kardo.core.practice.catalogue import Finding, View, finding, rule
from kardo.core.practice.rules.flight import path_of, pattern_mended, sensor_mended
from kardo.core.site.things import shape_of_feature

BARE = ("canopy", "water", "tide")  # where few points are matched from image to image
STATES = {"this_week": "this week", "earlier": "earlier", "never": "never since the lens was changed"}
STEEP_TILT = 30.0  # degrees
BARE_SHARE = 0.2  # of what is flown over, from which it counts
OBLIQUE_DEG, OTHER_HEIGHT = (
    10.0,
    0.1,
)  # from which a flight line separates focal length from height: its tilt; its height, as a share


@rule("flight-texture")
def _texture(r: Rule, view: View) -> Iterator[Finding]:
    things = [(f.kind, shape_of_feature(f)) for f in view.plan.site.features if f.kind in BARE and f.shape == "area"]
    for f in view.imaged if things else ():
        if f.imaging.forward_overlap >= r.threshold:
            continue
        try:
            block = flight_polygon(view.plan, f.flight)
        except KardoError:
            continue  # a boundary that crosses itself is told where it is
        share = shapely.union_all([shape for _, shape in things]).intersection(block).area / block.area
        if share >= BARE_SHARE:
            over = " and ".join(sorted({kind for kind, shape in things if shape.intersects(block)}))
            words = (
                f"forward overlap of {f.imaging.forward_overlap:g} %, with {over} over {100 * share:.0f} % of the"
                " ground."
            )
            yield _more(r, view, f, words)


def _more(r: Rule, view: View, f: FlightPlan, words: str) -> Finding:
    least = min(r.threshold, 95.0)
    mend, button = f"Fly with {least:g} % forward overlap.", f"{least:g} % forward"
    edits = sensor_mended(f, forward_overlap=float(least))
    return finding(r, view.of_flight(f.flight.name, words), mend, path_of(f), f.imaging.forward_overlap, edits, button)


@rule("flight-small")
def _small(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.imaged:
        if len(f.sorties) == 1 and f.imaging.forward_overlap < r.threshold:
            words = f"one sortie of {len(f.e)} images, with {f.imaging.forward_overlap:g} % forward overlap."
            yield _more(r, view, f, words)


@rule("flight-low")
def _low(r: Rule, view: View) -> Iterator[Finding]:
    """By metres above ground; a small site's flight is told by its own rule."""
    for f in view.imaged:
        if f.flight.height_m < r.threshold and f.imaging.forward_overlap < 80 and len(f.sorties) > 1:
            words = (
                f"it flies {length(f.flight.height_m, view.plan.brief.unit)} above ground with"
                f" {f.imaging.forward_overlap:g} % forward overlap."
            )
            edits = sensor_mended(f, forward_overlap=80.0)
            yield finding(
                r,
                view.of_flight(f.flight.name, words),
                "Fly with 80 % forward overlap, and slower.",
                path_of(f),
                f.flight.height_m,
                edits,
                "80 % forward",
            )


@rule("flight-strength")
def _strength(r: Rule, view: View) -> Iterator[Finding]:
    """By the camera's largest tilt in degrees, of every camera whose calibration is not of this week."""
    for camera in {f.camera.id: f.camera for f in view.imaged}.values():
        own = [f for f in view.imaged if f.camera is camera]
        tilt = max(float(np.degrees(np.abs(f.tilt)).max()) for f in own)
        heights = [h for f in own for h in _heights(f)]
        if (
            camera.calibration.state == "this_week"
            or tilt >= r.threshold
            or max(heights) > min(heights) * (1 + OTHER_HEIGHT)
        ):
            continue
        f = own[0]
        edits = pattern_mended(f, oblique_lines=1) if isinstance(f.flight.pattern, ParallelLines) else ()
        yield finding(
            r,
            view.of_flight(
                f.flight.name, "every image looks straight down from one height; the lens was not calibrated this week."
            ),
            "Add an oblique line, or cross lines at another height; or fly a calibration flight first.",
            path_of(f),
            tilt,
            edits,
            "one oblique line" if edits else "",
        )


def _heights(f: FlightPlan) -> Iterator[float]:
    """Metres above ground at which it is flown."""
    yield f.flight.height_m
    if isinstance(f.flight.pattern, ParallelLines) and f.flight.pattern.cross_lines:
        yield f.cross_height or f.flight.height_m


@rule("calibration-record")
def _record(r: Rule, view: View) -> Iterator[Finding]:
    for camera in {f.camera.id: f.camera for f in view.imaged}.values():
        told = brought_in_line(view.plan, camera)
        if told is None or not told[1]:
            continue
        now, then = (STATES[s] for s in (camera.calibration.state, told[0].state))
        yield finding(
            r,
            f"{camera.name} is reckoned as calibrated {now}; by its record it is {then}: {told[0].why}.".replace(
                "..", "."
            ),
            f"Reckon with {then}.",
            f"kit/cameras/{camera.id}",
            None,
            told[1],
            f"reckon with {then}",
        )


@rule("calibration-flown")
def _flown(r: Rule, view: View) -> Iterator[Finding]:
    """By the camera's largest tilt in degrees."""
    for f in view.imaged:
        if f.flight.purpose != "calibrate":
            continue
        tilt = float(np.degrees(np.abs(f.tilt)).max())
        if tilt < r.threshold:
            words = view.of_flight(
                f.flight.name, f"it is flown to calibrate with the camera {tilt:.0f}° off straight down."
            )
            mend = f"Tilt it {STEEP_TILT:.0f}°, as far as the landing gear stays out of the picture."
            yield finding(
                r, words, mend, path_of(f), tilt, sensor_mended(f, tilt_deg=STEEP_TILT), f"tilt {STEEP_TILT:.0f}°"
            )
        elif f.flight.position_state != "fixed":
            words = view.of_flight(f.flight.name, "it is flown to calibrate without fixed corrections.")
            yield finding(r, words, "Fly it with corrections that are fixed.", path_of(f), tilt)


@rule("calibration-frames")
def _calibration(r: Rule, view: View) -> Iterator[Finding]:
    for f in view.imaged:
        if f.flight.purpose == "calibrate" and len(f.e) < r.threshold:
            words = view.of_flight(f.flight.name, f"it is flown to calibrate, and takes {len(f.e)} frames.")
            yield finding(
                r, words, "Fly more flight lines, or with more overlap, over varied structure.", path_of(f), len(f.e)
            )
