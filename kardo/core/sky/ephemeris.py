"""Where satellites are by what they broadcast of themselves: Keplerian elements with corrections, each system by its
own constants and clock; GLONASS by integrating its motion.

Time is seconds of GPS time, as in orbits.py. Source: IS-GPS-200 (20.3.3.4.3) for GPS and QZSS; Galileo OS SIS ICD
(5.1.1); BeiDou ICD B1I (5.2.4.12), with its own way for geostationary satellites; GLONASS ICD (A.3.1.2)."""

import math
from dataclasses import dataclass, replace

import numpy as np

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.sky.orbits import GRAVITY, ROTATION, WEEK, eccentric_anomaly

KEPLER_HOLDS = (
    4 * 3600.0
)  # seconds from its reference time to which an ephemeris is still good to metres: what fits are made for
MOTION_HOLDS = 1800.0  # the same of a GLONASS state, which is sent every half hour
STEP = 60.0  # seconds of a step of the integration
TILT = math.radians(-5.0)  # of BeiDou's geostationary elements
EARTH, OBLATE = 6_378_136.0, 1.0826257e-3  # PZ-90: equator in metres, second zonal harmonic
FIELDS = (
    *("crs", "delta_n", "anomaly", "cuc", "eccentricity", "cus", "root_a", "cic", "node", "cis"),
    *("inclination", "crc", "perigee", "node_rate", "inclination_rate"),
)


@dataclass(frozen=True)
class Ephemerides:
    """Broadcast elements of m records, and broadcast motions of r: which satellite each is of (index into names), its
    reference time in seconds of GPS time (of elements also as seconds of the week in the system's own time), whether it
    is healthy. elements (m, 15) in the order of FIELDS, metres and radians; motion (r, 9): position, velocity,
    acceleration, metres and seconds."""

    names: tuple[str, ...]
    kepler_of: Ints
    reference: Floats
    of_week: Floats
    elements: Floats
    motion_of: Ints
    moment: Floats
    motion: Floats
    healthy: Floats
    source: str = "ephemeris"

    @property
    def systems(self) -> tuple[str, ...]:
        """The letter of each satellite's system."""
        return tuple(name[0] for name in self.names)

    def age(self, moment: float) -> float:
        """Days between a moment and the nearest reference time."""
        every = np.concatenate([self.reference, self.moment])
        return float(np.abs(moment - every).min() / 86_400) if len(every) else math.inf

    def covers(self, moments: Floats) -> Bools:
        """At which moments (k,) a record is near enough for anything to be known of the sky: elements, and motions
        where there are no elements."""
        times, holds = (self.reference, KEPLER_HOLDS) if self.reference.size else (self.moment, MOTION_HOLDS)
        if not times.size:
            return np.zeros(len(moments), dtype=bool)
        return np.asarray(_nearest(times, np.asarray(moments, dtype=np.float64), holds)[1], dtype=bool)

    def usable(self) -> "Ephemerides":
        """Only what is healthy."""
        keep = np.flatnonzero(self.healthy)
        number = np.full(len(self.names), -1)
        number[keep] = np.arange(len(keep))
        k, r = number[self.kepler_of] >= 0, number[self.motion_of] >= 0
        return replace(
            self,
            names=tuple(self.names[i] for i in keep),
            kepler_of=number[self.kepler_of][k],
            reference=self.reference[k],
            of_week=self.of_week[k],
            elements=self.elements[k],
            motion_of=number[self.motion_of][r],
            moment=self.moment[r],
            motion=self.motion[r],
            healthy=self.healthy[keep],
        )

    def at(self, moments: Floats) -> Floats:
        """Positions (k, n, 3), metres in the frame that turns with the earth, at k moments; zero, the middle of the
        earth, where no record is near enough."""
        moments = np.asarray(moments, dtype=np.float64)
        out = np.zeros((len(moments), len(self.names), 3))
        for n in range(len(self.names)):
            rows = np.flatnonzero(self.kepler_of == n)
            if rows.size:
                near, fits = _nearest(self.reference[rows], moments, KEPLER_HOLDS)
                if fits.any():
                    out[fits, n] = self._by_elements(rows[near[fits]], moments[fits])
        return self._with_motions(out, moments)

    def _with_motions(self, out: Floats, moments: Floats) -> Floats:
        """GLONASS, all satellites in one integration."""
        wanted = []
        for n in np.unique(self.motion_of):
            rows = np.flatnonzero(self.motion_of == n)
            near, fits = _nearest(self.moment[rows], moments, MOTION_HOLDS)
            wanted += [(n, t, rows[near[t]]) for t in np.flatnonzero(fits)]
        if wanted:
            sat, at, rows = np.array(wanted, dtype=np.int64).T
            out[at, sat] = moved(self.motion[rows], moments[at] - self.moment[rows])
        return out

    def _by_elements(self, rows: Ints, moments: Floats) -> Floats:
        """Positions (k, 3) by record k at moment k."""
        name = self.names[self.kepler_of[rows[0]]]
        v = dict(zip(FIELDS, self.elements[rows].T, strict=True))
        mu, turn = GRAVITY[_like(name)], ROTATION[_like(name)]
        a, e, t = v["root_a"] ** 2, v["eccentricity"], moments - self.reference[rows]
        eccentric = eccentric_anomaly(v["anomaly"] + (np.sqrt(mu / a**3) + v["delta_n"]) * t, e)
        along = np.arctan2(np.sqrt(1 - e**2) * np.sin(eccentric), np.cos(eccentric) - e) + v["perigee"]
        s, c = np.sin(2 * along), np.cos(2 * along)
        along, r = along + v["cus"] * s + v["cuc"] * c, a * (1 - e * np.cos(eccentric)) + v["crs"] * s + v["crc"] * c
        tilt = v["inclination"] + v["inclination_rate"] * t + v["cis"] * s + v["cic"] * c
        still = _geostationary(name)
        node = v["node"] + (v["node_rate"] - (0 if still else turn)) * t - turn * self.of_week[rows]
        x, y = r * np.cos(along), r * np.sin(along)
        place = np.stack(
            [
                x * np.cos(node) - y * np.cos(tilt) * np.sin(node),
                x * np.sin(node) + y * np.cos(tilt) * np.cos(node),
                y * np.sin(tilt),
            ],
            axis=-1,
        )
        return _turned(place, turn * t) if still else place


