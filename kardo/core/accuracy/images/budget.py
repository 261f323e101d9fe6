"""Where the predicted error comes from: the exact share of every source in the variance of the map."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit, prange

from kardo.core.accuracy.equation.network import WHOLE
from kardo.core.accuracy.equation.solution import PointColumns, Solution
from kardo.core.accuracy.figures.results import Share
from kardo.core.accuracy.images.misclosures import Misclosures
from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.gnss.shifts import Source, source_of

CHUNK = 200  # map points at a time: wide enough for matrix products


@dataclass(frozen=True)
class OnMap:
    """What the network says of k map points: absolute covariances (k, 3, 3), NaN where a point cannot be intersected;
    the budget's shares; covariance (3k, 3m) with m misclosures; what the cameras' terms do to the points (s, 3k), of
    which the covariances hold the products; and, where kept, the points' rows of the full inverse as columns over band
    (n, 3k, single precision) and border (b, 3k)."""

    covariances: Floats
    shares: list[Share]
    with_misclosures: Floats
    pattern: Floats
    rows_band: Floats | None
    rows_border: Floats | None

    @property
    def known(self) -> Bools:
        """Points that can be intersected (k,)."""
        return np.asarray(np.isfinite(self.covariances).all(axis=(1, 2)), dtype=np.bool_)


def propagate_to_map(
    solution: Solution,
    which: Ints,
    targets: PointColumns,
    misclosures: Misclosures | None = None,
    keep_rows: bool = False,
    progress: Callable[[float], None] = lambda share: None,
) -> OnMap:
    """Covariances (k, 3, 3) of the map points `which` (k,), and the shares q_j N_g q_j' of every source averaged over
    them.

    Images take what is left of the total: the shares add to it by the identity q_j N q_j' = C_jj, the cameras' pattern
    coming on top of it. Points go through in chunks, so that memory stays with the band, not with the map."""
    n, b, k = solution.factor.n, len(solution.factor.m), len(which)
    covariances = np.full((k, 3, 3), np.nan)
    crossed = np.zeros((3 * k, 3 * len(misclosures) if misclosures else 0))
    pattern = np.zeros((len(solution.rays.deformation), 3 * k))
    rows_band: Any = np.zeros((n, 3 * k), dtype=np.float32) if keep_rows else None
    rows_border = np.zeros((b, 3 * k)) if keep_rows else None
    parts: dict[Source, list[Floats]] = {}
    done = 0
    for some in solution.chunks(which, CHUNK):
        points = solution.columns(which[some])
        places = some[points.asked]
        at = (3 * places[:, None] + np.arange(3)).ravel()
        own = points.each()
        covariances[places] = own
        pattern[:, at] = points.pattern
        usable = np.isfinite(own).all(axis=(1, 2))
        if misclosures:
            crossed[at] = points.band.T @ misclosures.y_band + points.border.T @ misclosures.h_border
        joint_targets = targets.band.T @ points.band + targets.border.T @ points.border
        q_band, q_border = solution.factor.backward(_in_single(points.band), points.border)
        for source, part in _parts(solution, points, q_band, q_border, targets.which, joint_targets, own).items():
            parts.setdefault(source, []).append(part[np.repeat(usable, 3)])
        if rows_band is not None and rows_border is not None:
            rows_band[:, at], rows_border[:, at] = q_band, q_border
        del points, q_band  # before the next chunk takes as much
        done += len(some)
        progress(done / k)
    total = np.einsum("kaa->ka", covariances[np.isfinite(covariances).all(axis=(1, 2))]).ravel()
    shares = _shares({source: np.concatenate(some) for source, some in parts.items()}, total)
    return OnMap(
        covariances=covariances,
        shares=shares,
        with_misclosures=crossed,
        pattern=pattern,
        rows_band=rows_band,
        rows_border=rows_border,
    )


def _in_single(y: Floats) -> Any:
    """The same numbers in single precision, in the memory of y (n, k), which is lost."""
    single: Any = y.reshape(-1).view(np.float32)[: y.size].reshape(y.shape)
    _narrow(y.reshape(-1), single.reshape(-1))
    return single


@njit(cache=True, nogil=True)
def _narrow(wide, narrow):  # type: ignore[no-untyped-def]
    """One after another from the front, so that nothing is written over before it is read."""
    for k in range(len(wide)):
        narrow[k] = wide[k]


def _parts(
    solution: Solution,
    points: PointColumns,
    q_band: Floats,
    q_border: Floats,
    targets: Ints,
    joint_targets: Floats,
    own: Floats,
) -> dict[Source, Floats]:
    """Variance (3k,) that each source gives to the points' coordinates, of which the band's forward solution is not
    there any more. q was solved backward in single precision: a share is told to a per cent, and is right to a
    thousandth of one."""
    net, columns = solution.network, q_band.shape[1]
    q_shift = q_border[solution.shift_first :]
    parts: dict[Source, Floats] = _positions(solution, q_band, q_shift)
    parts["targets", ""] = _targets(solution, targets, joint_targets, q_shift)
    of_interior = q_border[: solution.shift_first] ** 2 / net.sigma_io.reshape(-1, 1) ** 2
    for k, camera in enumerate(net.cameras):
        parts["calibration", camera] = np.nansum(of_interior[7 * k : 7 * k + 7], axis=0)
        if len(terms := net.deformation.terms[k]):
            parts["pattern", camera] = (points.pattern[terms] ** 2).sum(axis=0)
    for s, shift in enumerate(net.shifts):
        source = source_of(shift)
        prior = (q_shift[3 * s : 3 * s + 3] ** 2 / net.shift_sigma[s][:, None] ** 2).sum(axis=0)
        parts[source] = parts.get(source, np.zeros(columns)) + prior
    parts["images", ""] = np.einsum("kaa->ka", own).ravel() - np.sum(list(parts.values()), axis=0)
    return parts


def _positions(solution: Solution, q_band: Floats, q_shift: Floats) -> dict[Source, Floats]:
    """Camera positions, and attitudes where an inertial unit observes them, by camera. Exposures that rest on the same
    shifts go through together; what they hold whole of them is the same for all of them."""
    net, columns = solution.network, q_band.shape[1]
    sigma_c, sigma_att = net.sigma_c[solution.order], net.sigma_att[solution.order]
    weight = np.nan_to_num(1.0 / np.hstack([sigma_att, sigma_c]) ** 2).ravel()
    alike: dict[tuple[int, tuple[int, ...]], list[int]] = {}
    for p, i in enumerate(solution.order):
        alike.setdefault((int(net.camera[i]), tuple(net.exposure_shifts[i].tolist())), []).append(p)
    out: dict[Source, Floats] = {("positions", camera): np.zeros(columns) for camera in net.cameras}
    for (camera, shifts), places in alike.items():
        first = net.exposure_shifts.start[solution.order[places]]
        shares = net.exposure_shares[first[:, None] + np.arange(len(shifts))]  # (places, shifts, 3, 3)
        whole = (shares == WHOLE).all(axis=(0, 2, 3))
        of_shift = q_shift.reshape(-1, 3, columns)[list(shifts)]
        common = of_shift[whole].sum(axis=0)
        part, apart = np.ascontiguousarray(shares[:, ~whole]), np.ascontiguousarray(of_shift[~whole])
        _add_positions(q_band, weight, np.array(places), common, part, apart, out["positions", net.cameras[camera]])
    return out


@njit(cache=True, parallel=True, nogil=True)
def _add_positions(q_band, weight, places, common, shares, apart, out):  # type: ignore[no-untyped-def]
    """out (columns,) += weighted squares of the attitudes, and of the centres with the shifts (3, columns) that all
    hold whole and their shares (places, v, 3, 3) of others (v, 3, columns)."""
    columns = len(out)
    for part in prange((columns + 127) // 128):
        left, right = 128 * part, min(128 * part + 128, columns)
        moved = np.empty((3, right - left))
        for k in range(len(places)):
            p = places[k]
            for a in range(3):
                for c in range(left, right):
                    moved[a, c - left] = common[a, c]
            for v in range(apart.shape[0]):
                for a in range(3):
                    for d in range(3):
                        share = shares[k, v, a, d]
                        if share != 0.0:
                            for c in range(left, right):
                                moved[a, c - left] += share * apart[v, d, c]
            for a in range(6):
                w, row = weight[6 * p + a], q_band[6 * p + a]
                if w == 0.0:
                    continue
                for c in range(left, right):
                    q = row[c] + (moved[a - 3, c - left] if a >= 3 else 0.0)
                    out[c] += w * q * q


def _targets(solution: Solution, which: Ints, joint: Floats, q_shift: Floats) -> Floats:
    net = solution.network
    out = np.zeros(joint.shape[1])
    for k, j in enumerate(which):
        moved = joint[3 * k : 3 * k + 3].copy()
        for at in range(net.point_shifts.start[j], net.point_shifts.start[j + 1]):
            s = net.point_shifts.values[at]
            moved += net.point_shares[at] @ q_shift[3 * s : 3 * s + 3]
        out += (1.0 / net.sigma_x[j] ** 2) @ moved**2
    return out


def _shares(parts: dict[Source, Floats], total: Floats) -> list[Share]:
    def mean_h(values: Floats) -> float:
        return float(values.reshape(-1, 3)[:, :2].sum(axis=1).mean())

    def mean_v(values: Floats) -> float:
        return float(values.reshape(-1, 3)[:, 2].mean())

    h, v = mean_h(total), mean_v(total)
    shares = [
        Share(
            *source,
            mean_h(part) / h,
            mean_v(part) / v,
            math.sqrt(max(mean_h(part), 0.0)),
            math.sqrt(max(mean_v(part), 0.0)),
        )
        for source, part in parts.items()
    ]
    return sorted(shares, key=lambda s: -max(s.share_h, s.share_v))
