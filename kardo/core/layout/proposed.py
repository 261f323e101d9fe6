"""What a layout of control is made of: where targets may lie, the checks beside them, what is asked of any layout, and
what it comes to."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from shapely import Point

from kardo.core.accuracy.change.advice import Promise
from kardo.core.accuracy.change.offers import free_names, minutes_on_ground, usual_point, usual_source
from kardo.core.accuracy.change.whatif import Kept, what_if
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.figures.results import Figures
from kardo.core.accuracy.figures.standards import standards
from kardo.core.arrays import Bools, Floats
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.parts import to_json
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import Edit, difference
from kardo.core.plan.model import Plan
from kardo.core.practice.catalogue import View, findings
from kardo.core.site.occupiable import POLE, nearest_upright, open_sky, shapes_of, what_moves_it, why_ground, why_not

SPARE = 1.25  # times as wide as a target must be is one that is proposed: field practice
LEAST_WIDTH = 0.4  # metres
USUAL_CHECKS = 6  # where the standard asks for fewer
MOST_TARGETS = 14
OF_CONTROL = "control"


@dataclass(frozen=True)
class SearchOptions:
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
class Layout(Promise):
    """One layout and what it promises: how many targets and checks, minutes on the ground; whether the full computation
    judged it; what rules of control still say of it; its points, and the edits that make them of the plan's."""

    targets: int
    checks: int
    minutes: float
    judged: bool
    left: list[str]
    points: list[Spot]
    edits: list[Edit]


def where_targets_may_lie(plan: Plan, wanted: list[tuple[float, float]]) -> tuple[Floats, dict[str, int]]:
    """Those of some places (c, 2) where a target may lie, and why others are left out, with how many."""
    shapes, out, free = shapes_of(plan), dict[str, int](), []
    places = np.array(wanted).reshape(-1, 2)
    ground = plan.surface.at(*places.T) if plan.surface else np.zeros(len(places))
    skies, asked = open_sky(plan, places, np.nan_to_num(ground) + POLE), plan.policy
    for (e, n), steep, sky in zip(wanted, why_ground(plan, places), skies, strict=True):
        why = steep or why_not(plan, shapes, e, n, trusted=True)
        why = why or (what_moves_it(shapes, e, n) if asked.asks("control-moved") else "")
        why = why or (
            "too little of the sky is open" if asked.asks("control-sky") and sky < asked["control-sky"] else ""
        )
        if not why and asked.asks("control-clearance"):
            near = nearest_upright(shapes, e, n, asked["control-clearance"])
            why = f"too near to {near[0].name} for its height" if near is not None and near[1] < near[2] else ""
        if why:
            out[why] = out.get(why, 0) + 1
        else:
            free.append((e, n))
    return np.array(free).reshape(-1, 2), out


def required(plan: Plan, kept: tuple[ControlPoint, ...]) -> tuple[ControlPoint, ...]:
    """What is kept, and the targets that rules ask for by their place, whatever the figures say: one in every narrow
    part."""
    bare = with_control(plan, kept)
    found = [f for f in findings(View(bare, all_flown(bare), None)) if f.station == OF_CONTROL]
    asked = [ControlPoint.model_validate(e.after) for f in found for e in f.edits if e.before is None and e.after]
    places = np.array([(p.e, p.n) for p in asked]).reshape(-1, 2)
    return (*kept, *targets_at(plan, places, kept))


def apart(plan: Plan) -> float:
    """Metres that a check keeps from a target: a quarter of what an image covers along the line."""
    return max(5.0, min((f.footprint_along for f in all_flown(plan)), default=20.0) / 4 * 1.05)


def away_from(places: Floats, others: list[tuple[float, float]], metres: float) -> Floats:
    """Those of some places (c, 2) that are so many metres from all others (k pairs), or all of them where that leaves
    fewer than five."""
    if not others:
        return places
    away = np.linalg.norm(places[:, None] - np.array(others), axis=2).min(axis=1)
    free = places[away >= metres]
    return free if len(free) >= 5 else places


def checks_wanted(plan: Plan) -> int:
    """Of a layout: as many as the standard asks for, or as usual; no more than the Brief wants at most."""
    usual = max(standards()[plan.brief.standard].least_checks, USUAL_CHECKS)
    return usual if plan.brief.most_checks is None else min(usual, plan.brief.most_checks)


