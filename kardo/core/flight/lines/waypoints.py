"""A flight as the places an aircraft is sent to: where each flight line begins and ends, and where its height bends
between."""

from dataclasses import dataclass

import numpy as np
import shapely

from kardo.core.arrays import Floats, Ints
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.plan.model import Plan

BEND = 1.0  # metres that a height may lie off the straight between two waypoints


@dataclass(frozen=True)
class Waypoints:
    """Of one flight, (k,) each: places in grid metres, heights in the job's system, above the ground there, and above
    its sortie's take-off place (NaN where that has no known height); sortie and flight line, from 1; course in grid
    degrees; the camera's angle from straight down in degrees; whether images are taken from here to the next."""

    flight: FlightPlan
    e: Floats
    n: Floats
    h: Floats
    above_ground: Floats
    above_start: Floats
    sortie: Ints
    strip: Ints
    course: Floats
    tilt: Floats
    taking: Ints


def waypoints(plan: Plan, flight: FlightPlan) -> Waypoints:
    """The waypoints of a flight, in the order flown."""
    strips = [np.flatnonzero(flight.strip == k) for k in np.unique(flight.strip)]
    chosen = np.concatenate([own[_bends(flight.e[own], flight.n[own], flight.h[own])] for own in strips])
    surface = plan.surface
    e, n, h = flight.e[chosen], flight.n[chosen], flight.h[chosen]
    ground = np.full(len(e), np.nan) if surface is None else surface.at(e, n)
    pads = np.array([sortie.take_off[:2] for sortie in flight.sorties])[flight.sortie[chosen]]
    start = np.full(len(e), np.nan) if surface is None else surface.at(pads[:, 0], pads[:, 1])
    last = np.r_[flight.strip[chosen][1:] != flight.strip[chosen][:-1], True]
    return Waypoints(
        flight=flight,
        e=e,
        n=n,
        h=h,
        above_ground=h - ground,
        above_start=h - start,
        sortie=flight.sortie[chosen] + 1,
        strip=flight.strip[chosen] + 1,
        course=np.degrees(flight.course[chosen]) % 360,
        tilt=np.degrees(flight.tilt[chosen]),
        taking=(~last).astype(np.int64),
    )


def _bends(e: Floats, n: Floats, h: Floats) -> Ints:
    """Which of a flight line's exposures (k,) its heights cannot do without. Source: Douglas and Peucker, The Canadian
    Cartographer 10 (1973), as shapely has it."""
    if len(e) < 3:
        return np.arange(len(e))
    along = np.hypot(e - e[0], n - n[0])
    kept = shapely.get_coordinates(shapely.LineString(np.stack([along, h], axis=1)).simplify(BEND))[:, 0]
    return np.searchsorted(along, kept - 1e-6)
