"""An organisation's geoid as a job takes it, or a separation that somebody states, held against the model of the whole
world first."""

from dataclasses import dataclass

import numpy as np

from kardo.core.errors import GeodesyError, PlanError
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.geodesy.crs import Grid, grid
from kardo.core.geodesy.geoid import OWN, separation_in
from kardo.core.geodesy.systems import ELLIPSOIDAL
from kardo.core.geodesy.units import length
from kardo.core.plan.geoid import Geoid, StatedSeparation
from kardo.core.plan.model import Plan

WORLD = "EPSG:5773"  # EGM96


@dataclass(frozen=True)
class GeoidTaken:
    """A geoid for a job: what the plan takes, the name of its height system, and what is to be said of it. odd: whether
    it stands too far from the world's to be what it says."""

    geoid: Geoid
    heights: str
    words: str
    odd: bool


def place_of_job(plan: Plan) -> tuple[float, float]:
    """Longitude and latitude in degrees of the middle of the site, or of the first mark before there is one. Raises
    PlanError where the job has no place yet."""
    own = _plan_grid(plan)
    if len(plan.site.boundary) >= 3:
        middle = site_polygon(plan).representative_point()
        places = [(middle.x, middle.y)]
    else:
        places = [(m.e, m.n) for m in plan.marks[:1]]
    if not places:
        raise PlanError(
            "The job has no place yet.", where="Brief, heights", mend="Draw the boundary, or type a mark, first."
        )
    lon, lat = own.to_geodetic(*places[0])
    return float(lon), float(lat)


def _plan_grid(plan: Plan) -> Grid:
    """The job's grid, whatever became of its heights."""
    if not plan.brief.crs:
        raise PlanError("No grid is chosen.", where="Brief", mend="Choose the job's coordinate system.")
    return grid(plan.brief.crs, ELLIPSOIDAL)


def geoid_taken(plan: Plan, geoid: Geoid) -> GeoidTaken:
    """A geoid as this job would take it. Raises PlanError where it has no value at the site."""
    lon, lat = place_of_job(plan)
    n = float(separation_in(geoid, np.array(lon), np.array(lat)))
    if not np.isfinite(n):
        raise PlanError(
            "The geoid has no value at the site.", where="Brief, heights", mend="Give the file of the site's country."
        )
    words, odd, unit = f"N is {length(n, plan.brief.unit, 3)} in the middle of the site", False, plan.brief.unit
    try:
        e, north = _plan_grid(plan).from_geodetic(lon, lat)
        above = n - float(grid(plan.brief.crs, WORLD).separation(e, north))
    except GeodesyError:
        words += "."
    else:
        odd = abs(above) > plan.policy["separation-place"]
        side = "above" if above >= 0 else "below"
        words += f", {length(abs(above), unit, 3)} {side} that of EGM96" + (
            ": too far to be a geoid of here." if odd else "."
        )
    return GeoidTaken(geoid, OWN + geoid.name, words, odd)


@dataclass(frozen=True)
class AgainstWorld:
    """A stated separation held against EGM96 over the site: metres by which it is higher in the middle, and by which
    that changes from one end of the site to the other; and the same separation with the slopes that EGM96 has there."""

    above: float
    changes: float
    sloped: StatedSeparation


def against_world(plan: Plan) -> AgainstWorld | None:
    """What is stated in a plan; None where nothing is, there is no site, or EGM96 is not at hand. Raises PlanError,
    GeodesyError where site or grid are none."""
    stated = plan.brief.separation
    if stated is None or plan.brief.heights == ELLIPSOIDAL or len(plan.site.boundary) < 3:
        return None
    polygon = site_polygon(plan)
    middle = polygon.representative_point()
    west, south, east, north = polygon.bounds
    e, n = (x.ravel() for x in np.meshgrid(np.linspace(west, east, 5), np.linspace(south, north, 5)))
    try:
        world = grid(plan.brief.crs, WORLD)
        there = float(world.separation(middle.x, middle.y))
        off = plan.grid.separation(e, n) - world.separation(e, n)
        slopes = np.stack([np.ones(len(e)), e - middle.x, n - middle.y], axis=1)
        (_, to_east, to_north), *_ = np.linalg.lstsq(slopes, world.separation(e, n), rcond=None)
    except GeodesyError:
        return None
    own = float(plan.grid.separation(middle.x, middle.y))
    sloped = stated.model_copy(
        update={
            "value": round(own, 4),
            "at": (round(middle.x, 1), round(middle.y, 1)),
            "slope_e": round(1000 * float(to_east), 4),
            "slope_n": round(1000 * float(to_north), 4),
        }
    )
    return AgainstWorld(own - there, float(np.ptp(off)), sloped)
