"""The places of a plan that figures are told of, and the frame in which its network is formed."""

import numpy as np
from shapely import Polygon, contains_xy

from kardo.core.arrays import Floats
from kardo.core.errors import PlanError
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.plan.model import Plan
from kardo.core.terrain.surface import AnySurface

MAP_POINTS = 400  # aimed at over the site; between 300 and 600 come out
AREA_POINTS = 100  # the same over each area whose volume matters; up to 150


def local_frame(plan: Plan, polygon: Polygon, surface: AnySurface) -> LocalFrame:
    """The frame of a plan's network, in the middle of its site. Raises PlanError where the grid does not hold it."""
    middle = polygon.representative_point()
    plan.grid.require_inside(np.array([middle.x]), np.array([middle.y]), "Site, boundary")
    return LocalFrame(plan.grid, middle.x, middle.y, float(np.nan_to_num(surface.at(middle.x, middle.y))))


def on_known_ground(surface: AnySurface, e: Floats, n: Floats) -> tuple[Floats, Floats]:
    """Those of some places (k,) in grid metres where the ground's height is known."""
    known = np.isfinite(surface.at(e, n))
    return e[known], n[known]


def map_sample(polygon: Polygon, surface: AnySurface) -> tuple[Floats, Floats, float]:
    """The map's sample (k,) east and north in grid metres where the ground is known, and its step. Raises PlanError
    where it is known nowhere."""
    e, n, step = sample(polygon, MAP_POINTS)
    e, n = on_known_ground(surface, e, n)
    if not len(e):
        raise PlanError(
            "The terrain has no heights inside the boundary.",
            where="Site, terrain",
            mend="Bring in terrain that covers it.",
        )
    return e, n, step


def sample(polygon: Polygon, aimed: int) -> tuple[Floats, Floats, float]:
    """A regular sample of ground points inside a polygon, (k,) east and north in grid metres, at most half as many
    again as aimed at, and its step in metres."""
    west, south, east, north = polygon.bounds
    step = float(np.sqrt(polygon.area / aimed))
    while True:
        e, n = np.meshgrid(np.arange(west + step / 2, east, step), np.arange(south + step / 2, north, step))
        inside = contains_xy(polygon, e.ravel(), n.ravel())
        if inside.sum() <= 1.5 * aimed:
            return e.ravel()[inside], n.ravel()[inside], step
        step *= 1.05
