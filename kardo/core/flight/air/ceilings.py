"""Flights above the ceilings of the airspace they cross: how high, and during which hours it matters."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
import shapely

from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature
from kardo.core.site.things import shape_of_feature


@dataclass(frozen=True)
class Above:
    """A flight, a zone whose ceiling it does not keep and has no leave for, that ceiling, and the highest exposure over
    the zone; metres above ground."""

    flight: FlightPlan
    zone: Feature
    ceiling: float
    highest: float

    @property
    def hours(self) -> tuple[str, str] | None:
        """From when to when the zone holds, clock of the site; None: always."""
        return self.zone.zone.hours if self.zone.zone else None


def above_ceilings(plan: Plan, flown: Iterable[FlightPlan]) -> Iterator[Above]:
    """By the exposures over each zone, above the ground under them. Nothing where no ground is known."""
    surface = plan.surface
    for zone in plan.site.features if surface is not None else ():
        ceiling = ceiling_of(zone)
        if ceiling is None or (zone.zone is not None and zone.zone.asked == "granted"):
            continue
        shape = shape_of_feature(zone)
        for one in flown:
            inside = shapely.contains_xy(shape, one.e, one.n)
            up = (one.h - surface.at(one.e, one.n))[inside] if surface is not None and inside.any() else np.array([])
            highest = float(np.nanmax(up)) if np.isfinite(up).any() else 0.0
            if highest > ceiling:
                yield Above(one, zone, ceiling, highest)


def ceiling_of(zone: Feature) -> float | None:
    """Metres above ground up to which may be flown unasked; 0 where nothing may fly; None for what is no zone, or has
    no ceiling.

    >>> ring = ((0, 0), (9, 0), (0, 9))
    >>> ceiling_of(Feature(id="z", name="Corvane control", kind="airspace", shape="area", vertices=ring, height=60))
    60.0
    """
    if zone.kind != "airspace" or zone.shape != "area":
        return None
    return zone.height if zone.zone is None else zone.zone.ceiling
