"""The pilot at the take-off place: what of a flight is in sight from there, and how long the ways are."""

import math

import numpy as np

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.flight.air.reach import things_on
from kardo.core.flight.lines.areas import ground_scale
from kardo.core.flight.lines.out_and_home import ways_of_lines
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.flight.lines.wind import wind_of
from kardo.core.plan.model import Plan
from kardo.core.terrain.sightline import in_sight

EYES = 1.7  # metres above the ground


def seen_by_pilot(plan: Plan, f: FlightPlan, at: tuple[float, float], some: Ints | None = None) -> tuple[Floats, Bools]:
    """Of a flight's exposures, or of some (k,) by number: metres (k,) from a pilot at grid metres, and whether each is
    in sight."""
    return seen_within(plan, f, at, plan.policy["flight-sight"], some)


def seen_within(
    plan: Plan, f: FlightPlan, at: tuple[float, float], metres: float, some: Ints | None = None
) -> tuple[Floats, Bools]:
    """The same, metres (k,) and whether in sight (k,), of what is no farther than so many metres, with nothing
    between."""
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


def seen_from_take_offs(plan: Plan, f: FlightPlan, metres: float, some: Ints | None = None) -> tuple[Floats, Bools]:
    """The same of each exposure, or of some (k,), from where its own sortie takes off."""
    which: Ints = np.arange(len(f.e)) if some is None else some
    away, seen = np.zeros(len(which)), np.zeros(len(which), dtype=np.bool_)
    for place, sorties in f.take_offs.items():
        own = np.isin(f.sortie[which], sorties)
        away[own], seen[own] = seen_within(plan, f, place, metres, which[own])
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
