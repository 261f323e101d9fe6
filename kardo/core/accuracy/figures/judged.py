"""What a standard is held against: the errors that the network propagates, and what a point or the surface adds to
them.

A point of the map is a centre, a kerb, a corner, identified with an error that is the same in every image. A surface is
read at a place: it carries the slope times the horizontal error, and single heights the noise of matching. The
deliverable decides which of the two counts in height. Source: docs/accuracy.md, section 10."""

import math
from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from kardo.core.accuracy.figures.results import Share
from kardo.core.arrays import Floats, Ints, Lists
from kardo.core.control.local import calibrates_heights
from kardo.core.flight.ground.sight import Sight
from kardo.core.gnss.shifts import Source
from kardo.core.plan.assumptions import Assumptions
from kardo.core.plan.brief import Brief
from kardo.core.plan.model import Plan
from kardo.core.terrain.surface import AnySurface

SURFACES = {"surface", "volume"}  # deliverables whose heights are read from the surface
OF_SURFACE = {"contour", "volume"}  # standards that judge a surface whatever the deliverable


def heights_of_surface(brief: Brief) -> bool:
    """Whether heights are judged on the surface, not at points that can be identified."""
    return brief.deliverable in SURFACES or brief.standard in OF_SURFACE


@dataclass(frozen=True)
class Places:
    """k places on the ground: ground_px (k,) metres of a pixel where they are seen best; gradient (k, 2) of the surface
    to east and north; identify (k,) and matching (k,) sigmas in metres: of a point in plan, each axis, and of a single
    height."""

    ground_px: Floats
    gradient: Floats
    identify: Floats
    matching: Floats

    def take(self, which: Ints) -> "Places":
        """Only some of the places."""
        return Places(self.ground_px[which], self.gradient[which], self.identify[which], self.matching[which])

    @property
    def reading(self) -> Floats:
        """(k, 3): what a height read from the surface takes of a point's errors: up, less the slope times east and
        north."""
        return np.column_stack([-self.gradient, np.ones(len(self.gradient))])

    def mean_noise(self, area: float, cell_px: float) -> float:
        """Variance of the mean height over an area in m2 from matching alone, heights being independent from so many
        pixels apart."""
        cells = max(1.0, area / (cell_px * float(self.ground_px.mean())) ** 2)
        return float((self.matching**2).mean()) / cells


def places(
    e: Floats, n: Floats, x: Floats, rays: Lists, sights: tuple[Sight, ...], surface: AnySurface, assume: Assumptions
) -> Places:
    """Places in grid metres e, n (k,) and ENU x (k, 3), seen by rays."""
    pixel = np.concatenate([[], *(np.full(len(s.c), s.flight.gsd) for s in sights)])
    c = np.concatenate([s.c for s in sights])
    finest = np.full(len(x), min(s.flight.gsd for s in sights))
    seen = np.diff(rays.start) > 0
    if rays.values.size:
        finest[seen] = np.minimum.reduceat(pixel[rays.values], rays.start[:-1][seen])
    return Places(
        finest,
        np.nan_to_num(surface.gradient(e, n)),
        assume["identify_map_px"] * finest,
        assume["surface_px"] * finest / _base_to_height(c, x, rays.start, rays.values),
    )


LEAST_RATIO = 0.05  # where two images stand almost at one place, or one alone sees it


@njit(cache=True)
def _base_to_height(c, x, start, seen):  # type: ignore[no-untyped-def]
    """The best base-to-height ratio (k,) among the images that see each place: of two, their distance in plan over
    their mean height above it."""
    out = np.full(len(x), LEAST_RATIO)
    for k in range(len(x)):
        for r in range(start[k], start[k + 1]):
            a = c[seen[r]]
            for r2 in range(start[k], r):
                b = c[seen[r2]]
                height = max((a[2] + b[2]) / 2 - x[k, 2], 1e-3)
                out[k] = max(out[k], np.hypot(a[0] - b[0], a[1] - b[1]) / height)
    return out


