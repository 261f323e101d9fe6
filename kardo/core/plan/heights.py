"""Heights of what a plan places: as they are typed, or the ground's."""

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan


def heights_of(plan: Plan, points: tuple[ControlPoint, ...]) -> Floats:
    """Heights (k,) of control in metres: their own, or the terrain's; nan where neither is known."""
    e, n = np.array([p.e for p in points]), np.array([p.n for p in points])
    ground = plan.surface.at(e, n) if plan.surface and len(points) else np.full(len(points), np.nan)
    return np.array([t if p.h is None else p.h for p, t in zip(points, ground, strict=True)], dtype=float)
