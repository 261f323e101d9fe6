"""What of the sky a point sees: satellites over its horizon, how many, and what their geometry is worth."""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from pyproj import Transformer

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.sky.ephemeris import Ephemerides
from kardo.core.sky.orbits import SYSTEMS, Almanac

STEPS = 360  # a horizon holds an elevation for each degree of azimuth, true north first
CLOCKS = {"J": "G"}  # systems that go by another's clock
OPEN = np.zeros(STEPS)
_TO_EARTH = Transformer.from_pipeline(
    "+proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=cart +ellps=GRS80"
)


@dataclass(frozen=True)
class Sky:
    """What p points see at k moments (seconds of GPS time) of n satellites. counts (p, k); gdop, pdop, hdop, vdop, tdop
    (p, k), NaN where too few are seen to fix a position; azimuth and elevation (p, k, n) in degrees, seen (p, k, n)."""

    moments: Floats
    names: tuple[str, ...]
    counts: Ints
    gdop: Floats
    pdop: Floats
    hdop: Floats
    vdop: Floats
    tdop: Floats
    azimuth: Floats
    elevation: Floats
    seen: Bools


def sky(almanac: Almanac | Ephemerides, moments: Floats, places: Floats, horizons: Floats, mask: float = 15.0) -> Sky:
    """What places (p, 3), longitude and latitude in degrees and ellipsoidal metres, see at moments (k,) over their
    horizons (p, 360), elevation in degrees by degree of azimuth, and over the mask, degrees.

    Dilution of precision with one clock for each system seen: GDOP of all, PDOP, HDOP and VDOP of the position, TDOP of
    the clocks. Source: Langley, Dilution of precision, GPS World 10(5), 1999."""
    own = almanac.usable()
    where = np.ascontiguousarray(own.at(moments))
    earth = np.stack(_TO_EARTH.transform(places[:, 0], places[:, 1], places[:, 2]), axis=-1)
    systems = np.array([list(SYSTEMS).index(CLOCKS.get(s, s)) for s in own.systems])
    lon, lat = np.radians(places[:, 0]), np.radians(places[:, 1])
    shape = (len(places), len(moments))
    azimuth, elevation = (np.empty((*shape, len(own.names))) for _ in range(2))
    seen = np.zeros((*shape, len(own.names)), dtype=np.bool_)
    dops, counts = np.full((*shape, 5), np.nan), np.zeros(shape, dtype=np.int64)
    _look(where, earth, lon, lat, np.ascontiguousarray(horizons), mask, systems, azimuth, elevation, seen, dops, counts)
    g, p, h, v, t = np.moveaxis(dops, -1, 0)
    return Sky(
        moments=np.asarray(moments),
        names=own.names,
        counts=counts,
        gdop=g,
        pdop=p,
        hdop=h,
        vdop=v,
        tdop=t,
        azimuth=azimuth,
        elevation=elevation,
        seen=seen,
    )


@njit(parallel=True, cache=True)
def _look(
    where: Floats,
    earth: Floats,
    lon: Floats,
    lat: Floats,
    horizons: Floats,
    mask: float,
    systems: Ints,
    azimuth: Floats,
    elevation: Floats,
    seen: Bools,
    dops: Floats,
    counts: Ints,
) -> None:
    """Every satellite from every place at every moment: fills the last five."""
    places, moments, n = seen.shape
    for job in prange(places * moments):
        p, t = job // moments, job % moments
        sl, cl, sp, cp = math.sin(lon[p]), math.cos(lon[p]), math.sin(lat[p]), math.cos(lat[p])
        normal = np.zeros((7, 7))
        used = np.zeros(4, dtype=np.int64)
        row = np.zeros(4)
        for s in range(n):
            dx, dy, dz = where[t, s, 0] - earth[p, 0], where[t, s, 1] - earth[p, 1], where[t, s, 2] - earth[p, 2]
            east = -sl * dx + cl * dy
            north = -sp * cl * dx - sp * sl * dy + cp * dz
            up = cp * cl * dx + cp * sl * dy + sp * dz
            far = math.sqrt(east * east + north * north + up * up)
            high = math.degrees(math.asin(up / far))
            bearing = math.degrees(math.atan2(east, north)) % 360.0
            azimuth[p, t, s], elevation[p, t, s] = bearing, high
            if high < mask:
                continue
            k = int(bearing) % 360
            share = bearing - int(bearing)
            edge = horizons[p, k] + share * (horizons[p, (k + 1) % 360] - horizons[p, k])
            if high < edge:
                continue
            seen[p, t, s] = True
            counts[p, t] += 1
            used[systems[s]] += 1
            row[0], row[1], row[2] = east / far, north / far, up / far
            clock = 3 + systems[s]
            for i in range(3):
                for j in range(3):
                    normal[i, j] += row[i] * row[j]
                normal[i, clock] += row[i]
                normal[clock, i] += row[i]
            normal[clock, clock] += 1.0
        _dilution(normal, used, counts[p, t], dops[p, t])


@njit(cache=True)
def _dilution(normal: Floats, used: Ints, count: int, out: Floats) -> None:
    """GDOP, PDOP, HDOP, VDOP, TDOP from the normal matrix of three coordinates and four clocks, of which only some are
    used."""
    order = 3
    keep = np.zeros(7, dtype=np.int64)
    keep[1], keep[2] = 1, 2
    for s in range(4):
        if used[s]:
            keep[order] = 3 + s
            order += 1
    if count < order:
        return
    small = np.empty((order, order))
    for i in range(order):
        for j in range(order):
            small[i, j] = normal[keep[i], keep[j]]
    root = np.zeros((order, order))
    for i in range(order):
        for j in range(i + 1):
            left = small[i, j]
            for k in range(j):
                left -= root[i, k] * root[j, k]
            if i == j:
                if left < 1e-9:
                    return  # all in one plane, or one after another
                root[i, i] = math.sqrt(left)
            else:
                root[i, j] = left / root[j, j]
    variance = np.zeros(order)
    column = np.zeros(order)
    for c in range(order):
        for i in range(c, order):
            left = 1.0 if i == c else 0.0
            for k in range(c, i):
                left -= root[i, k] * column[k]
            column[i] = left / root[i, i]
            variance[c] += column[i] * column[i]
    flat = variance[0] + variance[1]
    clocks = 0.0
    for i in range(3, order):
        clocks += variance[i]
    out[0] = math.sqrt(flat + variance[2] + clocks)
    out[1] = math.sqrt(flat + variance[2])
    out[2] = math.sqrt(flat)
    out[3] = math.sqrt(variance[2])
    out[4] = math.sqrt(clocks)


def windows(good: Bools) -> list[tuple[int, int]]:
    """Runs of true among moments (k,): first and last of each.

    >>> windows(np.array([True, True, False, True]))
    [(0, 1), (3, 3)]
    """
    edge = np.diff(np.concatenate([[0], np.asarray(good, dtype=np.int8), [0]]))
    return [(int(a), int(b) - 1) for a, b in zip(np.flatnonzero(edge == 1), np.flatnonzero(edge == -1), strict=True)]
