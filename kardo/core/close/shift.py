"""The block shift: a base that stood on a position taken "here" gets its mark's own coordinates, and all that rests on
it moves.

It is a plain translation only where the whole block rests on that one mark; where some of its camera positions or
targets hang elsewhere, part of the error has gone into the adjustment, and only processing again mends it."""

import math
from dataclasses import dataclass

import numpy as np

from kardo.core.arrays import Floats, Triple, triple
from kardo.core.close.closing import BlockShift, Closing, ResidualSet
from kardo.core.control.survey import Survey, survey
from kardo.core.errors import PlanError
from kardo.core.geodesy.units import length
from kardo.core.gnss.occupations import mark_sigma
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of
from kardo.core.plan.stands import Mark, OnInstrument, OnSetUp, PositionSource

FARTHEST = 5  # times its sigma that a position taken "here" may be off before somebody has to say why


@dataclass(frozen=True)
class Moved:
    """A point before and after: east, north, up in grid metres, what it moves by (part of the shift where it rests on
    the mark in part), and its residual before and after, None where it has none."""

    point: str
    name: str
    by: Triple
    d_before: Triple | None
    d_after: Triple | None


@dataclass(frozen=True)
class ShiftPreview:
    """What a block shift would do: what the map and all that rests on the mark move by, metres east, north, up; each
    point; and what looks odd about it."""

    by: Triple
    points: list[Moved]
    remark: str


def marks_here(plan: Plan) -> list[Mark]:
    """The marks whose coordinates were taken "here" and that a set-up stands on, with the heights they were taken at:
    None where that is neither typed nor known from the ground."""
    hung = {s.mark for s in plan.setups}
    heights = {m.id: plan.mark_height(m) for m in plan.marks}
    return [
        m.model_copy(update={"h": heights[m.id] if math.isfinite(heights[m.id]) else None})
        for m in plan.marks
        if m.known == "here" and m.id in hung
    ]


def shift_by(plan: Plan, shift: BlockShift) -> Triple:
    """Metres east, north, up by which everything on the mark moves. Raises PlanError as `shift_to` does."""
    return shift_to(plan, shift.mark, place_of(plan, shift), shift.why_so_far)


def place_of(plan: Plan, shift: BlockShift) -> Triple:
    """Where the mark really is: grid metres and height in the job's system."""
    return in_job_heights(plan, (shift.e, shift.n, shift.h), shift.heights)


def in_job_heights(plan: Plan, place: Triple, heights: str) -> Triple:
    """A place in grid metres, its height ellipsoidal or already of the job's system, with a height of the job's."""
    e, n, h = place
    return (e, n, h - float(plan.grid.separation(e, n))) if heights == "ellipsoidal" else place


def shift_to(plan: Plan, key: str, place: Triple, why_so_far: str = "") -> Triple:
    """Metres east, north, up from where a mark was taken to a place, grid metres and height of the job's system. Raises
    PlanError for a mark that is not there or was not taken "here", where part of the block rests elsewhere, and for a
    shift beyond FARTHEST times what such a position is good to, unless it is said why."""
    mark = plan.mark(key)
    if mark is None:
        raise PlanError("The plan has no such mark.", where="Close, mend", mend="Choose the mark the base stood on.")
    if mark.known != "here":
        raise PlanError(
            f"The coordinates of {mark.name} are not ones taken “here”: there is nothing to shift.",
            where="Close, mend",
            mend="If they were wrong, correct the mark in Base and process again.",
        )
    if elsewhere := _hangs_elsewhere(plan, mark):
        raise PlanError(
            f"{elsewhere} is not positioned from {mark.name}: the block was adjusted between the two, and no"
            " translation takes that out.",
            where="Close, mend",
            mend="Correct the coordinates and process again.",
        )
    height = plan.mark_height(mark)
    if not math.isfinite(height):
        raise PlanError(f"{mark.name} has no height.", where="Close, mend", mend="Type its height in Base.")
    by = place[0] - mark.e, place[1] - mark.n, place[2] - height
    if not why_so_far:
        _require_near(plan, mark, by)
    return by


