"""The solved network: covariances of points, absolute and as the checks will see them."""

from dataclasses import dataclass

import numpy as np
from numba import njit, prange

from kardo.core.accuracy.equation import normals
from kardo.core.accuracy.equation.banded import BorderedFactor, NotPositive, factor
from kardo.core.accuracy.equation.defects import Defect, explain
from kardo.core.accuracy.equation.network import Network, shares_matrix
from kardo.core.accuracy.equation.normals import Normals, PointRows, Rays
from kardo.core.arrays import Bools, Floats, Ints

CHUNK = 200  # points solved at a time where only their own covariances are wanted


class DefectiveNetwork(Exception):
    """The network does not determine everything; `defects` say what, and what would."""

    def __init__(self, defects: list[Defect]) -> None:
        super().__init__("; ".join(d.words for d in defects))
        self.defects = defects


@dataclass(frozen=True)
class PointColumns:
    """Forward solutions y = L^-1 G' of points, so that cov(j, k) = y_j' y_k + E_j E_k' (+ App^-1 if j is k).

    which (k,) point numbers, sorted by where they touch the band; asked (k,) their places in the request; band (n, 3k),
    border (b, 3k); own (k, 3, 3) is App^-1, NaN where a point cannot be intersected; pattern (s, 3k) is E', what each
    term of the cameras' deformation does to the points, times its sigma."""

    which: Ints
    asked: Ints
    band: Floats
    border: Floats
    own: Floats
    pattern: Floats

    def joint(self) -> Floats:
        """Joint absolute covariance (3k, 3k)."""
        c = self.band.T @ self.band + self.border.T @ self.border + self.pattern.T @ self.pattern
        for k, block in enumerate(self.own):
            c[3 * k : 3 * k + 3, 3 * k : 3 * k + 3] += block
        return c

    def each(self) -> Floats:
        """Absolute covariance of each point (k, 3, 3)."""
        rest = np.concatenate([self.border, self.pattern])
        rest = rest.reshape(len(rest), len(self.own), 3)
        return self.own + _own_products(self.band) + np.einsum("rka,rkb->kab", rest, rest)


