"""Cholesky factor of a symmetric matrix that is a band with a thin dense border, and its block solves.

    [A  B ]   [L     ] [L' Z]        Z = L^-1 B,   M M' = D - Z'Z
    [B' D ] = [Z'  M ] [   M']

LAPACK's band routine factors A; its solve takes right-hand sides one at a time at memory speed, so the solves here go
by blocks of columns through matrix products instead."""

import ctypes
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numba.extending import get_cython_function_address
from numpy.lib.stride_tricks import as_strided
from scipy.linalg import cholesky, get_blas_funcs, lapack, solve_triangular

from kardo.core.arrays import Floats, Ints

LEAST_BLOCK = 64  # columns per panel: wide enough for matrix products
FEW = 6  # right-hand sides up to which the band streams by once instead


class NotPositive(Exception):
    """The matrix is not positive definite at this row (of the bordered matrix)."""

    def __init__(self, row: int) -> None:
        super().__init__(f"pivot {row} is not positive")
        self.row = row


@dataclass(frozen=True)
class BorderedFactor:
    """Factor of D N D, D being the diagonal that scales N; the solves answer for N itself.

    band (n, half_band + 1): row j holds column j of L from the diagonal down; m (b, b) lower; scale (n,) and
    border_scale (b,) are D. columns (n, s + b) hold L^-1 of the right-hand sides that were factored along, and Z;
    solved_border (b, s) is the lower end of the first."""

    band: Floats
    columns: Floats
    m: Floats
    scale: Floats
    border_scale: Floats
    panels: "Panels"
    solved_border: Floats

    @property
    def n(self) -> int:
        """Rows of the band."""
        return int(self.band.shape[0])

    @property
    def z(self) -> Floats:
        """Z (n, b)."""
        return self.columns[:, self.solved_border.shape[1] :]

    def forward(
        self, rhs_band: Floats, rhs_border: Floats, first_row: Ints | None = None
    ) -> tuple[Floats, Floats, Floats]:
        """L^-1 of columns, the first in place; and what the band gives to its product (s, k) with the right-hand sides
        that were factored along, from the same pass over memory. rhs_band (n, k) and rhs_border (b, k), C order;
        first_row (k,), not decreasing, tells where each column begins to differ from zero, and spares the work
        above."""
        self.panels.forward(rhs_band, first_row, self.scale)
        crossed, of_border = np.split(self.columns.T @ rhs_band, [self.solved_border.shape[1]])
        below = rhs_border * self.border_scale[:, None] - of_border
        return rhs_band, solve_triangular(self.m, below, lower=True, check_finite=False), crossed

    def backward(self, y_band: Floats, y_border: Floats) -> tuple[Floats, Floats]:
        """L^-T of columns; y_band is overwritten. A y_band in single precision is solved so, in half the time."""
        q_border = solve_triangular(self.m, y_border, lower=True, trans="T", check_finite=False)
        gemm = get_blas_funcs("gemm", (y_band,))  # in place: the product alone would fill as much memory as y_band
        gemm(-1.0, q_border.T, self.z.T.astype(y_band.dtype), 1.0, y_band.T, overwrite_c=True)
        self.panels.backward(y_band)
        y_band *= self.scale.astype(y_band.dtype, copy=False)[:, None]
        return y_band, q_border * self.border_scale[:, None]

    @property
    def border_root(self) -> Floats:
        """Lower factor (b, b) of the border's part of N once the band is eliminated."""
        return self.m / self.border_scale[:, None]


def factor(band: Floats, columns: Floats, below: Floats, diagonal: Floats) -> BorderedFactor:
    """Factor a positive definite bordered band, scaled by `diagonal` (n + b,) so that pixels, radians and metres
    compare. columns (n, s + b) are s right-hand sides and the border, below (s + b, b) the right-hand sides' lower
    ends, as rows, and the border's own block. The first three are overwritten. Raises NotPositive."""
    n, s = band.shape[0], len(below) - below.shape[1]
    border, corner = columns[:, s:], below[s:]
    scale, border_scale = scale_by(diagonal, band, border, corner)
    columns[:, :s] *= scale[:, None]
    below[:s] *= border_scale
    if n:
        _band_cholesky(band)
    panels = Panels.of(band)
    panels.forward(columns)
    inside = below - columns.T @ border
    schur = inside[s:]
    try:
        m = cholesky(schur, lower=True, check_finite=False) if schur.size else schur
    except np.linalg.LinAlgError as fault:
        raise NotPositive(n) from fault
    solved = solve_triangular(m, inside[:s].T, lower=True, check_finite=False)
    return BorderedFactor(
        band=band, columns=columns, m=m, scale=scale, border_scale=border_scale, panels=panels, solved_border=solved
    )


_pbtrf = ctypes.CFUNCTYPE(None, *[ctypes.c_void_p] * 6)(
    get_cython_function_address("scipy.linalg.cython_lapack", "dpbtrf")
)


def _band_cholesky(band: Floats) -> None:
    """LAPACK's band Cholesky in place, through the address that SciPy publishes: its Python wrapper would hold the
    interpreter's lock, for many seconds on a large block, and a server or a worker's heartbeat would stand still."""
    assert band.flags.c_contiguous and band.dtype == np.float64
    n, height = (ctypes.c_int(k) for k in band.shape)
    half_band, info = ctypes.c_int(height.value - 1), ctypes.c_int(0)
    _pbtrf(b"L", *map(ctypes.byref, (n, half_band)), band.ctypes.data, ctypes.byref(height), ctypes.byref(info))
    if info.value > 0:
        raise NotPositive(info.value - 1)


