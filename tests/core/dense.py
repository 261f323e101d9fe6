"""An adjustment written out in full, by other means than the product's: partials by central differences of the
collinearity equations, every unknown in one dense system. Slow and plain, to check against."""

from functools import cached_property

import numpy as np
from numpy.polynomial.legendre import legvander


def rotation(ypr_degrees):
    y, p, r = np.radians(ypr_degrees)
    forward = np.array([np.sin(y) * np.cos(p), np.cos(y) * np.cos(p), np.sin(p)])
    right = np.array([np.cos(y), -np.sin(y), 0.0])
    down = np.cross(forward, right)
    turn = np.array([[np.cos(r), np.sin(r), 0], [-np.sin(r), np.cos(r), 0], [0, 0, 1]])
    return turn @ np.array([right, down, forward])


def image(f, io, attitude, rot, c, x):
    """(k, 2): u, v with interior changes io (k, 7) = df, dcx, dcy, dk1, dk2, dp1, dp2 and small rotations (k, 3) about
    the camera axes, from c (k, 3) to x (k, 3)."""
    v = (x - c) @ rot.T
    x1, x2, x3, (t1, t2, t3) = *v.T, attitude.T
    v = v + np.column_stack([t2 * x3 - t3 * x2, t3 * x1 - t1 * x3, t1 * x2 - t2 * x1])
    a, b = v[:, 0] / v[:, 2], v[:, 1] / v[:, 2]
    q = a * a + b * b
    df, dcx, dcy, k1, k2, p1, p2 = io.T
    radial = 1 + k1 * q + k2 * q * q
    u = (f + df) * a + dcx + f * (a * (radial - 1) + 2 * p1 * a * b + p2 * (q + 2 * a * a))
    w = (f + df) * b + dcy + f * (b * (radial - 1) + p1 * (q + 2 * b * b) + 2 * p2 * a * b)
    return np.column_stack([u, w])


HIGHEST = 8  # degree of a term along one axis
STEPS = np.diag([1e-6] * 3 + [1e-4] * 13)  # of attitude, camera position, interior, point


