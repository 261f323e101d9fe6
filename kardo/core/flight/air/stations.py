"""Reference stations about a site: how far, what the distance does to every sortie, and what their outages would
cost."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from pyproj import Geod

from kardo.core.errors import GeodesyError
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.flight.lines.pattern import flown
from kardo.core.geodesy.placing import placed
from kardo.core.geodesy.units import length, small
from kardo.core.plan.model import Plan

FIXES = (
    30_000.0  # metres from one station within which live fixes usually hold; beyond, only a network or post-processing
)
WORTH = 0.98  # uptime below which an outage is to be reckoned with


@dataclass(frozen=True)
class Station:
    """A reference station as its network tells it: earth-centred metres of its antenna's reference point in a system by
    code at a year, sigmas H (each axis) and V in metres, and the share of time that it has been up lately, None where
    that is not told."""

    name: str
    crs: str
    epoch: float
    xyz: tuple[float, float, float]
    sigma: tuple[float, float]
    uptime: float | None = None


@dataclass(frozen=True)
class NearStation:
    """A station seen from a site: grid metres and height in the job's system; metres away; sigma in metres that this
    distance adds to every sortie, each axis; minutes of the flights in which it is likely to be down, None where that
    is not known; and in words."""

    name: str
    e: float
    n: float
    h: float
    sigma_h: float
    sigma_v: float
    away: float
    growth: float
    down_min: float | None
    words: str
    how: str


def stations_near(plan: Plan, stations: Sequence[Station], most: int = 12) -> list[NearStation]:
    """The nearest stations first; one that PROJ cannot bring to the job, or the grid does not hold, is left out. Raises
    PlanError before there is a site, GeodesyError where none can be brought."""
    middle = site_polygon(plan).representative_point()
    lon, lat = (float(v) for v in plan.grid.to_geodetic(middle.x, middle.y))
    minutes = sum(sortie.minutes for f in plan.flights for sortie in flown(plan, f).sorties)
    found, fault = [], None
    for station in stations:
        try:
            found.append(_seen(plan, station, lon, lat, minutes))
        except GeodesyError as refused:
            fault = refused
    if fault is not None and not found:
        raise fault
    return sorted(found, key=lambda s: s.away)[:most]


def _seen(plan: Plan, station: Station, lon: float, lat: float, minutes: float) -> NearStation:
    place = placed(plan.grid, station.crs, station.epoch, station.xyz, station.name)
    ellipsoid = plan.grid.geodetic.ellipsoid
    assert ellipsoid is not None
    earth = Geod(a=ellipsoid.semi_major_metre, rf=ellipsoid.inverse_flattening)
    away = float(np.ravel(earth.inv(lon, lat, place.lon, place.lat)[2])[0])
    growth = plan.assume["fixed_ppm"] * 1e-6 * away
    down = None if station.uptime is None else (1 - station.uptime) * minutes
    words = _told(plan, away, growth, station.uptime, down)
    return NearStation(station.name, place.e, place.n, place.h, *station.sigma, away, growth, down, words, place.words)


def _told(plan: Plan, away: float, growth: float, uptime: float | None, down: float | None) -> str:
    unit = plan.brief.unit
    far = f"{away / 1000:.1f} km" if unit == "m" else length(away, unit)
    words = f"{far} away: ±{small(growth, unit)} more each axis, nearly the same in everything positioned from it"
    if away > FIXES:
        words += "; too far for live fixes from it alone, post-process"
    if uptime is not None and down is not None and uptime < WORTH:
        words += (
            f"; up {100 * uptime:.1f} % of the time lately: reckon with {math.ceil(down)} min without it, and log raw"
        )
    return f"{words}."
