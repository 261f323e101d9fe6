"""Accuracy of a laser scan: direct georeferencing, no block. A return's error is linear in parameters of five kinds of reach, and two places share
exactly those they have in common; targets and ties between strips settle some of them. Source: docs/laser.md.

Metres and radians; one standard deviation.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from kardo.core.arrays import Floats, Ints, Json
from kardo.core.errors import NetworkError

Reach = Literal["job", "mission", "leg", "strip"]
MOST_ENTRIES = 40_000_000  # of the arrays that hold partials and covariances


@dataclass(frozen=True)
class Unit:
    """How good a scanner with its inertial unit is; sigmas in metres and degrees. divergence in radians."""

    boresight_deg: tuple[float, float, float]
    lever: float
    range_bias: float
    position: tuple[float, float]
    roll_pitch_deg: float
    heading_deg: float
    range_noise: float
    beam_deg: float
    divergence: float = 0.0005


UNITS = {
    "tactical": Unit((0.008, 0.008, 0.015), 0.005, 0.005, (0.010, 0.020), 0.006, 0.02, 0.010, 0.003),
    "small": Unit((0.02, 0.02, 0.04), 0.005, 0.015, (0.010, 0.020), 0.015, 0.06, 0.020, 0.01),
}


def attitude(ypr: Floats) -> Floats:
    """(n, 3, 3): from a scanner's axes (forward, right, down) to east, north, up. ypr (n, 3): yaw clockwise from north, pitch up, roll to the right,
    radians.

    >>> attitude(np.zeros((1, 3)))[0].tolist()
    [[0.0, 1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, -1.0]]
    """
    yaw, pitch, roll = np.moveaxis(np.atleast_2d(ypr), -1, 0)
    cy, sy, cp, sp, cr, sr = np.cos(yaw), np.sin(yaw), np.cos(pitch), np.sin(pitch), np.cos(roll), np.sin(roll)
    forward = np.stack([sy * cp, cy * cp, sp], -1)
    level = np.stack([cy, -sy, np.zeros_like(yaw)], -1)
    below = np.stack([sp * sy, sp * cy, -cp], -1)
    right = cr[:, None] * level + sr[:, None] * below
    down = cr[:, None] * below - sr[:, None] * level
    return np.stack([forward, right, down], axis=-1)


def small_turns(t: Floats) -> Floats:
    """(n, 3, 3): by small angles (n, 3) about forward, right and down."""
    zero = np.zeros(len(t))
    x, y, z = np.moveaxis(t, -1, 0)
    return np.stack(
        [np.stack([zero + 1, -z, y], -1), np.stack([z, zero + 1, -x], -1), np.stack([-y, x, zero + 1], -1)], axis=-2
    )


def measured(
    at: Floats, ypr: Floats, beam: Floats, ranges: Floats, lever: Floats, turned: Floats, bore: Floats
) -> Floats:
    """The full measurement equation, P = T + R_nav R(turned) (R(bore) rho d + l): places (n, 3). at (n, 3); beam (n, 3) unit vectors in the scanner's
    axes; ranges (n,); lever (3,) or (n, 3); turned and bore (n, 3) small angles that the unit, and its mounting, are off."""
    inner = np.einsum("nij,nj->ni", small_turns(bore), beam) * ranges[:, None] + lever
    return at + np.einsum("nij,njk,nk->ni", attitude(ypr), small_turns(turned), inner)


@dataclass(frozen=True)
class Returns:
    """n returns over m parameters: partials (n, 3, m) of the place to each; sigma (n, 3) of what each has for itself."""

    partials: Floats
    sigma: Floats


def partials_of(ypr: Floats, beam: Floats, ranges: Floats, lever: Floats) -> dict[str, Floats]:
    """Of each return's place (n, 3, k): to the attitude about forward, right and down, to the boresight, to the lever arm, to the range. Small turns
    [t]x v = -[v]x t of the measurement equation."""
    nav = attitude(ypr)
    shot = beam * ranges[:, None]
    return {
        "attitude": -nav @ _cross(shot + lever),
        "boresight": -nav @ _cross(shot),
        "lever": nav,
        "range": np.einsum("nij,nj->ni", nav, beam)[:, :, None],
    }


def _cross(v: Floats) -> Floats:
    """(n, 3, 3): the matrix that multiplies as v x does."""
    zero = np.zeros(len(v))
    x, y, z = np.moveaxis(v, -1, 0)
    return np.stack([np.stack([zero, -z, y], -1), np.stack([z, zero, -x], -1), np.stack([-y, x, zero], -1)], axis=-2)


def own_noise(unit: Unit, nav: Floats, beam: Floats, ranges: Floats, slope: Floats | float = 0.0) -> Floats:
    """(n, 3): what a return has for itself, each axis: range noise along the beam, the beam's angle across it, and the spot, whose size is a plan error
    that a slope (rise over run) turns into height."""
    along = np.einsum("nij,nj->ni", nav, beam)
    across = ranges * math.radians(unit.beam_deg)
    spot = unit.divergence * ranges / 4
    squares = (unit.range_noise * along) ** 2 + (across[:, None] ** 2) * (1 - along**2)
    squares[:, :2] += spot[:, None] ** 2 / 2
    squares[:, 2] += (spot * slope) ** 2
    return np.sqrt(squares)


@dataclass(frozen=True)
class LaserNetwork:
    """A laser flight, linear. parameters by name, reach and sigma (m,); shifts (s, 3) sigma; returns; places (k): which returns, by what share; targets and
    checks: a place, its survey's sigma (3,) with NaN for what is not compared, and the shifts it hangs on; ties: two places and sigma of their heights."""

    names: tuple[str, ...]
    reaches: tuple[str, ...]
    sigma: Floats
    shifts: Floats
    returns: Returns
    places: tuple[tuple[Ints, Floats], ...]
    targets: tuple[tuple[int, Floats, tuple[int, ...]], ...] = ()
    checks: tuple[tuple[int, Floats, tuple[int, ...]], ...] = ()
    ties: tuple[tuple[int, int, float], ...] = ()


