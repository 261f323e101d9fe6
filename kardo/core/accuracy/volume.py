"""How well a volume is known: the standard deviation of the mean height over an area."""

import math

import numpy as np

from kardo.core.accuracy import normals
from kardo.core.accuracy.solution import Solution
from kardo.core.arrays import Ints

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
    band, border, terms = (np.zeros((rows, 1)) for rows in (n, b, len(solution.rays.deformation)))
    for at in range(0, k, CHUNK):
        rows = solution.point_rows(which[at : at + CHUNK], delivered=True)
        for mean, some in ((band, rows.band), (border, rows.border), (terms, rows.terms)):
            mean[:, 0] += some[:, 2::3].sum(axis=1) / k
    y_band, y_border, pattern = solution.forward(normals.PointRows(band, border, terms))
    own = solution.rays.a_pp_inverse[which, 2, 2].sum() / k**2
    return math.sqrt(float((y_band**2).sum() + (y_border**2).sum() + (pattern**2).sum() + own))
