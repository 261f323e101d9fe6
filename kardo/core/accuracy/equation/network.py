"""The linear network: what is unknown, what is observed, and how well. The published exchange of `kardo predict
--network` is this object, and nothing that the prediction uses lies outside it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, get_args

import numpy as np

from kardo.core.accuracy.equation.deformation import HIGHEST, Deformation
from kardo.core.arrays import Bools, Floats, Ints, Json, Lists
from kardo.core.errors import NetworkError
from kardo.core.flight.ground.imaging import rotations
from kardo.core.gnss.shifts import Kind, Shift
from kardo.core.plan.naming import reference, without_braces


@dataclass(frozen=True)
class Network:
    """A planned adjustment. Metres, pixels and radians, east-north-up, one standard deviation.

    f_px (k,) and sigma_io (k, 7) per camera, cameras their names, deformation what their images share; shifts with
    shift_sigma (s, 3); exposures c, ypr, sigma_c, sigma_att (n, 3); points x, sigma_x (m, 3), rays to exposures, and
    sigma_px (r,) of every ray. A sigma of NaN means "not observed"; infinity means "free, no prior". check[j] marks a
    point intersected afterwards, which takes no part in the network. A check is the second, surveyed position of a
    point. What a surveyed position holds of its shifts, point_shares and check_shares (q, 3, 3) along with the values
    of point_shifts and check_shifts, is the whole (the unit matrix), a part as a mean over several bases, or what a
    shift makes of a place; exposure_shares likewise what a camera position does. A point is delivered with
    delivered_shares of delivered_shifts in its coordinates; check_delivered tells the checks that were surveyed in
    delivered coordinates and hold no such thing. sigma_att is about the camera axes: right (pitch), down (yaw), forward
    (roll)."""

    f_px: Floats
    sigma_io: Floats
    cameras: tuple[str, ...]
    deformation: Deformation
    shifts: tuple[Shift, ...]
    shift_sigma: Floats
    c: Floats
    ypr: Floats
    sigma_c: Floats
    sigma_att: Floats
    camera: Ints
    exposure_shifts: Lists
    exposure_shares: Floats
    names: tuple[str, ...]
    x: Floats
    sigma_px: Floats
    rays: Lists
    sigma_x: Floats
    point_shifts: Lists
    point_shares: Floats
    check: Bools
    check_point: Ints
    check_sigma: Floats
    check_shifts: Lists
    check_shares: Floats
    delivered_shifts: Lists
    delivered_shares: Floats
    check_delivered: Bools

    @property
    def n_exposures(self) -> int:
        """How many exposures there are."""
        return len(self.c)

    @property
    def shift_names(self) -> tuple[str, ...]:
        """What each shift is called in words that are stored: a reference, or the name that a bare network gave."""
        return tuple(s.id if s.kind == "shift" else reference(s.kind, s.id) for s in self.shifts)

    @property
    def surveyed(self) -> Bools:
        """Points with a surveyed position that takes part in the network (the targets)."""
        return np.isfinite(self.sigma_x).all(axis=1) & ~self.check

    def without_points(self, drop: Bools) -> "Network":
        """The network with the surveyed position and rays of some points left out; indices keep their place."""
        keep = ~drop[self.rays.owner()]
        return replace(
            self,
            sigma_x=np.where(drop[:, None], np.nan, self.sigma_x),
            rays=self.rays.keep(keep),
            sigma_px=self.sigma_px[keep],
        )

    def to_json(self) -> Json:
        """NETWORK.json of docs/accuracy.md: lists of plain numbers, degrees for angles."""
        data: Json = {
            "camera": self._camera_json(0),
            "shifts": [
                {
                    "name": s.id if s.kind == "shift" else f"{s.kind} {s.id}",
                    "kind": s.kind,
                    "id": s.id,
                    "sigma": _numbers(w),
                }
                for s, w in zip(self.shifts, self.shift_sigma, strict=True)
            ],
            "exposures": [self._exposure_json(i) for i in range(self.n_exposures)],
            "points": [self._point_json(j) for j in range(len(self.x))],
            "checks": [
                {"point": int(p), "sigma_x": s.tolist(), **_hanging_json(self.check_shifts, self.check_shares, k)}
                | ({"delivered": True} if self.check_delivered[k] else {})
                for k, (p, s) in enumerate(zip(self.check_point, self.check_sigma, strict=True))
            ],
        }
        if len(self.f_px) > 1:
            data["cameras"] = [self._camera_json(k) for k in range(len(self.f_px))]
        return data

    def _camera_json(self, k: int) -> Json:
        width, height = (int(px) if np.isfinite(px) else None for px in self.deformation.frame[k])
        return {
            "f_px": float(self.f_px[k]),
            "sigma_io": _numbers(self.sigma_io[k]),
            "width_px": width,
            "height_px": height,
            "deformation": self.deformation.rows(k) or None,
        }

    def _exposure_json(self, i: int) -> Json:
        one: Json = {
            "c": self.c[i].tolist(),
            "ypr": np.degrees(self.ypr[i]).tolist(),
            "sigma_c": _optional(self.sigma_c[i]),
            **_hanging_json(self.exposure_shifts, self.exposure_shares, i),
            "sigma_att": _optional(np.degrees(self.sigma_att[i][[2, 0, 1]])),
        }
        if len(self.f_px) > 1:
            one["camera"] = int(self.camera[i])
        return one

    def _point_json(self, j: int) -> Json:
        return {
            "name": without_braces(self.names[j]),
            "x": self.x[j].tolist(),
            "sigma_px": _one_or_all(self.sigma_px[self.rays.start[j] : self.rays.start[j + 1]]),
            "rays": self.rays[j].tolist(),
            "sigma_x": _optional(self.sigma_x[j]),
            **_hanging_json(self.point_shifts, self.point_shares, j),
            "check": bool(self.check[j]),
            **self._delivered_json(j),
        }

    def _delivered_json(self, j: int) -> Json:
        held = _hanging_json(self.delivered_shifts, self.delivered_shares, j)
        return {"delivered": held} if held["shifts"] else {}


WHOLE = np.eye(3)  # a shift held whole
MOST_SHARE = 1e6  # of a shift, whatever it makes of a place


def shares_matrix(shifts: Lists, shares: Floats, count: int) -> Floats:
    """What every position holds of each of `count` shifts, by their shares (q, 3, 3), as a matrix (3k, 3 count)."""
    out = np.zeros((len(shifts), count, 3, 3))
    np.add.at(out, (shifts.owner(), shifts.values), shares)
    return out.transpose(0, 2, 1, 3).reshape(3 * len(shifts), 3 * count)


def _hanging_json(shifts: Lists, shares: Floats, k: int) -> Json:
    """The shifts of a surveyed position, and its shares of them where it does not hold them whole."""
    own = shares[shifts.start[k] : shifts.start[k + 1]]
    return {"shifts": shifts[k].tolist()} | ({} if (own == WHOLE).all() else {"shares": [_share_json(s) for s in own]})


def _share_json(share: Floats) -> list[Any]:
    """A share as it is written: three numbers where each axis holds its own alone, else the matrix."""
    axes = np.diag(share)
    return list(axes.tolist() if (share == np.diag(axes)).all() else share.tolist())


def _one_or_all(sigma: Floats) -> float | list[float]:
    """The sigma of a point's rays: one number where they share it."""
    return float(sigma[0]) if len(sigma) and (sigma == sigma[0]).all() else sigma.tolist()


