"""The lines of a scan as the scanner flies them, and from where, how far and at which angle each sees a place."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.flight.pattern import FlightPlan
from kardo.core.flight.scan import gate, pulses_per_m2, used_angle
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.plan.kit import Scanner


@dataclass(frozen=True)
class Track:
    """One line in the local frame: of which flight, leg and strip (counted from 0); its places (n, 3) in the order flown, as far along it (n,); where it begins,
    (2,), its direction (2,) and its azimuth from north in radians; with what, by which whole angle and range, and how fast."""

    flight: int
    leg: int
    strip: int
    at: Floats
    along: Floats
    start: Floats
    ahead: Floats
    yaw: float
    scanner: Scanner
    angle: float
    farthest: float
    speed: float

    def beams(self, x: Floats) -> "Beams":
        """How it sees places (k, 3): in the plane across it, where it passes them."""
        off = x[:, :2] - self.start
        along = off @ self.ahead
        across = off @ np.array([self.ahead[1], -self.ahead[0]])  # to the right
        up = np.interp(along, self.along, self.at[:, 2]) - x[:, 2]
        angle, ranges = np.arctan2(across, up), np.hypot(across, up)
        passed = (along >= 0) & (along <= self.along[-1])
        within = (np.abs(angle) <= self.angle / 2) & (ranges <= self.farthest) & (ranges >= self.scanner.least_range)
        return Beams(passed & within & (up > 0), angle, np.maximum(ranges, 1e-3), self)


@dataclass(frozen=True)
class Beams:
    """Of places (k,): whether a line sees them, at which angle to the right of straight down, and how far."""

    seen: Bools
    angle: Floats
    ranges: Floats
    track: Track

    @property
    def density(self) -> Floats:
        """Pulses (k,) on each square metre, none where it does not see."""
        pulses = pulses_per_m2(self.track.scanner, self.track.speed, self.angle, self.ranges)
        return np.where(self.seen, pulses, 0.0)

    def directions(self, which: Ints) -> Floats:
        """Unit vectors (n, 3) of the beams to some of them, in the scanner's axes: forward, right, down."""
        angle = self.angle[which]
        return np.column_stack([np.zeros(len(angle)), np.sin(angle), np.cos(angle)])


def tracks_of(flight: FlightPlan, frame: LocalFrame, number: int = 0) -> list[Track]:
    """The lines of a flight that scans, in parts where the ground is not known between; those of one place alone left out."""
    c, scanner, out = frame.to_enu(flight.e, flight.n, flight.h), flight.scanner, []
    angle, farthest = used_angle(scanner, flight.flight), gate(scanner, flight.flight)
    for own in _unbroken(flight):
        at, strip = c[own], flight.strip[own[0]]
        ahead = at[-1, :2] - at[0, :2]
        length = float(np.hypot(*ahead))
        if length < 1.0:
            continue
        ahead /= length
        leg = int(flight.leg[own[0]])
        yaw = math.atan2(ahead[0], ahead[1])
        along = (at[:, :2] - at[0, :2]) @ ahead
        out.append(
            Track(number, leg, int(strip), at, along, at[0, :2], ahead, yaw, scanner, angle, farthest, flight.flight.speed)
        )  # fmt: skip
    return out


def _unbroken(flight: FlightPlan) -> list[Ints]:
    """The places of each strip, cut where some are missing between."""
    far = np.hypot(np.diff(flight.e), np.diff(flight.n)) > 1.5 * flight.trigger_distance
    return np.split(np.arange(len(flight.e)), np.flatnonzero(far | (np.diff(flight.strip) != 0)) + 1)
