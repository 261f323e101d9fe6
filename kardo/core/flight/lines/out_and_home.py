"""The way out to a line and home from it: upright to the height it is flown at, straight at the cruising speed, down
again."""

from bisect import bisect_right
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.flight.lines.wind import STILL, Wind, over_ground_in
from kardo.core.plan.kit import Aircraft

HANDLING = 0.5  # minutes of a way that go on hovering, trying the controls, and the last metres of landing


def minutes_out_and_home(
    craft: Aircraft, off: tuple[float, float], up: float, top: float, wind: Wind = STILL
) -> tuple[float, float]:
    """Minutes out to a place and home from it, each at least the aircraft's own: off, metres east and north of the
    take-off on the ground; up, metres above it; top, the height in metres above the take-off at which ways are flown,
    unless the place lies higher. Infinite where the wind lets it not get there.

    >>> from kardo.core.plan.library import library
    >>> quad = library().aircraft["quad"]  # 7 m/s, up 4, down 3, at least 2 min
    >>> out, home = minutes_out_and_home(quad, (0.0, 840.0), 60.0, 60.0)
    >>> round(out, 2), round(home, 2)  # half a minute, 120 s, and 15 s up or 20 s down
    (2.75, 2.83)
    """
    e, n, above = (np.array([value]) for value in (*off, up))
    return float(_out(craft, e, n, above, top, wind)[0]), float(_home(craft, e, n, above, top, wind)[0])


def _out(craft: Aircraft, e: Floats, n: Floats, up: Floats, top: float, wind: Wind) -> Floats:
    top_ = np.maximum(up, top)
    climbed = top_ / craft.climb_m_per_s + (top_ - up) / craft.descend_m_per_s
    return np.maximum(HANDLING + (climbed + _straight(craft, e, n, wind)) / 60, craft.transit_min)


def _home(craft: Aircraft, e: Floats, n: Floats, up: Floats, top: float, wind: Wind) -> Floats:
    top_ = np.maximum(up, top)
    climbed = (top_ - up) / craft.climb_m_per_s + top_ / craft.descend_m_per_s
    return np.maximum(HANDLING + (climbed + _straight(craft, -e, -n, wind)) / 60, craft.transit_min)


def _straight(craft: Aircraft, e: Floats, n: Floats, wind: Wind) -> Floats:
    """Seconds (k,) of straight ways so far east and north; none for less than a metre, infinite where the wind allows
    no way."""
    far = np.hypot(e, n)
    ground = np.full(len(far), min(craft.cruise_m_per_s, craft.max_m_per_s))
    if wind.speed:
        courses = np.degrees(np.arctan2(e, n)).tolist()
        ground = np.array([over_ground_in(wind, c, craft.cruise_m_per_s, craft.max_m_per_s).ground for c in courses])
    return np.where(far < 1.0, 0.0, np.where(ground > 0.1, far / np.maximum(ground, 0.1), np.inf))


Places: TypeAlias = tuple[Floats, Floats, Floats]
Pad: TypeAlias = tuple[float, float, float]  # a take-off place: grid metres, and its height in the job's system


@dataclass(frozen=True)
class WaysBySortie:
    """Where the sorties take off, from which of them on (counted from 0, the first from 0), and minutes (k,) out to
    each line and home from it from each of these places."""

    firsts: tuple[int, ...]
    pads: tuple[Pad, ...]
    out: tuple[Floats, ...]
    home: tuple[Floats, ...]

    def at(self, sortie: int) -> int:
        """The number of the place of a sortie."""
        return bisect_right(self.firsts, sortie) - 1


def ways_of_lines(
    craft: Aircraft,
    take_off: tuple[float, float, float],
    starts: Places,
    ends: Places,
    top: float,
    grid_per_ground: float,
    wind: Wind = STILL,
) -> tuple[Floats, Floats]:
    """Minutes (k,) out to the start of each line and home from its end; places in grid metres, of which so many are a
    metre on the ground, and heights; top as above. A height that is not known counts as top."""
    e, n, h = take_off

    def off(places: Places) -> Places:
        east, north = (places[0] - e) / grid_per_ground, (places[1] - n) / grid_per_ground
        return east, north, np.where(np.isfinite(places[2]), np.maximum(places[2] - h, 0.0), top)

    return _out(craft, *off(starts), top, wind), _home(craft, *off(ends), top, wind)
