"""The search for a layout of control: few targets and checks, on ground where one may stand, that pass with the chance that is wanted.

Candidates by the hundred over the site, those left out where nobody should stand, or too few images see them; checks spread over
the quadrants first, away from where targets come; then targets by accuracy/search.py, from as few as hold the network to as
many as are wanted. Each size is told with its figures from the solved network, within 3 %; the one that is proposed is judged by the
full computation, and by every rule of control.
"""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from shapely import Point

from kardo.core.accuracy.acceptance import chance_words
from kardo.core.accuracy.effort import Progress
from kardo.core.accuracy.offers import free_names, usual_hanging
from kardo.core.accuracy.prediction import figures, figures_of
from kardo.core.accuracy.results import Figures
from kardo.core.accuracy.search import Field, State, aim_of, cost, field, layouts
from kardo.core.accuracy.solution import DefectiveNetwork
from kardo.core.accuracy.standards import standards
from kardo.core.accuracy.whatif import Kept, keep, what_if
from kardo.core.arrays import Bools, Floats
from kardo.core.control.round import walk
from kardo.core.errors import KardoError, PlanError
from kardo.core.flight.areas import site_polygon
from kardo.core.flight.pattern import all_flown
from kardo.core.flight.reach import places_over
from kardo.core.flight.standing import nearest_standing, shapes_of, why_ground, why_not
from kardo.core.gnss.occupations import minutes_on_point
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import Edit, difference
from kardo.core.plan.edits import changed as edited
from kardo.core.plan.model import Plan
from kardo.core.plan.parts import to_json
from kardo.core.practice.catalogue import View, findings

PIXELS = 10.0  # width of a proposed target: field practice
LEAST_WIDTH = 0.4  # metres
USUAL_CHECKS = 6  # where the standard asks for fewer
MOST_TARGETS = 14
MOST_BYTES = 300_000_000  # that the candidates' solutions may take: of a large block fewer places are tried
NOT_WORTH = 0.01  # of the cost that a further target must take away, twice running, for more to be tried
OF_CONTROL = "control"


@dataclass(frozen=True)
class Wish:
    """What is wanted: the chance to pass, places that are tried, about, and the most targets."""

    chance: float = 0.9
    places: int = 1000
    most: int = MOST_TARGETS


@dataclass(frozen=True)
class Spot:
    """A point of a layout: its name, role and place in grid metres."""

    name: str
    role: str
    e: float
    n: float


@dataclass(frozen=True)
class Layout:
    """One layout: how many targets and checks, minutes on the ground, figures in metres, the chance to pass (None without checks);
    whether it is inside the tolerance with the chance wanted; whether the full computation judged it; what rules of control still say
    of it; its points, and the edits that make them of the plan's."""

    targets: int
    checks: int
    minutes: float
    rmse_h: float
    rmse_v: float
    limit_h: float
    limit_v: float | None
    chance: float | None
    good: bool
    judged: bool
    left: list[str]
    points: list[Spot]
    edits: list[Edit]


@dataclass(frozen=True)
class Search:
    """What a search came to: layouts with more and more targets; which of them is proposed, by its place (None: none is good enough); how
    many places were tried, and why others were not, with how many; and in a sentence."""

    front: list[Layout]
    proposed: int | None
    tried: int
    left_out: dict[str, int]
    words: str


