"""Whether there is light enough: what the sun and the sky give, which sensitivity a shutter time then wants, and how
fast may be flown with what is left.

Sources: daylight on level ground after IES RP-21 (Calculation of daylight availability); exposure by incident light
after ISO 2720, C = 250."""

import math
from dataclasses import dataclass
from typing import Literal

from kardo.core.errors import PlanError
from kardo.core.flight.lines.pattern import FlightPlan, flown
from kardo.core.flight.lines.sensor import ImageSensor
from kardo.core.geodesy.units import speed
from kardo.core.plan.flights import Flight
from kardo.core.plan.model import Plan
from kardo.core.sky.light import clock_ahead, light

Cloud = Literal["clear", "partly", "overcast"]
SUN_LUX = 127_500.0  # of the sun outside of the atmosphere
FADES = {"clear": 0.21, "partly": 0.80}  # a thickness of atmosphere; overcast there is no sun
SKY = {"clear": (800.0, 15_500.0, 0.5), "partly": (300.0, 45_000.0, 1.0), "overcast": (300.0, 21_000.0, 1.0)}
INCIDENT = 250.0  # lux seconds, ISO 2720
LOW_SUN = 30.0  # degrees: below, shadows are long and hide what lies in them
EVERY = 30  # minutes


def daylight(sun_deg: float, cloud: Cloud) -> float:
    """Lux on level ground with the sun at a height in degrees; none below the horizon.

    >>> round(daylight(60.0, "clear"), -3), round(daylight(60.0, "overcast"), -3)
    (102000.0, 18000.0)
    """
    up = math.sin(math.radians(sun_deg))
    if up <= 0:
        return 0.0
    a, b, power = SKY[cloud]
    direct = SUN_LUX * math.exp(-FADES[cloud] / up) * up if cloud in FADES else 0.0
    return direct + a + b * up**power


def sensitivity(lux: float, f_number: float, seconds: float) -> float:
    """ISO speed that exposes ground of middling brightness: C N^2 / (E t). In bright sun, f/16 and 1/125 s want about
    ISO 80.

    >>> round(sensitivity(100_000, 16.0, 1 / 125))
    80
    """
    return INCIDENT * f_number**2 / (lux * seconds)


@dataclass(frozen=True)
class LightAt:
    """A moment of the day, minutes of the site's clock: sun in degrees, lux, the ISO that the planned shutter wants and
    whether the camera bears it; the shutter that its highest ISO wants, seconds, and metres a second at which that
    blurs half a pixel."""

    minute: int
    sun: float
    lux: float
    iso: float
    enough: bool
    shutter: float
    speed: float


@dataclass(frozen=True)
class ExposureAdvice:
    """A flight's exposure over a day: the moments, from when to when there is light enough as planned (None: never),
    pixels that a rolling shutter shifts from its first row to its last (0 with a mechanical one), and in words."""

    flight: str
    date: str
    at: list[LightAt]
    first: int | None
    last: int | None
    rolling_px: float
    words: list[str]


def exposure(plan: Plan, flight: Flight, cloud: Cloud, date: str) -> ExposureAdvice:
    """Light through a day for a flight's camera. Raises PlanError for a date that is none, a scanner, or where the
    flight cannot be laid out."""
    f = flown(plan, flight)
    if not isinstance(f.sensor, ImageSensor):
        raise PlanError(
            "A scanner brings its own light.", where="Flight, exposure", mend="Choose a flight with a camera."
        )
    lon, lat = (float(v) for v in plan.grid.to_world(float(f.e[0]), float(f.n[0])))
    clock = next((v.utc_offset_h for v in plan.visits if v.date == date), None)
    sun = light(lon, lat, date, clock_ahead(lon, clock), 0.0).sun
    rows = [
        _moment(plan, f, 10 * k, height, cloud) for k, height in enumerate(sun) if height > 0 and 10 * k % EVERY == 0
    ]
    good = [row.minute for row in rows if row.enough]
    cam = f.camera
    rolling = flight.speed_m_per_s * cam.readout_ms / 1000 / f.gsd if cam.shutter == "rolling" else 0.0
    first, last = (good[0], good[-1]) if good else (None, None)
    return ExposureAdvice(
        flight=flight.id,
        date=date,
        at=rows,
        first=first,
        last=last,
        rolling_px=rolling,
        words=_words(plan, f, rows, good, rolling),
    )


def _moment(plan: Plan, f: FlightPlan, minute: int, sun: float, cloud: Cloud) -> LightAt:
    cam, lux = f.camera, daylight(sun, cloud)
    iso = sensitivity(lux, cam.f_number, f.imaging.exposure_s)
    shutter = f.imaging.exposure_s * iso / cam.most_iso
    return LightAt(
        minute=minute,
        sun=sun,
        lux=lux,
        iso=iso,
        enough=iso <= cam.most_iso,
        shutter=shutter,
        speed=plan.policy["flight-blur"] * f.gsd / shutter,
    )


def _clock(minute: int) -> str:
    return f"{minute // 60:02d}:{minute % 60:02d}"


def _words(plan: Plan, f: FlightPlan, rows: list[LightAt], good: list[int], rolling: float) -> list[str]:
    unit, cam, shutter = plan.brief.unit, f.camera, f"1/{1 / f.imaging.exposure_s:.0f} s"
    if not rows:
        return ["The sun does not rise that day."]
    best = max(rows, key=lambda row: row.lux)
    if good:
        words = [
            f"From {_clock(good[0])} to {_clock(good[-1])} {shutter} at f/{cam.f_number:g} is bright enough, at ISO"
            f" {best.iso:.0f} when it is brightest."
        ]
    else:
        words = [
            f"{shutter} at f/{cam.f_number:g} is never bright enough that day: it wants ISO {best.iso:.0f} at best,"
            f" {cam.most_iso:.0f} is borne."
        ]
        words.append(
            f"At ISO {cam.most_iso:.0f} it takes 1/{1 / best.shutter:.0f} s: fly at"
            f" {speed(math.floor(10 * best.speed) / 10, unit)} at most."
        )
    low = [row for row in rows if row.enough and row.sun < LOW_SUN]
    if low and len(low) == len([row for row in rows if row.enough]):
        words.append(f"The sun stays below {LOW_SUN:.0f}°: shadows are long, and what lies in them is hardly matched.")
    if rolling:
        sharp = plan.policy["flight-blur"]
        still = speed(math.floor(100 * sharp * f.gsd / (cam.readout_ms / 1000)) / 100, unit)
        words.append(
            f"The shutter rolls: while it reads a picture, the ground moves by {rolling:.1f} pixels; {sharp:g} of one"
            f" is reached at {still}."
        )
    return words