def _require_near(plan: Plan, mark: Mark, by: Triple) -> None:
    unit = plan.brief.unit
    h, _, v = mark_sigma(mark, plan.assume)
    away = math.hypot(by[0], by[1])
    if away <= FARTHEST * h and abs(by[2]) <= FARTHEST * v:
        return
    in_plan, up, good_h, good_v = (length(metres, unit, 2) for metres in (away, by[2], h, v))
    words = (
        f"{in_plan} in plan and {up} in height is more than {FARTHEST} times what a position taken “here” is good to"
        f" (±{good_h} and ±{good_v})."
    )
    if remark := _like_separation(plan, mark, by[2]):
        words += f" {remark}"
    mend = "Look at grid, order and kind of height once more. If it is so, say why."
    raise PlanError(words, where="Close, mend, how far", mend=mend)


def _like_separation(plan: Plan, mark: Mark, up: float) -> str:
    """What is said of a shift in height that a mix of ellipsoidal heights and the job's would explain better."""
    separation, unit = float(plan.grid.separation(mark.e, mark.n)), plan.brief.unit
    v = mark_sigma(mark, plan.assume)[2]
    for way, off in (
        ("ellipsoidal where the job's is meant", up - separation),
        ("the job's where an ellipsoidal one is meant", up + separation),
    ):
        if abs(off) < min(abs(up) / 2, 2 * v):
            return f"The separation there is {length(separation, unit, 2)}: the height may be {way}."
    return ""


def _hangs_elsewhere(plan: Plan, mark: Mark) -> str:
    """Something of the block that does not rest on the mark, by name; empty where all does."""

    def on_mark(hung: PositionSource) -> bool:
        setup = plan.setup(hung.setup) if isinstance(hung, OnSetUp | OnInstrument) else None
        return setup is not None and setup.mark == mark.id

    flights = [name_of(plan, "flight", f.id) for f in plan.flights if f.corrected and not on_mark(f.positioned_from)]
    targets = [p.name for p in plan.targets if not all(map(on_mark, p.by_source))]
    nothing = [] if plan.targets or any(f.corrected for f in plan.flights) else ["The block"]
    return next(iter([*flights, *targets, *nothing]), "")


def backwards(by: Triple) -> Triple:
    """A shift taken back."""
    east, north, up = by
    return -east, -north, -up


def preview(plan: Plan, shift: BlockShift, taken: ResidualSet | None) -> ShiftPreview:
    """What a block shift would do to a plan as it was done, with the residuals of a set. Raises PlanError."""
    by = shift_by(plan, shift)
    held = _held(survey(plan, plan.control), shift.mark)
    before = {o.point: o.d for o in taken.outcomes} if taken else {}
    points = []
    for point, share in zip(plan.control, held, strict=True):
        d = before.get(point.id)
        after = None if d is None else triple(np.array(d) + np.array(by) * (1 - share))
        points.append(
            Moved(point=point.id, name=point.name, by=triple(np.array(by) * share), d_before=d, d_after=after)
        )
    mark = plan.mark(shift.mark)
    return ShiftPreview(by, points, _like_separation(plan, mark, by[2]) if mark else "")


def residuals_now(plan: Plan, closing: Closing) -> ResidualSet | None:
    """The judged residuals, with the block shift where one is applied: a check from another mark sees it, one from the
    same mark moves with the map. plan is as done, before the shift. Raises PlanError."""
    taken, shift = closing.judged, closing.shift
    if taken is None or shift is None:
        return taken
    after = {m.point: m.d_after for m in preview(plan, shift, taken).points}
    outcomes = tuple(o.model_copy(update={"d": after.get(o.point, o.d)}) for o in taken.outcomes)
    return taken.model_copy(update={"outcomes": outcomes})


def _held(surveyed: Survey, mark: str) -> list[Floats]:
    """How much (3,) of a mark's error each surveyed point holds."""
    return [
        sum((np.array(h.share) for h in held if h.shift.key == ("mark", mark)), np.zeros(3)) for held in surveyed.held
    ]
