"""The equation of a laser scan, and how its parts move a return: direct georeferencing, no block. Source:
docs/laser.md.

Metres and radians; one standard deviation."""

import math

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.plan.kit import Scanner


def attitude(ypr: Floats) -> Floats:
    """(n, 3, 3): from a scanner's axes (forward, right, down) to east, north, up. ypr (n, 3): yaw clockwise from north,
    pitch up, roll to the right, radians.

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
    """The full measurement equation, P = T + R_nav R(turned) (R(bore) rho d + l): places (n, 3). at (n, 3); beam (n, 3)
    unit vectors in the scanner's axes; ranges (n,); lever (3,) or (n, 3); turned and bore (n, 3) small angles that the
    unit, and its mounting, are off."""
    inner = np.einsum("nij,nj->ni", small_turns(bore), beam) * ranges[:, None] + lever
    return at + np.einsum("nij,njk,nk->ni", attitude(ypr), small_turns(turned), inner)


def partials_of(ypr: Floats, beam: Floats, ranges: Floats, lever: Floats) -> dict[str, Floats]:
    """Of each return's place (n, 3, k): to the attitude about forward, right and down, to the boresight, to the lever
    arm, to the range. Small turns [t]x v = -[v]x t of the measurement equation."""
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


def own_noise(scanner: Scanner, nav: Floats, beam: Floats, ranges: Floats, slope: Floats | float = 0.0) -> Floats:
    """(n, 3): what a return has for itself, each axis: range noise along the beam, the beam's angle across it, and the
    spot, whose size is a plan error that a slope (rise over run) turns into height."""
    along = np.einsum("nij,nj->ni", nav, beam)
    across = ranges * math.radians(scanner.beam_deg)
    spot = scanner.divergence_mrad / 1000 * ranges / 4
    squares = (scanner.range_noise_m * along) ** 2 + (across[:, None] ** 2) * (1 - along**2)
    squares[:, :2] += spot[:, None] ** 2 / 2
    squares[:, 2] += (spot * slope) ** 2
    return np.sqrt(squares)