def _like(name: str) -> str:
    """The system whose constants a satellite goes by: QZSS has those of GPS."""
    return "G" if name[0] == "J" else name[0]


def _geostationary(name: str) -> bool:
    """Whether a satellite is one of BeiDou's geostationary ones, whose elements are meant otherwise."""
    return name[0] == "C" and (int(name[1:]) <= 5 or int(name[1:]) >= 59)


def _turned(place: Floats, angle: Floats) -> Floats:
    """Positions (k, 3) of geostationary elements in the earth's frame: about x by their tilt, then about z by what the
    earth turned."""
    x, y, z = place.T
    y, z = y * math.cos(TILT) + z * math.sin(TILT), -y * math.sin(TILT) + z * math.cos(TILT)
    return np.stack([x * np.cos(angle) + y * np.sin(angle), -x * np.sin(angle) + y * np.cos(angle), z], axis=-1)


def _nearest(times: Floats, moments: Floats, holds: float) -> tuple[Ints, Floats]:
    """The record (k,) whose time is nearest to each moment, and whether it is near enough."""
    away = np.abs(moments[:, None] - times)
    near = np.argmin(away, axis=1)
    return near, away[np.arange(len(moments)), near] <= holds


def moved(motion: Floats, seconds: Floats) -> Floats:
    """Positions (k, 3) of broadcast motions (k, 9) so many seconds later (k,), by a Runge-Kutta integration of the
    fourth order."""
    state, push = motion[:, :6].copy(), motion[:, 6:]
    steps = max(1, math.ceil(float(np.abs(seconds).max()) / STEP))
    h = (seconds / steps)[:, None]
    for _ in range(steps):
        a = _pull(state, push)
        b = _pull(state + h / 2 * a, push)
        c = _pull(state + h / 2 * b, push)
        d = _pull(state + h * c, push)
        state = state + h / 6 * (a + 2 * b + 2 * c + d)
    return state[:, :3]


def _pull(state: Floats, push: Floats) -> Floats:
    """The rate (k, 6) of positions and velocities in the turning frame: the oblate earth's pull, its turning, and the
    broadcast acceleration of sun and moon. Source: GLONASS ICD, A.3.1.2."""
    mu, turn = GRAVITY["R"], ROTATION["R"]
    (x, y, z), (vx, vy) = state[:, :3].T, state[:, 3:5].T
    r2 = x * x + y * y + z * z
    middle = mu / r2**1.5
    bulge = 1.5 * OBLATE * mu * EARTH**2 / r2**2.5
    high = 5 * z * z / r2
    ax = -middle * x - bulge * x * (1 - high) + turn**2 * x + 2 * turn * vy
    ay = -middle * y - bulge * y * (1 - high) + turn**2 * y - 2 * turn * vx
    az = -middle * z - bulge * z * (3 - high)
    return np.concatenate([state[:, 3:], np.stack([ax, ay, az], axis=-1) + push], axis=1)


def full_time(of_week: float, near: float) -> float:
    """A time of the week as seconds since the beginning of the count, in the week that brings it nearest to a moment of
    the same clock.

    >>> full_time(10.0, 3 * WEEK - 5.0) == 3 * WEEK + 10.0
    True
    """
    return of_week + WEEK * round((near - of_week) / WEEK)
