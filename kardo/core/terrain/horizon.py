"""The horizon about a point: how high ground, and what stands on it, reach in every direction."""

import math
from collections.abc import Sequence

import numpy as np
import shapely
from shapely import Point
from shapely.geometry.base import BaseGeometry

from kardo.core.arrays import Floats
from kardo.core.terrain.surface import AnySurface

STEPS = 360
FARTHEST = 6000.0  # metres
GROWTH = 1.02  # from one sample along a ray to the next
RADIUS = 6_371_000.0
LIGHT = 0.13  # the share of the curvature that refraction takes back: Brunner, Geodetic Refraction, 1984
BESIDE = 0.5  # metres about a thin thing that it covers


def ground_horizon(surface: AnySurface, e: float, n: float, eye: float) -> Floats:
    """Elevation in degrees (360,) of the ground about a place in grid metres, by degree of grid azimuth, seen from a
    height in metres of the job's system. Never below level; where the ground is not known it hides nothing."""
    first = max(getattr(surface, "step", 5.0), 1.0)
    away = first * GROWTH ** np.arange(math.ceil(math.log(FARTHEST / first) / math.log(GROWTH)))
    bearing = np.radians(np.arange(STEPS))
    heights = surface.at(e + np.outer(np.sin(bearing), away), n + np.outer(np.cos(bearing), away))
    drop = (1 - LIGHT) * away**2 / (2 * RADIUS)
    rise = np.degrees(np.arctan2(heights - drop - eye, away))
    return np.nan_to_num(np.fmax.reduce(np.where(np.isfinite(rise), rise, 0.0), axis=1)).clip(min=0.0)


def things_horizon(things: Sequence[tuple[BaseGeometry, float]], e: float, n: float, eye: float) -> Floats:
    """Elevation (360,) in degrees of things in grid metres, by degree of grid azimuth, each with the height in metres
    of its top. A thing that the place stands in or under hides nothing but what is over it: it is left out, and has to
    be told otherwise."""
    out = np.zeros(STEPS)
    here, bearing = Point(e, n), np.radians(np.arange(STEPS))
    ends = np.stack([e + FARTHEST * np.sin(bearing), n + FARTHEST * np.cos(bearing)], axis=-1)
    rays = shapely.linestrings(np.stack([np.broadcast_to([e, n], ends.shape), ends], axis=1))
    for shape, top in things:
        solid = shape if shape.geom_type == "Polygon" else shape.buffer(BESIDE)
        if top <= eye or solid.distance(here) == 0.0:
            continue
        hit = np.flatnonzero(shapely.intersects(rays, solid))
        away = shapely.distance(shapely.intersection(rays[hit], solid), here)
        out[hit] = np.maximum(out[hit], np.degrees(np.arctan2(top - eye, away)))
    return out


def typed_horizon(rows: Sequence[tuple[float, float]]) -> Floats:
    """Elevations (360,) between typed ones, (azimuth, elevation) in degrees, straight from one to the next around the
    circle.

    >>> typed_horizon([(0, 10), (180, 30)])[[0, 90, 180, 270]].tolist()
    [10.0, 20.0, 30.0, 20.0]
    """
    if not rows:
        return np.zeros(STEPS)
    azimuth, elevation = (np.array(column, dtype=float) for column in zip(*sorted(rows), strict=True))
    return np.interp(np.arange(STEPS), azimuth % 360, elevation, period=360)


def turned(profile: Floats, degrees: float) -> Floats:
    """A profile (360,) by true azimuth from one (360,) by grid azimuth, grid north lying so many degrees east of true
    north."""
    return np.interp(np.arange(STEPS), (np.arange(STEPS) + degrees) % 360, profile, period=360)
