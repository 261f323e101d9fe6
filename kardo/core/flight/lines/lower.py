"""What flying lower asks of a flight: slower, so that blur and the time between images stay as they were, and with more
overlap close to the ground."""

import math
from dataclasses import dataclass

from kardo.core.flight.lines.pattern import FlightPlan, flown
from kardo.core.geodesy.units import length, speed
from kardo.core.plan.edits import Edit, part_edits
from kardo.core.plan.flights import Imaging
from kardo.core.plan.model import Plan

BELOW = 0.95  # of a ceiling: terrain, its data and the aircraft's height are each off by metres
MORE = 80.0  # per cent of forward overlap close to the ground
LOWEST = 15.0  # metres


@dataclass(frozen=True)
class Lower:
    """A flight below a ceiling, metres above ground: its height, in words what it asks and costs, and the edits."""

    height: float
    words: str
    edits: tuple[Edit, ...]


def below(plan: Plan, f: FlightPlan, ceiling: float, highest: float) -> Lower | None:
    """A flight that keeps a ceiling, whose highest place now is so many metres above ground; None where that would be
    too near the ground. Raises PlanError where it cannot be laid out."""
    height = math.floor(BELOW * ceiling * f.flight.height_m / highest)
    if height < LOWEST:
        return None
    slower = max(0.5, math.floor(10 * f.flight.speed_m_per_s * height / f.flight.height_m) / 10)
    flight = f.flight.having(height_m=float(height), speed_m_per_s=slower)
    use = f.flight.sensor
    closer = height < plan.policy["flight-low"] and isinstance(use, Imaging) and use.forward_overlap < MORE
    if closer:
        flight = flight.having(forward_overlap=MORE)
    then = flown(plan, flight)
    unit = plan.brief.unit
    overlap = f", {MORE:.0f} % forward" if closer else ""
    images = f"{then.images} images instead of {f.images}, " if then.images else ""
    words = (
        f"at {length(height, unit)}, {speed(slower, unit)}{overlap}: {images}{then.minutes:.0f} min instead of"
        f" {f.minutes:.0f}"
    )
    return Lower(float(height), words, part_edits(f"flights/{flight.id}", f.flight, flight))
