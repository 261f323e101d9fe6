"""A laser flight as NETWORK.json has it: read, and written. Source of the layout: docs/laser.md."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from kardo.core.accuracy.scan.network import UP, Compared, LaserNetwork, Returns, Sightings, Tie
from kardo.core.arrays import Floats, Ints, Json
from kardo.core.errors import NetworkError
from kardo.core.plan.flights import Adjustment


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
    held = np.zeros((len(returns), len(shifts)))
    for k, one in enumerate(returns):
        hung = [_index(int(i), len(shifts), "shift") for i in one.get("shifts", [])]
        held[k, hung] = np.array(one.get("shares", np.ones(len(hung))), dtype=np.float64).reshape(len(hung))
    net = LaserNetwork(
        names=tuple(str(p["name"]) for p in parameters),
        reaches=tuple(str(p["reach"]) for p in parameters),
        sigma=np.array([float(p["sigma"]) for p in parameters]),
        shifts=np.array([s["sigma"] for s in shifts], dtype=np.float64).reshape(-1, 3),
        returns=Returns(partials, np.array([r["sigma"] for r in returns], dtype=np.float64).reshape(-1, 3), held),
        places=tuple(_shares(p["returns"], len(returns)) for p in laser["places"]),
        targets=tuple(_surveyed(t, len(laser["places"]), len(shifts)) for t in laser.get("targets", [])),
        checks=tuple(_surveyed(t, len(laser["places"]), len(shifts)) for t in laser.get("checks", [])),
        ties=tuple(_tie(t, len(laser["places"])) for t in laser.get("ties", [])),
        adjustment=_adjustment(laser.get("adjustment", "matched")),
    )
    sigmas = [net.sigma, net.shifts, net.returns.sigma, np.array([t.sigma for t in net.ties])]
    if not all(np.isfinite(s).all() and (s >= 0).all() for s in sigmas) or not (
        np.isfinite(partials).all() and np.isfinite(held).all()
    ):
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


def _surveyed(row: Any, places: int, shifts: int) -> Compared:
    sigma = np.array([np.nan if v is None else float(v) for v in row["sigma_x"]])
    if len(sigma) != 3 or (sigma <= 0).any():
        raise ValueError("sigma_x of a target is three numbers above zero, or null")
    hung = tuple(_index(int(i), shifts, "shift") for i in row.get("shifts", []))
    shares = np.array(row.get("shares", np.ones((len(hung), 3))), dtype=np.float64).reshape(len(hung), 3)
    return Compared(
        place=_index(int(row["place"]), places, "place"), sigma=sigma, shifts=hung, shares=shares, read=_read_as(row)
    )


def _tie(row: Any, places: int) -> Tie:
    one, other = (_index(int(i), places, "place") for i in row["places"])
    return Tie(one, other, float(row["sigma"]), _read_as(row))


def _read_as(row: Any) -> Floats:
    read = np.array(row.get("read", UP), dtype=np.float64)
    if read.shape != (3,) or not np.isfinite(read).all():
        raise ValueError("what is read of a place is three numbers")
    return read


def _adjustment(word: Any) -> Adjustment:
    if word not in ("none", "height", "position", "matched"):
        raise ValueError(f"“{word}” is no adjustment")
    return word


def laser_to_json(net: LaserNetwork) -> Json:
    """The same flight in that layout."""

    def compared(rows: tuple[Compared, ...]) -> list[Json]:
        return [
            {
                "place": c.place,
                "sigma_x": [None if np.isnan(v) else v for v in c.sigma.tolist()],
                "shifts": list(c.shifts),
                "shares": c.shares.tolist(),
                "read": c.read.tolist(),
            }
            for c in rows
        ]

    parameters = zip(net.names, net.reaches, net.sigma.tolist(), strict=True)
    seen = net.returns.sightings
    returns = [
        {
            "partials": {str(j): partial[:, j].tolist() for j in np.flatnonzero(partial.any(axis=0))},
            "sigma": sigma.tolist(),
            "shifts": np.flatnonzero(held).tolist(),
            "shares": held[held != 0].tolist(),
        }
        | ({} if seen is None else _sighting(seen, k))
        for k, (partial, sigma, held) in enumerate(
            zip(net.returns.partials, net.returns.sigma, net.returns.held, strict=True)
        )
    ]
    return {
        "adjustment": net.adjustment,
        "parameters": [{"name": name, "reach": reach, "sigma": sigma} for name, reach, sigma in parameters],
        "returns": returns,
        "places": [
            {"returns": [[int(i), float(w)] for i, w in zip(which, share, strict=True)]}
            | ({} if seen is None else {"x": (share @ seen.x[which]).tolist()})
            for which, share in net.places
        ],
        "targets": compared(net.targets),
        "checks": compared(net.checks),
        "ties": [{"places": [t.one, t.other], "sigma": t.sigma, "read": t.read.tolist()} for t in net.ties],
    }


def _sighting(seen: Sightings, k: int) -> Json:
    """Metres, and degrees of `ypr`."""
    return {
        "x": seen.x[k].tolist(),
        "scanner": seen.scanner[k].tolist(),
        "ypr": np.degrees(seen.ypr[k]).tolist(),
        "range": float(seen.ranges[k]),
        "strip": int(seen.strip[k]),
    }