def search(
    plan: Plan,
    wish: Wish,
    progress: Progress = lambda stage, share: None,
    proposal: Callable[[Layout], None] = lambda layout: None,
) -> Search:
    """Search a layout for a plan, in which pinned control stays; proposal is told the first one, and the first that is good. Raises
    PlanError where the plan lacks what a
    prediction needs, or nowhere may be stood; DefectiveNetwork where no targets would hold it."""
    progress("looking where targets may lie", 0.0)
    places, left_out = _standing(plan, places_over(plan, wish.places))
    if len(places) < 5:
        raise PlanError(
            "Targets may lie nowhere on this site.",
            where="Control, search",
            mend="Look at keep-outs, water, trees and gaps of the ground.",
        )
    kept_points = _required(plan, tuple(p for p in plan.control if p.pinned))
    checks = _checks(plan, places, kept_points)
    free = _away_from(places, [(p.e, p.n) for p in checks], _apart(plan))
    seeds = _targets(plan, _school(free), kept_points, checks)
    progress("solving the network", 0.02)
    kept = keep(_with(plan, (*kept_points, *seeds, *checks)))
    first = _layout(kept, plan, wish, (*kept_points, *seeds, *checks))
    proposal(first)
    progress("solving the places", 0.3)
    found, fixed, candidates = _field(kept, plan, free, kept_points, seeds)
    front: list[Layout] = []
    for state in _worthwhile(found, kept, first, plan, fixed, wish):
        layout = _of_state(kept, plan, wish, state, candidates, kept_points, checks)
        if layout is None:
            continue
        front.append(layout)
        progress(f"{layout.targets} targets", 0.4 + 0.5 * len(state.taken) / wish.most)
        if layout.good and not any(one.good for one in front[:-1]):
            proposal(layout)
    progress("judging the proposal", 0.9)
    front, best = _judged(plan, wish, front)
    progress("done", 1.0)
    return Search(front, best, len(candidates), left_out, _told(front, best, wish))


def _standing(plan: Plan, wanted: list[tuple[float, float]]) -> tuple[Floats, dict[str, int]]:
    """Those of some places (c, 2) where a target may lie, and why others are left out, with how many."""
    shapes, out, free = shapes_of(plan), dict[str, int](), []
    for (e, n), steep in zip(wanted, why_ground(plan, np.array(wanted).reshape(-1, 2)), strict=True):
        why = steep or why_not(plan, shapes, e, n, trusted=True)
        if not why and (near := nearest_standing(shapes, e, n)) is not None and near[1] < near[2]:
            why = f"nearer than twice its height to {near[0].name}"
        if why:
            out[why] = out.get(why, 0) + 1
        else:
            free.append((e, n))
    return np.array(free).reshape(-1, 2), out


def _required(plan: Plan, kept: tuple[ControlPoint, ...]) -> tuple[ControlPoint, ...]:
    """What is kept, and the targets that rules ask for by their place, whatever the figures say: one in every narrow part."""
    bare = _with(plan, kept)
    found = [f for f in findings(View(bare, all_flown(bare), None)) if f.station == OF_CONTROL]
    asked = [ControlPoint.model_validate(e.after) for f in found for e in f.edits if e.before is None and e.after]
    places = np.array([(p.e, p.n) for p in asked]).reshape(-1, 2)
    return (*kept, *_targets(plan, places, kept))


def _apart(plan: Plan) -> float:
    """Metres that a check keeps from a target: a quarter of what an image covers along the line."""
    return max(5.0, min((f.footprint_along for f in all_flown(plan)), default=20.0) / 4 * 1.05)


def _away_from(places: Floats, others: list[tuple[float, float]], metres: float) -> Floats:
    if not others:
        return places
    away = np.linalg.norm(places[:, None] - np.array(others), axis=2).min(axis=1)
    free = places[away >= metres]
    return free if len(free) >= 5 else places


def _checks(plan: Plan, places: Floats, kept: tuple[ControlPoint, ...]) -> tuple[ControlPoint, ...]:
    """The checks that are kept, and as many more as are asked: by quadrants in turn, each as far as can be from those before it and from
    the edge, where few images look."""
    own = [p for p in kept if p.role == "check"]
    wanted = max(standards()[plan.brief.standard].least_checks, USUAL_CHECKS) - len(own)
    ring = np.array(plan.site.boundary)
    middle = (ring.min(axis=0) + ring.max(axis=0)) / 2
    quadrant = 2 * (places[:, 0] > middle[0]) + (places[:, 1] > middle[1])
    inside = _inside(plan, places)
    taken = [(p.e, p.n) for p in kept]
    picked: list[int] = []
    for k in range(max(0, wanted)):
        turn = [q for q in range(4) if (quadrant == q).any()]
        within = (quadrant == turn[k % len(turn)]) & inside
        within = within if within.any() else quadrant == turn[k % len(turn)]
        away = np.full(len(places), np.inf)
        for e, n in taken:
            away = np.minimum(away, np.hypot(places[:, 0] - e, places[:, 1] - n))
        # the first of a quadrant lies in its middle; each further one where it is farthest from all
        score = (
            away
            if any(quadrant[i] == turn[k % len(turn)] for i in picked)
            else -np.linalg.norm(places - places[within].mean(axis=0), axis=1)
        )
        best = int(np.argmax(np.where(within, score, -np.inf)))
        picked.append(best)
        taken.append((float(places[best, 0]), float(places[best, 1])))
    return (*own, *_points(plan, places[picked], "check", "K", kept))


