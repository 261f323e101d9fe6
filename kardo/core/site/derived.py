"""What stands on the site, found where a surface model with its objects rises over the ground."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from scipy import ndimage
from shapely.geometry import Polygon

from kardo.core.arrays import Floats
from kardo.core.terrain.surface import AnySurface, Surface

LEAST_RISE, LEAST_AREA = 2.0, 6.0  # metres over the ground, and square metres, from which something is a thing
ABOUT = 100.0  # metres about the site that are looked at
SMOOTH = 0.5  # metres that the tops' nodes lie from a plane, root mean square, up to which it is a roof and no crown
MOST = 200
MOST_CORNERS = 60


@dataclass(frozen=True)
class Risen:
    """A thing that was found: what it looks like, its outline in grid metres, its height above the ground in metres (a
    twentieth of it is taller), and its area in square metres."""

    kind: Literal["obstacle", "canopy"]
    ring: tuple[tuple[float, float], ...]
    height: float
    area: float


def risen(ground: AnySurface, over: Surface, site: Polygon) -> list[Risen]:
    """Things on and about a site, the largest first: connected nodes of a surface model that lie so high over the
    ground. Smooth tops are taken for buildings, rough ones for trees: a guess, to be looked at.

    Source: the height above ground of a normalised surface model, and its planarity, as in ordinary classification of
    heights."""
    rows, cols = over.heights.shape
    e, n = np.meshgrid(over.e0 + over.step * np.arange(cols), over.n0 + over.step * np.arange(rows))
    up = over.heights - ground.at(e, n)
    near = shapely.contains_xy(site.buffer(ABOUT), e, n)
    labels, _ = ndimage.label(np.nan_to_num(up) * near > LEAST_RISE, structure=np.ones((3, 3)))
    found = []
    for k, window in enumerate(ndimage.find_objects(labels), 1):
        own = labels[window] == k
        size = float(own.sum()) * over.step**2
        if size < LEAST_AREA:
            continue
        at_e, at_n, tops = e[window][own], n[window][own], over.heights[window][own]
        ring = _outline(at_e, at_n, over.step)
        height = float(np.percentile(up[window][own], 95))
        found.append(Risen(_kind(at_e, at_n, tops), ring, round(height, 1), size))
    return sorted(found, key=lambda thing: -thing.area)[:MOST]


def _kind(e: Floats, n: Floats, tops: Floats) -> Literal["obstacle", "canopy"]:
    """By how far the tops lie from a plane, or from the two of a gable: split at the middle along the longer side."""
    if len(tops) < 4:
        return "obstacle"
    along = e if np.ptp(e) > np.ptp(n) else n
    across = n if along is e else e
    halves = [across <= np.median(across), across > np.median(across)]
    whole = _off_plane(e, n, tops)
    gable = math.sqrt(sum(_off_plane(e[h], n[h], tops[h]) ** 2 * h.mean() for h in halves if h.sum() > 3))
    return "obstacle" if min(whole, gable) < SMOOTH else "canopy"


def _off_plane(e: Floats, n: Floats, tops: Floats) -> float:
    plane = np.column_stack([np.ones(len(e)), e - e.mean(), n - n.mean()])
    rest = tops - plane @ np.linalg.lstsq(plane, tops, rcond=None)[0]
    return float(np.sqrt(np.mean(rest**2)))


def _outline(e: Floats, n: Floats, step: float) -> tuple[tuple[float, float], ...]:
    """The outline of square cells about nodes, made as simple as their size lets it."""
    half = step / 2
    cells = shapely.union_all(shapely.box(e - half, n - half, e + half, n + half))
    whole = cells.buffer(half, join_style="mitre").buffer(
        -half, join_style="mitre"
    )  # joins cells that meet at a corner
    shape = max(getattr(whole, "geoms", [whole]), key=lambda part: part.area)
    tolerance = step * 0.75
    simple = shape.simplify(tolerance)
    while len(simple.exterior.coords) > MOST_CORNERS:
        tolerance *= 1.6
        simple = shape.simplify(tolerance)
    return tuple((round(float(x), 2), round(float(y), 2)) for x, y in simple.exterior.coords[:-1])