@dataclass(frozen=True)
class LaserResult:
    """Covariances of all places jointly (3k, 3k), after the adjustment; and of what the checks will see (3c, 3c), NaN where an axis is not compared."""

    cov: Floats
    seen: Floats


def adjusted(net: LaserNetwork) -> LaserResult:
    """Least squares with priors: parameters are settled by targets and ties, places are corrected by them and keep their own noise. Exact also where a
    target's place shares returns with another. Source: docs/laser.md."""
    places, noise = _places(net)
    m, s, k = len(net.sigma), 3 * len(net.shifts), len(places)
    prior = np.zeros((m + s + 3 * k, m + s + 3 * k))
    prior[np.arange(m), np.arange(m)] = net.sigma**2
    prior[np.arange(m, m + s), np.arange(m, m + s)] = net.shifts.ravel() ** 2
    prior[m + s :, m + s :] = noise
    of_place = np.zeros((3 * k, len(prior)))  # the error of each place before anything is adjusted
    of_place[:, :m] = places.reshape(3 * k, m)
    of_place[:, m + s :] = np.eye(3 * k)
    rows, variances = _observations(net, of_place, m)
    gain: Floats = np.zeros((m, len(variances)))
    if len(variances):
        seen = rows @ prior
        gain = np.asarray(np.linalg.solve(seen @ rows.T + np.diag(variances), seen[:, :m]).T, dtype=np.float64)
    # the error that is left: parameters less what the observations told of them, and the place's own noise
    moved = places.reshape(3 * k, m) @ gain
    left = of_place - moved @ rows
    cov = left @ prior @ left.T + (moved * variances) @ moved.T
    return LaserResult(cov, _seen(net, left, moved, variances, prior, m))


def _places(net: LaserNetwork) -> tuple[Floats, Floats]:
    """Partials of places (k, 3, m), and the joint covariance of their own noise (3k, 3k): places share returns."""
    n, k, m = len(net.returns.sigma), len(net.places), len(net.sigma)
    if k * (n + 3 * m + 9 * k) > MOST_ENTRIES:
        raise NetworkError("These are too many places and returns at once.", mend="Give fewer places.")
    shares = np.zeros((k, n))
    for j, (which, share) in enumerate(net.places):
        np.add.at(shares[j], which, share)
    noise = np.zeros((3 * k, 3 * k))
    for axis in range(3):
        noise[axis::3, axis::3] = (shares * net.returns.sigma[:, axis] ** 2) @ shares.T
    return np.einsum("kn,nam->kam", shares, net.returns.partials), noise


def _observations(net: LaserNetwork, of_place: Floats, m: int) -> tuple[Floats, Floats]:
    """Rows over parameters, shifts and noise, and the variance that each has for itself."""
    rows: list[Floats] = []
    variances: list[float] = []
    for place, sigma, shifts in net.targets:
        for axis in np.flatnonzero(np.isfinite(sigma)):
            rows.append(_against(of_place[3 * place + axis], shifts, int(axis), m))
            variances.append(float(sigma[axis]) ** 2)
    for one, other, tie in net.ties:
        rows.append(of_place[3 * one + 2] - of_place[3 * other + 2])
        variances.append(tie**2)
    return np.array(rows).reshape(-1, of_place.shape[1]), np.array(variances)