class Dense:
    """Every observation as a row: design A, weights, and which rows belong to what."""

    def __init__(self, data, least_rays=6):
        self.data = data
        exposures, points = data["exposures"], data["points"]
        self.kept = _oriented(data, least_rays)
        at = 0
        self.exposure_at = {}
        for i in sorted(self.kept):
            self.exposure_at[i], at = at, at + 6
        self.cameras = data.get("cameras") or [data["camera"]]
        self.io_at, at = at, at + 7 * len(self.cameras)
        self.shift_at = [at + 3 * s for s in range(len(data["shifts"]))]
        at += 3 * len(data["shifts"])
        self.point_at = {}
        for j, p in enumerate(points):
            if not p.get("check") and (p.get("sigma_x") or len(self.rays(p)) >= 2):
                self.point_at[j], at = at, at + 3
        self.size = at
        self.terms = [
            (k, axis, i, j, sigma)
            for k, cam in enumerate(self.cameras)
            for axis, i, j, sigma in cam.get("deformation") or []
        ]
        rows, weights, moved = [], [], []

        def row(entries, sigma, of_terms=None):
            line = np.zeros(self.size)
            for k, v in entries:
                line[k] += v
            rows.append(line)
            weights.append(1 / sigma**2)
            moved.append(np.zeros(len(self.terms)) if of_terms is None else of_terms)

        for j in self.point_at:
            p = points[j]
            for i, sigma in zip(self.rays(p), self.sigmas(p), strict=True):
                je, ji, jx = self.partials(i, p["x"])
                js = self.moved_by_terms(i, p["x"])
                for a in range(2):
                    entries = [(self.exposure_at[i] + k, je[a, k]) for k in range(6)]
                    entries += [(self.interior_of(i) + k, ji[a, k]) for k in range(7)]
                    entries += [(self.point_at[j] + k, jx[a, k]) for k in range(3)]
                    row(entries, sigma, js[a])
            for a in range(3):
                if p.get("sigma_x"):
                    hang = [(self.shift_at[s] + d, m[a, d]) for s, m in self.hanging(p) for d in range(3)]
                    row([(self.point_at[j] + a, 1.0), *hang], p["sigma_x"][a])
        for i in self.exposure_at:
            e = exposures[i]
            for a in range(3):
                if e.get("sigma_c"):
                    hang = [(self.shift_at[s] + d, m[a, d]) for s, m in self.hanging(e) for d in range(3)]
                    row([(self.exposure_at[i] + 3 + a, 1.0), *hang], e["sigma_c"][a])
        for k, s in enumerate(s for cam in self.cameras for s in cam["sigma_io"]):
            if s:
                row([(self.io_at + k, 1.0)], s)
        for s, shift in enumerate(data["shifts"]):
            for a in range(3):
                row([(self.shift_at[s] + a, 1.0)], shift["sigma"][a])
        self.design, self.weights, self.moved = np.array(rows), np.array(weights), np.array(moved)
        self.prior_rows = np.arange(len(rows) - 3 * len(data["shifts"]), len(rows))
        self.normal = self.design.T @ (self.weights[:, None] * self.design)

    @staticmethod
    def hanging(position):
        """The shifts of a position, and what it holds of each (3, 3)."""
        whole = [[1.0] * 3] * len(position["shifts"])
        shares = [np.array(s) if np.ndim(s) == 2 else np.diag(s) for s in position.get("shares", whole)]
        return list(zip(position["shifts"], shares, strict=True))

    def over_unknowns(self, position):
        """What a position holds of the shifts, as rows (3, size)."""
        out = np.zeros((3, self.size))
        for s, share in self.hanging(position):
            out[:, self.shift_at[s] : self.shift_at[s] + 3] += share
        return out

    def delivered(self, p):
        """The same of a point as it is delivered."""
        return self.over_unknowns(p.get("delivered") or {"shifts": []})

    def rays(self, p):
        return [i for i in p["rays"] if i in self.kept]

    def sigmas(self, p):
        """Pixels of each of the point's rays."""
        each = p["sigma_px"] if isinstance(p["sigma_px"], list) else [p["sigma_px"]] * len(p["rays"])
        return [s for i, s in zip(p["rays"], each, strict=True) if i in self.kept]

    def interior_of(self, i):
        return self.io_at + 7 * self.data["exposures"][i].get("camera", 0)

    def partials(self, i, x):
        e = self.data["exposures"][i]
        f = self.cameras[e.get("camera", 0)]["f_px"]
        rot = rotation(e["ypr"])

        def at(steps):
            attitude, moved, interior, shifted = np.split(steps, [3, 6, 13], axis=1)
            return image(f, interior, attitude, rot, e["c"] + moved, x + shifted)

        j = ((at(STEPS) - at(-STEPS)) / (2 * np.diag(STEPS)[:, None])).T
        return j[:, :6], j[:, 6:13], j[:, 13:]

    def moved_by_terms(self, i, x):
        """Pixels (2, terms) that each term moves the image of x in exposure i, for one of its sigmas."""
        e = self.data["exposures"][i]
        camera = self.cameras[e.get("camera", 0)]
        nothing = np.zeros((1, 7)), np.zeros((1, 3))
        ((u, v),) = image(camera["f_px"], *nothing, rotation(e["ypr"]), np.array(e["c"]), np.array([x]))
        out = np.zeros((2, len(self.terms)))
        across, along = legvander(np.array([2 * u / camera["width_px"], 2 * v / camera["height_px"]]), HIGHEST)
        for t, (k, axis, a, b, sigma) in enumerate(self.terms):
            if k == e.get("camera", 0):
                out[axis, t] = sigma * across[a] * along[b]
        return out

    def effect(self):
        """What the terms do to the adjusted unknowns (size, terms), which know nothing of them."""
        return self.covariance() @ (self.design.T @ (self.weights[:, None] * self.moved))

    def own_effect(self, p):
        """What the terms do (3, terms) to a point intersected afterwards, through its own rays."""
        _, inverse = self.intersection(p)
        of_rays = zip(self.rays(p), self.sigmas(p), strict=True)
        return inverse @ sum(self.partials(i, p["x"])[2].T @ self.moved_by_terms(i, p["x"]) / s**2 for i, s in of_rays)

    def covariance(self):
        return self._covariance

    @cached_property
    def _covariance(self):
        d = 1 / np.sqrt(np.diag(self.normal))
        return np.linalg.inv(self.normal * d[:, None] * d) * d[:, None] * d

    def intersection(self, p):
        """Rows taking the unknowns to a point intersected afterwards, and its own noise."""
        a_pp, g = np.zeros((3, 3)), np.zeros((3, self.size))
        for i, sigma in zip(self.rays(p), self.sigmas(p), strict=True):
            je, ji, jx = self.partials(i, p["x"])
            w = 1 / sigma**2
            a_pp += w * jx.T @ jx
            g[:, self.exposure_at[i] : self.exposure_at[i] + 6] += w * jx.T @ je
            g[:, self.interior_of(i) : self.interior_of(i) + 7] += w * jx.T @ ji
        inverse = np.linalg.inv(a_pp)
        return -inverse @ g, inverse


def _oriented(data, least):
    """Exposures with enough rays to points that take part, settled as the contract says."""
    kept = set(range(len(data["exposures"])))
    while True:
        used = [
            [i for i in p["rays"] if i in kept]
            for p in data["points"]
            if not p.get("check") and (p.get("sigma_x") or sum(i in kept for i in p["rays"]) >= 2)
        ]
        enough = {i for i in kept if sum(i in rays for rays in used) >= least}
        if enough == kept:
            return kept
        kept = enough
