"""Where the predicted error comes from: the exact share of every source in the variance of the map."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.accuracy.solution import PointColumns, Solution
from kardo.core.arrays import Floats, Ints, Json

BLOCK = 400  # exposures at a time


@dataclass(frozen=True)
class Share:
    """One source's part of the mean variance over the map; shares of all sources add to one."""

    group: str
    share_h: float
    share_v: float
    sigma_h: float
    sigma_v: float

    def to_json(self) -> Json:
        return {
            "group": self.group,
            "share_h": self.share_h,
            "share_v": self.share_v,
            "sigma_h": self.sigma_h,
            "sigma_v": self.sigma_v,
        }


def error_budget(solution: Solution, map_points: PointColumns, targets: PointColumns, absolute: Floats) -> list[Share]:
    """Shares q_j N_g q_j' averaged over the map, q_j being the point's row of the full inverse.
    absolute (k, 3, 3) are the map points' covariances in the order of their columns.

    Images take what is left of the total: the shares add to it by the identity q_j N q_j' = C_jj.
    """
    net = solution.network
    usable = np.isfinite(map_points.own).all(axis=(1, 2))
    keep = slice(None) if usable.all() else np.flatnonzero(np.repeat(usable, 3))
    y_band, y_border = map_points.band[:, keep].copy(), map_points.border[:, keep].copy()
    total = np.einsum("kaa->ka", absolute[usable]).ravel()
    joint_targets = targets.band.T @ y_band + targets.border.T @ y_border
    q_band, q_border = solution.factor.backward(y_band, y_border)
    q_shift = q_border[solution.shift_first :]
    parts: dict[str, Floats] = {"camera positions": _positions(solution, q_band, q_shift)}
    parts["surveyed targets"] = _targets(solution, targets.which, joint_targets, q_shift)
    parts["calibration"] = np.nansum(q_border[: solution.shift_first] ** 2 / net.sigma_io.reshape(-1, 1) ** 2, axis=0)
    for s, name in enumerate(net.shift_names):
        group = "legs" if name.startswith("leg ") else name
        prior = (q_shift[3 * s : 3 * s + 3] ** 2 / net.shift_sigma[s][:, None] ** 2).sum(axis=0)
        parts[group] = parts.get(group, np.zeros(y_band.shape[1])) + prior
    parts["images"] = total - np.sum(list(parts.values()), axis=0)
    return _shares(parts, total)


def _positions(solution: Solution, q_band: Floats, q_shift: Floats) -> Floats:
    """Camera positions, and attitudes where an inertial unit observes them. Exposures that hang on the same shifts go
    through one matrix product."""
    net, columns = solution.network, q_band.shape[1]
    sigma_c, sigma_att = net.sigma_c[solution.order], net.sigma_att[solution.order]
    weight = np.nan_to_num(1.0 / np.hstack([sigma_att, sigma_c]) ** 2).ravel()
    by_shifts: dict[tuple[int, ...], list[int]] = {}
    for p, i in enumerate(solution.order):
        by_shifts.setdefault(tuple(net.exposure_shifts[i].tolist()), []).append(p)
    out = np.zeros(columns)
    for shifts, places in by_shifts.items():
        common = sum((q_shift[3 * s : 3 * s + 3] for s in shifts), np.zeros((3, columns)))
        for at in range(0, len(places), BLOCK):
            rows = (6 * np.array(places[at : at + BLOCK])[:, None] + np.arange(6)).ravel()
            q = q_band[rows].reshape(-1, 6, columns)
            q[:, 3:] += common
            np.square(q, out=q)
            out += weight[rows] @ q.reshape(-1, columns)
    return out


def _targets(solution: Solution, which: Ints, joint: Floats, q_shift: Floats) -> Floats:
    net = solution.network
    out = np.zeros(joint.shape[1])
    for k, j in enumerate(which):
        moved = joint[3 * k : 3 * k + 3] + sum(
            (q_shift[3 * s : 3 * s + 3] for s in net.point_shifts[j]), np.zeros((3, joint.shape[1]))
        )
        out += (1.0 / net.sigma_x[j] ** 2) @ moved**2
    return out


def _shares(parts: dict[str, Floats], total: Floats) -> list[Share]:
    def mean_h(values: Floats) -> float:
        return float(values.reshape(-1, 3)[:, :2].sum(axis=1).mean())

    def mean_v(values: Floats) -> float:
        return float(values.reshape(-1, 3)[:, 2].mean())

    h, v = mean_h(total), mean_v(total)
    shares = [
        Share(
            group,
            mean_h(part) / h,
            mean_v(part) / v,
            math.sqrt(max(mean_h(part), 0.0)),
            math.sqrt(max(mean_v(part), 0.0)),
        )
        for group, part in parts.items()
    ]
    return sorted(shares, key=lambda s: -max(s.share_h, s.share_v))