def _inside(plan: Plan, places: Floats) -> Bools:
    """Which places lie in from the boundary by a tenth of the site's width."""
    polygon = site_polygon(plan)
    inner = polygon.buffer(-0.05 * math.sqrt(polygon.area))
    return np.array([inner.contains(Point(*p)) for p in places], dtype=bool)


def _school(places: Floats) -> Floats:
    """Four extremes and the middle of some places (5, 2)."""
    turned = places @ np.array([[1.0, 1.0], [1.0, -1.0]])
    picked = list(dict.fromkeys(int(k) for k in (*turned.argmin(axis=0), *turned.argmax(axis=0))))
    picked.append(int(np.argmin(np.linalg.norm(places - places.mean(axis=0), axis=1))))
    return places[list(dict.fromkeys(picked))]


def _targets(plan: Plan, places: Floats, *beside: tuple[ControlPoint, ...]) -> tuple[ControlPoint, ...]:
    return _points(plan, places, "target", "G", *beside)


def _points(
    plan: Plan, places: Floats, role: Literal["target", "check"], letter: str, *beside: tuple[ControlPoint, ...]
) -> tuple[ControlPoint, ...]:
    """New control at places, named by the next free names beside what stays. It is observed as the plan's own of its role is, so that
    checks stay as independent as they are; without any, it hangs on what most control does."""
    width = max(LEAST_WIDTH, math.ceil(10 * PIXELS * max((f.gsd for f in all_flown(plan)), default=0.0)) / 10)
    stays = plan.model_copy(update={"control": tuple(p for some in beside for p in some)})
    like = [p for p in plan.control if p.role == role]
    new = ControlPoint(id=letter, name=letter, role=role, e=0.0, n=0.0, hangs_on=usual_hanging(plan))
    return tuple(
        (like[k % len(like)] if like else new).model_copy(
            update={
                "id": name,
                "name": name,
                "e": round(float(e), 1),
                "n": round(float(n), 1),
                "h": None,
                "width": width,
                "pinned": False,
            }
        )
        for k, (name, (e, n)) in enumerate(zip(free_names(stays, len(places), letter), places, strict=True))
    )


def _with(plan: Plan, control: tuple[ControlPoint, ...]) -> Plan:
    return plan.model_copy(update={"control": control})


