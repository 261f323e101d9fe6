"""The normal equations with every point eliminated: a band of exposures and a thin dense border.

Order of the unknowns: exposures (6 each: attitude, centre) along the order that gives the narrowest
band, then the border: 7 interior parameters per camera and 3 per shift. Point j with partials Jx to
itself and Jo to the rest leaves  N - sum_j B_j' App_j^-1 B_j  with  B_j = sum w Jx' Jo.

Terms of the cameras' deformation are considered, not adjusted: their columns go through the elimination like those of
the border and come out as  N_os = sum w Jo' Js - sum_j B_j' App_j^-1 B_s,j,  each multiplied by its term's sigma."""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numba import njit, prange, uint64
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import reverse_cuthill_mckee

from kardo.core.accuracy.equation.deformation import Deformation, TermArrays, fill_terms
from kardo.core.accuracy.equation.network import Network
from kardo.core.arrays import Bools, Floats, Ints, Lists
from kardo.core.flight.ground.imaging import ray_partials, rotations

MIN_RAYS_PER_EXPOSURE = 6  # fewer tie rays cannot orient an exposure
SEGMENTS = 8  # stretches of the block eliminated side by side, every other one at a time
FLAT_INTERSECTION = 1e-12  # smallest ratio of eigenvalues at which rays still meet in a point


class RayArrays(NamedTuple):
    """What the compiled loops take of the rays: lists of exposures by point, camera and partials of each ray, each
    point's survey weight and own block, the shifts of each point and how much of each it holds; the cameras' terms; and
    the first columns of interior parameters and of shifts, those of the terms coming before."""

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
    a_pp: Floats
    to_frame: Floats
    t_span: Ints
    t_i: Ints
    t_j: Ints
    t_sigma: Floats
    degrees: int
    io_first: int
    shift_first: int


class Matrix(NamedTuple):
    """What the compiled loops write: the parts of the normal matrix, the border's columns after those of the terms."""

    band: Floats
    columns: Floats
    below: Floats
    diagonal: Floats


@dataclass(frozen=True)
class Rays:
    """Weighted partials of every ray, and the weighted prior of every point, ready for elimination.

    rays lists the exposures of each point by position in the band (-1: exposure left out, ray removed); jx (r, 2, 3),
    je (r, 2, 6), ji (r, 2, 7) are divided by the ray's sigma; prior (m, 3) is the weight of the surveyed position,
    which holds shift_share (q, 3, 3) of each of its shifts; a_pp (m, 3, 3) is the point's own block; usable marks
    points whose block is regular. f_px (k,) and deformation are the cameras'."""

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
    f_px: Floats
    deformation: Deformation

    def arrays(self) -> RayArrays:
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
            self.a_pp,
            *self.deformation.arrays(self.f_px),  # flat: the compiled loops take no tuple in a tuple
            self.deformation.degrees,
            len(self.deformation),
            len(self.deformation) + 7 * len(self.f_px),
        )

    @cached_property
    def a_pp_inverse(self) -> Floats:
        """Inverse of each point's block, NaN where the rays do not meet in a point."""
        out = np.full_like(self.a_pp, np.nan)
        out[self.usable] = np.linalg.inv(self.a_pp[self.usable])
        return out


@dataclass(frozen=True)
class Normals:
    """Reduced normal equations. band (n, half_band + 1) holds column j of the lower band in row j; columns (n, s + b)
    those of the terms, which are considered, and of the border; below (s + b, b) the same columns' lower ends, as rows.
    diagonal (n + b,) is that of the matrix before the points were eliminated: against it a parameter that the points
    can take up shows as what it is. order[i] is the exposure at position i of the band, position its inverse (-1 for an
    exposure left out)."""

    band: Floats
    columns: Floats
    below: Floats
    diagonal: Floats
    order: Ints
    position: Ints
    in_network: Bools
    rays: Rays

    @property
    def border(self) -> Floats:
        """Columns (n, b) of the border."""
        return self.columns[:, len(self.rays.deformation) :]

    @property
    def corner(self) -> Floats:
        """The border's own block (b, b)."""
        return self.below[len(self.rays.deformation) :]

    @property
    def half_band(self) -> int:
        """Columns of the lower band beside the diagonal."""
        return int(self.band.shape[1] - 1)

    @property
    def size(self) -> int:
        """Order of the reduced matrix, border included."""
        return int(self.band.shape[0] + self.corner.shape[0])


