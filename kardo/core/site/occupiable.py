"""Where somebody may stand, and what stands too near: for a base, for a target."""

import math

import numpy as np
from shapely import Point
from shapely.geometry.base import BaseGeometry

from kardo.core.arrays import Floats
from kardo.core.kept import kept
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature
from kardo.core.site.things import UPRIGHT, shape_of_feature, tops_of
from kardo.core.terrain.horizon import things_horizon

FORBIDDEN = {
    "keep_out": "keep-out",
    "no_permission": "no permission",
    "hazard": "hazard",
    "water": "water",
    "canopy": "trees",
    "obstacle": "built on",
    "traffic": "traffic",
}
MOVES = {"tide": "the tide covers it", "livestock": "stock moves it", "vehicle": "vehicles stand there"}
POLE = 2.0  # metres from the ground to an antenna, about
LOWEST = 15.0  # degrees above the horizon from which the sky has to be open: field practice
AROUND, GROWTH, FARTHEST = 10, 1.25, 3000.0  # degrees from one direction to the next; of samples along it; metres
AWAY_FROM_HAZARD = 10.0  # metres
MOST_SKIES = 4000  # of one site that are kept

Shapes = tuple[tuple[Feature, BaseGeometry], ...]


@kept(32, by=lambda plan: plan.site.features)
def shapes_of(plan: Plan) -> Shapes:
    """What is on the site, with outlines in grid metres."""
    return tuple((feature, shape_of_feature(feature)) for feature in plan.site.features)


def why_not(plan: Plan, shapes: Shapes, e: float, n: float, trusted: bool = False) -> str:
    """Why nobody should stand at a place in grid metres; empty where nothing is against it. trusted: somebody stood
    there before, whatever the terrain says of it."""
    here = Point(e, n)
    for feature, shape in shapes:
        limit = AWAY_FROM_HAZARD if feature.kind == "hazard" else 0.0
        if feature.kind in FORBIDDEN and shape.distance(here) <= limit:
            return f"{FORBIDDEN[feature.kind]}, {feature.name}"
    return "" if trusted else why_ground(plan, np.array([(e, n)]))[0]


def why_ground(plan: Plan, places: Floats) -> list[str]:
    """The same of the ground alone, of places (k, 2) in grid metres."""
    if plan.surface is None:
        return [""] * len(places)
    most = plan.policy["control-slope"] if plan.policy.asks("control-slope") else 90.0
    known, steep = np.isfinite(plan.surface.at(*places.T)), slopes(plan, places) > most
    return [
        "no ground known" if not ground else f"steeper than {most:.0f}°" if too else ""
        for ground, too in zip(known, steep, strict=True)
    ]


def slopes(plan: Plan, places: Floats) -> Floats:
    """Degrees of slope (k,) of the ground at places (k, 2) in grid metres; nan where it is not known."""
    if plan.surface is None:
        return np.full(len(places), np.nan)
    return np.degrees(np.arctan(np.hypot(*plan.surface.gradient(*places.T).T)))


def nearest_upright(shapes: Shapes, e: float, n: float, times: float) -> tuple[Feature, float, float] | None:
    """The thing that is nearest for how tall it is, with metres to it and metres asked, so many times its height; None
    where nothing tall stands about."""
    here = Point(e, n)
    tall = [(f, float(shape.distance(here))) for f, shape in shapes if f.kind in UPRIGHT and f.height]
    found = min(tall, key=lambda one: one[1] / one[0].height, default=None)
    return None if found is None else (*found, times * found[0].height)


def what_moves_it(shapes: Shapes, e: float, n: float) -> str:
    """What would move a target that lies at a place in grid metres; empty where nothing is known of it."""
    here = Point(e, n)
    return next((f"{MOVES[f.kind]}, {f.name}" for f, shape in shapes if f.kind in MOVES and shape.covers(here)), "")


def open_sky(plan: Plan, places: Floats, eyes: Floats) -> Floats:
    """The share (k,) of the sky above fifteen degrees that is open over places (k, 2) in grid metres, from eyes (k,) in
    metres of the job's heights: of its solid angle, hidden by the ground and by what stands there. Where the ground is
    not known it hides nothing. Places that were looked from a moment ago are not again."""
    known = _skies(plan)
    wanted = [(*place, eye) for place, eye in zip(places.tolist(), eyes.tolist(), strict=True)]
    new = [k for k, one in enumerate(wanted) if one not in known]
    if len(known) + len(new) > MOST_SKIES:
        known.clear()
        new = list(range(len(wanted)))
    for k, share in zip(new, _open_sky(plan, places[new], eyes[new]).tolist() if new else (), strict=True):
        known[wanted[k]] = share
    return np.array([known[one] for one in wanted])


@kept(16, by=lambda plan: (plan.site.ground, plan.site.features))
def _skies(plan: Plan) -> dict[tuple[float, ...], float]:
    """What was found of the sky over a site, by place and eye."""
    return {}


def _open_sky(plan: Plan, places: Floats, eyes: Floats) -> Floats:
    hidden = ground_hides(plan, places, eyes)
    tall = [(f, shape) for f, shape in shapes_of(plan) if f.kind in UPRIGHT and f.height]
    pieces = {f.id: tops_of(plan, f) for f, _ in tall}
    for k, (e0, n0) in enumerate(places):
        near = [
            piece
            for f, shape in tall
            if 0 < shape.distance(Point(e0, n0)) < reach_of(f)
            for piece in pieces[f.id] or [(shape, eyes[k] + f.height)]
        ]
        if near:
            hidden[k] = np.maximum(hidden[k], things_horizon(near, e0, n0, float(eyes[k]))[::AROUND])
    seen = 1 - np.sin(np.radians(np.maximum(hidden, LOWEST)))
    return np.asarray(seen.mean(axis=1) / (1 - math.sin(math.radians(LOWEST))))


def ground_hides(plan: Plan, places: Floats, eyes: Floats) -> Floats:
    """Degrees (k, 36) up to which the ground hides the sky about places (k, 2) in grid metres, by grid azimuth, from
    eyes (k,) in metres of the job's heights; nothing where it is not known."""
    if plan.surface is None:
        return np.zeros((len(places), 360 // AROUND))
    bearing = np.radians(np.arange(0, 360, AROUND))
    away = 5.0 * GROWTH ** np.arange(math.ceil(math.log(FARTHEST / 5.0) / math.log(GROWTH)))
    e = places[:, 0, None, None] + np.outer(np.sin(bearing), away)
    n = places[:, 1, None, None] + np.outer(np.cos(bearing), away)
    rise = np.degrees(np.arctan2(plan.surface.at(e, n) - eyes[:, None, None], away))
    return np.asarray(np.fmax.reduce(np.fmax(rise, 0.0), axis=2))


def reach_of(feature: Feature) -> float:
    """Metres from which a thing no longer rises over the mask, twice over, for it may stand on higher ground."""
    return 2 * math.tan(math.radians(90 - LOWEST)) * feature.height
