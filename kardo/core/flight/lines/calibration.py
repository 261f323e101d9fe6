"""A flight that calibrates a lens: low, tilted, both ways across each other, over a piece of the site so large that it
takes a hundred frames."""

import math

from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import flight_polygon
from kardo.core.flight.lines.pattern import flown
from kardo.core.parts import to_json
from kardo.core.plan.edits import Edit
from kardo.core.plan.flights import Flight, Imaging, ParallelLines
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Area

TILT, FORWARD, SIDE = 30.0, 85.0, 80.0  # degrees off straight down, steeper than the landing gear; per cent
LOWEST = 30.0  # metres
WIDER = 1.15  # times, until there are frames enough
MOST = 20  # times


def calibration_edits(plan: Plan, like: Flight) -> tuple[Edit, ...]:
    """The edits that add such a flight with the camera and the corrections of another, and its ground, a square about
    the middle of that one's. Raises PlanError for a flight without a camera, or where no square takes frames enough."""
    use = like.sensor
    if not isinstance(use, Imaging):
        raise PlanError("A scanner has no lens.", where="Flight", mend="Choose a flight with a camera.")
    taken = {f.id for f in plan.flights} | {a.id for a in plan.site.areas}
    middle = flight_polygon(plan, like).representative_point()
    number = 1 + sum(f.purpose == "calibrate" for f in plan.flights)
    key = next(f"C{k}" for k in range(number, 1000) if f"C{k}" not in taken)
    height, half = max(LOWEST, math.floor(like.height_m / 2)), 20.0
    flight = like.model_copy(
        update={
            "id": key,
            "name": f"calibration {number}",
            "purpose": "calibrate",
            "height_m": float(height),
            "sensor": use.model_copy(update={"tilt_deg": TILT, "forward_overlap": FORWARD}),
            "pattern": ParallelLines(area=key, side_overlap=SIDE, cross_lines=2, extra_lines=0, extra_exposures=0),
            "state": "fixed",
            "corrections": "both" if like.corrections == "none" else like.corrections,
        }
    )
    fewest = plan.policy["calibration-frames"]
    for _ in range(MOST):
        ring = tuple((middle.x + a * half, middle.y + b * half) for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1)))
        ground = Area(
            id=key, name=f"calibration ground {number}", ring=tuple((round(e, 1), round(n, 1)) for e, n in ring)
        )
        site = plan.site.model_copy(update={"areas": (*plan.site.areas, ground)})
        tried = plan.model_copy(update={"site": site, "flights": (*plan.flights, flight)})
        if flown(tried, flight).images >= fewest:
            return (Edit(f"site/areas/{key}", None, to_json(ground)), Edit(f"flights/{key}", None, to_json(flight)))
        half *= WIDER
    raise PlanError(f"No ground takes {fewest:.0f} frames.", where="Flight", mend="Raise the overlap.")
