"""Control moved, added, dropped or observed otherwise, answered from a network already solved.

Kept of a solved network: its factor and the rows of the full inverse that belong to the map. A changed target then
costs one forward solve of three columns and a correction of rank three to six (misclosures.py says of what); a changed
check changes nothing of the map. What its rays tie together stays as it was, so the answer is provisional: within 3 %
of the full computation, which follows."""

from collections import OrderedDict
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numba import get_num_threads, set_num_threads

from kardo.core.accuracy.equation.solution import Solution, solve
from kardo.core.accuracy.figures.judged import Errors
from kardo.core.accuracy.images.budget import OnMap, propagate_to_map
from kardo.core.accuracy.images.misclosures import (
    Misclosures,
    block_diagonal,
    correction,
    difference_covariance,
    gram,
    hung,
    intersected,
    join,
)
from kardo.core.accuracy.images.planned import ControlRays, Planned, planned_network
from kardo.core.arrays import Floats
from kardo.core.errors import PlanError
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan

MOST_CHANGES = 40  # control points that may differ before the full computation is the better answer
MOST_REMEMBERED = 32_000_000  # bytes of places that a network remembers beside its own control
LEAST_LEFT = 1e-4  # of a variance: below, the map's rows, in single precision, do not tell it to 3 %
MOST_KEPT = 2_000_000_000  # bytes: above, only the full computation answers


