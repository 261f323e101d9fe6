"""What the checks of a plan will measure, all together: the joint covariance that the residuals of a closed job are
held against.

A computation of its own, for it is as large as the square of the checks and only the closing wants it."""

import base64
import zlib
from dataclasses import dataclass

import numpy as np

from kardo.core.accuracy.equation.solution import DefectiveNetwork
from kardo.core.accuracy.figures.effort import CHECKS, DONE, LAYING_OUT, Progress
from kardo.core.accuracy.figures.results import ENGINE, Undetermined
from kardo.core.accuracy.prediction import survey_of
from kardo.core.arrays import Floats
from kardo.core.errors import PlanError
from kardo.core.geodesy.frame import from_grid
from kardo.core.plan.model import Plan

MOST_CHECKS = 400  # whose joint covariance is kept


@dataclass(frozen=True)
class JointChecks:
    """What the checks that the map is seen at will measure: their ids, and the lower triangle by rows of the joint
    covariance (3c, 3c) of map minus survey along the axes of the job's grid, east north up of the first check, then the
    next, in square metres; packed as little-endian doubles, deflated, in base64."""

    hash: str
    engine: int
    points: list[str]
    packed: str

    @property
    def covariance(self) -> Floats:
        """The joint covariance (3c, 3c)."""
        n = 3 * len(self.points)
        half = np.frombuffer(zlib.decompress(base64.b64decode(self.packed)), dtype="<f8")
        out = np.zeros((n, n))
        out[np.tril_indices(n)] = half
        return np.asarray(out + np.tril(out, -1).T)

    def of(self, points: list[str]) -> Floats:
        """The joint covariance (3k, 3k) of some of the checks, in their order."""
        at = [self.points.index(p) for p in points]
        rows = np.concatenate([3 * k + np.arange(3) for k in at]) if at else np.zeros(0, dtype=np.int64)
        return np.asarray(self.covariance[np.ix_(rows, rows)])


def packed(points: list[str], covariance: Floats, plan_hash: str) -> JointChecks:
    """The joint covariance (3c, 3c) of checks by id, as it is kept."""
    half = np.ascontiguousarray(covariance[np.tril_indices(len(covariance))], dtype="<f8")
    return JointChecks(plan_hash, ENGINE, points, base64.b64encode(zlib.compress(half.tobytes(), 6)).decode())


def checks_jointly(plan: Plan, progress: Progress = lambda stage, share: None) -> JointChecks | Undetermined:
    """The joint covariance of a plan's checks. Raises PlanError where the plan lacks something, or has more checks than
    are kept together. Source: docs/accuracy.md, section 3."""
    if len(plan.checks) > MOST_CHECKS:
        raise PlanError(
            f"{len(plan.checks)} checks; up to {MOST_CHECKS} are held against the prediction together.", where="Close"
        )
    progress(LAYING_OUT, 0.0)
    try:
        survey = survey_of(plan)
    except DefectiveNetwork as fault:
        return Undetermined(plan.hash, ENGINE, fault.defects)
    progress(CHECKS, 0.8)
    seen = survey.seen_checks()
    joint = _along_the_grid(seen.differences(plan), survey.convergence)
    progress(DONE, 1.0)
    return packed(seen.points, joint, plan.hash)


def _along_the_grid(joint: Floats, convergence: float) -> Floats:
    """A joint covariance (3c, 3c) of the local frame, turned to the grid's axes."""
    turn = np.kron(np.eye(len(joint) // 3), from_grid(convergence))
    return np.asarray(turn.T @ joint @ turn)
