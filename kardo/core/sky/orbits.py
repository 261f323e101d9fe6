"""Where satellites are: almanacs of Keplerian elements, and their positions in the rotating earth's frame.

Time is seconds of GPS time since 6 January 1980, without leap seconds; the few seconds between the systems' own times
move no almanac by more than it is good for, some kilometres."""

import datetime
import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from kardo.core.arrays import Bools, Floats

EPOCH = datetime.datetime(1980, 1, 6, tzinfo=datetime.UTC)
LEAP = 18.0  # seconds of GPS time ahead of UTC, since 2017
WEEK = 604_800.0
ROUNDS = 8  # of Newton's iteration of Kepler's equation, which is at its end after four for e below 0.1
# mu, m3/s2, and the earth's rotation, rad/s, as each system's own document has them.
GRAVITY = {"G": 3.986005e14, "R": 3.986004418e14, "E": 3.986004418e14, "C": 3.986004418e14}
ROTATION = {"G": 7.2921151467e-5, "R": 7.2921151467e-5, "E": 7.2921151467e-5, "C": 7.2921150e-5}
SYSTEMS = {"G": "GPS", "R": "GLONASS", "E": "Galileo", "C": "BeiDou"}
ALL_SYSTEMS = SYSTEMS | {"J": "QZSS", "I": "NavIC", "S": "SBAS"}  # as logs name them, RINEX 3.05
EQUATOR, J2 = 6_378_137.0, 1.0826257e-3
YEAR = 365.25 * 86_400.0


@dataclass(frozen=True)
class Almanac:
    """Elements of n satellites, each array (n,): names such as G07; reference time in seconds of GPS time;
    eccentricity; inclination, radians; root of the semi-major axis, root metres; longitude of the ascending node at the
    start of the week of the reference time, and its rate; argument of perigee, mean anomaly at the reference time,
    radians; whether it is healthy."""

    names: tuple[str, ...]
    reference: Floats
    eccentricity: Floats
    inclination: Floats
    root_a: Floats
    node: Floats
    node_rate: Floats
    perigee: Floats
    anomaly: Floats
    healthy: Floats
    source: str = ""

    @property
    def systems(self) -> tuple[str, ...]:
        """The letter of each satellite's system."""
        return tuple(name[0] for name in self.names)

    def age(self, moment: float) -> float:
        """Days between a moment and the nearest reference time."""
        return float(np.abs(moment - self.reference).min() / 86_400) if len(self.names) else math.inf

    def covers(self, moments: Floats) -> Bools:
        """At which moments (k,) anything is known: an almanac fades, but does not end."""
        return np.ones(len(moments), dtype=bool)

    def at(self, moments: Floats) -> Floats:
        """Positions (k, n, 3), metres in the frame that turns with the earth, at k moments."""
        return positions(self, moments)

    def usable(self) -> "Almanac":
        """Only what is healthy."""
        keep = np.flatnonzero(self.healthy)
        arrays: dict[str, Any] = {
            key: value[keep] for key, value in vars(self).items() if isinstance(value, np.ndarray)
        }
        return replace(self, names=tuple(self.names[k] for k in keep), **arrays)


def gps_seconds(moment: datetime.datetime) -> float:
    """Seconds of GPS time of a moment (UTC; after 2016).

    >>> gps_seconds(datetime.datetime(1980, 1, 6, tzinfo=datetime.UTC)) - LEAP
    0.0
    """
    return (moment - EPOCH).total_seconds() + LEAP


def utc(moment: float) -> str:
    """A moment in seconds of GPS time (after 2016) as UTC, ISO 8601.

    >>> utc(gps_seconds(datetime.datetime(2027, 3, 16, 10, tzinfo=datetime.UTC)))
    '2027-03-16T10:00:00Z'
    """
    return (EPOCH + datetime.timedelta(seconds=float(moment) - LEAP)).strftime("%Y-%m-%dT%H:%M:%SZ")


def gps_clock(moment: float) -> str:
    """A moment in seconds of GPS time as that time's own date and clock, without a zone, for it is in none.

    >>> gps_clock(0.0)
    '1980-01-06T00:00:00'
    """
    return (EPOCH + datetime.timedelta(seconds=round(float(moment), 3))).strftime("%Y-%m-%dT%H:%M:%S")


