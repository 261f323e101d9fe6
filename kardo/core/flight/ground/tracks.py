"""The lines of a scan as the scanner flies them, and from where, how far and at which angle each sees a place."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.flight.ground.shade import Shade
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.flight.lines.swath import gate, pulses_per_m2, used_angle
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.plan.kit import Scanner
from kardo.core.terrain.surface import AnySurface


@dataclass(frozen=True)
class Aimed:
    """k places that are shot at: in the local frame, x (k, 3), and over the grid with heights, (k, 3), metres; slope
    (k, 2) to east and north, zero where it is not known; what hides them, None where nothing can."""

    x: Floats
    over: Floats
    slope: Floats
    shade: Shade | None


def aimed(frame: LocalFrame, surface: AnySurface, e: Floats, n: Floats, h: Floats, shade: Shade | None) -> Aimed:
    """Places at grid metres (k,) and heights (k,)."""
    if not len(e):
        return Aimed(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 2)), shade)
    return Aimed(frame.to_enu(e, n, h), np.column_stack([e, n, h]), np.nan_to_num(surface.gradient(e, n)), shade)


@dataclass(frozen=True)
class Track:
    """One line in the local frame: of which flight, sortie and flight line (counted from 0); its places (n, 3) in the
    order flown, and over the grid with heights (n, 3), as far along it (n,); where it begins, (2,), its direction (2,)
    and its azimuth from north in radians; with what, by which whole angle and range, and how fast."""

    flight: int
    sortie: int
    strip: int
    at: Floats
    over: Floats
    along: Floats
    start: Floats
    ahead: Floats
    yaw: float
    scanner: Scanner
    angle: float
    farthest: float
    speed: float

    def beams(self, aimed: Aimed) -> "Beams":
        """How it sees places (k): in the plane across it, where it passes them, unless they turn away or something
        stands between."""
        off = aimed.x[:, :2] - self.start
        right = np.array([self.ahead[1], -self.ahead[0]])
        along, across = off @ self.ahead, off @ right
        up = np.interp(along, self.along, self.at[:, 2]) - aimed.x[:, 2]
        angle, ranges = np.arctan2(across, up), np.hypot(across, up)
        passed = (along >= 0) & (along <= self.along[-1])
        within = (np.abs(angle) <= self.angle / 2) & (ranges <= self.farthest) & (ranges >= self.scanner.least_range)
        reached = passed & within & (up > 0)
        faces = 1 + np.tan(angle) * (aimed.slope @ right)
        seen = reached & (faces > 0)
        if aimed.shade is not None:
            some = np.flatnonzero(seen)
            eyes = np.column_stack([np.interp(along[some], self.along, self.over[:, k]) for k in range(3)])
            seen[some[aimed.shade.hides(aimed.over[some], eyes)]] = False
        return Beams(
            seen=seen, hidden=reached & ~seen, angle=angle, ranges=np.maximum(ranges, 1e-3), faces=faces, track=self
        )


@dataclass(frozen=True)
class Beams:
    """Of places (k,): whether a line sees them, or is kept from it, at which angle to the right of straight down, and
    how far; how many times the pulses of level ground fall on a square metre in plan, for the slope across the line."""

    seen: Bools
    hidden: Bools
    angle: Floats
    ranges: Floats
    faces: Floats
    track: Track

    @property
    def density(self) -> Floats:
        """Pulses (k,) on each square metre in plan, none where it does not see. Source: docs/laser.md."""
        pulses = self.faces * pulses_per_m2(self.track.scanner, self.track.speed, self.angle, self.ranges)
        return np.where(self.seen, pulses, 0.0)

    def directions(self, which: Ints) -> Floats:
        """Unit vectors (n, 3) of the beams to some of them, in the scanner's axes: forward, right, down."""
        angle = self.angle[which]
        return np.column_stack([np.zeros(len(angle)), np.sin(angle), np.cos(angle)])


def tracks_of(flight: FlightPlan, frame: LocalFrame, number: int = 0) -> list[Track]:
    """The lines of a flight that scans, in parts where the ground is not known between; those of one place alone left
    out."""
    c, scanner, out = frame.to_enu(flight.e, flight.n, flight.h), flight.scanner, []
    over = np.column_stack([flight.e, flight.n, flight.h])
    angle, farthest = used_angle(scanner, flight.scanning), gate(scanner, flight.scanning)
    for own in _unbroken(flight):
        at, strip = c[own], flight.strip[own[0]]
        ahead = at[-1, :2] - at[0, :2]
        length = float(np.hypot(*ahead))
        if length < 1.0:
            continue
        ahead /= length
        sortie = int(flight.sortie[own[0]])
        yaw = math.atan2(ahead[0], ahead[1])
        along = (at[:, :2] - at[0, :2]) @ ahead
        out.append(
            Track(
                flight=number,
                sortie=sortie,
                strip=int(strip),
                at=at,
                over=over[own],
                along=along,
                start=at[0, :2],
                ahead=ahead,
                yaw=yaw,
                scanner=scanner,
                angle=angle,
                farthest=farthest,
                speed=flight.flight.speed_m_per_s,
            )
        )
    return out


def _unbroken(flight: FlightPlan) -> list[Ints]:
    """The places of each flight line, cut where some are missing between."""
    far = np.hypot(np.diff(flight.e), np.diff(flight.n)) > 1.5 * flight.trigger_distance
    return np.split(np.arange(len(flight.e)), np.flatnonzero(far | (np.diff(flight.strip) != 0)) + 1)
