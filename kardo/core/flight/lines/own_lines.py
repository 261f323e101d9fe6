"""One flight line more for a flight whose flight lines somebody drew."""

import math

from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import flight_polygon, ground_scale
from kardo.core.flight.lines.pattern import spacing_of
from kardo.core.parts import to_json
from kardo.core.plan.edits import Edit, field_edits
from kardo.core.plan.flights import Flight, OwnLine, OwnLines
from kardo.core.plan.model import Plan


def another_line(plan: Plan, flight: Flight) -> tuple[Edit, ...]:
    """The edits that add a flight line: beside the last one, to the right of where that is flown, as far as the side
    overlap asks, and flown back; without one, across the middle of the area. Raises PlanError where there is no
    area."""
    pattern = flight.pattern
    if not isinstance(pattern, OwnLines):
        raise PlanError(
            f"The lines of {flight.name} are laid, not drawn.", where="Flight", mend="Choose own lines as its pattern."
        )
    if not pattern.lines:
        area = flight_polygon(plan, flight)
        west, _, east, _ = area.bounds
        middle = round(area.centroid.y, 1)
        more = OwnLine(start=(round(west, 1), middle), end=(round(east, 1), middle))
    else:
        last = pattern.lines[-1]
        (e0, n0), (e1, n1) = last.start, last.end
        length = math.hypot(e1 - e0, n1 - n0)
        if length < 0.1:
            raise PlanError(
                "The last flight line has no length.", where="Flight", mend="Draw it longer, or take it out."
            )
        apart = spacing_of(plan, flight) * ground_scale(plan) * (last.height_m or flight.height_m) / flight.height_m
        right = apart * (n1 - n0) / length, apart * (e0 - e1) / length
        ends = [(round(e + right[0], 2), round(n + right[1], 2)) for e, n in (last.end, last.start)]
        more = OwnLine(start=ends[0], end=ends[1], height_m=last.height_m)
    return field_edits(
        f"flights/{flight.id}/pattern", pattern, lines=[to_json(line) for line in (*pattern.lines, more)]
    )