def _optional(values: Floats) -> list[float] | None:
    return None if np.isnan(values).any() else values.tolist()


def _numbers(sigma: Floats) -> list[float | None]:
    return [float(s) if np.isfinite(s) else None for s in sigma]


def network_from_json(data: Json) -> Network:
    """Read NETWORK.json. Raises NetworkError naming the object that is wrong."""
    try:
        _refuse_unknown(data)
        network = _read(data)
    except (KeyError, TypeError, ValueError, AttributeError) as fault:
        raise NetworkError(
            f"This is not a network in Kardo's layout ({type(fault).__name__}: {fault}).",
            mend="See docs/accuracy.md, section 8, for the layout.",
        ) from fault
    _validate(network)
    return network


KEYS = {
    "network": {"camera", "cameras", "shifts", "exposures", "points", "checks"},
    "cameras": {"name", "f_px", "sigma_io", "width_px", "height_px", "deformation"},
    "shifts": {"name", "kind", "id", "sigma"},
    "exposures": {"c", "ypr", "sigma_c", "shifts", "shares", "sigma_att", "camera"},
    "points": {"name", "x", "sigma_px", "rays", "sigma_x", "shifts", "shares", "check", "delivered"},
    "checks": {"point", "sigma_x", "shifts", "shares", "delivered"},
}


