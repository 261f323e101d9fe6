"""The pilot at the take-off place: what of a flight is in sight from there, and where there is a better one."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.errors import PlanError
from kardo.core.flight.air.reach import CANDIDATES, places_over, sample_of, things_on
from kardo.core.flight.lines.areas import ground_scale
from kardo.core.flight.lines.out_and_home import ways_of_lines
from kardo.core.flight.lines.pattern import FlightPlan, flown
from kardo.core.flight.lines.wind import wind_of
from kardo.core.geodesy.units import length, place
from kardo.core.plan.edits import Edit, field_edits
from kardo.core.plan.flights import Flight
from kardo.core.plan.model import Plan
from kardo.core.site.occupiable import shapes_of, why_not
from kardo.core.terrain.sightline import in_sight

EYES = 1.7  # metres above the ground


def seen_by_pilot(plan: Plan, f: FlightPlan, at: tuple[float, float], some: Ints | None = None) -> tuple[Floats, Bools]:
    """Of a flight's exposures, or of some (k,) by number: metres (k,) from a pilot at grid metres, and whether each is in sight."""
    return seen_within(plan, f, at, plan.policy["flight-sight"], some)


def seen_within(
    plan: Plan, f: FlightPlan, at: tuple[float, float], metres: float, some: Ints | None = None
) -> tuple[Floats, Bools]:
    """The same, metres (k,) and whether in sight (k,), of what is no farther than so many metres, with nothing between."""
    which: Ints = np.arange(len(f.e)) if some is None else some
    e, n, h = f.e[which], f.n[which], f.h[which]
    ground = float(plan.surface.at(*at)) if plan.surface is not None else math.nan
    up = h - ground - EYES
    away = np.sqrt((e - at[0]) ** 2 + (n - at[1]) ** 2 + np.nan_to_num(up) ** 2)
    seen = away <= metres
    if math.isfinite(ground) and seen.any():
        eyes = np.array([*at, ground + EYES])
        seen[seen] = in_sight(plan.surface, things_on(plan), eyes, e[seen], n[seen], h[seen])
    return away, seen


def ways_from(plan: Plan, f: FlightPlan, at: tuple[float, float]) -> tuple[Floats, Floats]:
    """Minutes (k,) out to each line of a flight and home from it in its wind, from a place at grid metres."""
    first = np.array([s.first for s in f.strips])
    last = first + np.array([s.count - 1 for s in f.strips])
    starts, ends = ((f.e[k], f.n[k], f.h[k]) for k in (first, last))
    ground = float(plan.surface.at(*at)) if plan.surface is not None else 0.0
    take_off = (*at, ground if math.isfinite(ground) else f.take_off[2])
    craft = plan.aircraft(f.flight.aircraft)
    return ways_of_lines(craft, take_off, starts, ends, f.flight.homeward, ground_scale(plan), wind_of(f.flight))


@dataclass(frozen=True)
class TakeOff:
    """A place to take off from, grid metres: minutes of all sorties from there and how many sorties; the share of the lines that the pilot does not see, and metres to the farthest
    exposure; in words, and the edits that choose it."""

    e: float
    n: float
    minutes: float
    legs: int
    unseen: float
    farthest: float
    words: str
    edits: list[Edit]


def best_take_off(plan: Plan, flight: Flight) -> TakeOff:
    """Of places over the site and the marks by it where one may stand, the one from which the pilot sees most of the lines; of several alike, within one of a hundred, the one
    with the shortest ways. Whether one may stand there is for the eye to say. Raises PlanError where no place is left, or the flight cannot be laid out."""
    f = flown(plan, flight)
    shapes, some = shapes_of(plan), sample_of(f)
    candidates = [*places_over(plan, CANDIDATES), *((m.e, m.n) for m in plan.marks)]
    allowed = [at for at in candidates if not why_not(plan, shapes, *at)]
    if not allowed:
        raise PlanError(
            "No place is left to take off from.",
            where="Flight",
            mend="Look at what forbids standing there (Site, features).",
        )

    def judged(at: tuple[float, float]) -> tuple[int, float]:
        _, seen = seen_by_pilot(plan, f, at, some)
        out, home = ways_from(plan, f, at)
        return round(100 * float(np.mean(~seen))), sum(float(out[a.first_strip] + home[a.last_strip]) for a in f.legs)

    e, n = min(allowed, key=judged)
    return told_of(plan, flight, (round(e, 1), round(n, 1)))


def told_of(plan: Plan, flight: Flight, at: tuple[float, float]) -> TakeOff:
    """What a take-off place at grid metres makes of a flight, laid out anew from there."""
    f = flown(plan, flight.model_copy(update={"take_off": at}))
    away, seen = seen_by_pilot(plan, f, at, sample_of(f))
    unseen, unit = float(np.mean(~seen)), plan.brief.unit
    count = f"{len(f.legs)} {'sortie' if len(f.legs) == 1 else 'sorties'}"
    sight = f"{100 * unseen:.0f} % of the lines out of sight" if unseen >= 0.005 else "all lines in sight"
    words = f"{place(*at, unit)}: {f.minutes:.0f} min in {count}, {sight}, up to {length(float(away.max()), unit)} away"
    edits = list(field_edits(f"flights/{flight.id}", flight, take_off=list(at)))
    return TakeOff(*at, f.minutes, len(f.legs), unseen, float(away.max()), words, edits)
