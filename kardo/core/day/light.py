"""The light of a day at a place: when the sun stands high enough. Clock times are minutes from midnight of the site's clock."""

import datetime
from dataclasses import dataclass

from astral import Observer
from astral.sun import elevation

from kardo.core.errors import PlanError

RISE_DEG = -0.833  # of the sun's centre when its upper edge shows, refraction included (NOAA)
STEP = 2  # minutes from one sun height to the next


@dataclass(frozen=True)
class Light:
    """Sunrise and sunset, and from when to when the sun stands high enough for flying; None where it does not. sun: its height
    in degrees every ten minutes of the day, for drawing."""

    rise: int | None
    set: int | None
    first: int | None
    last: int | None
    sun: tuple[float, ...]


def clock_ahead(lon: float, clock_h: float | None) -> float:
    """Hours that the site's clock is ahead of UTC: as said, or by the longitude in whole hours."""
    return float(round(lon / 15)) if clock_h is None else clock_h


def light(lon: float, lat: float, date: str, ahead: float, least_deg: float) -> Light:
    """The light at a place in degrees on a date (YYYY-MM-DD). Raises PlanError for a date that is none.

    Source: astral, after Meeus, Astronomical algorithms (1991).
    """
    try:
        midnight = datetime.datetime.fromisoformat(date).replace(tzinfo=datetime.UTC)
        midnight -= datetime.timedelta(hours=ahead)
        observer = Observer(latitude=lat, longitude=lon)
        minutes = range(0, 24 * 60, STEP)
        heights = [elevation(observer, midnight + datetime.timedelta(minutes=m)) for m in minutes]
    except (ValueError, OverflowError) as fault:
        raise PlanError(f"“{date}” is not a date.", where="Day", mend="Write it as year-month-day.") from fault

    def span(least: float) -> tuple[int | None, int | None]:
        above = [m for m, h in zip(minutes, heights, strict=True) if h >= least]
        return (above[0], above[-1]) if above else (None, None)

    every_ten = tuple(round(h, 1) for h in heights[:: 10 // STEP])
    return Light(*span(RISE_DEG), *span(least_deg), every_ten)
