"""What is gone through before a flight takes off, with the figures of this site. Kardo reminds; it does not
authorise."""

import numpy as np

from kardo.core.flight.air.ceilings import ceiling_of
from kardo.core.flight.air.clearance import of_ways
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.geodesy.units import length
from kardo.core.plan.model import Plan


def before_take_off(plan: Plan, f: FlightPlan, farthest: float, unseen: int) -> list[str]:
    """Law of the place first, then what of this flight it is about: farthest metres from the pilot, and how many places
    of its lines are out of sight."""
    unit = plan.brief.unit
    return [
        "Registration, licence and insurance at hand; the aviation law of the place comes first.",
        _airspace(plan),
        _height(plan, f),
        f"The aircraft in sight: it goes {length(farthest, unit)} from the pilot"
        + (f", and {unseen} places of its lines cannot be seen from there." if unseen else "."),
        (
            "Nobody below it who does not belong to the work; the owner's permission, and the privacy of whoever is in"
            " the pictures."
        ),
        _way_home(plan, f),
        (
            "Fail-safes set for this site, not the last one: action on a lost link, action on a low battery, home point"
            " recorded where it stands now."
        ),
        "Pad level and clear, batteries whole and warm, propellers off while payload or firmware is changed.",
    ]


def _airspace(plan: Plan) -> str:
    looked = plan.site.airspace_looked_up
    when = f"looked up on {looked}" if looked else "not looked up yet"
    return f"Airspace: {when}; looked up again on the day, also for a site flown before."


def _height(plan: Plan, f: FlightPlan) -> str:
    unit, ground = plan.brief.unit, plan.surface
    up = f.h - ground.at(f.e, f.n) if ground is not None else f.h * np.nan
    words = (
        f"Height: up to {length(float(np.nanmax(up)), unit)} above ground"
        if np.isfinite(up).any()
        else "Height above ground"
    )
    ceilings = [c for zone in plan.site.features if (c := ceiling_of(zone)) is not None]
    limit = f"; the lowest ceiling about is {length(min(ceilings), unit)}" if ceilings else ""
    return f"{words}{limit}. The law's own limit holds as well."


def _way_home(plan: Plan, f: FlightPlan) -> str:
    unit, found = plan.brief.unit, of_ways(plan, f)
    words = f"Return height {length(f.flight.homeward, unit)} over the take-off place"
    if found is None:
        return f"{words}; nothing is known of what stands on the way home."
    return f"{words}: {length(found.least, unit)} over {found.over or 'the highest ground'} on the way home."
