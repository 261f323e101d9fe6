"""Where somebody may stand, and what stands too near: for a base, for a target."""

import numpy as np
from shapely import Point
from shapely.geometry.base import BaseGeometry

from kardo.core.arrays import Floats
from kardo.core.flight.clearance import STANDING, shape_of_feature
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature

TWICE = 2.0  # times as far from a thing as it is tall: field practice
STEEP = 20.0  # degrees of slope on which no tripod should stand, and no target lie
FORBIDDEN = {
    "keep_out": "keep-out",
    "no_permission": "no permission",
    "hazard": "hazard",
    "water": "water",
    "canopy": "trees",
    "obstacle": "built on",
}
AWAY_FROM_HAZARD = 10.0  # metres

Shapes = list[tuple[Feature, BaseGeometry]]


def shapes_of(plan: Plan) -> Shapes:
    """What is on the site, with outlines in grid metres."""
    return [(feature, shape_of_feature(feature)) for feature in plan.site.features]


def why_not(plan: Plan, shapes: Shapes, e: float, n: float, trusted: bool = False) -> str:
    """Why nobody should stand at a place in grid metres; empty where nothing is against it. trusted: somebody stood there before, whatever
    the terrain says of it."""
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
    known, steep = np.isfinite(plan.surface.at(*places.T)), slopes(plan, places) > STEEP
    return [
        "no ground known" if not ground else f"steeper than {STEEP:.0f}°" if too else ""
        for ground, too in zip(known, steep, strict=True)
    ]


def slopes(plan: Plan, places: Floats) -> Floats:
    """Degrees of slope (k,) of the ground at places (k, 2) in grid metres; nan where it is not known."""
    if plan.surface is None:
        return np.full(len(places), np.nan)
    return np.degrees(np.arctan(np.hypot(*plan.surface.gradient(*places.T).T)))


def nearest_standing(shapes: Shapes, e: float, n: float) -> tuple[Feature, float, float] | None:
    """The thing that is nearest for how tall it is, with metres to it and metres asked; None where nothing tall stands about."""
    here = Point(e, n)
    tall = [
        (f, float(shape.distance(here)), TWICE * f.height) for f, shape in shapes if f.kind in STANDING and f.height
    ]
    return min(tall, key=lambda found: found[1] / found[2], default=None)
