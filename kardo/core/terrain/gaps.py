"""Where the ground is not known: gaps of a terrain inside a polygon, with their place and size."""

import math
from dataclasses import dataclass

import numpy as np
from scipy.ndimage import label
from shapely import contains_xy
from shapely.geometry.base import BaseGeometry

from kardo.core.terrain.surface import AnySurface

CELLS = 4000  # looked at over a polygon, about


@dataclass(frozen=True)
class Gaps:
    """What is not known inside a polygon: square metres on the ground, as a share of it, and the middle of the largest
    piece in grid metres; the middles of the cells looked at that are not known, and their side in metres, for
    drawing."""

    area: float
    share: float
    e: float
    n: float
    cells: list[tuple[float, float]]
    side: float


def gaps(surface: AnySurface, polygon: BaseGeometry, grid_per_ground: float = 1.0) -> Gaps | None:
    """The gaps of a surface inside a polygon in grid metres, of which so many are a metre on the ground; None where all
    of it is known."""
    west, south, east, north = polygon.bounds
    side = math.sqrt(max((east - west) * (north - south), 1e-6) / CELLS)
    e, n = np.meshgrid(np.arange(west + side / 2, east, side), np.arange(south + side / 2, north, side))
    inside = contains_xy(polygon, e.ravel(), n.ravel()).reshape(e.shape)
    unknown = inside & np.isnan(surface.at(e, n))
    if not unknown.any():
        return None
    pieces, _ = label(unknown, structure=np.ones((3, 3)))
    largest = pieces == 1 + int(np.argmax(np.bincount(pieces.ravel())[1:]))
    cells = [(float(a), float(b)) for a, b in zip(e[unknown], n[unknown], strict=True)]
    middle = np.argmin(np.hypot(e[largest] - e[largest].mean(), n[largest] - n[largest].mean()))
    place = float(e[largest][middle]), float(n[largest][middle])
    return Gaps(
        float(unknown.sum() * (side / grid_per_ground) ** 2), float(unknown.sum() / inside.sum()), *place, cells, side
    )
