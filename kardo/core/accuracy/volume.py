"""How well a volume is known: the standard deviation of the mean height over an area."""

import math

import numpy as np

from kardo.core.accuracy import normals
from kardo.core.accuracy.solution import Solution
from kardo.core.arrays import Floats, Ints

CHUNK = 50  # points whose rows are made at a time


def mean_height_sigma(solution: Solution, which: Ints) -> float | None:
    """Standard deviation in metres of the mean height of some points; None where none of them can be intersected.

    The mean is one row of the joint covariance's points, so one forward solve answers for all of them:
    var = |L^-1 mean(G_z)'|^2 + sum (App^-1)_zz / k^2. The noise of single points averages out as for k independent ones.
    """
    which = which[solution.intersected[which]]
    k, n, b = len(which), solution.factor.n, len(solution.factor.m)
    if not k:
        return None
    mean_band, mean_border = np.zeros((n, 1)), np.zeros((b, 1))
    for at in range(0, k, CHUNK):
        rows: tuple[Floats, Floats] = normals.point_rows(
            solution.rays, which[at : at + CHUNK], n, b, solution.shift_first
        )
        mean_band[:, 0] += rows[0][:, 2::3].sum(axis=1) / k
        mean_border[:, 0] += rows[1][:, 2::3].sum(axis=1) / k
    y_band, y_border = solution.factor.forward(mean_band, mean_border)
    own = solution.rays.a_pp_inverse[which, 2, 2].sum() / k**2
    return math.sqrt(float((y_band**2).sum() + (y_border**2).sum() + own))
