"""A line, or the way out or home, seen from the side: the ground, what stands on it, and the aircraft over both."""

from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.errors import PlanError
from kardo.core.flight.air.clearance import Clearance, Path, least_over, line_path, things_under, way_path
from kardo.core.flight.lines.areas import ground_scale
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.geodesy.units import length, speed
from kardo.core.plan.model import Plan

Heights = list[float | None]


@dataclass(frozen=True)
class JobStatus:
    """Something beneath or beside, from where to where along the path in metres, and the height of its top."""

    name: str
    first: float
    last: float
    top: float


@dataclass(frozen=True)
class LineProfile:
    """Along a path in metres on the ground (k,): the ground and the aircraft, heights in the job's system, None where
    they are not known; places of exposures along it (x,); what stands there; the least clearance, with where it is
    along the path; in words."""

    along: list[float]
    ground: Heights
    flown: Heights
    exposures: list[float]
    things: list[JobStatus]
    clearance: Clearance | None
    nearest: float | None
    words: str


def of_line(plan: Plan, f: FlightPlan, number: int) -> LineProfile:
    """Of a line by its number, from 1, with how fast it climbs and descends at the planned speed. Raises PlanError
    where there is none."""
    if not 1 <= number <= len(f.strips):
        raise PlanError("There is no such line.", where="Flight, air time", mend="Choose another.")
    strip = f.strips[number - 1]
    own = slice(strip.first, strip.first + strip.count)
    e, n, h = f.e[own], f.n[own], f.h[own]
    at = np.hypot(e - e[0], n - n[0]) / ground_scale(plan)
    rate = np.diff(h) / np.maximum(np.diff(at), 1e-6) * f.flight.speed_m_per_s
    known = rate[np.isfinite(rate)]
    climb = ""
    if known.size and np.abs(known).max() > 0.05:
        up, down = (speed(round(float(max(0.0, v)), 1), plan.brief.unit) for v in (known.max(), -known.min()))
        climb = f", climbing at {up} and descending at {down} at most"
    return _told(plan, line_path(f, number - 1), f"Line {number}", climb, at[: f.sensor.images(len(at))])


def of_way(plan: Plan, f: FlightPlan, sortie: int, home: bool) -> LineProfile:
    """Of the way out to a sortie by its number, from 1, or home from it. Raises PlanError where there is none."""
    if not 1 <= sortie <= len(f.sorties):
        raise PlanError("There is no such sortie.", where="Flight, air time", mend="Choose another.")
    strip = f.strips[f.sorties[sortie - 1].last_strip if home else f.sorties[sortie - 1].first_strip]
    path = way_path(plan, f, strip.first + (strip.count - 1 if home else 0))
    if home:
        path = Path(path.e[::-1], path.n[::-1], path.h[::-1])
    return _told(plan, path, f"{'Home from' if home else 'Out to'} sortie {sortie}", "", np.zeros(0))


def _told(plan: Plan, path: Path, what: str, more: str, exposures: Floats) -> LineProfile:
    along = np.hypot(path.e - path.e[0], path.n - path.n[0]) / ground_scale(plan)
    ground = plan.surface.at(path.e, path.n) if plan.surface is not None else np.full(len(along), np.nan)
    above, unit = path.h - ground, plan.brief.unit
    known = np.isfinite(above).any()
    least = least_over(plan, path) if known else None
    nearest = None if least is None else float(along[int(np.argmin(np.hypot(path.e - least.e, path.n - least.n)))])
    words = f"{what}, {length(float(along[-1]), unit)} long: "
    if least is None:
        words += "no ground is known under it."
    else:
        low, high = (length(float(v), unit) for v in (np.nanmin(above), np.nanmax(above)))
        words += (
            f"{low} to {high} above ground{more}; {length(least.least, unit, 1)} clear of {least.over or 'the ground'}"
            " at the least."
        )
    things = [
        JobStatus(feature.name, float(along[near[0]]), float(along[near[-1]]), float(np.nanmax(top)))
        for feature, near, top in things_under(plan, path)
        if np.isfinite(top).any()
    ]
    return LineProfile(
        along=along.tolist(),
        ground=_heights(ground),
        flown=_heights(path.h),
        exposures=exposures.tolist(),
        things=things,
        clearance=least,
        nearest=nearest,
        words=words,
    )


def _heights(values: Floats) -> Heights:
    return [float(v) if np.isfinite(v) else None for v in values]