def _against(row: Floats, shifts: Sequence[int], axis: int, m: int) -> Floats:
    """A place against a survey that hangs on shifts."""
    out = row.copy()
    for shift in shifts:
        out[m + 3 * shift + axis] -= 1.0
    return out


def _seen(net: LaserNetwork, left: Floats, moved: Floats, variances: Floats, prior: Floats, m: int) -> Floats:
    """Joint covariance of map less survey at the checks."""
    count = len(net.checks)
    rows, gains = np.zeros((3 * count, len(prior))), np.zeros((3 * count, len(variances)))
    own = np.full(3 * count, np.nan)
    for j, (place, sigma, shifts) in enumerate(net.checks):
        for axis in range(3):
            rows[3 * j + axis] = _against(left[3 * place + axis], shifts, axis, m)
        gains[3 * j : 3 * j + 3] = moved[3 * place : 3 * place + 3]
        own[3 * j : 3 * j + 3] = sigma**2
    return np.asarray(rows @ prior @ rows.T + (gains * variances) @ gains.T + np.diag(own))


def laser_from_json(data: Json) -> LaserNetwork:
    """Read a laser flight of NETWORK.json: `laser` beside `shifts`. Raises NetworkError naming what is wrong."""
    try:
        return _read(data["laser"], data.get("shifts", []))
    except (KeyError, TypeError, ValueError, AttributeError, IndexError) as fault:
        raise NetworkError(
            f"This is not a laser flight in Kardo's layout ({type(fault).__name__}: {fault}).",
            mend="See docs/laser.md for the layout.",
        ) from fault


def _read(laser: Any, shifts: Any) -> LaserNetwork:
    parameters, returns = laser["parameters"], laser["returns"]
    partials = np.zeros((len(returns), 3, len(parameters)))
    for k, one in enumerate(returns):
        for index, column in one["partials"].items():
            partials[k, :, _index(int(index), len(parameters), "parameter")] = column
    net = LaserNetwork(
        tuple(str(p["name"]) for p in parameters),
        tuple(str(p["reach"]) for p in parameters),
        np.array([float(p["sigma"]) for p in parameters]),
        np.array([s["sigma"] for s in shifts], dtype=np.float64).reshape(-1, 3),
        Returns(partials, np.array([r["sigma"] for r in returns], dtype=np.float64).reshape(-1, 3)),
        tuple(_shares(p["returns"], len(returns)) for p in laser["places"]),
        tuple(_surveyed(t, len(laser["places"]), len(shifts)) for t in laser.get("targets", [])),
        tuple(_surveyed(t, len(laser["places"]), len(shifts)) for t in laser.get("checks", [])),
        tuple((*(_index(int(i), len(laser["places"]), "place") for i in t["places"]), float(t["sigma"])) for t in laser.get("ties", [])),  # type: ignore[misc]
    )  # fmt: skip
    sigmas = [net.sigma, net.shifts, net.returns.sigma, np.array([t[2] for t in net.ties])]
    if not all(np.isfinite(s).all() and (s >= 0).all() for s in sigmas) or not np.isfinite(partials).all():
        raise ValueError("a sigma or a partial is no number, or below zero")
    return net


def _index(index: int, count: int, what: str) -> int:
    if not 0 <= index < count:
        raise ValueError(f"there is no {what} {index}")
    return index


def _shares(rows: Sequence[Sequence[Any]], count: int) -> tuple[Ints, Floats]:
    which = np.array([_index(int(index), count, "return") for index, _ in rows], dtype=np.int64)
    share = np.array([float(share) for _, share in rows])
    if not len(share) or not np.isclose(share.sum(), 1.0, atol=1e-6):
        raise ValueError("the shares of a place's returns must come to one")
    return which, share


def _surveyed(row: Any, places: int, shifts: int) -> tuple[int, Floats, tuple[int, ...]]:
    sigma = np.array([np.nan if v is None else float(v) for v in row["sigma_x"]])
    if len(sigma) != 3 or (sigma <= 0).any():
        raise ValueError("sigma_x of a target is three numbers above zero, or null")
    return (
        _index(int(row["place"]), places, "place"),
        sigma,
        tuple(_index(int(i), shifts, "shift") for i in row.get("shifts", [])),
    )