@dataclass(frozen=True)
class Errors:
    """What the network says: covariances (k, 3, 3) of the map at the places on_map; of the c checks that can be
    measured the joint covariance (3c, 3c) of map minus survey, the sigmas (c, 3) of the survey with set-up and mark,
    and the places."""

    covariances: Floats
    on_map: Places
    joint: Floats
    survey: Floats
    at_checks: Places

    def map_variances(self, plan: Plan) -> Floats:
        """Variances (k, 3) of the deliverable; with the geoid model's where heights are orthometric."""
        variances = np.einsum("kaa->ka", self.covariances).copy()
        if heights_of_surface(plan.brief):
            read = self.on_map.reading
            variances[:, 2] = np.einsum("ka,kab,kb->k", read, self.covariances, read) + self.on_map.matching**2
        variances[:, :2] += self.on_map.identify[:, None] ** 2
        variances[:, 2] += geoid_sigma(plan) ** 2
        return variances

    def of_network(self) -> tuple[float, float]:
        """Mean variances (H, V) over the map as the network has them."""
        return _mean(np.einsum("kaa->ka", self.covariances))

    def added(self, plan: Plan) -> dict[tuple[str, str], tuple[float, float]]:
        """What is judged beyond that, by source."""
        h, v = _mean(self.map_variances(plan) - np.einsum("kaa->ka", self.covariances))
        geoid = geoid_sigma(plan) ** 2
        sources = {("points", ""): (h, 0.0), ("surface", ""): (0.0, v - geoid), ("geoid", ""): (0.0, geoid)}
        return {source: both for source, both in sources.items() if max(both, key=abs)}

    def differences(self, brief: Brief) -> Floats:
        """Joint covariance (3c, 3c) of what the checks will measure: on the surface where heights are judged there."""
        return on_surface(self.joint, self.at_checks) if heights_of_surface(brief) else self.joint


def _mean(variances: Floats) -> tuple[float, float]:
    """Of variances (k, 3): H, radial, and V over the places where they are known."""
    east, north, up = variances[np.isfinite(variances).all(axis=1)].mean(axis=0)
    return float(east + north), float(up)


def on_surface(joint: Floats, at: Places) -> Floats:
    """Joint covariance (3c, 3c) of differences whose heights are read from the surface at the checks' surveyed
    places."""
    read = np.kron(np.eye(len(at.matching)), np.eye(3))
    rows = 3 * np.arange(len(at.matching)) + 2
    for axis in (0, 1):
        read[rows, rows - 2 + axis] = -at.gradient[:, axis]
    noise = np.zeros(len(joint))
    noise[2::3] = at.matching**2
    return np.asarray(read @ joint @ read.T + np.diag(noise))


def geoid_sigma(plan: Plan) -> float:
    """Sigma in metres that the geoid model, or the separation that is stated, adds to a height in the job's system;
    nothing where heights are those of the points that a local grid is calibrated to, which take it up."""
    if plan.brief.heights == "ellipsoidal" or calibrates_heights(plan):
        return 0.0
    return plan.brief.separation.sigma if plan.brief.separation else plan.assume["geoid_v"]


def with_added(
    shares: list[Share], network: tuple[float, float], added: dict[Source, tuple[float, float]]
) -> list[Share]:
    """The shares of the network's mean variances (H, V), and those of what is added to them, by source: each keeps its
    sigma, and all add to the whole again."""
    (h, v), (more_h, more_v) = network, np.sum([*added.values(), (0.0, 0.0)], axis=0).tolist()
    all_h, all_v = h + more_h, v + more_v
    out = [replace(s, share_h=s.share_h * h / all_h, share_v=s.share_v * v / all_v) for s in shares]
    out += [
        Share(*source, of_h / all_h, of_v / all_v, math.sqrt(max(of_h, 0.0)), math.sqrt(max(of_v, 0.0)))
        for source, (of_h, of_v) in added.items()
    ]
    return sorted(out, key=lambda s: -max(s.share_h, s.share_v))