@dataclass(frozen=True)
class Kept:
    """A solved plan, ready to be asked. `at` remembers the forward solutions of places asked before, the latest last;
    `own` the plan's own points as the network has them."""

    planned: Planned
    solution: Solution
    on_map: OnMap
    at: OrderedDict[tuple[object, ...], Misclosures] = field(default_factory=OrderedDict)
    own: dict[tuple[object, ...], Misclosures] = field(default_factory=dict)
    remembered: dict[tuple[object, ...], "_Seen"] = field(default_factory=dict)

    @property
    def nbytes(self) -> int:
        """Memory that the arrays take, about: the factor, the map's rows and the network's rays."""
        rows = self.on_map.rows_band
        rays = self.solution.rays
        parts = (self.solution.factor.band, rays.jx, rays.je, rays.ji, rows if rows is not None else rays.prior)
        return int(sum(part.nbytes for part in parts))

    @cached_property
    def without_pattern(self) -> Floats:
        """Covariances (k, 3, 3) of the map without what the terms do to it."""
        effect = _by_point(self.on_map.pattern)
        return np.asarray(self.on_map.covariances - np.matmul(effect, effect.transpose(0, 2, 1)))

    def seen_by_checks(self, plan: Plan, points: tuple[ControlPoint, ...]) -> "_Seen":
        """Of a set of c checks, before any correction; the last set asked for is remembered, for while a target is
        dragged the checks stay."""
        key = tuple(_key(p) for p in points)
        if key not in self.remembered:
            control = self.planned.observe(plan, points)
            seen = self._misclosures(points, control)
            self.remembered.clear()
            self.remembered[key] = _Seen(seen, difference_covariance(seen, self.solution), control)
        return self.remembered[key]

    def misclosures(self, plan: Plan, points: tuple[ControlPoint, ...]) -> Misclosures:
        """Of control points, each solved once for its place."""
        return self._misclosures(points, self.planned.observe(plan, points))

    def of_plan(self, points: tuple[ControlPoint, ...]) -> list[Misclosures]:
        """Of the plan's own points, each as it is in the network."""
        for p in points:
            if _key(p) not in self.own:
                self.own[_key(p)] = self.misclosures(self.planned.plan, (p,))
        return [self.own[_key(p)] for p in points]

    def _misclosures(self, points: tuple[ControlPoint, ...], control: ControlRays) -> Misclosures:
        new = [k for k, p in enumerate(points) if _place(p) not in self.at]
        if new:
            found = intersected(self.solution, control.take(np.array(new)))
            self.at.update({_place(points[k]): found.take(np.arange(len(new)) == i) for i, k in enumerate(new)})
        for p in points:
            self.at.move_to_end(_place(p))
        solved = join([self.at[_place(p)] for p in points], self.solution)
        self._forget(len(points) + len(self.planned.plan.control))
        return hung(solved, self.solution, control)

    def _forget(self, least: int) -> None:
        """The places asked for longest ago, once all take too much; so many stay in any case."""
        each = 2 * 3 * 8 * self.solution.factor.n
        while len(self.at) > max(least, MOST_REMEMBERED // each):
            self.at.popitem(last=False)

    def with_map(self, some: Misclosures) -> Floats:
        """Covariance (3k, 3m) of the map with misclosures: the map's rows of the inverse against the few unknowns that
        each misclosure touches."""
        assert self.on_map.rows_band is not None and self.on_map.rows_border is not None
        rows = np.flatnonzero(some.g_band.any(axis=1))
        touched = self.on_map.rows_band[rows].T @ some.g_band[rows].astype(np.float32)
        return touched + self.on_map.rows_border.T @ (some.g_border + some.s_border)


class _Seen(NamedTuple):
    """Checks as misclosures, their joint covariance (3c, 3c), and how they are observed."""

    points: Misclosures
    joint: Floats
    control: ControlRays


def keep(plan: Plan) -> Kept:
    """Solve a plan and keep what live answers need. Raises PlanError, DefectiveNetwork."""
    planned = planned_network(plan)
    solution = solve(planned.network)
    if solution.factor.band.nbytes + 12 * solution.factor.n * len(planned.map_points) > MOST_KEPT:
        raise PlanError("This block is too large for live answers; the full computation follows every change.")
    targets = solution.columns(planned.targets, delivered=False)
    kept = Kept(planned, solution, propagate_to_map(solution, planned.map_points, targets, keep_rows=True))
    kept.misclosures(plan, plan.control)
    return kept


def _place(p: ControlPoint) -> tuple[object, ...]:
    return p.e, p.n, p.h, p.width


def _key(p: ControlPoint) -> tuple[object, ...]:
    return *_place(p), p.occupations, p.positioned_from


def what_if(kept: Kept, control: tuple[ControlPoint, ...]) -> Errors:
    """The kept plan with other control, provisionally. Raises PlanError where only the full computation can tell."""
    threads = get_num_threads()
    set_num_threads(1)  # of this thread's loops: for a handful of points, waking another costs more than it saves
    try:
        return _answered(kept, control)
    finally:
        set_num_threads(threads)


def _answered(kept: Kept, control: tuple[ControlPoint, ...]) -> Errors:
    old, new = _differing_targets(kept.planned.plan, control)
    if len(old) + len(new) > MOST_CHANGES:
        raise PlanError("Too much of the control has changed for a live answer; the full computation follows.")
    plan = kept.planned.plan.model_copy(update={"control": control})
    changed = join([*kept.of_plan(old), kept.misclosures(plan, new)], kept.solution)
    weight = block_diagonal(_weights(changed, len(old)))
    try:
        k = correction(weight, gram(changed, changed))
    except np.linalg.LinAlgError:
        raise PlanError(
            "Without this control point the network may not be determined; the full computation follows."
        ) from None
    on_map, with_map = kept.on_map, kept.with_map(changed)
    p = with_map.reshape(len(on_map.covariances), 3, 3 * len(changed))
    effect = _by_point(on_map.pattern - changed.h_pattern @ (with_map @ k).T)
    covariances = kept.without_pattern - np.matmul(p @ k, p.transpose(0, 2, 1))
    covariances += np.matmul(effect, effect.transpose(0, 2, 1))
    if (np.einsum("kaa->ka", covariances) < LEAST_LEFT * np.einsum("kaa->ka", on_map.covariances)).any():
        raise PlanError("This change settles so much that only the full computation tells it; that follows.")
    checks = tuple(c for c in control if c.role == "check")
    seen = kept.seen_by_checks(plan, checks)
    measured = seen.control.take(np.flatnonzero(seen.points.usable))
    joint = _joint(seen.points, seen.joint, changed, k)
    return Errors(
        covariances=covariances,
        on_map=kept.planned.map_places,
        joint=joint,
        survey=measured.total_sigma,
        at_checks=measured.places,
    )


def _differing_targets(
    plan: Plan, control: tuple[ControlPoint, ...]
) -> tuple[tuple[ControlPoint, ...], tuple[ControlPoint, ...]]:
    before, after = ({_key(p): p for p in some if p.role == "target"} for some in (plan.control, control))
    return (
        tuple(p for key, p in before.items() if key not in after),
        tuple(p for key, p in after.items() if key not in before),
    )


def _weights(changed: Misclosures, dropped: int) -> Floats:
    """Change of weight (m, 3, 3): minus R^-1 of what is dropped, plus R^-1 of what comes."""
    out = np.zeros((len(changed), 3, 3))
    use = changed.usable
    out[use] = np.linalg.inv(changed.noise[use])
    out[:dropped] *= -1
    return out


def _by_point(pattern: Floats) -> Floats:
    """What the terms do to each point's coordinates, (s, 3k) as (k, 3, s)."""
    return pattern.T.reshape(pattern.shape[1] // 3, 3, len(pattern))


def _joint(seen: Misclosures, before: Floats, changed: Misclosures, k: Floats) -> Floats:
    """Section 3's joint covariance of map minus check, after the correction k of the inverse."""
    a = changed.y_band.T @ seen.y_band + changed.h_border.T @ seen.y_border
    b = changed.h_border.T @ seen.shifts
    cross = a.T @ k @ b
    pattern = seen.pattern - changed.h_pattern @ k.T @ a
    joint = before - a.T @ k @ a - cross - cross.T + pattern.T @ pattern - seen.pattern.T @ seen.pattern
    measured = np.repeat(seen.usable, 3)
    return np.asarray(joint[np.ix_(measured, measured)], dtype=np.float64)
