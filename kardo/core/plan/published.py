"""Coordinates of a mark as somebody published them, in whatever grid and heights, brought to a job's; and two versions
compared."""

import math
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import Field

from kardo.core.arrays import Floats
from kardo.core.errors import GeodesyError
from kardo.core.geodesy.confidence import RADIAL_95, VERTICAL_95
from kardo.core.geodesy.crs import Grid, grid, height_name
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.geodesy.systems import ELLIPSOIDAL
from kardo.core.geodesy.transformations import on_other_ellipsoid, transformation
from kardo.core.parts import Clean, Coordinate, Height, Part

Text = Annotated[str, Field(max_length=300), Clean]
Accuracy = Annotated[float, Field(gt=0, le=100, allow_inf_nan=False)]


class Published(Part):
    """One version of a mark's coordinates: grid metres east and north, height in metres of a height system (None where
    only the plan is known), network accuracy at 95 % (radius of the circle; half the interval of the height), where it
    comes from."""

    crs: Annotated[str, Field(max_length=40), Clean]
    heights: Annotated[str, Field(max_length=40), Clean]
    e: Coordinate
    n: Coordinate
    h: Height | None = None
    circle_95: Accuracy
    height_95: Accuracy
    realisation: Annotated[str, Field(max_length=60), Clean] = ""
    epoch: Annotated[str, Field(max_length=20), Clean] = ""
    source: Text = ""

    @property
    def grid(self) -> Grid:
        """The grid and heights it is in. Raises GeodesyError."""
        return grid(self.crs, self.heights)

    @property
    def sigma(self) -> tuple[float, float]:
        """Sigma in metres of east and north each, and of the height."""
        return self.circle_95 / RADIAL_95, self.height_95 / VERTICAL_95

    def at(self) -> tuple[float, float]:
        """Longitude and latitude in degrees on WGS 84. Raises GeodesyError."""
        own = self.grid
        own.require_inside(np.array([self.e]), np.array([self.n]), "mark")
        lon, lat = own.to_world(self.e, self.n)
        return float(lon), float(lat)


@dataclass(frozen=True)
class Brought:
    """Coordinates brought to another grid: metres east, north, height (None where the height systems have no way
    between them that is known well); accuracy in metres of the way (0: exact, None: not known); what is to be said of
    it."""

    e: float
    n: float
    h: float | None
    accuracy: float | None
    words: list[str]


@dataclass(frozen=True)
class Moved:
    """Places in another grid: metres east, north (k,), heights (k,) with nan where they are left open; what is to be
    said."""

    e: Floats
    n: Floats
    h: Floats
    words: list[str]


def moved(own: Grid, to: Grid, e: Floats, n: Floats, h: Floats) -> Moved:
    """Places (k,) near one another from one grid to another of the same height system; heights (k,), nan where unknown.
    Ellipsoidal ones come to the other datum's ellipsoid, or stay behind. Raises GeodesyError where nothing leads
    there."""
    if own.code == to.code:
        return Moved(e, n, h, [])
    lon, lat = (float(v[0]) for v in own.to_geodetic(e[:1], n[:1]))
    way = transformation(own.crs, to.crs, lon, lat)
    there = way.there(e / own.metres_per_unit, n / own.metres_per_unit)
    east, north = (np.asarray(v) * to.metres_per_unit for v in there)
    to.require_inside(east, north, "points", brought=True)
    words = [f"From {own.name} to {to.name}" + ("." if way.exact else f" {way.words}.")]
    if to.heights == ELLIPSOIDAL:
        h, said = on_other_ellipsoid(own.geodetic, to.geodetic, *own.to_geodetic(e, n), h)
        words += [said] if said else []
    return Moved(east, north, h, words)


def brought(version: Published, to: Grid) -> Brought:
    """A version in a job's grid and heights. Raises GeodesyError where nothing leads there."""
    own = version.grid
    lon, lat = (float(v) for v in own.to_geodetic(version.e, version.n))
    way = transformation(own.geodetic, to.geodetic, lon, lat)
    other_lon, other_lat = way.there(lon, lat)
    e, n = (float(v) for v in to.from_geodetic(other_lon, other_lat))
    to.require_inside(np.array([e]), np.array([n]), "mark")
    words = [] if own.code == to.code else [f"From {own.name}" + ("." if way.exact else f" {way.words}.")]
    h = version.h
    if h is not None and (own.heights != to.heights or (own.heights == ELLIPSOIDAL and not way.exact)):
        h, said = _height(version, own, to, (e, n), way.exact)
        words.append(said)
    if (own.code, own.heights) == (to.code, to.heights):
        e, n = version.e, version.n
    return Brought(e=e, n=n, h=h, accuracy=way.accuracy, words=words)


def _height(
    version: Published, own: Grid, to: Grid, at: tuple[float, float], same_datum: bool
) -> tuple[float | None, str]:
    """A height in another system, by the ellipsoid that both stand on; on two ellipsoids it is left open rather than
    guessed."""
    assert version.h is not None
    names = height_name(own.heights), height_name(to.heights)
    if not same_datum:
        there = "" if names[0] == names[1] else f" in {names[1]}"
        return None, f"Its height is {names[0]}, on another datum: type it{there}."
    try:
        h = version.h + float(own.separation(version.e, version.n)) - float(to.separation(*at))
    except GeodesyError:
        return None, f"Its height is in {names[0]}, which cannot be brought to {names[1]} here: type it."
    return h, f"Height from {names[0]} to {names[1]} by the ellipsoid: as good as the two geoid models agree."


@dataclass(frozen=True)
class Step:
    """What lies between two versions: metres east, north and up on the ground, up None where one has no height; what is
    to be said."""

    east: float
    north: float
    up: float | None
    horizontal: float
    words: list[str]


def step_between(older: Published, newer: Published) -> Step:
    """From an older version to a newer one, the older brought to the newer's grid and heights. Raises GeodesyError."""
    to = newer.grid
    before = brought(older, to)
    known = before.h is not None and newer.h is not None
    frame = LocalFrame(to, newer.e, newer.n, newer.h or 0.0)
    at = before.e, before.n, before.h if before.h is not None and known else newer.h or 0.0
    east, north, up = (float(v) for v in -frame.to_enu(*(np.array([v]) for v in at))[0])
    words = [*before.words]
    if (older.realisation, older.epoch) != (newer.realisation, newer.epoch):
        names = (" ".join(filter(None, (v.realisation, v.epoch))) or "not stated" for v in (older, newer))
        words.append("Realisation and epoch: " + " became ".join(names) + ".")
    return Step(east=east, north=north, up=up if known else None, horizontal=math.hypot(east, north), words=words)
