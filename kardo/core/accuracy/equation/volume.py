"""How well a volume is known: the standard deviation of the mean height over an area."""

import math

import numpy as np

from kardo.core.accuracy.equation import normals
from kardo.core.accuracy.equation.solution import Solution
from kardo.core.arrays import Floats, Ints

CHUNK = 50  # points whose rows are made at a time


def mean_height_sigma(solution: Solution, which: Ints, reading: Floats) -> float | None:
    """Standard deviation in metres of the mean height read at some points (k,); None where none of them can be
    intersected. reading (k, 3): what a height that is read there takes of the point's error east, north, up: on a slope
    the error in plan moves it.

    The mean is one row of the joint covariance's points, so one forward solve answers for all of them, with r the
    readings and G the rows of the points: var = |L^-1 mean(r G)'|^2 + sum r App^-1 r' / k^2. The noise of single points
    averages out as for k independent ones."""
    seen = solution.intersected[which]
    which, reading = which[seen], reading[seen]
    k, n, b = len(which), solution.factor.n, len(solution.factor.m)
    if not k:
        return None
    band, border, terms = (np.zeros((rows, 1)) for rows in (n, b, len(solution.rays.deformation)))
    for at in range(0, k, CHUNK):
        rows = solution.point_rows(which[at : at + CHUNK], delivered=True)
        for mean, some in ((band, rows.band), (border, rows.border), (terms, rows.terms)):
            mean[:, 0] += some @ reading[at : at + CHUNK].ravel() / k
    y_band, y_border, pattern = solution.forward(normals.PointRows(band, border, terms))
    own = np.einsum("ka,kab,kb->", reading, solution.rays.a_pp_inverse[which], reading) / k**2
    return math.sqrt(float((y_band**2).sum() + (y_border**2).sum() + (pattern**2).sum() + own))
