"""What stands on the site: outlines, feet and tops."""

import math

import numpy as np
from shapely.geometry import LineString, Point, Polygon

from kardo.core.arrays import Floats
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature
from kardo.core.terrain.surface import AnySurface

STANDING = {"obstacle", "power_line", "canopy", "vehicle"}


def foot_of(feature: Feature, e: Floats, n: Floats, surface: AnySurface) -> Floats:
    """The ground that a thing stands on, seen from places (k,) near it: its highest corner's; of a line, and of what stands
    where no ground is known, the ground under the place."""
    under = surface.at(e, n)
    corners = surface.at(*np.array(feature.vertices).T)
    if feature.shape == "line" or not np.isfinite(corners).any():
        return under
    return np.full(len(e), np.nanmax(corners))


def top_of(plan: Plan, feature: Feature) -> float:
    """Height in metres of the top of a thing that stands on the ground, in the job's system: over its highest corner; NaN where no
    ground is known there."""
    if plan.surface is None:
        return math.nan
    corners = np.array(feature.vertices, dtype=float)
    return float(foot_of(feature, corners[:, 0], corners[:, 1], plan.surface).max()) + feature.height


def shape_of_feature(feature: Feature) -> Point | LineString | Polygon:
    """The outline, line or place of a thing, grid metres."""
    if feature.shape == "area" and len(feature.vertices) >= 3:
        return Polygon(feature.vertices).buffer(0)
    return LineString(feature.vertices) if len(feature.vertices) > 1 else Point(feature.vertices[0])