def positions(almanac: Almanac, moments: Floats) -> Floats:
    """Positions (k, n, 3), metres in the frame that turns with the earth, at k moments in seconds of GPS time.

    Source: user algorithm for almanac data, IS-GPS-200 (20.3.3.5.2.1) with each system's constants; the corrections of
    an ephemeris are zero."""
    mu = np.array([GRAVITY[s] for s in almanac.systems])
    turn = np.array([ROTATION[s] for s in almanac.systems])
    a = almanac.root_a**2
    t = np.asarray(moments)[:, None] - almanac.reference
    mean = almanac.anomaly + np.sqrt(mu / a**3) * t
    e = almanac.eccentricity
    eccentric = eccentric_anomaly(mean, e)
    true = np.arctan2(np.sqrt(1 - e**2) * np.sin(eccentric), np.cos(eccentric) - e)
    along, r = true + almanac.perigee, a * (1 - e * np.cos(eccentric))
    x, y = r * np.cos(along), r * np.sin(along)
    # node: at the start of the week; the earth has turned since then by all of the reference time within it, and t more
    node = almanac.node + (almanac.node_rate - turn) * t - turn * np.mod(almanac.reference, WEEK)
    cos_i, cos_n, sin_n = np.cos(almanac.inclination), np.cos(node), np.sin(node)
    return np.stack(
        [x * cos_n - y * cos_i * sin_n, x * sin_n + y * cos_i * cos_n, y * np.sin(almanac.inclination)], axis=-1
    )


def eccentric_anomaly(mean: Floats, e: Floats) -> Floats:
    """Eccentric anomalies (k, n), radians, of mean ones (k, n) and eccentricities (n,): Kepler's equation by Newton's
    iteration."""
    eccentric = mean + e * np.sin(mean)
    for _ in range(ROUNDS):
        eccentric = eccentric - (eccentric - e * np.sin(eccentric) - mean) / (1 - e * np.cos(eccentric))
    return eccentric


@dataclass(frozen=True)
class _Shell:
    """Satellites evenly on some circular planes (Walker, J. British Interplanetary Society 37, 1984): planes, in each
    so many, and the phase from one plane to the next in parts of a full turn by the total number."""

    system: str
    planes: int
    each: int
    phase: int
    a: float
    inclination: float


# Nominal shells. GPS: six planes, IS-GPS-200 and the SPS performance standard, here five evenly in each; GLONASS
# 24/3/1, Galileo
# 24/3/1, BeiDou's middle orbits 24/3/1, after their interface documents.
SHELLS = (
    _Shell(system="G", planes=6, each=5, phase=1, a=26_559_710.0, inclination=55.0),
    _Shell(system="R", planes=3, each=8, phase=1, a=25_508_000.0, inclination=64.8),
    _Shell(system="E", planes=3, each=8, phase=1, a=29_599_801.0, inclination=56.0),
    _Shell(system="C", planes=3, each=8, phase=1, a=27_906_100.0, inclination=55.0),
)
INCLINED = (
    42_164_200.0,
    55.0,
    (95.0, 112.0, 118.0),
)  # BeiDou's inclined synchronous orbits: axis, inclination, longitudes crossed
NOMINAL_FROM = gps_seconds(datetime.datetime(2026, 1, 4, tzinfo=datetime.UTC))


def nominal() -> Almanac:
    """Four constellations as they are meant to be: how many satellites a place usually has, not where they are on a
    day."""
    rows: list[tuple[str, float, float, float, float]] = []
    for shell in SHELLS:
        total = shell.planes * shell.each
        for plane in range(shell.planes):
            for k in range(shell.each):
                node = 2 * math.pi * plane / shell.planes
                anomaly = 2 * math.pi * (k / shell.each + shell.phase * plane / total)
                name = f"{shell.system}{plane * shell.each + k + 1:02d}"
                rows.append((name, shell.a, math.radians(shell.inclination), node, anomaly))
    axis, inclination, crossings = INCLINED
    for k, longitude in enumerate(crossings):
        phase = 2 * math.pi * k / len(crossings)
        # a satellite of a sidereal day crosses the equator always at the same longitude
        rows.append((f"C{38 + k}", axis, math.radians(inclination), math.radians(longitude) - phase, phase))
    names = tuple(row[0] for row in rows)
    axes, slopes, nodes, anomalies = np.array([row[1:] for row in rows]).T
    mu = np.array([GRAVITY[name[0]] for name in names])
    # the oblate earth turns the planes; first order in J2, circular: Vallado, Fundamentals of Astrodynamics, 9.6
    rate = -1.5 * J2 * np.sqrt(mu / axes**3) * (EQUATOR / axes) ** 2 * np.cos(slopes)
    zero = np.zeros(len(names))
    return Almanac(
        names=names,
        reference=zero + NOMINAL_FROM,
        eccentricity=zero,
        inclination=slopes,
        root_a=np.sqrt(axes),
        node=nodes,
        node_rate=rate,
        perigee=zero,
        anomaly=anomalies,
        healthy=zero + 1,
        source="nominal",
    )
