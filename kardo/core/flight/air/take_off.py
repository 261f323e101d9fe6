"""Where a flight takes off best: by what the pilot sees and what corrections reach from there, whether one may stand
there and gets there, and by what stands in the ways out and home; all sorties from one place, or each from where it is
seen."""

from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.errors import PlanError
from kardo.core.flight.air.clearance import least_over, of_ways, way_path
from kardo.core.flight.air.pilot import seen_by_pilot, seen_from_take_offs, ways_from
from kardo.core.flight.air.reach import CANDIDATES, link_of, places_over, reach, reach_from, sample_of
from kardo.core.flight.lines.areas import round_start
from kardo.core.flight.lines.pattern import FlightPlan, flown
from kardo.core.geodesy.units import length, place
from kardo.core.plan.edits import Edit, field_edits
from kardo.core.plan.flights import Flight, TakeOffMove
from kardo.core.plan.model import Plan
from kardo.core.site.occupiable import shapes_of, why_not
from kardo.core.site.ways import leads_to

WORTH_A_MOVE = 0.05  # of a sortie's lines that must be seen or reached more from elsewhere
LOOKED_AT = 12  # places, the best first, of which one is taken whose ways are clear
Spot = tuple[float, float]


@dataclass(frozen=True)
class TakeOffs:
    """Places to take off from, grid metres, each with the sortie from which on, counted from 1: minutes of all sorties
    and how many; the share of the lines that the pilot does not see, and that corrections do not reach (None: nobody
    knows how they leave the base), which counts where they are used live; metres to the farthest exposure, and those
    that ways are clear of what is under them; in words, and the edits that choose them."""

    places: list[tuple[int, float, float]]
    minutes: float
    sorties: int
    unseen: float
    unreached: float | None
    farthest: float
    clearance: float | None
    words: str
    edits: list[Edit]


@dataclass(frozen=True)
class _Tried:
    """A place: which of a sample of the exposures (s,) are seen and reached from it; minutes (k,) out to each line and
    home from it."""

    at: Spot
    good: Bools
    out: Floats
    home: Floats

    def trouble(self, own: Bools) -> float:
        """Share of some of the sample that is not."""
        return float(np.mean(~self.good[own])) if own.any() else 0.0


def take_offs(plan: Plan, flight: Flight) -> list[TakeOffs]:
    """Of places over the site, its marks and where the base stands: the best one for all sorties; and where a sortie is
    seen or reached better from elsewhere, places by sortie. Of places alike within one of a hundred, that with the
    shortest ways. Whether one may stand there is for the eye to say. Raises PlanError where no place is left, or the
    flight cannot be laid out."""
    f = flown(plan, flight)
    some = sample_of(f)
    tried = [_tried(plan, f, at, some) for at in _allowed(plan)]
    every = range(len(f.sorties))
    one = _best(plan, f, tried, some, list(every))
    offers = [from_places(plan, flight, [(0, one.at)])]
    if len(f.sorties) > 1 and one.trouble(np.ones(len(some), dtype=np.bool_)) >= WORTH_A_MOVE:
        moves = _by_sortie(plan, f, tried, some)
        several = from_places(plan, flight, moves)
        if len(moves) > 1 and _of_trouble(several) < _of_trouble(offers[0]):
            offers.append(several)
    return offers


def _of_trouble(offer: TakeOffs) -> float:
    return max(offer.unseen, offer.unreached or 0.0)


def _allowed(plan: Plan) -> list[Spot]:
    """Places where one may stand, and to which a way leads on foot."""
    shapes = shapes_of(plan)
    candidates = [*places_over(plan, CANDIDATES), *((m.e, m.n) for m in plan.marks)]
    allowed = [at for at in candidates if not why_not(plan, shapes, *at)]
    if not allowed:
        raise PlanError(
            "No place is left to take off from.",
            where="Flight",
            mend="Look at what forbids standing there (Site, features).",
        )
    led = leads_to(plan, round_start(plan), allowed)
    return [at for at, there in zip(allowed, led, strict=True) if there] or allowed


def _tried(plan: Plan, f: FlightPlan, at: Spot, some: Ints) -> _Tried:
    _, good = seen_by_pilot(plan, f, at, some)
    found = link_of(plan, f) if f.flight.corrections in ("live", "both") else None
    if found is not None:
        good = good & ~np.isin(some, reach_from(plan, f, *found, at, some).out)
    return _Tried(at, good, *ways_from(plan, f, at))


