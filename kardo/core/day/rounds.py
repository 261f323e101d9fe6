"""The rounds of a visit: targets out before the flight, occupations, targets in after it; over the ground as it is, by
one or several people, on foot or with a vehicle along the paths."""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Literal

import numpy as np
import shapely

from kardo.core.arrays import Floats
from kardo.core.control.round import MOST_SOLVED, shared, walk
from kardo.core.day.durations import durations
from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import ground_scale, round_start
from kardo.core.geodesy.units import length
from kardo.core.plan.control import ControlPoint, Occupation
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Site
from kardo.core.plan.stands import Levelled, OnNothing, OwnSession
from kardo.core.site.things import shape_of_feature
from kardo.core.site.ways import Ways, ways

By = Literal["foot", "vehicle"]
DRIVEN, PARKED = (
    250.0,
    1.0,
)  # metres a minute along a site's paths, and minutes to park and walk off: custom of the trade
MOST_PEOPLE = 6


@dataclass(frozen=True)
class Stop:
    """A point on a round: its path in the plan, minutes since the round began when it is reached and when it is left,
    metres walked or driven to it, and the way there in grid metres."""

    about: str
    reached: float
    left: float
    metres: float
    way: list[tuple[float, float]]


@dataclass(frozen=True)
class Round:
    """What one person does in one go: where it stands in the day, its stops in order, minutes and metres until back,
    the way back; from which minute after the first occupations began it makes sense."""

    key: str
    words: str
    person: int
    stops: list[Stop]
    minutes: float
    metres: float
    home: list[tuple[float, float]]
    not_before: float


@dataclass(frozen=True)
class Rounds:
    """The rounds, in the order of the day; what is said of them; points that no way leads to."""

    rounds: list[Round]
    told: str
    unreached: list[str]


def rounds_of(plan: Plan, people: int = 1, by: By = "foot") -> Rounds:
    """The rounds past a plan's control. Raises PlanError before there is a site."""
    people = min(max(people, 1), MOST_PEOPLE)
    points = list(plan.control)
    if len(points) > MOST_SOLVED:
        raise PlanError(
            f"Rounds are laid out past up to {MOST_SOLVED} points; there are {len(points)}.",
            where="Control, round",
            mend="Give the visits their own points, or divide the job.",
        )
    at = [round_start(plan), *((p.e, p.n) for p in points)]
    legs = _legs(plan, at, by)
    reached = np.isfinite(legs.minutes[0])
    unreached = [points[k - 1].name for k in np.flatnonzero(~reached).tolist()]
    rows: list[Round] = []
    for key, words, chosen, each, not_before in _goes(points):
        some = [k for k in chosen if reached[k + 1]]
        if some:
            rows += _go(legs, points, key, words, some, np.array([each(points[k]) for k in some]), people, not_before)
    return Rounds(rows, _told(plan, rows, unreached, by), unreached)


def walked(plan: Plan, points: Sequence[ControlPoint]) -> tuple[list[int], float, float]:
    """The order of some points on one person's round from the vehicle and back, its minutes on the way and metres on
    the ground. A point that no way leads to is walked to straight: whether it can be is told elsewhere."""
    scale = ground_scale(plan)
    if len(points) > MOST_SOLVED:
        order, far = walk(round_start(plan), [(p.e, p.n) for p in points])
        return order, far / scale / durations()["walk_m_per_min"].minutes, far / scale
    pace = durations()["walk_m_per_min"].minutes
    legs = _ways(plan.site, (round_start(plan), *((p.e, p.n) for p in points)), pace, scale, False)
    at = np.array([round_start(plan), *((p.e, p.n) for p in points)])
    straight = np.linalg.norm(at[:, None] - at, axis=2) / scale
    metres = np.where(np.isfinite(legs.metres), legs.metres, straight)
    minutes = np.where(np.isfinite(legs.minutes), legs.minutes, straight / pace)
    (order,) = shared(minutes, np.zeros(len(points)), 1)
    stops = [0, *(k + 1 for k in order), 0]
    pairs = list(pairwise(stops))
    return order, sum(float(minutes[a, b]) for a, b in pairs), sum(float(metres[a, b]) for a, b in pairs)


@lru_cache(maxsize=32)
def _ways(site: Site, places: tuple[tuple[float, float], ...], m_per_min: float, scale: float, on_paths: bool) -> Ways:
    """Ways rest on the site and the places alone: whatever else of a plan changes, they are not looked for again."""
    return ways(Plan(site=site), list(places), m_per_min, scale, on_paths)


class _Legs:
    """Minutes and metres (k, k) between places, and the way of each, grid metres."""

    def __init__(self, minutes: Floats, metres: Floats, on_foot: Ways, drive: "_Drive | None") -> None:
        self.minutes, self.metres, self.on_foot, self._drive = minutes, metres, on_foot, drive

    def line(self, a: int, b: int) -> list[tuple[float, float]]:
        """The way from one place to another."""
        if self._drive is None or not self._drive.used[a, b]:
            return self.on_foot.line(a, b)
        k = len(self.minutes)
        return [*self.on_foot.line(a, k + a), *self._drive.ways.line(a, b), *self.on_foot.line(k + b, b)]


@dataclass(frozen=True)
class _Drive:
    ways: Ways
    used: np.ndarray