def checks_for(plan: Plan, places: Floats, kept: tuple[ControlPoint, ...], count: int) -> tuple[ControlPoint, ...]:
    """The checks that are kept, and as many more at places (c, 2) that there are so many in all: by quadrants in turn,
    each as far as can be from those before it and from the edge, where few images look."""
    own = [p for p in kept if p.role == "check"]
    wanted = count - len(own)
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
    return (*own, *points_at(plan, places[picked], "check", "K", kept))


def _inside(plan: Plan, places: Floats) -> Bools:
    """Which places lie in from the boundary by a tenth of the site's width."""
    polygon = site_polygon(plan)
    inner = polygon.buffer(-0.05 * math.sqrt(polygon.area))
    return np.array([inner.contains(Point(*p)) for p in places], dtype=bool)


def extremes_and_middle(places: Floats) -> Floats:
    """Four extremes and the middle of some places (5, 2)."""
    turned = places @ np.array([[1.0, 1.0], [1.0, -1.0]])
    picked = list(dict.fromkeys(int(k) for k in (*turned.argmin(axis=0), *turned.argmax(axis=0))))
    picked.append(int(np.argmin(np.linalg.norm(places - places.mean(axis=0), axis=1))))
    return places[list(dict.fromkeys(picked))]


def targets_at(plan: Plan, places: Floats, *beside: tuple[ControlPoint, ...]) -> tuple[ControlPoint, ...]:
    """New targets at places (k, 2), named beside what stays."""
    return points_at(plan, places, "target", "G", *beside)


def points_at(
    plan: Plan, places: Floats, role: Literal["target", "check"], letter: str, *beside: tuple[ControlPoint, ...]
) -> tuple[ControlPoint, ...]:
    """New control at places (k, 2), named by the next free names beside what stays. Targets are observed as most of the
    plan's own are; checks as its own are, in turn, so that they stay as independent as they are; without any, it rests
    on what most control does."""
    width = max(
        LEAST_WIDTH,
        math.ceil(10 * SPARE * plan.policy["target-width"] * max((f.gsd for f in all_flown(plan)), default=0.0)) / 10,
    )
    stays = plan.model_copy(update={"control": tuple(p for some in beside for p in some)})
    like = [p for p in plan.control if p.role == role]
    if role == "target" and like:
        observed = [(p.positioned_from, p.occupations) for p in like]
        like = [like[observed.index(max(observed, key=observed.count))]]
    new = usual_point(plan.policy).model_copy(update={"role": role, "positioned_from": usual_source(plan)})
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


def with_control(plan: Plan, control: tuple[ControlPoint, ...]) -> Plan:
    """A plan with other control."""
    return plan.model_copy(update={"control": control})


def layout_of(kept: Kept, plan: Plan, wish: SearchOptions, control: tuple[ControlPoint, ...]) -> Layout:
    """A layout of some control by a kept network, within 3 %. Raises PlanError where only the full computation can
    tell."""
    return as_layout(plan, wish, control, figures(with_control(plan, control), what_if(kept, control)), judged=False)


def as_layout(
    plan: Plan, wish: SearchOptions, control: tuple[ControlPoint, ...], told: Figures, judged: bool
) -> Layout:
    """A layout of some control with the figures that were told of it."""
    targets = sum(p.role == "target" for p in control)
    before, after = ({"control": [to_json(p) for p in some]} for some in (plan.control, control))
    return Layout(
        **vars(Promise.of(told, wish.chance)),
        targets=targets,
        checks=len(control) - targets,
        minutes=minutes_on_ground(plan, control),
        judged=judged,
        left=_left(plan, control),
        points=[Spot(p.name, p.role, p.e, p.n) for p in control],
        edits=difference(before, after),
    )


def _left(plan: Plan, control: tuple[ControlPoint, ...]) -> list[str]:
    """What the rules still say of control, warnings and worse."""
    proposed = with_control(plan, control)
    found = findings(View(proposed, all_flown(proposed), None))
    return [f.words for f in found if f.station == OF_CONTROL and f.severity != "note"]
