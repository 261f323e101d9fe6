"""What sees what: which exposures of which flight see a ground point, and where the images can be tied together."""

import math
from itertools import chain

import numpy as np
from scipy.spatial import cKDTree

from kardo.core.arrays import Floats, Lists
from kardo.core.flight.imaging import project, rotations
from kardo.core.flight.pattern import FlightPlan, from_course
from kardo.core.geodesy.frame import LocalFrame


class Sight:
    """One flight's exposures in the local frame, and what they see. first is the number of its first exposure among all
    of the plan's; c (n, 3) ENU metres; ypr (n, 3) radians."""

    def __init__(self, flight: FlightPlan, frame: LocalFrame, first: int = 0) -> None:
        self.flight, self.first = flight, first
        self.c = frame.to_enu(flight.e, flight.n, flight.h)
        down = np.zeros(len(self.c))
        self.ypr = np.stack([flight.course + frame.convergence, flight.tilt - math.pi / 2, down], axis=1)
        self.rotation = rotations(self.ypr)
        self._tree = cKDTree(self.c[:, :2])
        self._reach = _ground_reach(flight)

    def rays(self, points: Floats) -> Lists:
        """Exposures whose frame holds each point (m, 3), a list per point in ascending order."""
        if not len(points):
            return Lists.of([])
        cam = self.flight.camera
        reach = max(self.c[:, 2].max() - points[:, 2].min(), 0.0) * self._reach
        near = self._tree.query_ball_point(points[:, :2], reach, workers=2, return_sorted=True)
        counts = np.fromiter((len(k) for k in near), dtype=np.int64, count=len(near))
        owner = np.repeat(np.arange(len(points)), counts)
        seen = np.fromiter(chain.from_iterable(near), dtype=np.int64, count=int(counts.sum()))
        uv, depth = project(cam.f_px, self.rotation[seen], self.c[seen], points[owner])
        inside = (depth > 0) & (np.abs(uv[:, 0]) <= cam.width_px / 2) & (np.abs(uv[:, 1]) <= cam.height_px / 2)
        found = Lists(np.r_[0, np.cumsum(counts)], seen).keep(inside)
        return Lists(found.start, found.values + self.first)

    def lattice(self, per_image: float) -> tuple[Floats, Floats]:
        """Grid metres of tie points on a square lattice along the course, so close that each frame holds about so many."""
        flight = self.flight
        step = math.sqrt(flight.footprint_across * flight.footprint_along / per_image)
        a = math.radians(flight.main_course)
        across = flight.e * math.cos(a) - flight.n * math.sin(a)
        along = flight.e * math.sin(a) + flight.n * math.cos(a)
        reach = max(flight.footprint_across, flight.footprint_along) / 2
        ahead = (
            math.tan(float(flight.tilt.min())) * flight.flight.height
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


def rays_of(sights: tuple[Sight, ...], points: Floats) -> Lists:
    """Exposures of all flights that see each point (m, 3)."""
    return Lists.side_by_side([sight.rays(points) for sight in sights])


def _ground_reach(flight: FlightPlan) -> float:
    """How far from the camera's foot the frame's farthest corner sees level ground, per metre of height."""
    cam, tilt = flight.camera, float(flight.tilt.max())
    x, y = cam.width_px / (2 * cam.f_px), cam.height_px / (2 * cam.f_px)
    down = math.cos(tilt) - y * math.sin(tilt)  # of the frame's upper edge, which looks farthest ahead
    return math.hypot(x, math.sin(tilt) + y * math.cos(tilt)) / max(down, 0.05)