def _refuse_unknown(data: Json) -> None:
    """A key that is passed over would be a figure that is missing from the prediction."""
    rows = {where: data.get(where) or [] for where in KEYS} | {"network": [data]}
    rows["cameras"] = [*rows["cameras"], data.get("camera")]
    for where, known in KEYS.items():
        for k, row in enumerate(rows[where]):
            if odd := sorted(set(row or ()) - known):
                raise NetworkError(
                    f"“{odd[0]}” is not a key that Kardo knows there.",
                    where=f"{where}[{k}]",
                    mend="Remove it, or see docs/accuracy.md, section 8, for what it may be called.",
                )


def _read(data: Json) -> Network:
    cameras = data.get("cameras") or [data["camera"]]
    shifts, exposures = data.get("shifts", []), data["exposures"]
    points, checks = data["points"], data.get("checks", [])
    delivered = [p.get("delivered") or {} for p in points]
    att = np.radians(_triples([e.get("sigma_att") for e in exposures], np.nan))
    rays = [p.get("rays") or [] for p in points]
    return Network(
        f_px=np.array([c["f_px"] for c in cameras], dtype=float),
        sigma_io=np.array([_free(c["sigma_io"], 7) for c in cameras]).reshape(-1, 7),
        cameras=tuple(str(c.get("name", k + 1)) for k, c in enumerate(cameras)),
        deformation=Deformation.of([_frame(c) for c in cameras], [_terms(c) for c in cameras]),
        shifts=tuple(_shift(s) for s in shifts),
        shift_sigma=np.array([_free(s.get("sigma"), 3) for s in shifts]).reshape(-1, 3),
        c=_triples([e["c"] for e in exposures], np.nan),
        ypr=np.radians(_triples([e["ypr"] for e in exposures], np.nan)),
        sigma_c=_triples([e.get("sigma_c") for e in exposures], np.nan),
        sigma_att=att[:, [1, 2, 0]],  # the file's order is roll, pitch, yaw
        camera=np.array([e.get("camera", 0) for e in exposures], dtype=np.int64),
        exposure_shifts=Lists.of([e.get("shifts") or [] for e in exposures]),
        exposure_shares=_shares(exposures),
        names=tuple(str(p.get("name", j)) for j, p in enumerate(points)),
        x=_triples([p["x"] for p in points], np.nan),
        sigma_px=np.concatenate([[], *(_per_ray(p["sigma_px"], len(r)) for p, r in zip(points, rays, strict=True))]),
        rays=Lists.of(rays),
        sigma_x=_triples([p.get("sigma_x") for p in points], np.nan),
        point_shifts=Lists.of([p.get("shifts") or [] for p in points]),
        point_shares=_shares(points),
        check=np.array([bool(p.get("check")) for p in points], dtype=bool),
        check_point=np.array([c["point"] for c in checks], dtype=np.int64),
        check_sigma=_triples([c["sigma_x"] for c in checks], np.nan),
        check_shifts=Lists.of([c.get("shifts") or [] for c in checks]),
        check_shares=_shares(checks),
        delivered_shifts=Lists.of([d.get("shifts") or [] for d in delivered]),
        delivered_shares=_shares(delivered),
        check_delivered=np.array([bool(c.get("delivered")) for c in checks], dtype=bool),
    )


def _frame(camera: Json) -> tuple[float, float]:
    width, height = (camera.get(side) for side in ("width_px", "height_px"))
    return (np.nan if width is None else float(width), np.nan if height is None else float(height))


def _terms(camera: Json) -> list[list[float]]:
    """A camera's rows (axis, i, j, sigma)."""
    rows = [[float(v) for v in row] for row in camera.get("deformation") or []]
    for row in rows:
        if len(row) != 4:
            raise ValueError(f"a term of a deformation is [axis, i, j, sigma], not {row}")
        axis, i, j, sigma = row
        if not np.isfinite(sigma) or axis not in (0, 1) or not all(0 <= k <= HIGHEST and k == int(k) for k in (i, j)):
            raise ValueError(
                f"a term moves axis 0 or 1, by polynomials of degree 0 to {HIGHEST}, with a finite sigma; not {row}"
            )
    return rows


def _shares(positions: Sequence[Json]) -> Floats:
    """What each position holds of its shifts, (q, 3, 3): the whole of them unless it says otherwise."""
    rows: list[Floats] = []
    for one in positions:
        count = len(one.get("shifts") or [])
        own = one.get("shares") or [[1.0] * 3] * count
        if len(own) != count:
            raise ValueError(f"{count} shifts, but {len(own)} shares of them")
        rows += [_share(np.array(share, dtype=np.float64)) for share in own]
    return np.array(rows, dtype=np.float64).reshape(-1, 3, 3)


def _share(share: Floats) -> Floats:
    if share.shape not in ((3,), (3, 3)):
        raise ValueError("a share is three numbers, or three rows of three")
    return np.diag(share) if share.ndim == 1 else share