def participants(net: Network) -> tuple[Bools, Bools]:
    """Exposures (n,) that can be oriented, and points (m,) that take part. Leaving out an exposure can leave a tie
    point with one ray, so the two are settled in turn until nothing changes."""
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
    """The exposures (n,) in the order of the narrowest band, points (m,) saying which take part: along either side of
    the block, along its main axes, or by reverse Cuthill-McKee for corridors that bend and patterns that cross."""
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
    """Partials of every ray of every point towards the exposures that have a place in the band: position (n,), -1 for
    one that has none."""
    placed = position[net.rays.values] >= 0
    rays = net.rays.keep(placed)
    owner, exposure = rays.owner(), rays.values
    some, again = np.unique(exposure, return_inverse=True) if len(exposure) < len(net.ypr) else (..., exposure)
    turned = rotations(net.ypr[some])[again]
    jx, je, ji = ray_partials(net.f_px[net.camera[exposure]], turned, net.c[exposure], net.x[owner])
    weight = (1.0 / net.sigma_px[placed])[:, None, None]
    jx *= weight
    je *= weight
    ji *= weight
    prior = np.where(net.surveyed[:, None], 1.0 / net.sigma_x**2, 0.0)
    a_pp = _own_blocks(rays.start, jx, prior)
    eigen = np.linalg.eigvalsh(a_pp)
    usable = eigen[:, 0] > FLAT_INTERSECTION * np.maximum(eigen[:, 2], 1e-300)
    at = Lists(rays.start, position[exposure])
    hung = net.point_shifts, net.point_shares
    return Rays(at, net.camera[exposure], jx, je, ji, prior, *hung, a_pp, usable, net.f_px, net.deformation)


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
    n, border_size, terms = 6 * len(order), 7 * len(net.f_px) + 3 * len(net.shift_sigma), len(net.deformation)
    band, columns = np.zeros((n, half_band + 1)), np.zeros((n, terms + border_size))
    below, diagonal = np.zeros((terms + border_size, border_size)), np.zeros(n + border_size)
    matrix = Matrix(band, columns, below, diagonal)
    which, segments = _segments(np.flatnonzero(points), rays.rays, half_band, len(order))
    arrays = rays.arrays()
    for phase in (0, 1):
        _eliminate_points(which, segments[phase:], half_band // 6 + 1, arrays, matrix)
    _add_positions(
        order,
        1.0 / net.sigma_c**2,
        1.0 / net.sigma_att**2,
        net.exposure_shifts.start,
        net.exposure_shifts.values,
        net.exposure_shares,
        arrays.io_first,
        arrays.shift_first,
        matrix,
    )
    prior = np.r_[1.0 / net.sigma_io.ravel() ** 2, 1.0 / net.shift_sigma.ravel() ** 2]
    below[terms:][np.diag_indices(border_size)] += prior
    diagonal[n:] += prior
    return Normals(
        band=band,
        columns=columns,
        below=below,
        diagonal=diagonal,
        order=order,
        position=position,
        in_network=points,
        rays=rays,
    )


def _segments(which: Ints, rays: Lists, half_band: int, exposures: int) -> tuple[Ints, Ints]:
    """Points in the order of the first exposure they touch, cut into a few segments of at least a band's width: what
    one writes ends before the next but one begins, so every other segment can be worked at the same time."""
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
    """Work through segments 0, 2, 4 ... at the same time, each with lower ends of its own."""
    wide, b = matrix.below.shape
    n = matrix.band.shape[0]
    count = len(segments) // 2
    ends = np.zeros((count, wide, b))
    diagonals = np.zeros((count, b))
    for k in prange(count):
        own = which[segments[2 * k] : segments[2 * k + 1]]
        _eliminate_segment(own, reach, rays, matrix, ends[k], diagonals[k])
    for k in range(count):
        matrix.below[:] += ends[k]
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
    """Add the finished blocks of exposure q, which couple it with q, q + 1 ... q + deep - 1, to the band; clear
    them."""
    for c in range(6):
        row = band[6 * q + c]
        for a in range(c, 6):
            row[a - c] += blocks[0, c, a]
        for d in range(1, deep):
            for a in range(6):
                row[6 * d + a - c] += blocks[d, c, a]
    blocks[:deep] = 0.0


@njit(cache=True)
def _eliminate_segment(which, reach, rays, matrix, below, diagonal_b):  # type: ignore[no-untyped-def]
    """Points come in the order of their first exposure. Blocks of six by six gather in a ring of as many exposures as
    the band reaches, where each lies in one piece (in the band every row of it is on another page of memory), and move
    to the band once no later point can touch them. Loops are written out: on such blocks a call costs more than the
    sums."""
    if len(which) == 0:
        return
    start, seen, camera, jx, je, ji, prior, s_start, s_values, s_share, a_pp = rays[:11]
    terms, io, s_first = TermArrays(*rays[11:16]), rays.io_first, rays.shift_first
    band, border, _, diagonal = matrix
    b = below.shape[0]
    powers, moved, of_io = np.empty((2, rays.degrees)), np.empty(io), np.zeros((s_first - io, io))
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
        used = b if s_start[j + 1] > s_start[j] else s_first  # a point that rests on no shift touches interiors only
        t = np.empty((n, 3, 6))
        u_b[:, :used] = 0.0
        for k in range(n):
            r = r0 + k
            p, cam, cam_b = seen[r], io + 7 * camera[r], 7 * camera[r]
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
                    below[cam + a, cam_b + c] += ji[r, 0, a] * ji[r, 0, c] + ji[r, 1, a] * ji[r, 1, c]
                diagonal_b[cam_b + c] += ji[r, 0, c] ** 2 + ji[r, 1, c] ** 2
            fill_terms(terms, camera[r], ji[r], powers, moved)
            for h in range(2):
                t0, t1 = terms.span[camera[r], h], terms.span[camera[r], h + 1]
                _add_terms(jx[r, h], moved, t0, t1, u_b, 0)
                _add_terms(je[r, h], moved, t0, t1, border, 6 * p)
                _add_terms(ji[r, h], moved, t0, t1, of_io, cam_b)
            _forward3(lower, t[k], t[k])
        hung = s_values[s_start[j] : s_start[j + 1]]
        _add_survey(prior[j], hung, s_share[s_start[j] : s_start[j + 1]], s_first, io, u_b, below, diagonal_b)
        _forward3(lower, u_b[:, :used], t_b[:, :used])
        _subtract_outer(t_b, used, t_b, uint64(io), uint64(used), below, 0)
        for k in range(n):
            p = seen[r0 + k]
            _subtract_outer(t[k], 6, t_b, uint64(0), uint64(used), border, 6 * p)
            for m in range(n):
                q = seen[r0 + m]
                if q <= p:
                    at = uint64(36 * (q % reach * reach + p - q))
                    deep[q % reach] = max(deep[q % reach], p - q + 1)
                    _subtract_block(t[k], t[m], product, flat, at)
    below[:io, : len(of_io)] += of_io.T
    for q in range(waiting, min(waiting + reach, band.shape[0] // 6)):
        _move_to_band(ring[q % reach], deep[q % reach], q, band)


@njit(cache=True)
def _add_survey(prior, shifts, shares, s_first, io, u_b, below, diagonal_b):  # type: ignore[no-untyped-def]
    """What a surveyed or a camera's position ties together of the shifts it holds."""
    for i in range(len(shifts)):
        for a in range(3):
            for d in range(3):
                s, w = s_first + 3 * shifts[i] + d, prior[a] * shares[i, a, d]
                u_b[a, s] += w
                diagonal_b[s - io] += w * shares[i, a, d]
                for i2 in range(len(shifts)):
                    for d2 in range(3):
                        below[s, s_first - io + 3 * shifts[i2] + d2] += w * shares[i2, a, d2]


@njit(cache=True, fastmath={"contract"})
def _add_terms(partials, moved, first, last, out, row):  # type: ignore[no-untyped-def]
    """out += partials' moved for the terms of one axis of one ray, from a row of out on. Indices without a sign: of one
    that could be less than zero the compiler makes two cases."""
    for a in range(len(partials)):
        j, line = partials[a], out[row + a]
        for t in range(uint64(first), uint64(last)):
            line[t] += j * moved[t]


@njit(cache=True, fastmath={"contract"})
def _subtract_outer(left, rows, right, first, last, out, at):  # type: ignore[no-untyped-def]
    """out -= left' right for two blocks of three rows, from row `at` of out on: all of so many columns of left, and the
    columns of right from first to last. Whole arrays are handed over: of a part of one, the compiler does not know that
    neighbours lie together."""
    for a in range(rows):
        l0, l1, l2, line = left[0, a], left[1, a], left[2, a], out[at + a]
        for c in range(uint64(last - first)):
            line[c] -= l0 * right[0, first + c] + l1 * right[1, first + c] + l2 * right[2, first + c]


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
def _add_positions(order, w_c, w_att, s_start, s_values, s_share, io, s_first, matrix):  # type: ignore[no-untyped-def]
    band, border, below, diagonal = matrix
    diagonal_b, weights = diagonal[band.shape[0] :], np.zeros(3)
    for p in range(len(order)):
        i = order[p]
        for a in range(3):
            if not np.isnan(w_att[i, a]):
                band[6 * p + a, 0] += w_att[i, a]
                diagonal[6 * p + a] += w_att[i, a]
            w = w_c[i, a]
            if np.isnan(w):
                weights[a] = 0.0
                continue
            weights[a] = w
            band[6 * p + 3 + a, 0] += w
            diagonal[6 * p + 3 + a] += w
        shifts, shares = s_values[s_start[i] : s_start[i + 1]], s_share[s_start[i] : s_start[i + 1]]
        at = 6 * p + 3
        _add_survey(weights, shifts, shares, s_first, io, border[at : at + 3], below, diagonal_b)


@dataclass(frozen=True)
class PointRows:
    """G of section 3 for k points, as columns: the derivative of each intersected point with respect to the other
    unknowns over band (n, 3k) and border (b, 3k), and what its own rays make of the cameras' terms (s, 3k), App^-1 B_s.
    Zero for a point whose rays do not intersect."""

    band: Floats
    border: Floats
    terms: Floats


def point_rows(rays: Rays, which: Ints, n: int, border_size: int) -> PointRows:
    """Of some points, by number (k,)."""
    terms = len(rays.deformation)
    g_e, g_b = np.zeros((n, 3 * len(which))), np.zeros((terms + border_size, 3 * len(which)))
    _fill_rows(which, rays.arrays(), rays.usable, rays.a_pp_inverse, g_e, g_b)
    return PointRows(g_e, g_b[terms:], -g_b[:terms])


@njit(cache=True, parallel=True, nogil=True)
def _fill_rows(which, rays, usable, a_inv, g_e, g_b):  # type: ignore[no-untyped-def]
    start, seen, camera, jx, je, ji, prior, s_start, s_values, s_share, _ = rays[:11]
    terms, io, s_first = TermArrays(*rays[11:16]), rays.io_first, rays.shift_first
    for k in prange(len(which)):
        j = which[k]
        if not usable[j]:
            continue
        powers, moved = np.empty((2, rays.degrees)), np.empty(io)
        for r in range(start[j], start[j + 1]):
            p, cam = seen[r], io + 7 * camera[r]
            fill_terms(terms, camera[r], ji[r], powers, moved)
            for d in range(3):
                for h in range(2):
                    g = a_inv[j, d, 0] * jx[r, h, 0] + a_inv[j, d, 1] * jx[r, h, 1] + a_inv[j, d, 2] * jx[r, h, 2]
                    for c in range(6):
                        g_e[6 * p + c, 3 * k + d] -= g * je[r, h, c]
                    for c in range(7):
                        g_b[cam + c, 3 * k + d] -= g * ji[r, h, c]
                    for t in range(terms.span[camera[r], h], terms.span[camera[r], h + 1]):
                        g_b[t, 3 * k + d] -= g * moved[t]
        for i in range(s_start[j], s_start[j + 1]):
            for a in range(3):
                for d in range(3):
                    w = a_inv[j, d, a] * prior[j, a]
                    for s in range(3):
                        g_b[s_first + 3 * s_values[i] + s, 3 * k + d] -= w * s_share[i, a, s]
