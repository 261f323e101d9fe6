"""What a plan amounts to before any prediction: area, flight, height chain, control heights. Quick, and never stored."""

from collections.abc import Callable
from dataclasses import asdict
from typing import TypeVar, cast

import numpy as np

from kardo.core.accuracy.defaults import Assumptions
from kardo.core.accuracy.planned import control_heights, flight_of, missing, site_polygon
from kardo.core.accuracy.standards import standards
from kardo.core.errors import KardoError
from kardo.core.flight.pattern import FlightPlan
from kardo.core.geodesy.antenna import antennas, height_chain
from kardo.core.geodesy.crs import height_name
from kardo.core.gnss.occupations import mark_sigma
from kardo.core.plan.model import Plan
from kardo.core.plan.shapes import Datum, Fault, FlightShape, Heights, Limits, Summary

T = TypeVar("T")


def summary(plan: Plan) -> Summary:
    """Everything the sheet and the trays show that follows directly from the plan. A part that cannot be computed yet
    is None, with the reason under `faults`."""
    faults: dict[str, Fault] = {}

    def attempt(part: str, make: Callable[[], T]) -> T | None:
        try:
            return make()
        except KardoError as fault:
            faults[part] = {"what": fault.what, "where": fault.where, "mend": fault.mend}
            return None

    return {
        "hash": plan.hash,
        "lacks": [{"station": station, "words": words} for station, words in missing(plan)],
        "limits": _limits(plan),
        "datum": attempt("datum", lambda: _datum(plan)),
        "area": attempt("area", lambda: float(site_polygon(plan).area)),
        "flight": attempt("flight", lambda: flight_json(flight_of(plan))),
        "heights": attempt("heights", lambda: _heights(plan)),
        "mark_sigma": _mark_sigma(plan),
        "control_h": attempt("control", lambda: _control_heights(plan)) or [],
        "faults": faults,
    }


def _limits(plan: Plan) -> Limits:
    h, v = standards()[plan.brief.standard].rmse_limits(plan.brief.terms)
    return {"h": float(h), "v": float(v) if np.isfinite(v) else None}


def _datum(plan: Plan) -> Datum:
    """Grid, height system, geoid separation and combined scale at the middle of the site."""
    grid = plan.grid
    out: Datum = {
        "grid": grid.name,
        "heights": height_name(plan.brief.heights),
        "separation": None,
        "scale_ppm": None,
        "convergence_deg": None,
    }
    if len(plan.site.boundary) >= 3:
        middle = site_polygon(plan).representative_point()
        surface = plan.surface
        h = float(np.nan_to_num(surface.at(middle.x, middle.y))) if surface else 0.0
        out["separation"] = float(grid.separation(middle.x, middle.y))
        out["scale_ppm"] = (grid.combined_factor(middle.x, middle.y, h) - 1) * 1e6
        out["convergence_deg"] = float(np.degrees(grid.convergence_and_scale(middle.x, middle.y)[0]))
    return out


def flight_json(flight: FlightPlan) -> FlightShape:
    """Figures, strips, legs and exposures of a flight; coordinates in grid metres to the centimetre."""
    return {
        "camera": flight.camera.name,
        "exposures": len(flight.e),
        "gsd": flight.gsd,
        "footprint": (flight.footprint_across, flight.footprint_along),
        "spacing": flight.spacing,
        "trigger_distance": flight.trigger_distance,
        "trigger_interval": flight.trigger_interval,
        "blur_px": flight.blur_px,
        "course": flight.main_course,
        "minutes": flight.minutes,
        "height_range": (float(np.nanmin(flight.h)), float(np.nanmax(flight.h))),
        "crossing_height": flight.crossing_height,
        "strips": [
            {"start": s.start, "end": s.end, "leg": s.leg, "exposures": s.count, "length": s.length, "kind": s.kind}
            for s in flight.strips
        ],
        "legs": [
            {
                "minutes": leg.minutes,
                "battery_left": leg.battery_left,
                "first_strip": leg.first_strip,
                "last_strip": leg.last_strip,
            }
            for leg in flight.legs
        ],
        "e": np.round(flight.e, 2).tolist(),
        "n": np.round(flight.n, 2).tolist(),
    }


def _heights(plan: Plan) -> Heights:
    mark = plan.mark_of(plan.base.mark)
    if mark is None:
        raise KardoError(
            "The base stands on no mark yet.", where="Base", mend="Choose a mark with known coordinates, or add one."
        )
    if plan.base.antenna not in antennas():
        raise KardoError("This antenna is not in the catalogue.", where="Base", mend="Choose another.")
    separation = float(plan.grid.separation(mark.e, mark.n))
    slant = plan.base.support == "tripod"
    chain = height_chain(
        height_name(plan.brief.heights), mark.h, separation, plan.base.readings, slant, antennas()[plan.base.antenna]
    )
    lon, lat = plan.grid.to_geodetic(mark.e, mark.n)
    return cast(Heights, {**asdict(chain), "mark_name": mark.name, "latitude": float(lat), "longitude": float(lon)})


def _mark_sigma(plan: Plan) -> dict[str, tuple[float, float, float]]:
    """East, north, up of every mark's own coordinates, however they are known."""
    assume = Assumptions(plan.assumptions)
    return {mark.id: mark_sigma(mark, assume) for mark in plan.marks}


def _control_heights(plan: Plan) -> list[float | None]:
    return [float(h) if np.isfinite(h) else None for h in control_heights(plan, plan.control)] if plan.control else []
