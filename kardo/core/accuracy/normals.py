"""The normal equations with every point eliminated: a band of exposures and a thin dense border.

Order of the unknowns: exposures (6 each: attitude, centre) along the order that gives the narrowest
band, then the border: 7 interior parameters per camera and 3 per shift. Point j with partials Jx to
itself and Jo to the rest leaves  N - sum_j B_j' App_j^-1 B_j  with  B_j = sum w Jx' Jo.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numba import njit, prange, uint64
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import reverse_cuthill_mckee

from kardo.core.accuracy.network import Network
from kardo.core.arrays import Bools, Floats, Ints, Lists
from kardo.core.flight.imaging import ray_partials, rotations

MIN_RAYS_PER_EXPOSURE = 6  # fewer tie rays cannot orient an exposure
SEGMENTS = 8  # stretches of the block eliminated side by side, every other one at a time
FLAT_INTERSECTION = 1e-12  # smallest ratio of eigenvalues at which rays still meet in a point


class RayArrays(NamedTuple):
    """What the compiled loops take of the rays: lists of exposures by point, camera and partials of each ray, each point's
    survey weight and own block, the shifts of each point and how much of each it holds, and the border's first column of a
    shift."""

    start: Ints
    seen: Ints
    camera: Ints
    jx: Floats
    je: Floats
    ji: Floats
    prior: Floats
    shift_start: Ints
    shift: Ints
    shift_share: Floats
    shift_first: int
    a_pp: Floats


class Matrix(NamedTuple):
    """What the compiled loops write: the parts of the normal matrix."""

    band: Floats
    border: Floats
    corner: Floats
    diagonal: Floats


@dataclass(frozen=True)
class Rays:
    """Weighted partials of every ray, and the weighted prior of every point, ready for elimination.

    rays lists the exposures of each point by position in the band (-1: exposure left out, ray removed);
    jx (r, 2, 3), je (r, 2, 6), ji (r, 2, 7) are divided by the ray's sigma; prior (m, 3) is the weight of
    the surveyed position, which holds shift_share (q, 3) of each of its shifts; a_pp (m, 3, 3) is the point's own block; usable marks points whose block is regular.
    """

    rays: Lists
    camera: Ints
    jx: Floats
    je: Floats
    ji: Floats
    prior: Floats
    shifts: Lists
    shift_share: Floats
    a_pp: Floats
    usable: Bools

    def arrays(self, shift_first: int) -> RayArrays:
        """For the compiled loops."""
        return RayArrays(
            self.rays.start,
            self.rays.values,
            self.camera,
            self.jx,
            self.je,
            self.ji,
            self.prior,
            self.shifts.start,
            self.shifts.values,
            self.shift_share,
            shift_first,
            self.a_pp,
        )

    @cached_property
    def a_pp_inverse(self) -> Floats:
        """Inverse of each point's block, NaN where the rays do not meet in a point."""
        out = np.full_like(self.a_pp, np.nan)
        out[self.usable] = np.linalg.inv(self.a_pp[self.usable])
        return out


@dataclass(frozen=True)
class Normals:
    """Reduced normal equations. band (n, half_band + 1) holds column j of the lower band in row j; border
    (n, b); corner (b, b). diagonal (n + b,) is that of the matrix before the points were eliminated: against it a
    parameter that the points can take up shows as what it is. order[i] is the exposure at position i of the band, position its inverse
    (-1 for an exposure left out)."""

    band: Floats
    border: Floats
    corner: Floats
    diagonal: Floats
    order: Ints
    position: Ints
    in_network: Bools
    rays: Rays

    @property
    def half_band(self) -> int:
        """Columns of the lower band beside the diagonal."""
        return int(self.band.shape[1] - 1)

    @property
    def size(self) -> int:
        """Order of the reduced matrix, border included."""
        return int(self.band.shape[0] + self.corner.shape[0])


