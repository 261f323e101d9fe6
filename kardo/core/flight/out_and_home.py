"""The way out to a line and home from it: upright to the height it is flown at, straight at the cruising speed, down again."""

import math
from typing import TypeAlias

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.flight.wind import STILL, Wind, over_ground_in
from kardo.core.plan.kit import Aircraft

HANDLING = 0.5  # minutes of a way that go on hovering, trying the controls, and the last metres of landing


def minutes_out_and_home(
    craft: Aircraft, off: tuple[float, float], up: float, top: float, wind: Wind = STILL
) -> tuple[float, float]:
    """Minutes out to a place and home from it, each at least the aircraft's own: off, metres east and north of the take-off on the ground; up, metres
    above it; top, the height in metres above the take-off at which ways are flown, unless the place lies higher. Infinite where the wind lets it not get there.

    >>> from kardo.core.plan.library import library
    >>> quad = library().aircraft["quad"]  # 7 m/s, up 4, down 3, at least 2 min
    >>> out, home = minutes_out_and_home(quad, (0.0, 840.0), 60.0, 60.0)
    >>> round(out, 2), round(home, 2)  # half a minute, 120 s, and 15 s up or 20 s down
    (2.75, 2.83)
    """
    top = max(top, up)
    far, course = math.hypot(*off), math.degrees(math.atan2(*off))
    rise, fall = top / craft.climb_m_per_s, (top - up) / craft.descend_m_per_s
    back_up, down = (top - up) / craft.climb_m_per_s, top / craft.descend_m_per_s
    out = HANDLING + (rise + fall + _straight(craft, far, course, wind)) / 60
    home = HANDLING + (back_up + down + _straight(craft, far, course + 180, wind)) / 60
    return max(out, craft.transit_min), max(home, craft.transit_min)


def _straight(craft: Aircraft, far: float, course: float, wind: Wind) -> float:
    if far < 1.0:
        return 0.0
    ground = over_ground_in(wind, course, craft.cruise_m_per_s, craft.max_m_per_s).ground
    return far / ground if ground > 0.1 else math.inf


Places: TypeAlias = tuple[Floats, Floats, Floats]


def ways_of_lines(
    craft: Aircraft,
    take_off: tuple[float, float, float],
    starts: Places,
    ends: Places,
    top: float,
    grid_per_ground: float,
    wind: Wind = STILL,
) -> tuple[Floats, Floats]:
    """Minutes (k,) out to the start of each line and home from its end; places in grid metres, of which so many are a metre on the ground, and heights; top as
    above. A height that is not known counts as top."""
    e, n, h = take_off

    def way(places: Places, which: int) -> Floats:
        east, north = (places[0] - e) / grid_per_ground, (places[1] - n) / grid_per_ground
        up = np.where(np.isfinite(places[2]), np.maximum(places[2] - h, 0.0), top)
        at = zip(east.tolist(), north.tolist(), up.tolist(), strict=True)
        return np.array([minutes_out_and_home(craft, (x, y), z, top, wind)[which] for x, y, z in at])

    return way(starts, 0), way(ends, 1)