def _best(plan: Plan, f: FlightPlan, tried: list[_Tried], some: Ints, sorties: list[int]) -> _Tried:
    """Of the places for some sorties: the least trouble, then the shortest ways; of those that are as good, one whose
    ways are clear."""
    own = np.isin(f.sortie[some], sorties)

    def judged(one: _Tried) -> tuple[int, float]:
        ways = [(f.sorties[k].first_strip, f.sorties[k].last_strip) for k in sorties]
        minutes = sum(float(one.out[first] + one.home[last]) for first, last in ways)
        return round(100 * one.trouble(own)), minutes

    ranked = sorted(tried, key=judged)
    alike = [one for one in ranked[:LOOKED_AT] if one.trouble(own) < ranked[0].trouble(own) + WORTH_A_MOVE]
    return next((one for one in alike if _clear(plan, f, one.at, sorties)), ranked[0])


def _clear(plan: Plan, f: FlightPlan, at: Spot, sorties: list[int]) -> bool:
    """Whether the ways out to some sorties and home from them keep clear of what is under them."""
    for k in sorties:
        first, last = (f.strips[s] for s in (f.sorties[k].first_strip, f.sorties[k].last_strip))
        for exposure in (first.first, last.first + last.count - 1):
            found = least_over(plan, way_path(plan, f, exposure, at))
            if found is not None and found.least < plan.policy["flight-way-home"]:
                return False
    return True


def _by_sortie(plan: Plan, f: FlightPlan, tried: list[_Tried], some: Ints) -> list[tuple[int, Spot]]:
    """From which sortie on, counted from 0, which place: one stays as long as no other is worth a move."""
    moves: list[tuple[int, Spot]] = []
    stands: _Tried | None = None
    for k in range(len(f.sorties)):
        own, best = f.sortie[some] == k, _best(plan, f, tried, some, [k])
        if stands is None or stands.trouble(own) - best.trouble(own) >= WORTH_A_MOVE:
            stands = best
            moves.append((k, best.at))
    return moves


def from_places(plan: Plan, flight: Flight, moves: list[tuple[int, Spot]]) -> TakeOffs:
    """What places in grid metres, each with the sortie from which on (0 first), make of a flight, laid out anew from
    there. Raises PlanError where it cannot be."""
    (_, first), *more = [(k, (round(e, 1), round(n, 1))) for k, (e, n) in moves]
    chosen = tuple(TakeOffMove(from_sortie=k + 1, place=at) for k, at in more)
    f = flown(plan, flight.having(take_off=first, take_off_moves=chosen))
    some = sample_of(f)
    away, seen = seen_from_take_offs(plan, f, plan.policy["flight-sight"], some)
    reached, ways_clear = reach(plan, f), of_ways(plan, f)
    unseen, unit = float(np.mean(~seen)), plan.brief.unit
    unreached = None if reached is None else len(reached.out) / len(f.e)
    count = f"{len(f.sorties)} {'sortie' if len(f.sorties) == 1 else 'sorties'}"
    sight = f"{100 * unseen:.0f} % of the lines out of sight" if unseen >= 0.005 else "all lines in sight"
    words = ", then ".join(
        [place(*first, unit), *(f"from sortie {m.from_sortie} {place(*m.place, unit)}" for m in chosen)]
    )
    words += f": {f.minutes:.0f} min in {count}, {sight}, up to {length(float(away.max()), unit)} away"
    if unreached:
        saved = "" if flight.corrections == "live" else ", which the log saves"
        words += f", {100 * unreached:.0f} % without live corrections{saved}"
    least = None if ways_clear is None else ways_clear.least
    if least is not None and least < plan.policy["flight-way-home"]:
        words += (
            f"; the ways clear {'the ground' if not ways_clear or not ways_clear.over else ways_clear.over} by"
            f" {length(least, unit)} only"
        )
    edits = field_edits(
        f"flights/{flight.id}",
        flight,
        take_off=list(first),
        take_off_moves=[{"from_sortie": m.from_sortie, "place": list(m.place)} for m in chosen],
    )
    places = [(1, *first), *((m.from_sortie, *m.place) for m in chosen)]
    return TakeOffs(
        places=places,
        minutes=f.minutes,
        sorties=len(f.sorties),
        unseen=unseen,
        unreached=unreached,
        farthest=float(away.max()),
        clearance=least,
        words=words,
        edits=list(edits),
    )
