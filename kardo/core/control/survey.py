"""How control is surveyed: where it lies, how well its own observation is, and what it hangs on."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.gnss.occupations import autonomous_sigma, polar_sigma, rover_sigma, static_sigma
from kardo.core.gnss.shifts import Shift, shared_by
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Mark, OnInstrument, OnNothing, OnSetUp, OwnSession


@dataclass(frozen=True)
class Survey:
    """Surveyed positions of k points: heights (k,) in the job's system, NaN where none is known; own sigmas (k, 3) in
    metres; and for each the shifts that it shares with others."""

    heights: Floats
    sigma: Floats
    shifts: tuple[tuple[Shift, ...], ...]

    @property
    def total_sigma(self) -> Floats:
        """Sigma (k, 3) of the positions themselves: their own observation, set-up and mark or network."""
        shared = np.array([np.sum([np.square(s.sigma) for s in some] or [np.zeros(3)], axis=0) for some in self.shifts])
        return np.asarray(np.sqrt(self.sigma**2 + shared.reshape(-1, 3)))


def survey(plan: Plan, points: tuple[ControlPoint, ...]) -> Survey:
    """How some control of a plan is surveyed."""
    sigma = np.array([_own_sigma(plan, p) for p in points]).reshape(-1, 3)
    return Survey(heights_of(plan, points), sigma, tuple(shared_by(plan, p.hangs_on) for p in points))


def heights_of(plan: Plan, points: tuple[ControlPoint, ...]) -> Floats:
    """Heights (k,) of control in metres: their own, or the terrain's; zero where there is no terrain yet."""
    e, n = np.array([p.e for p in points]), np.array([p.n for p in points])
    ground = plan.surface.at(e, n) if plan.surface and len(points) else np.zeros(len(points))
    return np.array([t if p.h is None else p.h for p, t in zip(points, ground, strict=True)], dtype=float)


def base_mark(plan: Plan, point: ControlPoint) -> Mark | None:
    """The mark that a point is observed from; None where it hangs on no set-up, or one without a mark."""
    if not isinstance(point.hangs_on, OnSetUp | OnInstrument):
        return None
    setup = plan.setup(point.hangs_on.setup)
    return plan.mark(setup.mark) if setup else None


def _own_sigma(plan: Plan, point: ControlPoint) -> tuple[float, float, float]:
    """East, north, up of the observation itself, without what it hangs on."""
    assume, hung = plan.assume, point.hangs_on
    if isinstance(hung, OwnSession):
        return static_sigma(hung.hours, assume)
    if isinstance(hung, OnNothing):
        return autonomous_sigma(assume)
    mark = base_mark(plan, point)
    distance = math.hypot(point.e - mark.e, point.n - mark.n) if mark else 0.0
    if isinstance(hung, OnInstrument):
        h, v = polar_sigma(len(point.occupations), distance, assume)
    else:
        h, v = rover_sigma(point.occupations, distance, assume)
    return h, h, v