def _legs(plan: Plan, at: list[tuple[float, float]], by: By) -> _Legs:
    scale, pace = ground_scale(plan), durations()["walk_m_per_min"].minutes
    paths = [shape_of_feature(f) for f in plan.site.features if f.kind == "access" and f.shape == "line"]
    if by == "foot" or not paths:
        on_foot = _ways(plan.site, tuple(at), pace, scale, False)
        return _Legs(on_foot.minutes, on_foot.metres, on_foot, None)
    union = shapely.union_all(paths)
    nearest = [shapely.shortest_line(union, shapely.Point(p)).coords[0] for p in at]
    parked = [(float(x), float(y)) for x, y in nearest]
    k = len(at)
    on_foot = _ways(plan.site, (*at, *parked), pace, scale, False)
    driven = _ways(plan.site, tuple(parked), DRIVEN, scale, True)
    to = on_foot.minutes[np.arange(k), k + np.arange(k)]
    to_m = on_foot.metres[np.arange(k), k + np.arange(k)]
    minutes = to[:, None] + driven.minutes + to[None, :] + PARKED
    metres = to_m[:, None] + driven.metres + to_m[None, :]
    # who leaves the vehicle behind has to come back to it: on foot only where the next point is reached from the same
    # place
    same = np.linalg.norm(np.array(parked)[:, None] - np.array(parked), axis=2) < DRIVEN * PARKED / 2
    used = ~(same & (on_foot.minutes[:k, :k] <= minutes))
    used &= np.isfinite(minutes)
    np.fill_diagonal(used, False)
    return _Legs(
        np.where(used, minutes, on_foot.minutes[:k, :k]),
        np.where(used, metres, on_foot.metres[:k, :k]),
        on_foot,
        _Drive(driven, used),
    )


def moved(plan: Plan, start: tuple[float, float], end: tuple[float, float]) -> tuple[float, str]:
    """Minutes from one place to another, grid metres, and how: on foot, or with the vehicle along the paths where that
    is quicker. Where no way leads it is walked straight."""
    found = _legs(plan, [start, end], "vehicle")
    minutes = float(found.minutes[0, 1])
    if not math.isfinite(minutes):
        return math.dist(start, end) / ground_scale(plan) / durations()["walk_m_per_min"].minutes, "on foot"
    return minutes, "on foot" if found.line(0, 1) == found.on_foot.line(0, 1) else "with the vehicle"


_Going = tuple[str, str, list[int], Callable[[ControlPoint], float], float]


def _goes(points: list[ControlPoint]) -> list[_Going]:
    """What is done in one go past which points, with minutes at each, and from when."""
    lay, lift, level = (durations()[key].minutes for key in ("target", "lift", "occupation"))
    every = range(len(points))

    def observing(k: int) -> Callable[[ControlPoint], float]:
        def each(p: ControlPoint) -> float:
            return level + stands_by(p, p.occupations[k]) if k < len(p.occupations) else 0.0

        return each

    def out(p: ControlPoint) -> float:
        return (0.0 if p.earlier == "stands" else lay) + observing(0)(p)

    goes: list[_Going] = [("out", "targets out, and their first occupation", list(every), out, 0.0)]
    for k in range(1, max((len(p.occupations) for p in points), default=0)):
        some = [j for j in every if len(points[j].occupations) > k]
        apart = max(points[j].occupations[k].after_min for j in some)
        goes.append((f"again-{k + 1}", f"occupation {k + 1}, under another sky", some, observing(k), apart))
    away = [j for j in every if not points[j].returns]
    goes.append(("in", "targets in, after the last landing", away, lambda p: lift, 0.0))
    return goes


def stands_by(point: ControlPoint, one: Occupation) -> float:
    """Minutes that somebody stands by an occupation: a session of its own runs alone, what is not observed takes none,
    and a levelled height as long as the way there and back with the level."""
    hung = one.positioned_from or point.positioned_from
    if isinstance(hung, Levelled):
        return 2 * hung.metres / durations()["level_m_per_min"].minutes
    return 0.0 if isinstance(hung, OwnSession | OnNothing) else one.epochs / 60


def _go(
    legs: _Legs,
    points: list[ControlPoint],
    key: str,
    words: str,
    some: list[int],
    each: Floats,
    people: int,
    not_before: float,
) -> list[Round]:
    index = np.array([0, *(k + 1 for k in some)])
    minutes = legs.minutes[np.ix_(index, index)]
    found = shared(minutes, each, people)
    out = []
    for person, order in enumerate([o for o in found if o]):
        clock, metres, stops, last = 0.0, 0.0, [], 0
        for k in order:
            a, b = int(index[last]), int(index[k + 1])
            clock += float(legs.minutes[a, b])
            walked_m = float(legs.metres[a, b])
            metres += walked_m
            left = clock + float(each[k])
            stops.append(
                Stop(
                    about=f"control/{points[some[k]].id}",
                    reached=clock,
                    left=left,
                    metres=walked_m,
                    way=legs.line(a, b),
                )
            )
            clock, last = left, k + 1
        back = int(index[last])
        clock, metres = clock + float(legs.minutes[back, 0]), metres + float(legs.metres[back, 0])
        out.append(
            Round(
                key=key,
                words=words,
                person=person + 1,
                stops=stops,
                minutes=clock,
                metres=metres,
                home=legs.line(back, 0),
                not_before=not_before,
            )
        )
    return out


def _told(plan: Plan, rows: list[Round], unreached: list[str], by: By) -> str:
    if not rows:
        return "There is no point to go to." if not unreached else f"No way leads to {', '.join(unreached)}."
    longest: dict[str, float] = {}
    for row in rows:
        longest[row.key] = max(longest.get(row.key, 0.0), row.minutes)
    far = sum(row.metres for row in rows)
    before = math.ceil(longest.get("out", 0.0))
    words = f"{before} min before the first take-off, {math.ceil(longest.get('in', 0.0))} min after the last landing"
    again = sum(minutes for key, minutes in longest.items() if key.startswith("again"))
    words += f", {math.ceil(again)} min between" if again else ""
    words += f"; {length(far, plan.brief.unit)} {'on foot' if by == 'foot' else 'in all'}."
    return f"{words} No way leads to {', '.join(unreached)}." if unreached else words
