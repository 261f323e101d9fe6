"""One flight line more for a flight whose flight lines somebody drew."""

import math

from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import flight_polygon, ground_scale
from kardo.core.flight.lines.pattern import spacing_of
from kardo.core.parts import to_json
from kardo.core.plan.edits import Edit, field_edits
from kardo.core.plan.flights import Flight, OwnStrip
from kardo.core.plan.model import Plan


def another_strip(plan: Plan, flight: Flight) -> tuple[Edit, ...]:
    """The edits that add a flight line: beside the last one, to the right of where that is flown, as far as the side overlap asks, and flown back; without one, across the
    middle of the area. Raises PlanError where there is no area."""
    if not flight.own_strips:
        area = flight_polygon(plan, flight)
        west, _, east, _ = area.bounds
        middle = round(area.centroid.y, 1)
        more = OwnStrip(start=(round(west, 1), middle), end=(round(east, 1), middle))
    else:
        last = flight.own_strips[-1]
        (e0, n0), (e1, n1) = last.start, last.end
        length = math.hypot(e1 - e0, n1 - n0)
        if length < 0.1:
            raise PlanError(
                "The last flight line has no length.", where="Flight", mend="Draw it longer, or take it out."
            )
        apart = spacing_of(plan, flight) * ground_scale(plan) * (last.height or flight.height) / flight.height
        right = apart * (n1 - n0) / length, apart * (e0 - e1) / length
        ends = [(round(e + right[0], 2), round(n + right[1], 2)) for e, n in (last.end, last.start)]
        more = OwnStrip(start=ends[0], end=ends[1], height=last.height)
    return field_edits(f"flights/{flight.id}", flight, own_strips=[to_json(s) for s in (*flight.own_strips, more)])
