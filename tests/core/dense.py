"""An adjustment written out in full, by other means than the product's: partials by central differences of the
collinearity equations, every unknown in one dense system. Slow and plain, to check against."""

import numpy as np
from numpy.polynomial.legendre import legval


def rotation(ypr_degrees):
    y, p, r = np.radians(ypr_degrees)
    forward = np.array([np.sin(y) * np.cos(p), np.cos(y) * np.cos(p), np.sin(p)])
    right = np.array([np.cos(y), -np.sin(y), 0.0])
    down = np.cross(forward, right)
    turn = np.array([[np.cos(r), np.sin(r), 0], [-np.sin(r), np.cos(r), 0], [0, 0, 1]])
    return turn @ np.array([right, down, forward])


def image(f, io, attitude, rot, c, x):
    """(u, v) with interior changes io = df, dcx, dcy, dk1, dk2, dp1, dp2 and a small rotation about the camera axes."""
    v = rot @ (x - c)
    v = v + np.cross(attitude, v)
    a, b = v[0] / v[2], v[1] / v[2]
    q = a * a + b * b
    radial = 1 + io[3] * q + io[4] * q * q
    u = (f + io[0]) * a + io[1] + f * (a * (radial - 1) + 2 * io[5] * a * b + io[6] * (q + 2 * a * a))
    w = (f + io[0]) * b + io[2] + f * (b * (radial - 1) + io[5] * (q + 2 * b * b) + 2 * io[6] * a * b)
    return np.array([u, w])


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
                    hang = [(self.shift_at[s] + a, 1.0) for s in e["shifts"]]
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
        rot, c, x = rotation(e["ypr"]), np.array(e["c"]), np.array(x)
        zero7, zero3 = np.zeros(7), np.zeros(3)

        def central(make, n, h):
            return np.column_stack([(make(h * np.eye(n)[k]) - make(-h * np.eye(n)[k])) / (2 * h) for k in range(n)])

        jt = central(lambda d: image(f, zero7, d, rot, c, x), 3, 1e-6)
        jc = central(lambda d: image(f, zero7, zero3, rot, c + d, x), 3, 1e-4)
        ji = central(lambda d: image(f, d, zero3, rot, c, x), 7, 1e-4)
        jx = central(lambda d: image(f, zero7, zero3, rot, c, x + d), 3, 1e-4)
        return np.hstack([jt, jc]), ji, jx

    def moved_by_terms(self, i, x):
        """Pixels (2, terms) that each term moves the image of x in exposure i, for one of its sigmas."""
        e = self.data["exposures"][i]
        camera = self.cameras[e.get("camera", 0)]
        u, v = image(camera["f_px"], np.zeros(7), np.zeros(3), rotation(e["ypr"]), np.array(e["c"]), np.array(x))
        out = np.zeros((2, len(self.terms)))
        for t, (k, axis, a, b, sigma) in enumerate(self.terms):
            if k == e.get("camera", 0):
                shape = legval(2 * u / camera["width_px"], np.eye(a + 1)[a])
                shape *= legval(2 * v / camera["height_px"], np.eye(b + 1)[b])
                out[axis, t] = sigma * shape
        return out

    def effect(self):
        """What the terms do to the adjusted unknowns (size, terms), which know nothing of them."""
        return self.covariance() @ self.design.T @ (self.weights[:, None] * self.moved)

    def own_effect(self, p):
        """What the terms do (3, terms) to a point intersected afterwards, through its own rays."""
        _, inverse = self.intersection(p)
        of_rays = zip(self.rays(p), self.sigmas(p), strict=True)
        return inverse @ sum(self.partials(i, p["x"])[2].T @ self.moved_by_terms(i, p["x"]) / s**2 for i, s in of_rays)

    def covariance(self):
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
