"""Cholesky factor of a symmetric matrix that is a band with a thin dense border, and its block solves.

    [A  B ]   [L     ] [L' Z]        Z = L^-1 B,   M M' = D - Z'Z
    [B' D ] = [Z'  M ] [   M']

LAPACK's band routine factors A; its solve takes right-hand sides one at a time at memory speed, so the
solves here go by blocks of columns through matrix products instead.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.lib.stride_tricks import as_strided
from scipy.linalg import cholesky, lapack, solve_triangular

from kardo.core.arrays import Floats, Ints

LEAST_BLOCK, MOST_BLOCK = 64, 384  # columns per step: wide enough for matrix products, narrow against the band


class NotPositive(Exception):
    """The matrix is not positive definite at this row (of the bordered matrix)."""

    def __init__(self, row: int) -> None:
        super().__init__(f"pivot {row} is not positive")
        self.row = row


@dataclass(frozen=True)
class BorderedFactor:
    """Factor of D N D, D being the diagonal that scales N; the solves answer for N itself.

    band (n, half_band + 1): row j holds column j of L from the diagonal down; z (n, b); m (b, b) lower;
    scale (n,) and border_scale (b,) are D.
    """

    band: Floats
    z: Floats
    m: Floats
    scale: Floats
    border_scale: Floats

    @property
    def n(self) -> int:
        return int(self.band.shape[0])

    @cached_property
    def panels(self) -> "list[Panel]":
        return list(_panels(self.band))

    def forward(self, rhs_band: Floats, rhs_border: Floats, first_row: Ints | None = None) -> tuple[Floats, Floats]:
        """L^-1 of columns, in place. rhs_band (n, k) and rhs_border (b, k), C order; first_row (k,), not
        decreasing, tells where each column begins to differ from zero, and spares the work above."""
        rhs_band *= self.scale[:, None]
        rhs_border *= self.border_scale[:, None]
        _forward_band(self.panels, rhs_band, first_row)
        rhs_border -= self.z.T @ rhs_band
        return rhs_band, solve_triangular(self.m, rhs_border, lower=True, check_finite=False)

    def backward(self, y_band: Floats, y_border: Floats) -> tuple[Floats, Floats]:
        """L^-T of columns; y_band is overwritten."""
        q_border = solve_triangular(self.m, y_border, lower=True, trans="T", check_finite=False)
        y_band -= self.z @ q_border
        _backward_band(self.panels, y_band)
        y_band *= self.scale[:, None]
        return y_band, q_border * self.border_scale[:, None]

    @property
    def border_root(self) -> Floats:
        """Lower factor (b, b) of the border's part of N once the band is eliminated."""
        return self.m / self.border_scale[:, None]


def factor(band: Floats, border: Floats, corner: Floats, diagonal: Floats) -> BorderedFactor:
    """Factor a positive definite bordered band, scaled by `diagonal` (n + b,) so that pixels, radians and metres
    compare. The first three are overwritten. Raises NotPositive."""
    n = band.shape[0]
    scale, border_scale = scale_by(diagonal, band, border, corner)
    if n:
        lower, info = lapack.dpbtrf(band.T, lower=1, overwrite_ab=1)
        if info > 0:
            raise NotPositive(info - 1)
        band = lower.T
        _forward_band(_panels(band), border, None)
    schur = corner - border.T @ border
    try:
        m = cholesky(schur, lower=True, check_finite=False) if schur.size else schur
    except np.linalg.LinAlgError as fault:
        raise NotPositive(n) from fault
    return BorderedFactor(band, border, m, scale, border_scale)


def scale_by(diagonal: Floats, band: Floats, border: Floats, corner: Floats) -> tuple[Floats, Floats]:
    """Scale a bordered band by the roots of a diagonal (n + b,) in place, and return the scales of band and border."""
    d, d_border = np.split(1.0 / np.sqrt(np.maximum(diagonal, 1e-300)), [band.shape[0]])
    width = band.shape[1]
    padded = np.r_[d, np.zeros(width)]
    band *= np.lib.stride_tricks.sliding_window_view(padded, width)[: len(d)]
    band *= d[:, None]
    border *= d[:, None] * d_border
    corner *= d_border[:, None] * d_border
    return d, d_border


@dataclass(frozen=True)
class Panel:
    """Columns start to stop of L: the inverse of their diagonal block, the full rectangle below it (a view), and the
    triangle below that, where the band runs out."""

    start: int
    stop: int
    inverse: Floats
    rectangle: Floats
    rectangle_stop: int
    tail: Floats

    def below(self) -> list[tuple[slice, Floats]]:
        end = self.rectangle_stop
        parts = ((slice(self.stop, end), self.rectangle), (slice(end, end + len(self.tail)), self.tail))
        return [(rows, block) for rows, block in parts if len(block)]


def _window(band: Floats, i0: int, i1: int, j0: int, j1: int) -> Floats:
    """L[i0:i1, j0:j1] as a view: inside the band, element (i, j) lies at j * half_band + i of the buffer."""
    half, item = band.shape[1] - 1, band.itemsize
    return as_strided(band.ravel()[j0 * half + i0 :], (i1 - i0, j1 - j0), (item, half * item), writeable=False)


def _panels(band: Floats) -> Iterator[Panel]:
    n, half = band.shape[0], band.shape[1] - 1
    width = min(max(half // 3, LEAST_BLOCK), MOST_BLOCK)
    for j0 in range(0, n, width):
        j1 = min(j0 + width, n)
        diagonal = np.triu(np.tril(_window(band, j0, j1, j0, j1)), -half) if half else np.diag(band[j0:j1, 0])
        full = max(j1, min(j0 + half + 1, n))
        tail = max(full, min(j1 + half, n))
        yield Panel(
            j0,
            j1,
            lapack.dtrtri(diagonal, lower=1)[0],
            _window(band, j1, full, j0, j1) if full > j1 else np.zeros((0, j1 - j0)),
            full,
            np.triu(_window(band, full, tail, j0, j1), k=full - half - j0) if tail > full else np.zeros((0, j1 - j0)),
        )


def _forward_band(panels: Iterable[Panel], y: Floats, first_row: Ints | None) -> None:
    for p in panels:
        active = y.shape[1] if first_row is None else int(np.searchsorted(first_row, p.stop))
        if not active:
            continue
        top = p.inverse @ y[p.start : p.stop, :active]
        y[p.start : p.stop, :active] = top
        for rows, block in p.below():
            y[rows, :active] -= block @ top


def _backward_band(panels: Sequence[Panel], y: Floats) -> None:
    for p in reversed(panels):
        rhs = y[p.start : p.stop]
        for rows, block in p.below():
            rhs -= block.T @ y[rows]
        y[p.start : p.stop] = p.inverse.T @ rhs