def _shift(row: Json) -> Shift:
    kind, key = row.get("kind", "shift"), str(row.get("id", row["name"]))
    if kind not in get_args(Kind):
        raise ValueError(f"no shift is of the kind {kind}")
    east, north, up = _free(row.get("sigma"), 3)
    return Shift(kind, key, (east, north, up))


def _per_ray(sigma: float | Sequence[float], count: int) -> Floats:
    out = (
        np.broadcast_to(np.asarray(sigma, dtype=float), count)
        if np.ndim(sigma) == 0
        else np.asarray(sigma, dtype=float)
    )
    if len(out) != count:
        raise ValueError(f"{count} rays, but {len(out)} sigmas for them")
    return out


def _triples(rows: Sequence[Any], missing: float) -> Floats:
    return np.array([[missing] * 3 if r is None else [float(v) for v in r] for r in rows], dtype=float).reshape(-1, 3)


def _free(values: Sequence[float | None] | None, n: int) -> list[float]:
    if values is None:
        return [np.inf] * n
    if len(values) != n:
        raise ValueError(f"{n} sigmas expected, {len(values)} given")
    return [np.inf if v is None else float(v) for v in values]


def _validate(net: Network) -> None:
    for name, values in (("exposures", net.c), ("exposures", net.ypr), ("points", net.x)):
        bad = np.flatnonzero(~np.isfinite(values).all(axis=1))
        if bad.size:
            raise NetworkError("A coordinate or angle is missing or not a number.", where=f"{name}[{bad[0]}]")
    sigmas = (
        ("camera.sigma_io", net.sigma_io),
        ("camera.deformation", net.deformation.sigma[:, None]),
        ("shifts", net.shift_sigma),
        ("exposures.sigma_c", net.sigma_c),
        ("exposures.sigma_att", net.sigma_att),
        ("points.sigma_px", net.sigma_px[:, None]),
        ("points.sigma_x", net.sigma_x),
        ("checks.sigma_x", net.check_sigma),
    )
    for name, values in sigmas:
        bad = np.flatnonzero((values <= 0).any(axis=1)) if values.size else np.array([])
        if bad.size:
            raise NetworkError("A standard deviation must be greater than zero.", where=f"{name}, entry {bad[0]}")
    ranges = (
        ("rays of points", net.rays.values, net.n_exposures),
        ("shifts of points", net.point_shifts.values, len(net.shift_sigma)),
        ("shifts of exposures", net.exposure_shifts.values, len(net.shift_sigma)),
        ("shifts of checks", net.check_shifts.values, len(net.shift_sigma)),
        ("shifts that points are delivered with", net.delivered_shifts.values, len(net.shift_sigma)),
        ("point of checks", net.check_point, len(net.x)),
        ("camera of exposures", net.camera, len(net.f_px)),
    )
    for name, index, limit in ranges:
        if index.size and (index.min() < 0 or index.max() >= limit):
            raise NetworkError(f"An index is outside 0 to {limit - 1}.", where=name)
    every = (
        ("exposures", net.exposure_shares),
        ("points", net.point_shares),
        ("checks", net.check_shares),
        ("delivered points", net.delivered_shares),
    )
    for name, shares in every:
        if not (np.abs(shares) <= MOST_SHARE).all():
            raise NetworkError(f"A share of a shift is a number of at most {MOST_SHARE:g}.", where=f"shares of {name}")
    if not np.isfinite(net.check_sigma).all():
        raise NetworkError("Every check needs its own three standard deviations.", where="checks")
    without = np.flatnonzero(~(net.deformation.frame > 0).all(axis=1) & (np.diff(net.deformation.terms.start) > 0))
    if without.size:
        raise NetworkError(
            "A deformation needs the image's width_px and height_px.", where=f"cameras, entry {without[0]}"
        )
    behind = _behind(net)
    if behind is not None:
        raise NetworkError(
            f"Point {net.names[behind[0]]} lies behind the image plane of exposure {behind[1]}.",
            where=f"points[{behind[0]}].rays",
            mend="Remove that ray or correct the exposure's attitude.",
        )


def _behind(net: Network) -> tuple[int, int] | None:
    if not net.rays.values.size:
        return None
    owner, seen = net.rays.owner(), net.rays.values
    depth = np.einsum("nj,nj->n", rotations(net.ypr)[seen][:, 2], net.x[owner] - net.c[seen])
    bad = np.flatnonzero(depth <= 0)
    return (int(owner[bad[0]]), int(seen[bad[0]])) if bad.size else None
