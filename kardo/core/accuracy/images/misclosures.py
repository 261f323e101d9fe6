"""Control points seen as one observation each: the misclosure between the surveyed and the intersected position.

A point with rays and a survey, once eliminated, leaves in the normal equations what its rays tie together, and H' R^-1
H with  H = G + S  (G as in section 3 of docs/accuracy.md, S the shifts the survey rests on) and R = App^-1 + Sigma,
App from the rays alone. So adding, dropping, moving or re-observing a target changes the inverse by a correction of
rank three, and what its rays tie together is left as it was: of one point among thousands.

The cameras' deformation moves a misclosure by  F = App^-1 B_s + H N^-1 N_os,  and a point by E. With the inverse
corrected, Q - Q H' K H Q, the point is moved by  E - G Q H' K F."""

from dataclasses import dataclass, replace

import numpy as np
from scipy.linalg import solve_triangular

from kardo.core.accuracy.equation import normals
from kardo.core.accuracy.equation.network import shares_matrix
from kardo.core.accuracy.equation.solution import Solution
from kardo.core.accuracy.images.planned import ControlRays
from kardo.core.arrays import Bools, Floats, Lists


@dataclass(frozen=True)
class Misclosures:
    """k control points in the order asked. y = L^-1 G' over band (n, 3k) and border (b, 3k); shifts = L^-1 S' over the
    border (b, 3k) (it has nothing over the band); own (k, 3, 3) is App^-1 of the rays, usable marks points whose rays
    intersect; g_band (n, 3k) and g_border (b, 3k) are G' itself; survey (k, 3, 3) is Sigma; pattern (s, 3k) is E' of
    the intersected positions, pattern_shifts (s, 3k) the terms' effect on the shifts that the surveys hold."""

    y_band: Floats
    y_border: Floats
    shifts: Floats
    own: Floats
    usable: Bools
    g_band: Floats
    g_border: Floats
    s_border: Floats
    survey: Floats
    pattern: Floats
    pattern_shifts: Floats

    def __len__(self) -> int:
        return len(self.own)

    @property
    def h_border(self) -> Floats:
        """L^-1 H' over the border (b, 3k)."""
        return self.y_border + self.shifts

    @property
    def h_pattern(self) -> Floats:
        """F' (s, 3k)."""
        return self.pattern + self.pattern_shifts

    @property
    def noise(self) -> Floats:
        """R (k, 3, 3)."""
        return self.own + self.survey

    def take(self, which: Bools) -> "Misclosures":
        """Only some of the points."""
        columns = np.repeat(which, 3)
        return Misclosures(
            y_band=self.y_band[:, columns],
            y_border=self.y_border[:, columns],
            shifts=self.shifts[:, columns],
            own=self.own[which],
            usable=self.usable[which],
            g_band=self.g_band[:, columns],
            g_border=self.g_border[:, columns],
            s_border=self.s_border[:, columns],
            survey=self.survey[which],
            pattern=self.pattern[:, columns],
            pattern_shifts=self.pattern_shifts[:, columns],
        )


def join(some: list[Misclosures], solution: Solution) -> Misclosures:
    """Misclosures one after another; none at all where there are none."""
    n, b = solution.factor.n, len(solution.factor.m)
    if not some:
        wide, block = np.zeros((b, 0)), np.zeros((0, 3, 3))
        terms = np.zeros((len(solution.rays.deformation), 0))
        no_band, nobody = np.zeros((n, 0)), np.zeros(0, dtype=bool)
        return Misclosures(
            y_band=no_band,
            y_border=wide,
            shifts=wide,
            own=block,
            usable=nobody,
            g_band=no_band,
            g_border=wide,
            s_border=wide,
            survey=block,
            pattern=terms,
            pattern_shifts=terms,
        )
    return Misclosures(
        y_band=np.hstack([m.y_band for m in some]),
        y_border=np.hstack([m.y_border for m in some]),
        shifts=np.hstack([m.shifts for m in some]),
        own=np.concatenate([m.own for m in some]),
        usable=np.concatenate([m.usable for m in some]),
        g_band=np.hstack([m.g_band for m in some]),
        g_border=np.hstack([m.g_border for m in some]),
        s_border=np.hstack([m.s_border for m in some]),
        survey=np.concatenate([m.survey for m in some]),
        pattern=np.hstack([m.pattern for m in some]),
        pattern_shifts=np.hstack([m.pattern_shifts for m in some]),
    )


def misclosures(solution: Solution, control: ControlRays) -> Misclosures:
    """Control points as misclosures over a solved network. Points whose rays do not intersect get zeros."""
    return hung(intersected(solution, control), solution, control)


