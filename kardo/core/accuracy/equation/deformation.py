"""What all images of a camera share: the residual pattern of its lens, sensor plane and shutter, which no adjustment
models.

A term moves one axis of the image by s P_i(xi) P_j(eta) pixels, with xi = 2u / width, eta = 2v / height, P Legendre's
polynomials and s ~ N(0, sigma^2) one value for the whole flight of that camera. Terms are considered parameters:
present in the images, absent from the adjustment. Source: docs/accuracy.md, section 10."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numba import njit

from kardo.core.arrays import Floats, Ints, Lists

LEAST_DEGREE, MOST_DEGREE = 2, 4  # of the default terms: below, the interior parameters take them up
HIGHEST = 12  # degree of a term that is read


class TermArrays(NamedTuple):
    """What the compiled loops take of the terms: from pixels over focal length to xi and eta (k, 2), the first term of
    every camera along u, along v, and one more (k, 3); and each term's degrees and sigma."""

    to_frame: Floats
    span: Ints
    i: Ints
    j: Ints
    sigma: Floats


@dataclass(frozen=True)
class Deformation:
    """The terms of every camera, one camera after another: frame (k, 2) width and height in pixels (NaN where not
    known), cameras' lists of term numbers, and of each term (t,) axis (0: u, 1: v), degrees i and j, and sigma in
    pixels."""

    frame: Floats
    terms: Lists
    axis: Ints
    i: Ints
    j: Ints
    sigma: Floats

    def __len__(self) -> int:
        return len(self.sigma)

    @property
    def degrees(self) -> int:
        """How many polynomials are needed, that of degree zero included."""
        return 1 + int(max(self.i.max(initial=0), self.j.max(initial=0)))

    @classmethod
    def of(cls, frames: Sequence[tuple[float, float]], cameras: Sequence[Sequence[Sequence[float]]]) -> "Deformation":
        """From each camera's frame and rows (axis, i, j, sigma); of a camera's terms those of u come first."""
        rows = [row for camera in cameras for row in sorted(camera, key=lambda row: row[0])]
        degrees = np.array([row[:3] for row in rows], dtype=np.int64).reshape(-1, 3)
        sigma = np.array([row[3] for row in rows], dtype=np.float64)
        start = np.cumsum([0, *(len(camera) for camera in cameras)]).astype(np.int64)
        places = Lists(start, np.arange(len(rows), dtype=np.int64))
        axis, i, j = np.ascontiguousarray(degrees.T)
        return cls(np.array(frames, dtype=np.float64).reshape(-1, 2), places, axis, i, j, sigma)

    def arrays(self, f_px: Floats) -> TermArrays:
        """For the compiled loops; f_px (k,) of the cameras."""
        rows = [(a, a + int((self.axis[a:b] == 0).sum()), b) for a, b in pairwise(self.terms.start.tolist())]
        span = np.array(rows, dtype=np.int64).reshape(-1, 3)
        return TermArrays(2.0 * f_px[:, None] / self.frame, span, self.i, self.j, self.sigma)

    def rows(self, camera: int) -> list[list[float]]:
        """(axis, i, j, sigma) of a camera's terms."""
        return [[int(self.axis[t]), int(self.i[t]), int(self.j[t]), float(self.sigma[t])] for t in self.terms[camera]]


def default_terms(sigma_px: float) -> list[tuple[int, int, int, float]]:
    """Both axes, all i + j from 2 to 4, each of the same sigma in pixels; none for zero. The frame's RMS is 1.13 times
    that.

    >>> len(default_terms(0.25))
    24
    """
    if not sigma_px:
        return []
    degrees = range(LEAST_DEGREE, MOST_DEGREE + 1)
    return [(axis, i, total - i, sigma_px) for axis in (0, 1) for total in degrees for i in range(total + 1)]


@njit(cache=True)
def legendre(x, out):  # type: ignore[no-untyped-def]
    """P_0(x), P_1(x) ... into out, by Bonnet's recursion."""
    out[0] = 1.0
    if len(out) > 1:
        out[1] = x
    for k in range(2, len(out)):
        out[k] = ((2 * k - 1) * x * out[k - 1] - (k - 1) * out[k - 2]) / k


@njit(cache=True)
def fill_terms(terms, camera, interior, powers, moved):  # type: ignore[no-untyped-def]
    """Weighted pixels per sigma of every term of a ray's camera into `moved`, at the terms' numbers. interior (2, 7)
    are the ray's weighted partials to it, which hold the place in the image; powers (2, degrees) is work space."""
    first, last = terms.span[camera, 0], terms.span[camera, 2]
    if first == last:
        return
    weight = interior[0, 1]  # a pixel of the principal point
    legendre(terms.to_frame[camera, 0] * interior[0, 0] / weight, powers[0])
    legendre(terms.to_frame[camera, 1] * interior[1, 0] / weight, powers[1])
    for t in range(first, last):
        moved[t] = weight * terms.sigma[t] * powers[0, terms.i[t]] * powers[1, terms.j[t]]
