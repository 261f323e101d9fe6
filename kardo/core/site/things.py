"""What stands on the site: outlines, feet and tops."""

import math
from collections.abc import Iterator
from itertools import pairwise, product

import numpy as np
import shapely
from shapely.geometry import LineString, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

from kardo.core.arrays import Floats
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature
from kardo.core.terrain.surface import AnySurface

UPRIGHT = {"obstacle", "power_line", "canopy", "vehicle"}


PIECES, RELIEF = 8, 1.0  # along each side of an area at most; and metres of ground from which it is cut at all


def foot_of(feature: Feature, e: Floats, n: Floats, surface: AnySurface) -> Floats:
    """The ground (k,) that a thing stands on, seen from places near it: of what has a level top its highest corner's;
    of an area the ground at its nearest point; of a line, and of what stands where no ground is known, the ground under
    the place."""
    if feature.shape == "line":
        return surface.at(e, n)
    corners = surface.at(*np.array(feature.vertices).T)
    if not np.isfinite(corners).any():
        return surface.at(e, n)
    if feature.shape == "place" or feature.top == "level":
        return np.full(len(e), np.nanmax(corners))
    nearest = shapely.get_point(shapely.shortest_line(shape_of_feature(feature), shapely.points(e, n)), 0)
    at = surface.at(shapely.get_x(nearest), shapely.get_y(nearest))
    return np.where(np.isfinite(at), at, np.nanmax(corners))


def top_of(plan: Plan, feature: Feature) -> float:
    """Height in metres of the highest of a thing that stands on the ground, in the job's system; NaN where no ground is
    known there."""
    if plan.surface is None:
        return math.nan
    ground = plan.surface.at(*np.array(feature.vertices, dtype=float).T)
    return float(np.nanmax(ground)) + feature.height if np.isfinite(ground).any() else math.nan


def tops_of(plan: Plan, feature: Feature) -> list[tuple[BaseGeometry, float]]:
    """A thing in pieces of which each may be taken for level, with the height in metres of its top in the job's system:
    a line from vertex to vertex, an area on sloping ground by cells. Empty where no ground is known."""
    shape, surface, whole = shape_of_feature(feature), plan.surface, top_of(plan, feature)
    if surface is None or not math.isfinite(whole):
        return []
    if feature.top == "level" or shape.geom_type == "Point":
        return [(shape, whole)]
    pieces: list[BaseGeometry] = list(_cells(shape, surface))
    if shape.geom_type == "LineString":
        pieces = [LineString(two) for two in pairwise(shape.coords)]
    tops = [np.nanmax(_ground_of(piece, surface), initial=-np.inf) + feature.height for piece in pieces]
    return [(piece, float(top) if math.isfinite(top) else whole) for piece, top in zip(pieces, tops, strict=True)]


def _cells(shape: BaseGeometry, surface: AnySurface) -> Iterator[BaseGeometry]:
    """An area in cells, as many as the relief of its ground asks for."""
    relief = np.ptp(found) if (found := _ground_of(shape, surface)).size else 0.0
    count = int(min(PIECES, max(1, math.ceil(relief / RELIEF))))
    west, south, east, north = shape.bounds
    xs, ys = np.linspace(west, east, count + 1), np.linspace(south, north, count + 1)
    for (x0, x1), (y0, y1) in product(pairwise(xs), pairwise(ys)):
        piece = shape.intersection(box(x0, y0, x1, y1)) if count > 1 else shape
        if piece.area > 0:
            yield piece


def _ground_of(shape: BaseGeometry, surface: AnySurface) -> Floats:
    """The known ground (k,) at the corners of a shape and over a lattice in it."""
    west, south, east, north = shape.bounds
    e, n = (v.ravel() for v in np.meshgrid(np.linspace(west, east, 5), np.linspace(south, north, 5)))
    inside = shapely.intersects_xy(shape, e, n)
    corners = shapely.get_coordinates(shape)
    found = surface.at(np.r_[e[inside], corners[:, 0]], np.r_[n[inside], corners[:, 1]])
    return np.asarray(found[np.isfinite(found)])


def shape_of_feature(feature: Feature) -> Point | LineString | Polygon:
    """The outline, line or place of a thing, grid metres."""
    if feature.shape == "area" and len(feature.vertices) >= 3:
        return Polygon(feature.vertices).buffer(0)
    return LineString(feature.vertices) if len(feature.vertices) > 1 else Point(feature.vertices[0])
