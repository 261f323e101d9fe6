"""A small drawing of a plan, for lists of many: who it is, not what it measures."""

from dataclasses import dataclass

import numpy as np
from shapely import LinearRing

from kardo.core.arrays import Floats
from kardo.core.plan.model import Plan

SIDE = 100.0  # of the box that the drawing fills, north up
FINE = 0.4  # of the same: what nobody sees is left out
MOST = 80  # points of a kind
Spot = tuple[float, float]


@dataclass(frozen=True)
class Sketch:
    """Boundary, targets, checks and marks in a box of 100 by 100, x to the right and y down, of what lies near the
    site; and the unit that the job's lengths are shown in."""

    ring: list[Spot]
    targets: list[Spot]
    checks: list[Spot]
    marks: list[Spot]
    unit: str


def sketch(plan: Plan) -> Sketch:
    """The drawing; empty of a plan without a boundary."""
    if len(plan.site.boundary) < 3:
        return Sketch(ring=[], targets=[], checks=[], marks=[], unit=plan.brief.unit)
    ring = np.array(plan.site.boundary)
    low, high = ring.min(axis=0), ring.max(axis=0)
    scale = SIDE / max(float((high - low).max()), 1e-3)
    left_over = (SIDE - (high - low) * scale) / 2

    def drawn(places: Floats) -> list[Spot]:
        at = (places.reshape(-1, 2) - low) * scale + left_over
        near = at[(np.abs(at - SIDE / 2) < SIDE).all(axis=1)]
        return [(round(float(x), 1), round(SIDE - float(y), 1)) for x, y in near]

    outline = LinearRing(ring).simplify(FINE / scale)
    places = [np.array([(p.e, p.n) for p in of][:MOST]) for of in (plan.targets, plan.checks, plan.marks)]
    targets, checks, marks = map(drawn, places)
    return Sketch(
        ring=drawn(np.array(outline.coords)[:-1])[:1000],
        targets=targets,
        checks=checks,
        marks=marks,
        unit=plan.brief.unit,
    )