def intersected(solution: Solution, control: ControlRays) -> Misclosures:
    """Forward solutions of control points as the network has them, before anything is said of their survey."""
    net, k = solution.network, len(control.x)
    empty = Lists.of([[]] * k)
    alone = replace(
        net,
        names=("",) * k,
        x=control.x,
        sigma_px=control.sigma_px,
        rays=control.rays,
        sigma_x=np.full((k, 3), np.nan),
        point_shifts=empty,
        point_shares=np.zeros((0, 3, 3)),
        delivered_shifts=empty,
        delivered_shares=np.zeros((0, 3, 3)),
        check=np.ones(k, dtype=bool),
        check_point=np.zeros(0, dtype=np.int64),
        check_delivered=np.zeros(0, dtype=bool),
    )
    rays = normals.weighted_rays(alone, solution.position)
    usable = rays.usable & (np.diff(rays.rays.start) >= 2)
    rays = replace(rays, usable=usable)
    rows = normals.point_rows(rays, np.arange(k), solution.factor.n, len(solution.factor.m))
    columns = replace(solution, rays=rays).columns(np.arange(k), delivered=False)
    back = np.argsort(columns.asked)
    order = (3 * back[:, None] + np.arange(3)).ravel()
    none = np.zeros_like(rows.border)
    return Misclosures(
        y_band=columns.band[:, order],
        y_border=columns.border[:, order],
        shifts=none,
        own=np.where(usable[:, None, None], columns.own[back], 0.0),
        usable=usable,
        g_band=rows.band,
        g_border=rows.border,
        s_border=none,
        survey=np.zeros((k, 3, 3)),
        pattern=columns.pattern[:, order],
        pattern_shifts=np.zeros_like(columns.pattern),
    )


def hung(solved: Misclosures, solution: Solution, control: ControlRays) -> Misclosures:
    """The same places with the survey and the shifts that `control` says, and as they are delivered where the survey is
    in delivered coordinates."""
    root = solution.factor

    def over_border(shifts: Lists, shares: Floats) -> tuple[Floats, Floats]:
        held = np.zeros((len(root.m), 3 * len(control.x)))
        held[solution.shift_first :] = shares_matrix(shifts, shares, len(solution.network.shift_sigma)).T
        return held, solve_triangular(root.m, held * root.border_scale[:, None], lower=True, check_finite=False)

    s_border, shifts = over_border(control.shifts, control.shares)  # S' over the border: what each survey holds
    if len(control.delivered.values):
        moved, solved_moved = over_border(control.delivered, control.delivered_shares)
        solved = replace(
            solved,
            y_border=solved.y_border + solved_moved,
            g_border=solved.g_border + moved,
            pattern=solved.pattern + root.solved_border.T @ solved_moved,
        )
    return replace(
        solved,
        shifts=shifts,
        s_border=s_border,
        survey=np.einsum("ka,ab->kab", control.sigma**2, np.eye(3)),
        pattern_shifts=root.solved_border.T @ shifts,
    )


def gram(left: Misclosures, right: Misclosures) -> Floats:
    """H Q H' between two sets of misclosures (3j, 3k)."""
    return left.y_band.T @ right.y_band + left.h_border.T @ right.h_border


def difference_covariance(seen: Misclosures, solution: Solution) -> Floats:
    """Joint covariance (3k, 3k) of d = map - survey at checks (section 3 of docs/accuracy.md). What a check shares with
    the map cancels in d."""
    with_shifts = seen.y_border.T @ seen.shifts
    prior = seen.s_border[solution.shift_first :]
    shared = prior.T @ (solution.network.shift_sigma.ravel()[:, None] ** 2 * prior)
    y = seen.y_band.T @ seen.y_band + seen.y_border.T @ seen.y_border + seen.pattern.T @ seen.pattern
    return np.asarray(y + with_shifts + with_shifts.T + shared + block_diagonal(seen.own + seen.survey))


def correction(weight: Floats, gram_: Floats) -> Floats:
    """K of  Q_new = Q - Q H' K H Q  when the weight of misclosures changes by `weight` (m, m; zero blocks and equal
    rows allowed) and their covariance is `gram_` = H Q H' (Woodbury). Raises LinAlgError where the change leaves the
    network without a regular inverse. Source: Woodbury, Inverting modified matrices (1950).

    >>> correction(np.array([[2.0]]), np.array([[0.5]]))
    array([[1.]])
    """
    inside = np.eye(len(weight)) + gram_ @ weight
    if len(weight) and np.linalg.cond(inside) > NEAR_SINGULAR:
        raise np.linalg.LinAlgError("the network needs what is dropped")
    return np.asarray(weight @ np.linalg.inv(inside), dtype=np.float64)


NEAR_SINGULAR = 1e9


def block_diagonal(blocks: Floats) -> Floats:
    """(k, 3, 3) blocks along the diagonal of a (3k, 3k) matrix."""
    k = len(blocks)
    out = np.zeros((k, 3, k, 3))
    out[np.arange(k), :, np.arange(k), :] = blocks
    return out.reshape(3 * k, 3 * k)
