"""Geometry of a scan: how wide a line sees, how many pulses fall on each square metre, and what the inertial unit's
sequence takes.

Pulses lie in the plane across the flight. Source: docs/laser.md, "Pattern and density"."""

import math

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.plan.flights import Scanning
from kardo.core.plan.kit import Scanner

TRACK = 20.0  # places of a line's trajectory to a swath: between two of them it is straight enough
LONGEST_STEP = 10.0  # metres from one to the next


def used_angle(scanner: Scanner, use: Scanning) -> float:
    """The whole angle across the flight that is used, radians: the flight's gate, or all the scanner has."""
    return math.radians(min(use.scan_angle_deg or scanner.field_of_view_deg, scanner.field_of_view_deg))


def gate(scanner: Scanner, use: Scanning) -> float:
    """Metres from which returns are not used."""
    return min(use.range_gate_m or scanner.most_range, scanner.most_range)


def swath(scanner: Scanner, use: Scanning, height: float) -> float:
    """Width in metres of level ground that one line sees from so many metres above it, within the angle and the range
    that are used.

    >>> from kardo.core.plan.library import library
    >>> round(swath(library().scanners["tactical"], Scanning(scanner="tactical"), 80.0), 6)
    160.0
    """
    reach = math.tan(used_angle(scanner, use) / 2) * height
    farthest = gate(scanner, use)
    return 2 * min(reach, math.sqrt(max(farthest**2 - height**2, 0.0)))


def track_step(across: float) -> float:
    """Metres between two places of the trajectory, by the swath."""
    return min(max(across / TRACK, 1.0), LONGEST_STEP)


def over_angle(scanner: Scanner, angle: Floats) -> Floats:
    """Pulses a second and radian at angles (n,) off the middle, zero outside the field of view. lines: even; zigzag: an
    angle that swings as a sine dwells at the edges, 2 / (pi sqrt(1 - x^2)) of the even; rosette: a disc evenly filled,
    seen from the side, 4 / pi sqrt(1 - x^2) of it."""
    half = math.radians(scanner.field_of_view_deg) / 2
    x = np.clip(np.abs(angle) / half, 0.0, 1.0)
    even = scanner.pulses_per_s / (2 * half)
    shape = {
        "lines": np.ones_like(x),
        "zigzag": 2 / (math.pi * np.sqrt(np.maximum(1 - x**2, 1e-5))),
        "rosette": 4 / math.pi * np.sqrt(np.maximum(1 - x**2, 0.0)),
    }[scanner.pattern]
    return np.where(np.abs(angle) <= half * (1 + 1e-9), even * shape, 0.0)


def pulses_per_m2(scanner: Scanner, speed: float, angle: Floats, distance: Floats) -> Floats:
    """Pulses (n,) on each square metre of level ground in one pass at a speed, at angles off the vertical (n,) and
    ranges (n,): those of the angle, times cos(angle) / range of it to a metre across, over the metres flown in a
    second."""
    return over_angle(scanner, angle) * np.cos(angle) / (distance * speed)


def mean_density(scanner: Scanner, use: Scanning, height: float, speed: float) -> float:
    """Pulses on each square metre of one line's swath over level ground, in the mean: all that fall into it, over the
    ground passed in a second."""
    width = swath(scanner, use, height)
    angle = np.linspace(0, math.atan(width / 2 / height), 201)
    inside = 2 * float(np.trapezoid(over_angle(scanner, angle), angle))
    return inside / (max(width, 1e-6) * speed)


def sequence_minutes(scanner: Scanner, use: Scanning) -> tuple[float, float]:
    """Minutes that the inertial unit's sequence takes before a sortie's first line, and after its last."""
    if not use.start_up:
        return 0.0, 0.0
    minutes = scanner.start_up.seconds / 60
    return minutes, minutes if scanner.start_up.after else 0.0


def sequence_words(scanner: Scanner) -> str:
    """The sequence, for who flies it."""
    s, parts = scanner.start_up, []
    if s.still_s:
        parts.append(f"stand still {s.still_s:g} s")
    if s.straight_s:
        parts.append(f"fly straight {s.straight_s:g} s")
    if s.eights:
        parts.append("one figure of eight" if s.eights == 1 else f"{s.eights} figures of eight")
    return ", ".join(parts) or "nothing"
