"""What sees what: which exposures of which flight see a ground point, and where the images can be tied together."""

import math
from typing import NamedTuple

import numpy as np
from numba import njit, prange
from scipy.spatial import cKDTree

from kardo.core.arrays import Floats, Ints, Lists
from kardo.core.flight.ground.imaging import rotations
from kardo.core.flight.ground.shade import Shade
from kardo.core.flight.lines.pattern import FlightPlan, from_course
from kardo.core.geodesy.frame import LocalFrame

MOST_CELLS = 512  # along one side: exposures far apart do not make a large grid


class Sight:
    """One flight's exposures in the local frame, and what they see, past what a shade hides. first is the number of its
    first exposure among all of the plan's; c (n, 3) ENU metres; ypr (n, 3) radians; track (n,): the azimuth flown."""

    def __init__(self, flight: FlightPlan, frame: LocalFrame, first: int = 0, shade: Shade | None = None) -> None:
        self.flight, self.first, self.frame, self.shade = flight, first, frame, shade
        self.c = frame.to_enu(flight.e, flight.n, flight.h)
        self.track = flight.course + frame.convergence
        down = np.zeros(len(self.c))
        self.ypr = np.stack([flight.yaw + frame.convergence, flight.tilt - math.pi / 2, down], axis=1)
        self.rotation = rotations(self.ypr)
        self._reach = _ground_reach(flight)

    def rays(self, points: Floats) -> Lists:
        """Exposures whose frame holds each point (m, 3), and that nothing hides it from, a list per point in ascending
        order."""
        if not len(points):
            return Lists.of([])
        cam = self.flight.camera
        reach = self.reach_over(points[:, 2].min())
        cells = Cells.of(self.c, reach)
        frame = np.array([cam.width_px / 2, cam.height_px / 2]) / cam.f_px
        counts = np.zeros(len(points) + 1, dtype=np.int64)
        _look(points, self.c, self.rotation, frame, reach, *cells, counts[1:], np.empty(0, dtype=np.int64), counts)
        start = np.cumsum(counts)
        seen = np.empty(start[-1], dtype=np.int64)
        _look(points, self.c, self.rotation, frame, reach, *cells, counts[1:], seen, start)
        return self._unhidden(points, Lists(start, seen + self.first))

    def _unhidden(self, points: Floats, rays: Lists) -> Lists:
        """Rays of points (m, 3) that pass what is between."""
        if self.shade is None:
            return rays
        owner, to = rays.owner(), rays.values - self.first
        places = np.column_stack(self.frame.from_enu(points))[owner]
        eyes = np.column_stack([self.flight.e, self.flight.n, self.flight.h])[to]
        return rays.keep(~self.shade.hides(places, eyes))

    def reach_over(self, lowest: float) -> float:
        """How far from a camera's foot anything is seen, metres, where the ground lies no lower than that."""
        return float(max(self.c[:, 2].max() - lowest, 0.0) * self._reach)

    def lattice(self, per_image: float) -> tuple[Floats, Floats]:
        """Grid metres of tie points on a square lattice along the course, so close that each frame holds about so
        many."""
        flight = self.flight
        step = math.sqrt(flight.footprint_across * flight.footprint_along / per_image)
        a = math.radians(flight.main_course)
        across = flight.e * math.cos(a) - flight.n * math.sin(a)
        along = flight.e * math.sin(a) + flight.n * math.cos(a)
        reach = max(flight.footprint_across, flight.footprint_along) / 2
        ahead = (
            math.tan(float(flight.tilt.min())) * flight.flight.height_m
        )  # where all cameras look ahead, so does the lattice
        reach += ahead
        x, y = np.meshgrid(
            np.arange(across.min() - reach, across.max() + reach, step),
            np.arange(along.min() - reach, along.max() + reach, step),
        )
        near, _ = cKDTree(np.stack([across, along], axis=1)).query(
            np.stack([x.ravel(), y.ravel()], axis=1), distance_upper_bound=1.3 * reach
        )
        keep = np.isfinite(near)
        return from_course(x.ravel()[keep], y.ravel()[keep], a)


class Cells(NamedTuple):
    """Exposures (n, 3) sorted into square cells in plan: the south-west corner, the side, columns and rows of cells,
    where each cell begins among the exposures in their order (cells + 1,), and that order (n,)."""

    west: float
    south: float
    side: float
    columns: int
    rows: int
    start: Ints
    order: Ints

    @classmethod
    def of(cls, c: Floats, reach: float) -> "Cells":
        """Cells no smaller than a reach in metres, so that whatever lies within it is in one of nine; and not too
        many."""
        (west, south), (east, north) = c[:, :2].min(axis=0), c[:, :2].max(axis=0)
        side = max(reach, (east - west) / MOST_CELLS, (north - south) / MOST_CELLS, 1e-3)
        columns, rows = int((east - west) / side) + 1, int((north - south) / side) + 1
        cell = ((c[:, 1] - south) / side).astype(np.int64) * columns + ((c[:, 0] - west) / side).astype(np.int64)
        order = np.argsort(cell, kind="stable")
        start = np.searchsorted(cell[order], np.arange(columns * rows + 1))
        return cls(float(west), float(south), float(side), columns, rows, start, order)


@njit(cache=True, parallel=True, nogil=True)
def _look(points, c, rotation, frame, reach, west, south, side, columns, rows, start, order, counts, seen, at):  # type: ignore[no-untyped-def]
    """For each point (m, 3) the exposures whose frame (half sides over the focal length) holds it: into counts (m,) how
    many, or where there is room in `seen`, they themselves from place `at` (m + 1,) on, in ascending order."""
    filling = seen.size > 0
    for j in prange(len(points)):
        x, y, z = points[j, 0], points[j, 1], points[j, 2]
        column, row = int(np.floor((x - west) / side)), int(np.floor((y - south) / side))
        found = 0
        for r in range(max(row - 1, 0), min(row + 2, rows)):
            for k in range(max(column - 1, 0), min(column + 2, columns)):
                cell = r * columns + k
                for i in range(start[cell], start[cell + 1]):
                    e = order[i]
                    dx, dy, dz = x - c[e, 0], y - c[e, 1], z - c[e, 2]
                    if dx * dx + dy * dy > reach * reach:
                        continue
                    m = rotation[e]
                    depth = m[2, 0] * dx + m[2, 1] * dy + m[2, 2] * dz
                    if depth <= 0:
                        continue
                    u = m[0, 0] * dx + m[0, 1] * dy + m[0, 2] * dz
                    v = m[1, 0] * dx + m[1, 1] * dy + m[1, 2] * dz
                    if abs(u) > frame[0] * depth or abs(v) > frame[1] * depth:
                        continue
                    if filling:
                        place = at[j] + found
                        while place > at[j] and seen[place - 1] > e:
                            seen[place] = seen[place - 1]
                            place -= 1
                        seen[place] = e
                    found += 1
        counts[j] = found


def rays_of(sights: tuple[Sight, ...], points: Floats) -> Lists:
    """Exposures of all flights that see each point (m, 3)."""
    return Lists.side_by_side([sight.rays(points) for sight in sights])


def _ground_reach(flight: FlightPlan) -> float:
    """How far from the camera's foot the frame's farthest corner sees level ground, per metre of height."""
    cam, tilt = flight.camera, float(flight.tilt.max())
    x, y = cam.width_px / (2 * cam.f_px), cam.height_px / (2 * cam.f_px)
    down = math.cos(tilt) - y * math.sin(tilt)  # of the frame's upper edge, which looks farthest ahead
    return math.hypot(x, math.sin(tilt) + y * math.cos(tilt)) / max(down, 0.05)
