"""The light of a day at a place: when the sun stands high enough. Clock times are minutes from midnight of the site's
clock."""

import datetime
import math
from dataclasses import dataclass

from astral import Observer
from astral.sun import elevation

from kardo.core.errors import PlanError

TWILIGHT_DEG = -6.0  # of the sun, above which one sees outside without a lamp: civil twilight
RISE_DEG = -0.833  # of the sun's centre when its upper edge shows, refraction included (NOAA)
STEP = 2  # minutes from one sun height to the next


def minute(clock: str) -> int:
    """Minutes from midnight of a clock time.

    >>> minute("07:30")
    450
    """
    hours, minutes = clock.split(":")
    return 60 * int(hours) + int(minutes)


def clock(minutes: int) -> str:
    """A clock time.

    >>> clock(450)
    '07:30'
    """
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


@dataclass(frozen=True)
class Light:
    """Sunrise and sunset, from when to when the sun stands high enough for flying, and from when to when it is light
    enough for people on foot; None where it does not. sun: its height in degrees every ten minutes of the day, for
    drawing."""

    rise: int | None
    set: int | None
    first: int | None
    last: int | None
    dawn: int | None
    dusk: int | None
    sun: tuple[float, ...]


def clock_ahead(lon: float, utc_offset_h: float | None) -> float:
    """Hours that the site's clock is ahead of UTC: as said, or by the longitude in whole hours."""
    return float(round(lon / 15)) if utc_offset_h is None else utc_offset_h


def light(lon: float, lat: float, date: str, ahead: float, least_deg: float) -> Light:
    """The light at a place in degrees on a date (YYYY-MM-DD). Raises PlanError for a date that is none.

    Source: astral, after Meeus, Astronomical algorithms (1991)."""
    try:
        midnight = datetime.datetime.fromisoformat(date).replace(tzinfo=datetime.UTC)
        midnight -= datetime.timedelta(hours=ahead)
        observer = Observer(latitude=lat, longitude=lon)
        minutes = range(0, 24 * 60, STEP)
        # without refraction, which RISE_DEG has
        heights = [
            elevation(observer, midnight + datetime.timedelta(minutes=m), with_refraction=False) for m in minutes
        ]
    except (ValueError, OverflowError) as fault:
        raise PlanError(f"“{date}” is not a date.", where="Day", mend="Write it as year-month-day.") from fault

    def span(least: float) -> tuple[int | None, int | None]:
        above = [k for k, h in enumerate(heights) if h >= least]
        if not above:
            return None, None
        first, last = above[0], above[-1]
        return (
            minutes[first] if first == 0 else math.ceil(crossed(first - 1, least)),
            minutes[last] if last == len(heights) - 1 else math.floor(crossed(last, least)),
        )

    def crossed(k: int, least: float) -> float:
        """The minute after number k at which the sun passes a height."""
        return minutes[k] + STEP * (least - heights[k]) / (heights[k + 1] - heights[k])

    every_ten = tuple(round(h, 1) for h in heights[:: 10 // STEP])
    return Light(*span(RISE_DEG), *span(least_deg), *span(TWILIGHT_DEG), every_ten)
