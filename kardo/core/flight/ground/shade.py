"""What hides a place from a scanner or a camera: the ground between them, and things as tall as they are said to be.
Trees are not among these, for pulses find their way through; nor are wires."""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from numba import njit, prange
from scipy.ndimage import map_coordinates, maximum_filter, minimum_filter

from kardo.core.arrays import Bools, Floats
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.kept import kept
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature
from kardo.core.site.things import tops_of
from kardo.core.terrain.horizon import BESIDE
from kardo.core.terrain.surface import Level

OPAQUE = {"obstacle", "vehicle"}
ABOUT = 150.0  # metres about the site: what stands farther off is too low to matter
FINEST, MOST_NODES = 0.5, 400_000  # metres between nodes; and how many there are at most
FLAT = 0.05  # metres a metre: no line of sight is as flat as that
CLEAR = 1.5  # steps about a place in which nothing hides it: on the lattice a wall is a ramp one step wide


@dataclass(frozen=True)
class Shade:
    """Tops (rows, cols) of the ground and of what stands on it, in the job's heights, at e0 + col * step, n0 + row *
    step in grid metres; NaN where they are not known, and then nothing is hidden."""

    e0: float
    n0: float
    step: float
    tops: Floats

    @cached_property
    def steepest(self) -> Floats:
        """(rows, cols): metres a metre, no less than how steeply anything rises to be seen from about each node, in
        whatever direction: lines that leave more steeply are free. By rings that double: the highest within 2r, and a
        step more, over the lowest beside the node, over r."""
        tops = np.where(np.isfinite(self.tops), self.tops, -np.inf)
        own = minimum_filter(np.where(np.isfinite(self.tops), self.tops, np.inf), size=3, mode="nearest")
        out = np.full(self.tops.shape, -np.inf)
        relief, r = float(np.nanmax(self.tops) - np.nanmin(self.tops)), CLEAR
        while relief / (r * self.step) > FLAT and r < max(self.tops.shape):
            highest = maximum_filter(tops, size=2 * math.ceil(2 * r + 1) + 1, mode="nearest")
            out = np.maximum(out, (highest - own) / (r * self.step))
            r *= 2
        return np.maximum(out, FLAT)

    def under(self, e: Floats, n: Floats) -> tuple[Floats, Floats]:
        """Of a lattice of places, to the east (cols,) and to the north (rows,) in grid metres: the tops there, and how
        steeply lines must leave to be free; both (rows, cols), NaN outside, and where nothing is known."""
        x, y = (e - self.e0) / self.step, (n - self.n0) / self.step
        rows, cols = self.tops.shape
        j, i = np.clip(np.rint(x).astype(int), 0, cols - 1), np.clip(np.rint(y).astype(int), 0, rows - 1)
        tops = map_coordinates(self.tops, np.meshgrid(y, x, indexing="ij"), order=1, mode="constant", cval=np.nan)
        return tops, self.steepest[np.ix_(i, j)]

    def hides(self, places: Floats, eyes: Floats) -> Bools:
        """Which of k places (k, 3) cannot be seen from an eye each (k, 3), grid metres and heights. A place under a
        thing counts as on its top."""
        out = np.zeros(len(places), dtype=np.bool_)
        corner = np.array([self.e0, self.n0])
        _hidden(self.tops, self.steepest, corner, self.step, float(np.nanmax(self.tops)), places, eyes, out)
        return out


def _solid(plan: Plan) -> tuple[Feature, ...]:
    return tuple(f for f in plan.site.features if f.kind in OPAQUE and f.shape != "place" and f.height > 0)


@kept(4, by=lambda plan: (plan.site.ground, plan.site.boundary, _solid(plan)))
def shade_of(plan: Plan) -> Shade | None:
    """Over a plan's site and somewhat about it; kept. None where nothing can hide anything: on level ground without
    things, or where no ground is known. Raises PlanError where there is no boundary."""
    surface, things = plan.surface, _solid(plan)
    if surface is None or (isinstance(surface, Level) and not things):
        return None
    west, south, east, north = site_polygon(plan).buffer(ABOUT).bounds
    finest = FINEST if isinstance(surface, Level) or things else max(surface.step / 2, FINEST)
    step = max(finest, math.sqrt((east - west) * (north - south) / MOST_NODES))
    ee, nn = np.meshgrid(np.arange(west, east + step, step), np.arange(south, north + step, step))
    tops = np.array(surface.at(ee, nn), dtype=np.float64)
    for thing in things:
        _stand(plan, thing, step, ee, nn, tops)
    return Shade(west, south, step, tops) if np.isfinite(tops).any() else None


def _stand(plan: Plan, thing: Feature, step: float, ee: Floats, nn: Floats, tops: Floats) -> None:
    """Raise the nodes that a thing stands on to its top."""
    for shape, top in tops_of(plan, thing):
        solid = shape if shape.geom_type == "Polygon" else shape.buffer(max(BESIDE, 0.75 * step))
        on = shapely.intersects_xy(solid, ee, nn)
        tops[on] = np.fmax(tops[on], top)


@njit(cache=True)
def _top(tops, x, y):  # type: ignore[no-untyped-def]
    """Between nodes, in steps from the corner; NaN outside."""
    rows, cols = tops.shape
    i, j = int(np.floor(y)), int(np.floor(x))
    if i < 0 or j < 0 or i >= rows - 1 or j >= cols - 1:
        return np.nan
    v, u = y - i, x - j
    low, high = tops[i, j] * (1 - u) + tops[i, j + 1] * u, tops[i + 1, j] * (1 - u) + tops[i + 1, j + 1] * u
    return low * (1 - v) + high * v


@njit(cache=True, nogil=True)
def blocked(tops, highest, x, y, z, dx, dy, eye):  # type: ignore[no-untyped-def]
    """Whether a top rises over the line from a place, x and y in steps from the corner and at height z, by (dx, dy)
    steps to a height."""
    far, gone = np.hypot(dx, dy), CLEAR
    if far <= gone:
        return False
    rise = (eye - z) / far
    while gone < far:
        at = z + rise * gone
        if rise > 0 and at >= highest:
            return False
        if _top(tops, x + dx * gone / far, y + dy * gone / far) > at:
            return True
        gone += 1.0
    return False


@njit(cache=True, parallel=True, nogil=True)
def _hidden(tops, steepest, corner, step, highest, places, eyes, out):  # type: ignore[no-untyped-def]
    """From each place (k, 3) step by step towards its eye (k, 3): hidden where a top rises over the line between
    them."""
    rows, cols = tops.shape
    for k in prange(len(places)):
        x, y = (places[k, 0] - corner[0]) / step, (places[k, 1] - corner[1]) / step
        dx, dy = (eyes[k, 0] - places[k, 0]) / step, (eyes[k, 1] - places[k, 1]) / step
        own = _top(tops, x, y)
        z = places[k, 2] if np.isnan(own) else max(places[k, 2], own)
        i, j = int(np.rint(y)), int(np.rint(x))
        inside = i >= 0 and j >= 0 and i < rows and j < cols
        if inside and eyes[k, 2] - z >= steepest[i, j] * step * np.hypot(dx, dy):
            continue
        out[k] = blocked(tops, highest, x, y, z, dx, dy, eyes[k, 2])
