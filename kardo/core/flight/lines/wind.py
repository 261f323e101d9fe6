"""Wind at flying height, and what it makes of a speed over the ground."""

import math
from dataclasses import dataclass

from kardo.core.plan.flights import Flight


@dataclass(frozen=True)
class Wind:
    """At flying height: metres a second, and whence, in degrees of the grid."""

    speed: float = 0.0
    whence: float = 0.0

    @property
    def vector(self) -> tuple[float, float]:
        """East and north, where it blows to."""
        a = math.radians(self.whence)
        return -self.speed * math.sin(a), -self.speed * math.cos(a)


STILL = Wind()


def at_height(speed: float, measured_at: float, height: float) -> float:
    """Wind in m/s at a height above ground, from one measured or forecast at another, by the power law of a seventh
    over open ground. Source: ISO 4354 gives such exponents; a seventh is the usual one.

    >>> round(at_height(5.0, 10.0, 80.0), 2)
    6.73
    """
    return float(speed * (height / measured_at) ** (1 / 7))


def wind_of(flight: Flight) -> Wind:
    """The wind that a flight is planned in, at its height above ground."""
    if not flight.wind_m_per_s:
        return STILL
    measured_at = flight.wind_at_m or flight.height_m
    return Wind(at_height(flight.wind_m_per_s, measured_at, flight.height_m), flight.wind_from_deg)


@dataclass(frozen=True)
class OverGround:
    """What a wanted speed over the ground comes to: that speed, as far as the aircraft can; its speed through the air;
    and by how many degrees it heads to the right of its course. ground is 0 where the wind is stronger than it."""

    ground: float
    air: float
    crab: float


def over_ground_in(wind: Wind, course: float, wanted: float, most: float) -> OverGround:
    """The wind triangle along a course in degrees: wanted metres a second over the ground, most through the air.

    >>> found = over_ground_in(Wind(3.0, 270.0), 0.0, 4.0, 15.0)
    >>> found.ground, round(found.air, 6), round(found.crab, 2)
    (4.0, 5.0, -36.87)
    """
    a = math.radians(course)
    along = wind.vector[0] * math.sin(a) + wind.vector[1] * math.cos(a)
    across = wind.vector[0] * math.cos(a) - wind.vector[1] * math.sin(a)
    if abs(across) >= most:
        return OverGround(0.0, most, math.copysign(90.0, -across))
    ground = max(0.0, min(wanted, along + math.sqrt(most**2 - across**2)))
    ahead = ground - along
    return OverGround(ground, math.hypot(ahead, across), math.degrees(math.atan2(-across, ahead)))