@njit(cache=True, parallel=True, nogil=True)
def _own_products(y):  # type: ignore[no-untyped-def]
    """y_k' y_k of every point's three columns, (k, 3, 3); the rows stream by once, from where the first point of a part
    begins (points come in the order in which they do)."""
    count = y.shape[1] // 3
    out = np.zeros((count, 3, 3))
    for part in prange((count + 63) // 64):
        begin = 0
        while begin < y.shape[0] and (y[begin, 192 * part : 192 * part + 3] == 0.0).all():
            begin += 1
        for row in range(begin, y.shape[0]):
            for k in range(64 * part, min(64 * part + 64, count)):
                for a in range(3):
                    for b in range(a + 1):
                        out[k, a, b] += y[row, 3 * k + a] * y[row, 3 * k + b]
    for k in range(count):
        for a in range(3):
            for b in range(a):
                out[k, b, a] = out[k, a, b]
    return out


@dataclass(frozen=True)
class Solution:
    """Factor of a regular network, with what is needed to ask it for covariances."""

    network: Network
    factor: BorderedFactor
    order: Ints
    position: Ints
    in_network: Bools
    rays: Rays
    half_band: int

    @property
    def left_out(self) -> Ints:
        """Exposures with too few rays to be oriented, their numbers (k,)."""
        return np.flatnonzero(self.position < 0)

    @property
    def shift_first(self) -> int:
        """The border's first column of a shift; the cameras' interiors come before."""
        return 7 * len(self.network.f_px)

    @property
    def intersected(self) -> Bools:
        """Which points' (m,) positions follow from rays or survey."""
        return self.rays.usable

    def point_rows(self, which: Ints, delivered: Bools | bool) -> PointRows:
        """G of some points, by number (k,): as they are delivered, or as the network has them."""
        rows = normals.point_rows(self.rays, which, self.factor.n, self.factor.m.shape[0])
        net = self.network
        if len(net.delivered_shifts.values) and np.any(delivered):
            of_point = net.delivered_shares[net.delivered_shifts.places(which)]
            held = shares_matrix(net.delivered_shifts.take(which), of_point, len(net.shift_sigma)).T
            rows.border[self.shift_first :] += held * np.repeat(np.broadcast_to(delivered, len(which)), 3)
        return rows

    def columns(self, which: Ints, delivered: Bools | bool = True) -> PointColumns:
        """Forward-solve some points, by number (k,), as they are delivered or (all, or some of them) as the network has
        them. Memory: (order of the network) x 3k doubles."""
        first = self._first_rows(which)
        sort = np.argsort(first, kind="stable")
        rows = self.point_rows(which[sort], np.broadcast_to(delivered, len(which))[sort])
        y_e, y_b, pattern = self.forward(rows, np.repeat(first[sort], 3))
        return PointColumns(
            which=which[sort],
            asked=sort,
            band=y_e,
            border=y_b,
            own=self.rays.a_pp_inverse[which[sort]],
            pattern=pattern,
        )

    def forward(self, rows: PointRows, first_row: Ints | None = None) -> tuple[Floats, Floats, Floats]:
        """Forward solutions of columns over band (n, k) and border (b, k), the first in place; and what the terms do to
        those coordinates, E' = B_s' App^-1 + N_os' N^-1 G' (s, k) of docs/accuracy.md, section 10."""
        y_band, y_border, crossed = self.factor.forward(rows.band, rows.border, first_row)
        return y_band, y_border, np.asarray(rows.terms + crossed + self.factor.solved_border.T @ y_border)

    def _first_rows(self, which: Ints) -> Ints:
        rays, n = self.rays.rays, self.factor.n
        return np.array([6 * rays[j].min() if len(rays[j]) else n for j in which], dtype=np.int64)

    def point_covariances(self, which: Ints) -> Floats:
        """Absolute covariance (k, 3, 3) of each point, NaN where it cannot be intersected."""
        out = np.full((len(which), 3, 3), np.nan)
        for some in self.chunks(which, CHUNK):
            columns = self.columns(which[some])
            out[some[columns.asked]] = columns.each()
        return out

    def chunks(self, which: Ints, size: int) -> list[Ints]:
        """Places in `which` (k,), some at a time, points that touch the band near each other together."""
        order = np.argsort(self._first_rows(which), kind="stable")
        return np.array_split(order, range(size, len(order), size))

    def border_covariance(self) -> Floats:
        """Covariance (b, b) of the interior parameters and shifts, estimated minus true."""
        inverse = np.linalg.inv(self.factor.border_root)
        return np.asarray(inverse.T @ inverse, dtype=np.float64)

    def with_border(self, columns: PointColumns) -> Floats:
        """G_j Q over the border columns (3k, b): covariance of points with interior parameters and shifts."""
        return np.asarray(np.linalg.solve(self.factor.border_root.T, columns.border).T, dtype=np.float64)

    def shift_columns(self, shifts: Ints) -> Ints:
        """Columns of the border (3s,) that belong to some shifts (s,)."""
        return (self.shift_first + 3 * shifts[:, None] + np.arange(3)).ravel()


def solve(net: Network, formed: Normals | None = None) -> Solution:
    """Form and factor a network. `formed` are its normal equations where they are at hand; they are overwritten.
    Raises DefectiveNetwork with the defect in words."""
    formed = formed or normals.form(net)
    if not len(formed.order):
        raise DefectiveNetwork(explain(net, formed))
    try:
        solved = factor(formed.band, formed.columns, formed.below, formed.diagonal)
    except NotPositive:
        raise DefectiveNetwork(explain(net, normals.form(net))) from None
    if smallest_eigenvalue(solved) < NEAR_SINGULAR:
        defects = explain(net, normals.form(net))
        if defects:
            raise DefectiveNetwork(defects)
    return Solution(
        network=net,
        factor=solved,
        order=formed.order,
        position=formed.position,
        in_network=formed.in_network,
        rays=formed.rays,
        half_band=formed.half_band,
    )


NEAR_SINGULAR = 1e-11  # of the matrix scaled to a unit diagonal; below this the null space is looked at


def smallest_eigenvalue(solved: BorderedFactor) -> float:
    """Estimate, for the scaled matrix, by inverse iteration on one fixed vector; two rounds suffice to tell 1e-12 from
    1e-8, and one where it grows so little that even a vector with but a millionth of the weakest direction in it would
    have shown that."""
    rng = np.random.default_rng(7)
    d_e, d_b = solved.scale[:, None], solved.border_scale[:, None]
    v_e, v_b = rng.standard_normal((solved.n, 1)), rng.standard_normal((solved.m.shape[0], 1))
    growth = 1.0
    for _ in range(2):
        length = np.sqrt((v_e**2).sum() + (v_b**2).sum())
        x_e, x_b = solved.backward(*solved.forward(v_e / length / d_e, v_b / length / d_b)[:2])
        v_e, v_b = x_e / d_e, x_b / d_b
        growth = float(np.sqrt((v_e**2).sum() + (v_b**2).sum()))
        if growth < 1e-6 / NEAR_SINGULAR:
            break
    return 1.0 / growth


@dataclass(frozen=True)
class SeenByChecks:
    """What the planned checks will measure: joint covariance (3c, 3c) of d = map - surveyed check, and the
    absolute covariance (c, 3, 3) of the map at the same places. NaN for a check that no two images see."""

    joint: Floats
    absolute: Floats

    @property
    def known(self) -> Bools:
        """Which checks can be measured (c,)."""
        return np.asarray(np.isfinite(self.absolute).all(axis=(1, 2)), dtype=np.bool_)

    @property
    def measured(self) -> Floats:
        """The joint covariance of the checks that can be measured."""
        keep = np.repeat(self.known, 3)
        return self.joint[np.ix_(keep, keep)]


def as_seen(solution: Solution) -> SeenByChecks:
    """Joint covariance of the check differences (section 3 of docs/accuracy.md).

    A check that rests on the same mark or set-up as the map shares its error, so that part cancels in d."""
    net = solution.network
    n = len(net.check_point)
    if not n:
        return SeenByChecks(np.zeros((0, 0)), np.zeros((0, 3, 3)))
    columns = solution.columns(net.check_point, net.check_delivered)
    place = np.argsort(columns.asked)
    rows = (3 * place[:, None] + np.arange(3)).ravel()
    joint = columns.joint()[np.ix_(rows, rows)]
    absolute = np.array([joint[3 * k : 3 * k + 3, 3 * k : 3 * k + 3] for k in range(n)])
    hang = _hanging(net)
    with_shifts = solution.with_border(columns)[rows][:, solution.shift_first :] @ hang.T
    prior = hang @ np.diag(net.shift_sigma.ravel() ** 2) @ hang.T
    return SeenByChecks(joint + with_shifts + with_shifts.T + prior + np.diag(net.check_sigma.ravel() ** 2), absolute)


def _hanging(net: Network) -> Floats:
    """(3c, 3s) matrix: how much of which shifts each check's surveyed position holds."""
    return shares_matrix(net.check_shifts, net.check_shares, len(net.shift_sigma))
