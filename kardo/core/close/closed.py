"""The plan as it was closed: as done, with the points used as processing used them, and on the mark's own coordinates
once a block shift is applied. The same kind of document again, so that the same engine says what the checks ought to
have shown."""

from kardo.core.book.done import as_done
from kardo.core.book.entries import Book
from kardo.core.close.closing import BlockShift, Closing, ResidualSet
from kardo.core.close.shift import place_of
from kardo.core.parts import to_json
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan, plan_of
from kardo.core.plan.naming import name_of
from kardo.core.plan.stands import Mark
from kardo.core.plan.states import in_state

ROLES = {"adjusted": "target", "checked": "check"}


def as_closed(plan: Plan, book: Book, closing: Closing) -> Plan:
    """What was really done and how it was processed, in the place of what was planned. What the book leaves open counts
    as it was planned: whether it was done is told by the residuals. Raises PlanError where that does not hold
    together."""
    done = as_done(plan, book)
    if closing.judged is not None:
        done = done.model_copy(update={"control": _used(plan, done, closing.judged)})
    if closing.shift is None:  # what is planned to be shifted is not shifted yet
        done = in_state(done, "as_taken")
    else:
        done = done.model_copy(update={"marks": _shifted(done, closing.shift)})
    return plan_of(to_json(done)).under(plan.policy)


def _used(plan: Plan, done: Plan, taken: ResidualSet) -> tuple[ControlPoint, ...]:
    """The points that processing used, in the plan's order, each in the role it had there. One that the book does not
    know as observed and that has a residual all the same counts as it was planned."""
    observed = {p.id: p for p in done.control}
    used = {o.point: o.used for o in taken.outcomes if o.used != "unused"}
    return tuple(
        observed.get(p.id, p).model_copy(update={"role": ROLES[used[p.id]]}) for p in plan.control if p.id in used
    )


def _shifted(plan: Plan, shift: BlockShift) -> tuple[Mark, ...]:
    e, n, h = place_of(plan, shift)
    change = {key: getattr(shift, key) for key in ("sigma_h", "sigma_v", "source")}
    known = {"known": "published", "e": e, "n": n, "h": h, **change}
    return tuple(m.model_copy(update=known) if m.id == shift.mark else m for m in plan.marks)


def contradictions(plan: Plan, book: Book, closing: Closing) -> list[str]:
    """What processing used though the book says otherwise, and the other way round, by the plan's names."""
    taken = closing.judged
    if taken is None:
        return []
    by_id = {o.point: o for o in taken.outcomes}
    observed = {s.point for s in book.of("occupation", "session_on")}
    lost = {s.point for s in book.of("not_reached")} | {s.point for s in book.of("target_moved") if s.after_observed}
    found = []
    for point in plan.control:
        outcome = by_id.get(point.id)
        used = outcome is not None and outcome.used != "unused"
        if used and point.id in lost:
            found.append(
                f"{point.name} was used, though by the book it was not reached, or moved after it was observed."
            )
        elif used and book.entries and point.id not in observed:
            found.append(f"{point.name} was used, though the book has no occupation of it.")
        if outcome is not None and used and outcome.used != _usual(point):
            meant = (
                "a check and adjusted the block: it proves nothing any more"
                if point.role == "check"
                else "a control point and only checked the block"
            )
            found.append(f"{point.name} was planned as {meant}.")
        if not used and point.id in observed:
            found.append(f"{point.name} was observed and not used.")
    off = [
        f"The plummet was not on the mark: {name_of(plan, 'setup', s.setup)}, {s.when} the work."
        for s in book.of("set_up")
        if not s.plummet_on
    ]
    return found + off + _counts(book, taken)


def _counts(book: Book, taken: ResidualSet) -> list[str]:
    """Images and positions that the book and processing count otherwise."""
    sorties = book.of("leg")
    found = []
    for what in ("images", "positions"):
        written, processed = sum(getattr(sortie, what) for sortie in sorties), getattr(taken, what)
        if sorties and processed is not None and processed != written:
            found.append(f"The book counts {written} {what}, processing found {processed}.")
    return found


def _usual(point: ControlPoint) -> str:
    return "adjusted" if point.role == "target" else "checked"
