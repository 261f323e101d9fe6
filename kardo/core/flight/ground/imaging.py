"""Geometry of an exposure: attitude, projection into the image and its derivatives.

Image x runs to the right and y down, in pixels from the principal point. Source: docs/accuracy.md, section 1 (the
collinearity equations in a local east-north-up frame)."""

import numpy as np
from numba import njit, prange

from kardo.core.arrays import Floats

INTERIOR = ("focal length", "principal point x", "principal point y", "k1", "k2", "p1", "p2")


def rotations(ypr: Floats) -> Floats:
    """Rotation matrices from ENU to the camera axes (right, down, forward).

    ypr: (n, 3) yaw, pitch, roll in radians; yaw clockwise from north, pitch of the optical axis above the horizon
    (-pi/2 looks straight down), roll about the optical axis. Returns (n, 3, 3)."""
    yaw, pitch, roll = np.moveaxis(np.atleast_2d(ypr), -1, 0)
    sy, cy, sp, cp = np.sin(yaw), np.cos(yaw), np.sin(pitch), np.cos(pitch)
    zero = np.zeros_like(yaw)
    forward = np.stack([sy * cp, cy * cp, sp], axis=-1)
    right = np.stack([cy, -sy, zero], axis=-1)
    level = np.stack([right, np.cross(forward, right), forward], axis=-2)
    sr, cr = np.sin(roll), np.cos(roll)
    turn = np.stack(
        [np.stack([cr, sr, zero], -1), np.stack([-sr, cr, zero], -1), np.stack([zero, zero, zero + 1.0], -1)], axis=-2
    )
    return turn @ level


def project(f_px: Floats | float, rotation: Floats, centre: Floats, point: Floats) -> tuple[Floats, Floats]:
    """Image coordinates (n, 2) in pixels and depth (n,) in metres of points (n, 3) seen from centres (n, 3). Source:
    the collinearity equations, docs/accuracy.md, section 1.

    A camera 80 m up that looks straight down, flying north, sees a point 8 m to the east to its right:

    >>> down = rotations(np.radians([[0.0, -90.0, 0.0]]))
    >>> uv, depth = project(3600.0, down, np.array([[0.0, 0.0, 80.0]]), np.array([[8.0, 0.0, 0.0]]))
    >>> uv.round(6).tolist(), depth.round(6).tolist()
    ([[360.0, 0.0]], [80.0])
    """
    x = np.einsum("nij,nj->ni", rotation, point - centre)
    uv = np.asarray(f_px)[..., None] * x[:, :2] / x[:, 2:3]
    return uv, x[:, 2]


def ray_partials(f_px: Floats, rotation: Floats, centre: Floats, point: Floats) -> tuple[Floats, Floats, Floats]:
    """Derivatives of (u, v) for n rays.

    f_px (n,), rotation (n, 3, 3), centre and point (n, 3) in metres. Returns d/dX (n, 2, 3), d/d(attitude, centre) (n,
    2, 6) and d/d(f, cx, cy, k1, k2, p1, p2) (n, 2, 7). Attitude is a small rotation t about the camera axes, x' = (I +
    [t]x) x. The interior holds Brown's radial (k1, k2) and decentring (p1, p2) terms beside focal length and principal
    point."""
    n = len(f_px)
    jx, je, ji = np.empty((n, 2, 3)), np.empty((n, 2, 6)), np.empty((n, 2, 7))
    _fill_partials(f_px, rotation, centre, point, jx, je, ji)
    return jx, je, ji


@njit(cache=True, parallel=True, nogil=True)
def _fill_partials(f_px, rotation, centre, point, jx, je, ji):  # type: ignore[no-untyped-def]
    for k in prange(len(f_px)):
        f, r = f_px[k], rotation[k]
        d0, d1, d2 = point[k, 0] - centre[k, 0], point[k, 1] - centre[k, 1], point[k, 2] - centre[k, 2]
        x1 = r[0, 0] * d0 + r[0, 1] * d1 + r[0, 2] * d2
        x2 = r[1, 0] * d0 + r[1, 1] * d1 + r[1, 2] * d2
        x3 = r[2, 0] * d0 + r[2, 1] * d1 + r[2, 2] * d2
        a, b = x1 / x3, x2 / x3
        q = a * a + b * b
        for c in range(3):
            jx[k, 0, c] = f / x3 * (r[0, c] - a * r[2, c])
            jx[k, 1, c] = f / x3 * (r[1, c] - b * r[2, c])
            je[k, 0, 3 + c], je[k, 1, 3 + c] = -jx[k, 0, c], -jx[k, 1, c]
        je[k, 0, 0], je[k, 0, 1], je[k, 0, 2] = -f * a * b, f * (1 + a * a), -f * b
        je[k, 1, 0], je[k, 1, 1], je[k, 1, 2] = -f * (1 + b * b), f * a * b, f * a
        ji[k, 0, 0], ji[k, 0, 1], ji[k, 0, 2] = a, 1.0, 0.0
        ji[k, 1, 0], ji[k, 1, 1], ji[k, 1, 2] = b, 0.0, 1.0
        ji[k, 0, 3], ji[k, 0, 4] = f * a * q, f * a * q * q
        ji[k, 1, 3], ji[k, 1, 4] = f * b * q, f * b * q * q
        ji[k, 0, 5], ji[k, 0, 6] = 2 * f * a * b, f * (q + 2 * a * a)
        ji[k, 1, 5], ji[k, 1, 6] = f * (q + 2 * b * b), 2 * f * a * b
