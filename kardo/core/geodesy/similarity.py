"""A local grid from points known in two systems: a similarity in the plane, and a shift or a tilted plane for the
height.

Local plane coordinates of a grid position, about the middle (e0, n0) of the points used:

    e' = te + a (e - e0) - b (n - n0)      a = s cos t,  b = s sin t
    n' = tn + b (e - e0) + a (n - n0)      h' = h + c + ce (e - e0) + cn (n - n0)

Source: Wolf and Ghilani, Adjustment computations (2006), chapter 18 (two-dimensional conformal transformation); the
height by least squares on the differences."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Bools, Floats
from kardo.core.errors import GeodesyError
from kardo.core.geodesy.confidence import NON_CENTRALITY

PLANE, HEIGHT = slice(0, 4), slice(4, 7)  # of the parameters te, tn, a, b, c, ce, cn
LEAST_SPREAD = 1e-3  # of the points across their longest direction: below, a tilt across it is not determined


@dataclass(frozen=True)
class Similarity:
    """Parameters (7,) te, tn, a, b, c, ce, cn about e0, n0 in grid metres; heights stay what they are where `heights`
    is not set."""

    about: tuple[float, float]
    parameters: Floats
    heights: bool

    @property
    def scale(self) -> float:
        """Local lengths over grid lengths."""
        return math.hypot(self.parameters[2], self.parameters[3])

    @property
    def turn(self) -> float:
        """Radians, anticlockwise, by which what lies in the grid is turned into the local one."""
        return math.atan2(self.parameters[3], self.parameters[2])

    @property
    def tilt(self) -> tuple[float, float]:
        """Rise of local heights over the grid's, in metres a metre to grid east and north."""
        return float(self.parameters[5]), float(self.parameters[6])

    def there(self, e: Floats, n: Floats, h: Floats) -> tuple[Floats, Floats, Floats]:
        """Local metres of grid positions and heights (k,).

        >>> turned = Similarity((0.0, 0.0), np.array([10.0, 20.0, 0.0, 2.0, 1.5, 0.0, 0.0]), True)
        >>> [float(v) for v in turned.there(np.array(1.0), np.array(0.0), np.array(3.0))]
        [10.0, 22.0, 4.5]
        """
        te, tn, a, b, c, ce, cn = self.parameters
        x, y = np.asarray(e) - self.about[0], np.asarray(n) - self.about[1]
        return te + a * x - b * y, tn + b * x + a * y, np.asarray(h) + c + ce * x + cn * y

    def back(self, e: Floats, n: Floats, h: Floats) -> tuple[Floats, Floats, Floats]:
        """Grid metres of local positions and heights (k,): the inverse of `there`."""
        te, tn, a, b, c, ce, cn = self.parameters
        x, y, s2 = np.asarray(e) - te, np.asarray(n) - tn, a * a + b * b
        de, dn = (a * x + b * y) / s2, (a * y - b * x) / s2
        return self.about[0] + de, self.about[1] + dn, np.asarray(h) - c - ce * de - cn * dn

    def back_along(self, d: Floats) -> Floats:
        """Small local differences (k, 3) in metres as they lie in the grid: turned back and scaled, heights as they
        are."""
        c, s = math.cos(self.turn) / self.scale, math.sin(self.turn) / self.scale
        e, n, up = np.moveaxis(d, -1, 0)
        return np.stack([c * e + s * n, c * n - s * e, up], axis=-1)

    def partials(self, x: Floats, y: Floats) -> Floats:
        """(k, 3, 7): of local coordinates by the parameters, at places (k,) east and north of `about`."""
        out = np.zeros((len(x), 3, 7))
        out[:, 0, 0] = out[:, 1, 1] = out[:, 2, 4] = 1.0
        out[:, 0, 2], out[:, 0, 3], out[:, 1, 2], out[:, 1, 3] = x, -y, y, x
        out[:, 2, 5], out[:, 2, 6] = x, y
        return out


@dataclass(frozen=True)
class Fitted:
    """A similarity from points: root (7, r), whose square is the covariance of the parameters; residuals (k, 3) local
    minus transformed in metres, NaN where a point does not count; redundancy (k, 2) of a point in plan and height, 0 to
    1, NaN likewise; factor (2,): by how much the residuals in plan and height exceed the sigmas that were stated, NaN
    without redundancy."""

    similarity: Similarity
    root: Floats
    residuals: Floats
    redundancy: Floats
    factor: Floats