def scale_by(diagonal: Floats, band: Floats, border: Floats, corner: Floats) -> tuple[Floats, Floats]:
    """Scale a bordered band by the roots of a diagonal (n + b,) in place, and return the scales of band and border."""
    d, d_border = np.split(1.0 / np.sqrt(np.maximum(diagonal, 1e-300)), [band.shape[0]])
    _scale_band(d, band)
    border *= d[:, None] * d_border
    corner *= d_border[:, None] * d_border
    return d, d_border


@njit(cache=True, parallel=True, nogil=True)
def _scale_band(d, band):  # type: ignore[no-untyped-def]
    n, width = band.shape
    for j in prange(n):
        for k in range(min(width, n - j)):
            band[j, k] *= d[j] * d[j + k]


@dataclass(frozen=True)
class Panels:
    """A band factor cut into panels of `width` columns for solves through matrix products.

    The band reaches just `reach` = k x width rows: k - 1 blocks below the diagonal one lie wholly inside and are read
    as views; the inverse of each diagonal block and the corner block where the band runs out are kept as copies."""

    band: Floats
    width: int
    reach: int
    inverses: list[Floats]
    corners: list[Floats]

    @classmethod
    def of(cls, band: Floats) -> "Panels":
        """From a factor's lower band (n, half_band + 1): its diagonal blocks inverted, and what lies below each."""
        n, height = band.shape
        blocks = next((k for k in (6, 3, 2) if height % k == 0 and height // k >= LEAST_BLOCK), 1)
        width = height // blocks if blocks > 1 else max(height, LEAST_BLOCK)
        reach = blocks * width
        inverses, corners = [], []
        for j0 in range(0, n, width):
            j1 = min(j0 + width, n)
            inverses.append(lapack.dtrtri(_in_band(band, j0, j1, j0, j1), lower=1, overwrite_c=1)[0])
            corners.append(_in_band(band, min(j0 + reach, n), min(j1 + reach, n), j0, j1))
        return cls(band, width, reach, inverses, corners)

    def forward(self, y: Floats, first_row: Ints | None = None, scale: Floats | None = None) -> None:
        """L^-1 of the columns of y, in place; where a scale (n,) is given, of its rows scaled by it."""
        if not y.size:
            return
        if y.shape[1] <= FEW:
            if scale is not None:
                y *= scale[:, None]
            y[:] = _forward_few(self.band, np.ascontiguousarray(y.T), 0 if first_row is None else int(first_row[0])).T
            return
        for k, inverse in enumerate(self.inverses):
            start = k * self.width
            stop = start + len(inverse)
            active = y.shape[1] if first_row is None else int(np.searchsorted(first_row, stop))
            if not active:
                continue
            rhs = y[start:stop, :active]
            if scale is not None:
                rhs *= scale[start:stop, None]
            near, far = max(0, start - self.reach + self.width), start - self.reach
            if near < start:
                rhs -= _window(self.band, start, stop, near, start) @ y[near:start, :active]
            if far >= 0:
                rhs -= self.corners[far // self.width] @ y[far : far + self.width, :active]
            y[start:stop, :active] = inverse @ rhs

    def backward(self, y: Floats) -> None:
        """L^-T of the columns of y (n, k), in place and in y's precision."""
        if y.shape[1] <= FEW:
            y[:] = _backward_few(self.band, np.ascontiguousarray(y.T)).T
            return
        n, kind = len(y), y.dtype
        for k in reversed(range(len(self.inverses))):
            inverse, corner = self.inverses[k], self.corners[k]
            start = k * self.width
            stop, end = start + len(inverse), min(start + self.reach, n)
            rhs = y[start:stop]
            if end > stop:
                rhs -= _window(self.band, stop, end, start, stop).astype(kind, copy=False).T @ y[stop:end]
            if len(corner):
                rhs -= corner.astype(kind, copy=False).T @ y[end : end + len(corner)]
            y[start:stop] = inverse.astype(kind, copy=False).T @ rhs


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract"})
def _forward_few(band, y, first):  # type: ignore[no-untyped-def]
    """L^-1 of the rows of y (k, n), which are zero before `first`."""
    n, height = band.shape
    for j in range(first, n):
        reach = min(height, n - j)
        for c in range(len(y)):
            y[c, j] /= band[j, 0]
            top, below = y[c, j], y[c, j : j + reach]
            for i in range(1, reach):
                below[i] -= band[j, i] * top
    return y


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract"})
def _backward_few(band, y):  # type: ignore[no-untyped-def]
    """L^-T of the rows of y (k, n)."""
    n, height = band.shape
    for j in range(n - 1, -1, -1):
        reach = min(height, n - j)
        for c in range(len(y)):
            total = 0.0
            below = y[c, j : j + reach]
            for i in range(1, reach):
                total += band[j, i] * below[i]
            y[c, j] = (y[c, j] - total) / band[j, 0]
    return y


def _window(band: Floats, i0: int, i1: int, j0: int, j1: int) -> Floats:
    """L[i0:i1, j0:j1] as a view: inside the band, element (i, j) lies at j * half_band + i of the buffer."""
    half, item = band.shape[1] - 1, band.itemsize
    return as_strided(band.ravel()[j0 * half + i0 :], (i1 - i0, j1 - j0), (item, half * item), writeable=False)


def _in_band(band: Floats, i0: int, i1: int, j0: int, j1: int) -> Floats:
    """L[i0:i1, j0:j1] as a copy, zero where it lies outside the band, in LAPACK's order of columns."""
    out = np.zeros((i1 - i0, j1 - j0), order="F")
    _copy_in_band(band, i0, j0, out)
    return out


@njit(cache=True)
def _copy_in_band(band, i0, j0, out):  # type: ignore[no-untyped-def]
    for c in range(out.shape[1]):
        j = j0 + c
        for i in range(max(i0, j), min(i0 + out.shape[0], j + band.shape[1])):
            out[i - i0, c] = band[j, i - j]
