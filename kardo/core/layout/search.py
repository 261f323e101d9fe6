"""The search for a layout of control: few targets and checks, on ground where one may stand, that pass with the chance
that is wanted.

Candidates by the hundred over the site, those left out where nobody should stand, or too few images see them; checks
spread over the quadrants first, away from where targets come; then targets by accuracy/change/search.py, from as few as
hold the network to as many as are wanted, by the map's variance and, where that does not reach, by the probability of
passing itself. Each size is told with its figures from the solved network, within 3 %; the one that is proposed is
judged by the full computation, and by every rule of control."""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from kardo.core.accuracy.change.search import Field, Objective, State, cost, field, layouts, objective_of, surer
from kardo.core.accuracy.change.whatif import Kept, keep, what_if
from kardo.core.accuracy.equation.solution import DefectiveNetwork
from kardo.core.accuracy.figures.acceptance import chance_words
from kardo.core.accuracy.figures.effort import Progress
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.prediction import figures_of
from kardo.core.arrays import Floats
from kardo.core.errors import KardoError, PlanError
from kardo.core.flight.air.reach import places_over
from kardo.core.geodesy.units import counted, small
from kardo.core.layout.common import CommonLayout, schools
from kardo.core.layout.proposed import (
    Layout,
    SearchOptions,
    apart,
    as_layout,
    away_from,
    checks_for,
    checks_wanted,
    extremes_and_middle,
    layout_of,
    required,
    targets_at,
    where_targets_may_lie,
    with_control,
)
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import changed as edited
from kardo.core.plan.model import Plan

MOST_BYTES = 300_000_000  # that the candidates' solutions may take: of a large block fewer places are tried
NOT_WORTH = 0.01  # of the cost that a further target must take away, twice running, for more to be tried


@dataclass(frozen=True)
class Search:
    """What a search came to: layouts with more and more targets; which of them is proposed, by its place (None: none is
    good enough); the schools beside it; how many places were tried, and why others were not, with how many; and in a
    sentence. now: the plan's own control, as it stands; None where that does not determine anything."""

    front: list[Layout]
    proposed: int | None
    schools: list[CommonLayout]
    tried: int
    left_out: dict[str, int]
    words: str
    now: Layout | None = None


def search(
    plan: Plan,
    wish: SearchOptions,
    progress: Progress = lambda stage, share: None,
    so_far: Callable[[Search], None] = lambda found: None,
) -> Search:
    """Search a layout for a plan, in which pinned control stays; so_far is told what is there whenever more is,
    beginning with the school of five before anything is searched. Raises PlanError where the plan lacks what a
    prediction needs, or nowhere may be stood; DefectiveNetwork where no targets would hold it."""
    if plan.mapped_by != "images":
        raise PlanError(
            "Layouts are searched for blocks of images; a scan is positioned from its trajectory.",
            where="Control, search",
            mend="Put one control point or a few on hard, level ground for the height, and check points all over.",
        )
    progress("looking where control points may lie", 0.0)
    places, left_out = where_targets_may_lie(plan, places_over(plan, wish.places))
    if len(places) < 5:
        raise PlanError(
            "Control points may lie nowhere on this site.",
            where="Control, search",
            mend="Look at keep-outs, water, trees and gaps of the ground.",
        )
    kept_points = required(plan, tuple(p for p in plan.control if p.pinned))
    stay = [(p.e, p.n) for p in kept_points if p.role == "target"]
    checks = checks_for(plan, away_from(places, stay, apart(plan)), kept_points, checks_wanted(plan))
    free = away_from(places, [(p.e, p.n) for p in checks], apart(plan))
    seeds = targets_at(plan, extremes_and_middle(free), kept_points, checks)
    progress("solving the network", 0.02)
    kept = keep(with_control(plan, (*kept_points, *seeds, *checks)))
    first = layout_of(kept, plan, wish, (*kept_points, *seeds, *checks))
    now = _of_control(kept, plan, wish, plan.control) if plan.control else None
    so_far(_partly(plan, [first], 0, left_out, now))
    progress("solving the places", 0.3)
    found, fixed, candidates = _field(kept, plan, free, kept_points, seeds)
    aim = objective_of(plan, kept, first.limit_h, first.limit_v)
    spots, front = np.array([(p.e, p.n) for p in candidates]), list[Layout]()

    def control(state: State) -> tuple[ControlPoint, ...]:
        return _control(plan, state, candidates, kept_points, checks)

    def chance(state: State) -> float:
        return _chance(kept, plan, control(state))

    for state in _worthwhile(found, aim, fixed, wish):
        layout = _of_control(kept, plan, wish, control(state))
        if layout is not None and layout.inside and not layout.good:
            layout = _of_control(kept, plan, wish, control(surer(found, state, aim, spots, fixed, chance, wish.chance)))
        if layout is None:
            continue
        front = _with(front, layout)
        so_far(_partly(plan, front, len(candidates), left_out, now))
        progress(_counted(layout), 0.4 + 0.5 * len(state.taken) / wish.most)
    progress("judging the proposal", 0.9)
    front, best = _judged(plan, wish, _with(front, first))
    beside = schools(kept, plan, wish, free, seeds, front[best] if best is not None else None)
    progress("done", 1.0)
    return Search(
        front=front,
        proposed=best,
        schools=beside,
        tried=len(candidates),
        left_out=left_out,
        words=_told(plan, front, best, wish),
        now=now,
    )


