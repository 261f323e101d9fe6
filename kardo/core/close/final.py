"""The final coordinates of a mark from a static post-processing: a position in its own frame and time, brought to the
job."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.geodesy.placing import placed
from kardo.core.plan.model import Plan


@dataclass(frozen=True)
class Final:
    """Coordinates in the job's grid and heights, metres, with sigma of each horizontal axis and of the height; how they
    came there."""

    e: float
    n: float
    h: float
    sigma_h: float
    sigma_v: float
    words: list[str]


def final_place(plan: Plan, crs: str, epoch: float, xyz: tuple[float, float, float], covariance: Floats) -> Final:
    """A position (earth-centred metres in a system by code, at a year) with its covariance (3, 3) in the job. Raises
    GeodesyError where PROJ knows no way whose accuracy it knows, and for a place that the grid does not hold."""
    place = placed(plan.grid, crs, epoch, xyz, "post-processing")
    east, north, high = np.sqrt(np.diag(local_covariance(place.lon, place.lat, covariance)))
    sigma_h = float(math.sqrt((east**2 + north**2) / 2))
    return Final(e=place.e, n=place.n, h=place.h, sigma_h=sigma_h, sigma_v=float(high), words=[place.words])


def local_covariance(lon: float, lat: float, covariance: Floats) -> Floats:
    """A covariance (3, 3) of earth-centred axes as one of east, north and up at a place in degrees."""
    sl, cl, sp, cp = (f(math.radians(v)) for v in (lon, lat) for f in (math.sin, math.cos))
    turn = np.array([[-sl, cl, 0.0], [-sp * cl, -sp * sl, cp], [cp * cl, cp * sl, sp]])
    return np.asarray(turn @ covariance @ turn.T)