def fit(
    grid: Floats, local: Floats, plane: Bools, height: Bools, sigma: tuple[float, float], scale_free: bool, tilted: bool
) -> Fitted:
    """The similarity of points with grid (k, 3) and local (k, 3) coordinates, by those marked for plane and for height
    (k,); sigma in metres: how well the two positions of a point agree, each axis in plan, and in height. Where the
    residuals say that it is worse, the covariance grows with them; it never shrinks. A scale that is not free is one;
    the height is tilted from three points on, if it is to be, else a shift. Raises GeodesyError where the points do not
    determine what is asked."""
    if plane.sum() < 2:
        raise GeodesyError(
            "Fewer than two points are used in plan.",
            where="Local grid",
            mend="A similarity needs two, and three to be checked.",
        )
    about = grid[plane, :2].mean(axis=0)
    x, y = (grid[:, :2] - about).T
    if np.hypot(x[plane], y[plane]).max() < 1.0:
        raise GeodesyError(
            "The points lie within a metre of each other.", where="Local grid", mend="Take points around the site."
        )
    parameters = np.zeros(7)
    partials = Similarity((0.0, 0.0), parameters, True).partials(x, y)
    parameters[PLANE], of_plane = _plane(x[plane], y[plane], local[plane, :2], scale_free)
    if height.any():
        of_height = _height(x[height], y[height], tilted)
        rise = partials[height, 2, HEIGHT] @ of_height
        parameters[HEIGHT] = of_height @ np.linalg.lstsq(rise, local[height, 2] - grid[height, 2], rcond=None)[0]
    else:
        of_height = np.zeros((3, 0))
    similarity = Similarity((float(about[0]), float(about[1])), parameters, bool(height.any()))
    residuals = local - np.column_stack(similarity.there(*grid.T))
    residuals[~plane, :2], residuals[~height, 2] = np.nan, np.nan
    redundancy, roots, factors = np.full((len(grid), 2), np.nan), [], []
    for k, (used, rows, own) in enumerate(
        ((plane, partials[:, :2, PLANE], of_plane), (height, partials[:, 2:, HEIGHT], of_height))
    ):
        v = residuals[used, :2] if k == 0 else residuals[used, 2:]
        root, redundancy[used, k], factor = _propagated(rows[used] @ own, v / sigma[k])
        factors.append(factor)
        roots.append(own @ root * sigma[k] * max(1.0, np.nan_to_num(factor)))
    whole = np.zeros((7, roots[0].shape[1] + roots[1].shape[1]))
    whole[PLANE, : roots[0].shape[1]], whole[HEIGHT, roots[0].shape[1] :] = roots
    return Fitted(
        similarity=similarity, root=whole, residuals=residuals, redundancy=redundancy, factor=np.array(factors)
    )


def _plane(x: Floats, y: Floats, local: Floats, scale_free: bool) -> tuple[Floats, Floats]:
    """te, tn, a, b of centred points, and how they depend (4, r) on what is free: the scale may be held at one."""
    te, tn = local.mean(axis=0)
    u, v = (local - (te, tn)).T
    a, b = float(x @ u + y @ v), float(x @ v - y @ u)
    if math.hypot(a, b) == 0.0:
        raise GeodesyError(
            "The points do not say how the grids are turned.", where="Local grid", mend="Check their local coordinates."
        )
    length = float(x @ x + y @ y) if scale_free else math.hypot(a, b)
    a, b = a / length, b / length
    if scale_free:
        return np.array([te, tn, a, b]), np.eye(4)
    return np.array([te, tn, a, b]), np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, -b], [0, 0, a]])


def _height(x: Floats, y: Floats, tilted: bool) -> Floats:
    """(3, r): c, ce and cn by what is free: all three, or the shift alone."""
    if not tilted or len(x) < 3:
        return np.eye(3)[:, :1]
    spread = np.linalg.svd(np.column_stack([x - x.mean(), y - y.mean()]), compute_uv=False)
    if spread[1] < LEAST_SPREAD * spread[0]:
        raise GeodesyError(
            "The points used for the height lie on one line: a tilt across it is not determined.",
            where="Local grid",
            mend="Add a point beside the line, or take the height as a shift alone.",
        )
    return np.eye(3)


def _propagated(design: Floats, misfit: Floats) -> tuple[Floats, Floats, float]:
    """Of points' rows (k, d, r) and residuals (k, d) in sigmas: root (r, r) of the parameters' cofactor, redundancy
    (k,) of each point, and the root of the variance factor, NaN without redundancy."""
    k, d, r = design.shape
    flat = design.reshape(k * d, r)
    if not r:
        return np.zeros((0, 0)), np.full(k, np.nan), math.nan
    size = np.linalg.norm(flat, axis=0)
    root = np.linalg.inv(np.linalg.qr(flat / size, mode="r")) / size[:, None]
    leverage = ((flat @ root) ** 2).sum(axis=1).reshape(k, d)
    free = k * d - r
    factor = math.sqrt(float((misfit**2).sum()) / free) if free else math.nan
    return root, np.clip(1.0 - leverage, 0.0, 1.0).mean(axis=1), factor


def detectable(redundancy: Floats, sigma: float) -> Floats:
    """The smallest gross error in metres (k,) of a coordinate that its own test would show: without end for a point
    that nothing checks. Source: Baarda, A testing procedure for use in geodetic networks (1968)."""
    with np.errstate(divide="ignore"):
        return np.asarray(np.where(redundancy > 1e-9, NON_CENTRALITY * sigma / np.sqrt(redundancy), np.inf))
