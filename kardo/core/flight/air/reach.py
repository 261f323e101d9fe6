"""How far corrections reach: from the base to the take-off place that the aircraft is flown from, and from there to
every exposure."""

from dataclasses import dataclass

import numpy as np
from shapely import Point
from shapely.geometry.base import BaseGeometry

from kardo.core.arrays import Bools, Ints
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.kept import kept
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Link, Mark, OnSetUp
from kardo.core.site.things import UPRIGHT, tops_of
from kardo.core.terrain.sightline import in_sight

HANDS = 1.5  # metres above the ground at which a controller is held
MOST_TRIED = 300  # exposures by which a take-off place is judged before the best is looked at whole
CANDIDATES = 60  # places of the site that are tried


@dataclass(frozen=True)
class Reach:
    """Whether corrections come to a flight's exposures. take_off: grid metres, where it takes off, farthest from the
    base where it does so at several places; away: metres from base to there; linked: whether they come so far; out: the
    exposures that none come to, by number."""

    take_off: tuple[float, float]
    away: float
    linked: bool
    out: list[int]


@kept(
    64,
    by=lambda plan, flight: (
        flight,
        link_of(plan, flight),
        plan.site.ground,
        plan.site.features,
        plan.policy["flight-link"],
    ),
)
def reach(plan: Plan, flight: FlightPlan) -> Reach | None:
    """Of a flight that rests on a base whose link is known; None of any other."""
    found = link_of(plan, flight)
    if found is None:
        return None
    return reach_by(plan, flight, *found)


def reach_by(
    plan: Plan,
    flight: FlightPlan,
    mark: Mark,
    link: Link,
    first: tuple[float, float] | None = None,
    some: Ints | None = None,
) -> Reach:
    """From a base on a mark by a link, over where each sortie takes off, its first ones at another place where one is
    said, to all exposures or to some (k,) by number."""
    which: Ints = np.arange(len(flight.e)) if some is None else some
    found = []
    for number, (place, sorties) in enumerate(flight.take_offs.items()):
        own = which[np.isin(flight.sortie[which], sorties)]
        found.append(reach_from(plan, flight, mark, link, place if number or first is None else first, own))
    farthest = max(found, key=lambda r: r.away)
    out = sorted(k for r in found for k in r.out)
    return Reach(farthest.take_off, farthest.away, all(r.linked for r in found), out)


def out_of_reach(plan: Plan, flight: FlightPlan) -> Bools:
    """Which exposures (n,) would be without corrections: of flights that have them live alone, for what is logged is
    saved."""
    out: Bools = np.zeros(len(flight.e), dtype=bool)
    found = reach(plan, flight) if flight.flight.corrections == "live" else None
    if found is not None:
        out[found.out] = True
    return out


def sample_of(flight: FlightPlan) -> Ints:
    """Exposures that tell about all, by number (k,)."""
    return np.unique(np.linspace(0, len(flight.e) - 1, MOST_TRIED).astype(np.int64))


def link_of(plan: Plan, flight: FlightPlan) -> tuple[Mark, Link] | None:
    """The mark of a flight's base, and how its corrections leave it; None where that is not known."""
    hung = flight.flight.positioned_from
    setup = plan.setup(hung.setup) if isinstance(hung, OnSetUp) else None
    mark = plan.mark(setup.mark) if setup else None
    return None if setup is None or mark is None or setup.link is None else (mark, setup.link)


def reach_from(
    plan: Plan, flight: FlightPlan, mark: Mark, link: Link, take_off: tuple[float, float], some: Ints | None = None
) -> Reach:
    """From a base on a mark by a link to a take-off place, and on to all exposures, or to some (k,) by number."""
    which: Ints = np.arange(len(flight.e)) if some is None else some
    e, n, h = flight.e[which], flight.n[which], flight.h[which]
    things = things_on(plan)
    away = float(np.hypot(take_off[0] - mark.e, take_off[1] - mark.n))
    hands = np.array([*take_off, _ground(plan, *take_off, mark) + HANDS])
    linked = away <= link.reaches
    if linked and link.kind != "internet" and away > 0:
        aerial = np.array([mark.e, mark.n, plan.mark_height(mark) + link.aerial])
        linked = bool(in_sight(plan.surface, things, aerial, *hands[:, None])[0])
    if not linked:
        return Reach(take_off, away, False, which.tolist())
    seen = np.hypot(e - take_off[0], n - take_off[1]) <= plan.policy["flight-link"]
    seen[seen] = in_sight(plan.surface, things, hands, e[seen], n[seen], h[seen])
    return Reach(take_off, away, True, which[~seen].tolist())


def _ground(plan: Plan, e: float, n: float, mark: Mark) -> float:
    """Height of the ground at a place; the mark's where it is not known."""
    own = float(plan.surface.at(e, n)) if plan.surface else np.nan
    return own if np.isfinite(own) else plan.mark_height(mark)


@kept(32, by=lambda plan: (plan.site.features, plan.site.ground))
def things_on(plan: Plan) -> list[tuple[BaseGeometry, float]]:
    """What stands on the site, with the height of its top in the job's system."""
    standing = [f for f in plan.site.features if f.kind in UPRIGHT and f.height > 0]
    return [piece for f in standing for piece in tops_of(plan, f)]


def places_over(plan: Plan, aimed: int) -> list[tuple[float, float]]:
    """About so many places spread over the site on a square grid."""
    polygon = site_polygon(plan)
    west, south, east, north = polygon.bounds
    step = float(np.sqrt(polygon.area / aimed))
    e, n = np.meshgrid(np.arange(west + step / 2, east, step), np.arange(south + step / 2, north, step))
    inside = [(float(a), float(b)) for a, b in zip(e.ravel(), n.ravel(), strict=True) if polygon.contains(Point(a, b))]
    return inside[: 2 * aimed]
