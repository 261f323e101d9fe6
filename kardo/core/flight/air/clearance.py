"""How near a flight comes to the ground and to what stands on it: along every line, not only at its exposures, and on
the way out and home; and how steeply it climbs."""

from collections.abc import Hashable, Iterator
from dataclasses import dataclass

import numpy as np
import shapely

from kardo.core.arrays import Floats, Ints
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.kept import kept
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature
from kardo.core.site.things import UPRIGHT, foot_of, shape_of_feature

NEAR = 20.0  # metres in plan within which a flight passes over or beside an obstacle
STEP = 5.0  # metres along a path from one place looked at to the next


@dataclass(frozen=True)
class Clearance:
    """The least distance in metres between a path and what lies under it, its place in grid metres, and what that is:
    empty for the ground, else the name of what stands there."""

    least: float
    e: float
    n: float
    over: str


@dataclass(frozen=True)
class Path:
    """Places (k,) along a way that is flown, in grid metres with heights in the job's system."""

    e: Floats
    n: Floats
    h: Floats


def _over(plan: Plan, flight: FlightPlan) -> Hashable:
    return flight, plan.site.ground, plan.site.features


@kept(64, by=_over)
def of_lines(plan: Plan, flight: FlightPlan) -> Clearance | None:
    """Along the lines of a flight and from each to the next of its sortie; None where no ground is known under it."""
    same = flight.sortie[1:] == flight.sortie[:-1]
    first = np.flatnonzero(same)
    return least_over(plan, _between(flight, first, first + 1))


@kept(64, by=_over)
def of_ways(plan: Plan, flight: FlightPlan) -> Clearance | None:
    """On the way out to each sortie and home from it; None where no ground is known under the ways."""
    if plan.surface is None:
        return None
    ends = np.flatnonzero(np.r_[True, flight.sortie[1:] != flight.sortie[:-1]])
    ends = np.unique(np.r_[ends, ends[1:] - 1, len(flight.e) - 1])
    ways = [way_path(plan, flight, k) for k in ends.tolist()]
    return least_over(plan, Path(*(np.concatenate([getattr(w, axis) for w in ways]) for axis in ("e", "n", "h"))))


def line_path(flight: FlightPlan, strip: int) -> Path:
    """Along one line of a flight, counted from 0."""
    first = flight.strips[strip].first
    own = first + np.arange(flight.strips[strip].count - 1)
    return _between(flight, own, own + 1)


def way_path(plan: Plan, flight: FlightPlan, exposure: int, place: tuple[float, float] | None = None) -> Path:
    """From the take-off place of its sortie, or another in grid metres, to an exposure, or home from it: straight, at
    the return height above the take-off place or at the exposure's own height where that is more, or where the ground
    at the take-off place is not known."""
    e0, n0 = place or flight.sorties[int(flight.sortie[exposure])].take_off[:2]
    e1, n1 = flight.e[exposure], flight.n[exposure]
    up = float(plan.surface.at(e0, n0)) + flight.flight.homeward if plan.surface is not None else np.nan
    count = max(2, int(np.hypot(e1 - e0, n1 - n0) / STEP))
    t = np.linspace(0, 1, count)[1:]  # from the take-off place itself the aircraft rises upright
    return Path(e0 + t * (e1 - e0), n0 + t * (n1 - n0), np.full(len(t), np.fmax(up, flight.h[exposure])))


@dataclass(frozen=True)
class Steep:
    """How fast the lines climb, or descend, at the steepest, metres a second at the planned speed, and where, grid
    metres."""

    rate: float
    e: float
    n: float


def steepest(flight: FlightPlan) -> tuple[Steep, Steep]:
    """The fastest climb and descent along a flight line."""
    far = np.maximum(np.hypot(np.diff(flight.e), np.diff(flight.n)), 1e-6)
    rate = np.nan_to_num(np.diff(flight.h) / far * flight.flight.speed_m_per_s)
    rate[flight.strip[1:] != flight.strip[:-1]] = 0.0
    up, down = (int(np.argmax(one)) for one in (rate, -rate))
    return _steep(flight, up, rate[up]), _steep(flight, down, -rate[down])


def _steep(flight: FlightPlan, k: int, rate: float) -> Steep:
    return Steep(max(0.0, float(rate)), float(flight.e[k]), float(flight.n[k]))


def _between(flight: FlightPlan, first: Ints, last: Ints) -> Path:
    """Straight from one exposure to another, many pairs (k,) at once, looked at every few metres."""
    far = np.hypot(flight.e[last] - flight.e[first], flight.n[last] - flight.n[first])
    count = np.maximum(1, np.ceil(far / STEP)).astype(np.int64)
    owner = np.repeat(np.arange(len(first)), count)
    within = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
    t = within / count[owner]
    a, b = first[owner], last[owner]
    e, n, h = (v[a] + t * (v[b] - v[a]) for v in (flight.e, flight.n, flight.h))
    end = last[-1:]
    return Path(np.r_[e, flight.e[end]], np.r_[n, flight.n[end]], np.r_[h, flight.h[end]])


def least_over(plan: Plan, path: Path) -> Clearance | None:
    """The least distance between a path and the ground or what stands on it; None where no ground is known under it."""
    surface = plan.surface
    if surface is None:
        return None
    above = path.h - surface.at(path.e, path.n) - surface.slack
    if not np.isfinite(above).any():
        return None
    k = int(np.nanargmin(above))
    least = Clearance(float(above[k]), float(path.e[k]), float(path.n[k]), "")
    found = [least]
    for feature, near, top in things_under(plan, path):
        above = path.h[near] - (top + surface.slack)
        if np.isfinite(above).any():
            k = int(np.nanargmin(above))
            found.append(Clearance(float(above[k]), float(path.e[near][k]), float(path.n[near][k]), feature.name))
    return min(found, key=lambda c: c.least)


def things_under(plan: Plan, path: Path) -> Iterator[tuple[Feature, Ints, Floats]]:
    """What stands on the ground where a path passes over or beside it: the thing, the places of the path (q,) by
    number, and the heights of its top there (q,)."""
    surface = plan.surface
    for feature in plan.site.features if surface is not None else ():
        if feature.kind not in UPRIGHT or feature.height <= 0:
            continue
        shape = shape_of_feature(feature)
        west, south, east, north = shape.bounds
        near = np.flatnonzero(
            (path.e > west - NEAR) & (path.e < east + NEAR) & (path.n > south - NEAR) & (path.n < north + NEAR)
        )
        near = near[shapely.distance(shapely.points(path.e[near], path.n[near]), shape) <= NEAR]
        if near.size and surface is not None:
            yield feature, near, foot_of(feature, path.e[near], path.n[near], surface) + feature.height