def _field(
    kept: Kept, plan: Plan, free: Floats, stays: tuple[ControlPoint, ...], seeds: tuple[ControlPoint, ...]
) -> tuple[Field, frozenset[int], tuple[ControlPoint, ...]]:
    """The candidates over the kept network: targets that stay, which are fixed; the seeds; and every other place."""
    fixed = tuple(p for p in stays if p.role == "target")
    rest = away_from(free, [(p.e, p.n) for p in (*fixed, *seeds)], 1.0)
    room = max(50, MOST_BYTES // (12 * kept.solution.factor.n))
    rest = rest[:: -(-len(rest) // room)] if len(rest) > room else rest
    candidates = (*fixed, *seeds, *targets_at(plan, rest, fixed, seeds))
    own = range(len(fixed) + len(seeds))
    found = field(kept, kept.planned.observe(kept.planned.plan, candidates), np.array(own))
    return found, frozenset(range(len(fixed))), candidates


def _worthwhile(found: Field, aim: Objective, fixed: frozenset[int], wish: SearchOptions) -> Iterator[State]:
    """Layouts of more and more targets, until two running gain nothing that is worth the walk."""
    before, idle = math.inf, 0
    for state in layouts(found, aim, fixed, wish.most + len(fixed)):
        yield state
        now = cost(state, aim)
        idle = idle + 1 if now > before * (1 - NOT_WORTH) else 0
        before = now
        if idle == 2:
            return


def _control(
    plan: Plan,
    state: State,
    candidates: tuple[ControlPoint, ...],
    stays: tuple[ControlPoint, ...],
    checks: tuple[ControlPoint, ...],
) -> tuple[ControlPoint, ...]:
    """The control of a state of the search, named anew beside what stays."""
    own = {p.id for p in stays}
    places = np.array([(candidates[k].e, candidates[k].n) for k in state.taken if candidates[k].id not in own])
    targets = targets_at(plan, places.reshape(-1, 2), stays, checks)
    return *(p for p in stays if p.role == "target"), *targets, *checks


def _of_control(kept: Kept, plan: Plan, wish: SearchOptions, control: tuple[ControlPoint, ...]) -> Layout | None:
    """A layout of some control; None where only the full computation could tell its figures."""
    try:
        return layout_of(kept, plan, wish, control)
    except (KardoError, DefectiveNetwork):
        return None


def _chance(kept: Kept, plan: Plan, control: tuple[ControlPoint, ...]) -> float:
    """The probability that some control passes, by the kept network; none where only the full computation could tell
    it."""
    try:
        return figures(with_control(plan, control), what_if(kept, control)).chance or 0.0
    except (KardoError, DefectiveNetwork):
        return 0.0


def _with(front: list[Layout], one: Layout) -> list[Layout]:
    """The front with one layout more, the fewest targets first: of two of a size the one that rather passes, and of
    these the better map."""

    def worth(layout: Layout) -> tuple[bool, float, float]:
        return layout.good, layout.chance or 0.0, -layout.rmse_v

    alike = [other for other in front if other.targets == one.targets]
    rest = [other for other in front if other.targets != one.targets]
    return sorted([*rest, max([*alike, one], key=worth)], key=lambda layout: layout.targets)


def _judged(plan: Plan, wish: SearchOptions, front: list[Layout]) -> tuple[list[Layout], int | None]:
    """The front with its proposal judged by the full computation: of those that are good the one that rules say least
    of, and of these the quickest, which mostly has the fewest targets."""
    out, tried = list(front), set[int]()
    while good := [k for k, one in enumerate(out) if one.good and k not in tried]:
        best = min(good, key=lambda k: (len(out[k].left), out[k].minutes, k))
        tried.add(best)
        proposed = edited(plan, out[best].edits)
        out[best] = as_layout(plan, wish, proposed.control, figures_of(proposed), judged=True)
        if out[best].good:
            return out, best
    return out, None


def _partly(plan: Plan, front: list[Layout], tried: int, left_out: dict[str, int], now: Layout | None) -> Search:
    """A search as far as it has come: the first that is good stands for the proposal, by the solved network and not yet
    judged."""
    best = next((k for k, one in enumerate(front) if one.good), None)
    shown = front[-1 if best is None else best]
    chance = "" if shown.chance is None else f", {chance_words(shown.chance)} to pass"
    words = f"So far: {_outside(plan, shown)}{_counted(shown)}{chance}; not yet judged in full."
    return Search(front=list(front), proposed=best, schools=[], tried=tried, left_out=left_out, words=words, now=now)


def _outside(plan: Plan, one: Layout) -> str:
    """What is said first of a layout whose map is outside the tolerance, whatever its checks would see of it; empty for
    one inside."""
    if one.inside:
        return ""
    unit = plan.brief.unit
    return f"OUTSIDE the tolerance, H {small(one.rmse_h, unit)} and V {small(one.rmse_v, unit)} on the map, absolute: "


def _counted(one: Layout) -> str:
    return f"{counted(one.targets, 'control point')} and {counted(one.checks, 'check point')}"


def _told(plan: Plan, front: list[Layout], best: int | None, wish: SearchOptions) -> str:
    if best is None:
        seen = [one for one in front if (one.chance or 0.0) >= wish.chance]
        if seen and not any(one.inside for one in seen):
            said = (
                f"{_outside(plan, seen[0])}no number of control points that was tried brings it inside, though"
                f" {_counted(seen[0])}"
            )
            passing = chance_words(seen[0].chance or 0.0)
            return (
                f"{said} would pass their test with {passing}, for they share the error. Mend the base or the flight"
                " first."
            )
        what = "No number of control points that was tried reaches the tolerance with that probability"
        return f"{what}: the rest is for the flight, the base or the calibration to mend."
    one = front[best]
    passing = "nothing" if one.chance is None else chance_words(one.chance)
    return f"{_counted(one)}: {passing} to pass, {100 * wish.chance:.0f} % wanted; {one.minutes:.0f} min on the ground."
