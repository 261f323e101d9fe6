"""Geometry of an exposure: attitude, projection into the image and its derivatives.

Image x runs to the right and y down, in pixels from the principal point. Source: docs/accuracy.md,
section 1 (the collinearity equations in a local east-north-up frame).
"""

import numpy as np

from kardo.core.arrays import Floats

INTERIOR = ("focal length", "principal point x", "principal point y", "k1", "k2", "p1", "p2")


def rotations(ypr: Floats) -> Floats:
    """Rotation matrices from ENU to the camera axes (right, down, forward).

    ypr: (n, 3) yaw, pitch, roll in radians; yaw clockwise from north, pitch of the optical axis above
    the horizon (-pi/2 looks straight down), roll about the optical axis. Returns (n, 3, 3).
    """
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
    """Image coordinates (n, 2) in pixels and depth (n,) in metres of points (n, 3) seen from centres (n, 3)."""
    x = np.einsum("nij,nj->ni", rotation, point - centre)
    uv = np.asarray(f_px)[..., None] * x[:, :2] / x[:, 2:3]
    return uv, x[:, 2]


def ray_partials(f_px: Floats, rotation: Floats, centre: Floats, point: Floats) -> tuple[Floats, Floats, Floats]:
    """Derivatives of (u, v) for n rays.

    f_px (n,), rotation (n, 3, 3), centre and point (n, 3) in metres. Returns
    d/dX (n, 2, 3), d/d(attitude, centre) (n, 2, 6) and d/d(f, cx, cy, k1, k2, p1, p2) (n, 2, 7).
    Attitude is a small rotation t about the camera axes, x' = (I + [t]x) x.
    """
    x = np.einsum("nij,nj->ni", rotation, point - centre)
    a, b = x[:, 0] / x[:, 2], x[:, 1] / x[:, 2]
    n = len(a)
    dx = np.zeros((n, 2, 3))
    dx[:, 0, 0] = dx[:, 1, 1] = f_px / x[:, 2]
    dx[:, 0, 2], dx[:, 1, 2] = -f_px * a / x[:, 2], -f_px * b / x[:, 2]
    d_point = dx @ rotation
    d_exposure = np.concatenate([dx @ -_cross_matrix(x), -d_point], axis=2)
    return d_point, d_exposure, _interior_partials(f_px, a, b)


def _cross_matrix(x: Floats) -> Floats:
    """[x]x for (n, 3) vectors, (n, 3, 3)."""
    m = np.zeros((len(x), 3, 3))
    m[:, 0, 1], m[:, 0, 2], m[:, 1, 2] = -x[:, 2], x[:, 1], -x[:, 0]
    m[:, 1, 0], m[:, 2, 0], m[:, 2, 1] = x[:, 2], -x[:, 1], x[:, 0]
    return m


def _interior_partials(f: Floats, a: Floats, b: Floats) -> Floats:
    """Brown's radial (k1, k2) and decentring (p1, p2) terms beside focal length and principal point."""
    q = a * a + b * b
    one, zero = np.ones_like(a), np.zeros_like(a)
    du = [a, one, zero, f * a * q, f * a * q * q, f * 2 * a * b, f * (q + 2 * a * a)]
    dv = [b, zero, one, f * b * q, f * b * q * q, f * (q + 2 * b * b), f * 2 * a * b]
    return np.stack([np.stack(du, -1), np.stack(dv, -1)], axis=1)