def participants(net: Network) -> tuple[Bools, Bools]:
    """Exposures (n,) that can be oriented, and points (m,) that take part. Leaving out an exposure can leave a tie point
    with one ray, so the two are settled in turn until nothing changes."""
    owner, seen = net.rays.owner(), net.rays.values
    exposures = np.ones(net.n_exposures, dtype=bool)
    while True:
        count = np.bincount(owner[exposures[seen]], minlength=len(net.x))
        points = ~net.check & ((count >= 2) | net.surveyed)
        tied = np.bincount(seen[points[owner]], minlength=net.n_exposures) >= MIN_RAYS_PER_EXPOSURE
        if (tied | ~exposures).all():
            return exposures, points
        exposures &= tied


def band_order(net: Network, exposures: Ints, points: Bools) -> Ints:
    """The exposures (n,) in the order of the narrowest band, points (m,) saying which take part: along either side of the block, along its main axes, or by
    reverse Cuthill-McKee for corridors that bend and patterns that cross."""
    if len(exposures) < 2:
        return exposures
    c = net.c[exposures, :2] - net.c[exposures, :2].mean(axis=0)
    axes = np.linalg.svd(c, full_matrices=False)[2]
    candidates = [np.argsort(c @ axis, kind="stable") for axis in (*np.eye(2), *axes)]
    candidates.append(_cuthill_mckee(net, exposures, points))
    return exposures[min(candidates, key=lambda order: _spread(net, exposures[order], points))]


def _relevant_rays(net: Network, points: Bools, local: Ints) -> tuple[Ints, Ints]:
    owner = net.rays.owner()
    keep = points[owner] & (local[net.rays.values] >= 0)
    return owner[keep], local[net.rays.values[keep]]


def _positions(n: int, order: Ints) -> Ints:
    position = np.full(n, -1, dtype=np.int64)
    position[order] = np.arange(len(order))
    return position


def _spread(net: Network, order: Ints, points: Bools) -> int:
    owner, at = _relevant_rays(net, points, _positions(net.n_exposures, order))
    if not owner.size:
        return 0
    first = np.flatnonzero(np.r_[True, np.diff(owner) > 0])
    return int((np.maximum.reduceat(at, first) - np.minimum.reduceat(at, first)).max())


def _cuthill_mckee(net: Network, exposures: Ints, points: Bools) -> Ints:
    owner, at = _relevant_rays(net, points, _positions(net.n_exposures, exposures))
    seen = coo_matrix((np.ones(len(at)), (at, owner)), shape=(len(exposures), len(net.x))).tocsr()
    return reverse_cuthill_mckee((seen @ seen.T).tocsr(), symmetric_mode=True).astype(np.int64)


def weighted_rays(net: Network, position: Ints) -> Rays:
    """Partials of every ray of every point towards the exposures that have a place in the band: position (n,), -1 for one
    that has none."""
    placed = position[net.rays.values] >= 0
    rays = net.rays.keep(placed)
    owner, exposure = rays.owner(), rays.values
    jx, je, ji = ray_partials(
        net.f_px[net.camera[exposure]], rotations(net.ypr)[exposure], net.c[exposure], net.x[owner]
    )
    weight = (1.0 / net.sigma_px[placed])[:, None, None]
    jx *= weight
    je *= weight
    ji *= weight
    prior = np.where(net.surveyed[:, None], 1.0 / net.sigma_x**2, 0.0)
    a_pp = _own_blocks(rays.start, jx, prior)
    eigen = np.linalg.eigvalsh(a_pp)
    usable = eigen[:, 0] > FLAT_INTERSECTION * np.maximum(eigen[:, 2], 1e-300)
    at = Lists(rays.start, position[exposure])
    return Rays(at, net.camera[exposure], jx, je, ji, prior, net.point_shifts, net.point_shares, a_pp, usable)


@njit(cache=True, parallel=True, nogil=True)
def _own_blocks(start, jx, prior):  # type: ignore[no-untyped-def]
    """sum Jx' Jx over each point's rays, and its survey, (m, 3, 3)."""
    out = np.zeros((len(start) - 1, 3, 3))
    for j in prange(len(start) - 1):
        for r in range(start[j], start[j + 1]):
            for a in range(3):
                for c in range(3):
                    out[j, a, c] += jx[r, 0, a] * jx[r, 0, c] + jx[r, 1, a] * jx[r, 1, c]
        for a in range(3):
            out[j, a, a] += prior[j, a]
    return out