def _field(
    kept: Kept, plan: Plan, free: Floats, stays: tuple[ControlPoint, ...], seeds: tuple[ControlPoint, ...]
) -> tuple[Field, frozenset[int], tuple[ControlPoint, ...]]:
    """The candidates over the kept network: targets that stay, which are fixed; the seeds; and every other place."""
    fixed = tuple(p for p in stays if p.role == "target")
    rest = _away_from(free, [(p.e, p.n) for p in (*fixed, *seeds)], 1.0)
    room = max(50, MOST_BYTES // (12 * kept.solution.factor.n))
    rest = rest[:: -(-len(rest) // room)] if len(rest) > room else rest
    candidates = (*fixed, *seeds, *_targets(plan, rest, fixed, seeds))
    own = range(len(fixed) + len(seeds))
    found = field(kept, kept.planned.observe(kept.planned.plan, candidates), np.array(own))
    return found, frozenset(range(len(fixed))), candidates


def _worthwhile(
    found: Field, kept: Kept, first: Layout, plan: Plan, fixed: frozenset[int], wish: Wish
) -> Iterator[State]:
    """Layouts of more and more targets, until two running gain nothing that is worth the walk."""
    aim = aim_of(plan, kept, first.limit_h, first.limit_v)
    before, idle = math.inf, 0
    for state in layouts(found, aim, fixed, wish.most + len(fixed)):
        yield state
        now = cost(state, aim)
        idle = idle + 1 if now > before * (1 - NOT_WORTH) else 0
        before = now
        if idle == 2:
            return


def _of_state(
    kept: Kept,
    plan: Plan,
    wish: Wish,
    state: State,
    candidates: tuple[ControlPoint, ...],
    stays: tuple[ControlPoint, ...],
    checks: tuple[ControlPoint, ...],
) -> Layout | None:
    """A state of the search as a layout, named anew; None where only the full computation could tell its figures."""
    own = {p.id for p in stays}
    places = np.array([(candidates[k].e, candidates[k].n) for k in state.taken if candidates[k].id not in own])
    targets = _targets(plan, places.reshape(-1, 2), stays, checks)
    try:
        return _layout(kept, plan, wish, (*(p for p in stays if p.role == "target"), *targets, *checks))
    except (KardoError, DefectiveNetwork):
        return None


def _layout(kept: Kept, plan: Plan, wish: Wish, control: tuple[ControlPoint, ...]) -> Layout:
    return _as_layout(plan, wish, control, figures(_with(plan, control), what_if(kept, control)), judged=False)


def _as_layout(plan: Plan, wish: Wish, control: tuple[ControlPoint, ...], told: Figures, judged: bool) -> Layout:
    good = told.rmse_h <= told.limit_h and (told.limit_v is None or told.rmse_v <= told.limit_v)
    good = good and (told.chance is None or told.chance >= wish.chance)
    targets = sum(p.role == "target" for p in control)
    figures_ = told.rmse_h, told.rmse_v, told.limit_h, told.limit_v, told.chance
    minutes, left = _minutes(plan, control), _left(plan, control)
    spots = [Spot(p.name, p.role, p.e, p.n) for p in control]
    before, after = ({"control": [to_json(p) for p in some]} for some in (plan.control, control))
    edits = difference(before, after)
    return Layout(targets, len(control) - targets, minutes, *figures_, good, judged, left, spots, edits)


def _minutes(plan: Plan, control: tuple[ControlPoint, ...]) -> float:
    """On the ground: every point laid out, observed and picked up, and the shortest round past them, once each for these three."""
    assume = plan.assume
    each = sum(assume["minutes_place"] + assume["minutes_pick_up"] + minutes_on_point(p.occupations) for p in control)
    start = next(((m.e, m.n) for m in plan.marks), (control[0].e, control[0].n) if control else (0.0, 0.0))
    metres = walk(start, [(p.e, p.n) for p in control])[1]
    return float(each + 3 * metres / assume["walking_speed"])


def _judged(plan: Plan, wish: Wish, front: list[Layout]) -> tuple[list[Layout], int | None]:
    """The front with its proposal judged by the full computation: of those that are good the one that rules say least of, and of these
    the quickest, which mostly has the fewest targets."""
    out, tried = list(front), set[int]()
    while good := [k for k, one in enumerate(out) if one.good and k not in tried]:
        best = min(good, key=lambda k: (len(out[k].left), out[k].minutes, k))
        tried.add(best)
        proposed = edited(plan, out[best].edits)
        out[best] = _as_layout(plan, wish, proposed.control, figures_of(proposed), judged=True)
        if out[best].good:
            return out, best
    return out, None


def _left(plan: Plan, control: tuple[ControlPoint, ...]) -> list[str]:
    """What the rules still say of control, warnings and worse."""
    proposed = _with(plan, control)
    found = findings(View(proposed, all_flown(proposed), None))
    return [f.words for f in found if f.station == OF_CONTROL and f.severity != "note"]


def _told(front: list[Layout], best: int | None, wish: Wish) -> str:
    if best is None:
        what = "No number of targets that was tried reaches the tolerance with that chance"
        return f"{what}: the rest is for the flight, the base or the calibration to mend."
    one = front[best]
    passing = "nothing" if one.chance is None else chance_words(one.chance)
    return (
        f"{one.targets} {'target' if one.targets == 1 else 'targets'} and {one.checks} checks: {passing} to pass, {wish.chance:.0%} wanted; "
        f"{one.minutes:.0f} min on the ground."
    )