def form(net: Network) -> Normals:
    """Assemble the reduced normal equations of a network."""
    oriented, points = participants(net)
    order = band_order(net, np.flatnonzero(oriented), points)
    position = _positions(net.n_exposures, order)
    rays = weighted_rays(net, position)
    points = points & rays.usable
    half_band = 6 * _spread(net, order, points) + 5 if len(order) else 0
    n, border_size = 6 * len(order), 7 * len(net.f_px) + 3 * len(net.shift_sigma)
    band = np.zeros((n, half_band + 1))
    border, corner = np.zeros((n, border_size)), np.zeros((border_size, border_size))
    diagonal = np.zeros(n + border_size)
    matrix = Matrix(band, border, corner, diagonal)
    which, segments = _segments(np.flatnonzero(points), rays.rays, half_band, len(order))
    arrays = rays.arrays(7 * len(net.f_px))
    for phase in (0, 1):
        _eliminate_points(which, segments[phase:], half_band // 6 + 1, arrays, matrix)
    _add_positions(
        order,
        1.0 / net.sigma_c**2,
        1.0 / net.sigma_att**2,
        net.exposure_shifts.start,
        net.exposure_shifts.values,
        arrays.shift_first,
        matrix,
    )
    prior = np.r_[1.0 / net.sigma_io.ravel() ** 2, 1.0 / net.shift_sigma.ravel() ** 2]
    corner[np.diag_indices(border_size)] += prior
    diagonal[n:] += prior
    return Normals(band, border, corner, diagonal, order, position, points, rays)


def _segments(which: Ints, rays: Lists, half_band: int, exposures: int) -> tuple[Ints, Ints]:
    """Points in the order of the first exposure they touch, cut into a few segments of at least a band's width: what one
    writes ends before the next but one begins, so every other segment can be worked at the same time."""
    owner = rays.owner()
    first = np.zeros(len(rays), dtype=np.int64)
    seen = np.diff(rays.start) > 0
    first[seen] = np.minimum.reduceat(rays.values, rays.start[:-1][seen]) if owner.size else 0
    which = which[np.argsort(first[which], kind="stable")]
    count = max(1, min(SEGMENTS, exposures // (half_band // 6 + 1)))
    cuts = np.searchsorted(first[which], np.linspace(0, exposures, count + 1).astype(np.int64))
    return which, cuts.astype(np.int64)


@njit(cache=True, parallel=True, nogil=True)
def _eliminate_points(which, segments, reach, rays, matrix):  # type: ignore[no-untyped-def]
    """Work through segments 0, 2, 4 ... at the same time, each with a corner of its own."""
    b, n = matrix.corner.shape[0], matrix.band.shape[0]
    count = len(segments) // 2
    corners = np.zeros((count, b, b))
    diagonals = np.zeros((count, b))
    for k in prange(count):
        own = which[segments[2 * k] : segments[2 * k + 1]]
        _eliminate_segment(own, reach, rays, matrix, corners[k], diagonals[k])
    for k in range(count):
        matrix.corner[:] += corners[k]
        matrix.diagonal[n:] += diagonals[k]


@njit(cache=True)
def _first_seen(j, start, seen):  # type: ignore[no-untyped-def]
    """The first exposure that sees a point; 0 for one that none sees, which comes first."""
    if start[j] == start[j + 1]:
        return 0
    first = seen[start[j]]
    for r in range(start[j], start[j + 1]):
        first = min(first, seen[r])
    return first


@njit(cache=True)
def _move_to_band(blocks, deep, q, band):  # type: ignore[no-untyped-def]
    """Add the finished blocks of exposure q, which couple it with q, q + 1 ... q + deep - 1, to the band; clear them."""
    for c in range(6):
        row = band[6 * q + c]
        for a in range(c, 6):
            row[a - c] += blocks[0, c, a]
        for d in range(1, deep):
            for a in range(6):
                row[6 * d + a - c] += blocks[d, c, a]
    blocks[:deep] = 0.0


@njit(cache=True)
def _eliminate_segment(which, reach, rays, matrix, corner, diagonal_b):  # type: ignore[no-untyped-def]
    """Points come in the order of their first exposure. Blocks of six by six gather in a ring of as many exposures as
    the band reaches, where each lies in one piece (in the band every row of it is on another page of memory), and move
    to the band once no later point can touch them. Loops are written out: on such blocks a call costs more than the sums."""
    if len(which) == 0:
        return
    start, seen, camera, jx, je, ji, prior, s_start, s_values, s_share, s_first, a_pp = rays
    band, border, _, diagonal = matrix
    b = corner.shape[0]
    ring, deep = np.zeros((reach, reach, 6, 6)), np.zeros(reach, dtype=np.int64)
    waiting = _first_seen(which[0], start, seen)  # the first exposure whose blocks are not yet in the band
    lower, u_b, t_b = np.empty((3, 3)), np.zeros((3, b)), np.zeros((3, b))
    product, flat = np.empty(36), ring.ravel()
    for j in which:
        first = _first_seen(j, start, seen)
        while waiting < first:
            _move_to_band(ring[waiting % reach], deep[waiting % reach], waiting, band)
            deep[waiting % reach] = 0
            waiting += 1
        _root3(a_pp[j], lower)
        r0, n = start[j], start[j + 1] - start[j]
        used = b if s_start[j + 1] > s_start[j] else s_first  # a point that hangs on no shift touches interiors only
        t = np.empty((n, 3, 6))
        u_b[:, :used] = 0.0
        for k in range(n):
            r = r0 + k
            p, cam = seen[r], 7 * camera[r]
            own = ring[p % reach, 0]
            for c in range(6):
                for a in range(3):
                    t[k, a, c] = jx[r, 0, a] * je[r, 0, c] + jx[r, 1, a] * je[r, 1, c]
                for a in range(c, 6):
                    own[c, a] += je[r, 0, a] * je[r, 0, c] + je[r, 1, a] * je[r, 1, c]
                diagonal[6 * p + c] += je[r, 0, c] ** 2 + je[r, 1, c] ** 2
            for c in range(7):
                for a in range(3):
                    u_b[a, cam + c] += jx[r, 0, a] * ji[r, 0, c] + jx[r, 1, a] * ji[r, 1, c]
                for a in range(6):
                    border[6 * p + a, cam + c] += je[r, 0, a] * ji[r, 0, c] + je[r, 1, a] * ji[r, 1, c]
                for a in range(7):
                    corner[cam + a, cam + c] += ji[r, 0, a] * ji[r, 0, c] + ji[r, 1, a] * ji[r, 1, c]
                diagonal_b[cam + c] += ji[r, 0, c] ** 2 + ji[r, 1, c] ** 2
            _forward3(lower, t[k], t[k])
        for i in range(s_start[j], s_start[j + 1]):
            for a in range(3):
                s, w = s_first + 3 * s_values[i] + a, prior[j, a] * s_share[i, a]
                u_b[a, s] += w
                diagonal_b[s] += w * s_share[i, a]
                for i2 in range(s_start[j], s_start[j + 1]):
                    corner[s, s_first + 3 * s_values[i2] + a] += w * s_share[i2, a]
        _forward3(lower, u_b[:, :used], t_b[:, :used])
        _subtract_outer(t_b[:, :used], t_b[:, :used], corner)
        for k in range(n):
            p = seen[r0 + k]
            _subtract_outer(t[k], t_b[:, :used], border[6 * p : 6 * p + 6])
            for m in range(n):
                q = seen[r0 + m]
                if q <= p:
                    at = uint64(36 * (q % reach * reach + p - q))
                    deep[q % reach] = max(deep[q % reach], p - q + 1)
                    _subtract_block(t[k], t[m], product, flat, at)
    for q in range(waiting, min(waiting + reach, band.shape[0] // 6)):
        _move_to_band(ring[q % reach], deep[q % reach], q, band)


@njit(cache=True)
def _subtract_outer(left, right, out):  # type: ignore[no-untyped-def]
    """out -= left' right for two blocks of three rows."""
    for a in range(left.shape[1]):
        l0, l1, l2 = left[0, a], left[1, a], left[2, a]
        for c in range(right.shape[1]):
            out[a, c] -= l0 * right[0, c] + l1 * right[1, c] + l2 * right[2, c]


@njit(cache=True, fastmath={"contract"})
def _subtract_block(t_p, t_q, product, flat, at):  # type: ignore[no-untyped-def]
    """The block that begins at `at` of a flat window, which couples exposures p and q. The product is made apart and
    the bounds are literal, so that the compiler knows nothing overlaps and works on many numbers at a time."""
    for c in range(6):
        t0, t1, t2 = t_q[0, c], t_q[1, c], t_q[2, c]
        for a in range(6):
            product[6 * c + a] = t_p[0, a] * t0 + t_p[1, a] * t1 + t_p[2, a] * t2
    for x in range(36):
        flat[at + uint64(x)] -= product[x]


@njit(cache=True)
def _root3(m, lower):  # type: ignore[no-untyped-def]
    """Cholesky factor of a 3x3 block."""
    for i in range(3):
        for k in range(i + 1):
            total = m[i, k]
            for h in range(k):
                total -= lower[i, h] * lower[k, h]
            lower[i, k] = np.sqrt(total) if i == k else total / lower[k, k]


@njit(cache=True)
def _forward3(lower, rhs, out):  # type: ignore[no-untyped-def]
    """Solve a 3x3 lower triangular system for many columns; out may be rhs."""
    for c in range(rhs.shape[1]):
        x0 = rhs[0, c] / lower[0, 0]
        x1 = (rhs[1, c] - lower[1, 0] * x0) / lower[1, 1]
        out[0, c], out[1, c] = x0, x1
        out[2, c] = (rhs[2, c] - lower[2, 0] * x0 - lower[2, 1] * x1) / lower[2, 2]


@njit(cache=True)
def _add_positions(order, w_c, w_att, s_start, s_values, s_first, matrix):  # type: ignore[no-untyped-def]
    band, border, corner, diagonal = matrix
    for p in range(len(order)):
        i = order[p]
        for a in range(3):
            if not np.isnan(w_att[i, a]):
                band[6 * p + a, 0] += w_att[i, a]
                diagonal[6 * p + a] += w_att[i, a]
            w = w_c[i, a]
            if np.isnan(w):
                continue
            band[6 * p + 3 + a, 0] += w
            diagonal[6 * p + 3 + a] += w
            shifts = s_values[s_start[i] : s_start[i + 1]]
            for s in shifts:
                border[6 * p + 3 + a, s_first + 3 * s + a] += w
                diagonal[band.shape[0] + s_first + 3 * s + a] += w
                for s2 in shifts:
                    corner[s_first + 3 * s + a, s_first + 3 * s2 + a] += w


def point_rows(rays: Rays, which: Ints, n: int, border_size: int, s_first: int) -> tuple[Floats, Floats]:
    """G of section 3 for some points: the derivative of each intersected point with respect to the other unknowns.

    Returns the transpose over the band (n, 3k) and over the border (border_size, 3k); zero for a point whose rays do
    not intersect.
    """
    g_e, g_b = np.zeros((n, 3 * len(which))), np.zeros((border_size, 3 * len(which)))
    _fill_rows(which, rays.arrays(s_first), rays.usable, rays.a_pp_inverse, g_e, g_b)
    return g_e, g_b


@njit(cache=True, parallel=True, nogil=True)
def _fill_rows(which, rays, usable, a_inv, g_e, g_b):  # type: ignore[no-untyped-def]
    start, seen, camera, jx, je, ji, prior, s_start, s_values, s_share, s_first, _ = rays
    for k in prange(len(which)):
        j = which[k]
        if not usable[j]:
            continue
        for r in range(start[j], start[j + 1]):
            p, cam = seen[r], 7 * camera[r]
            for d in range(3):
                for h in range(2):
                    g = a_inv[j, d, 0] * jx[r, h, 0] + a_inv[j, d, 1] * jx[r, h, 1] + a_inv[j, d, 2] * jx[r, h, 2]
                    for c in range(6):
                        g_e[6 * p + c, 3 * k + d] -= g * je[r, h, c]
                    for c in range(7):
                        g_b[cam + c, 3 * k + d] -= g * ji[r, h, c]
        for i in range(s_start[j], s_start[j + 1]):
            for a in range(3):
                for d in range(3):
                    g_b[s_first + 3 * s_values[i] + a, 3 * k + d] -= a_inv[j, d, a] * prior[j, a] * s_share[i, a]
