"""What a plan that passes could do without: targets, checks, rounds, flight lines, a second base, each with the minutes
that it saves."""

from collections.abc import Iterator
from typing import Any

from kardo.core.accuracy.change.offers import Remedy, minutes_on_ground, round_metres
from kardo.core.accuracy.figures.standards import standards
from kardo.core.flight.lines.pattern import flown
from kardo.core.gnss.occupations import minutes_on_point
from kardo.core.parts import to_json
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import Edit, field_edits, part_edits
from kardo.core.plan.flights import ParallelLines
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import reference
from kardo.core.plan.stands import SetUp, setup_of

MOST_POINTS = 60  # of control, above which points are not tried one by one


def savings(plan: Plan) -> Iterator[Remedy]:
    """Changes that leave something out; their minutes are less than none."""
    if len(plan.control) <= MOST_POINTS:
        yield from (without(plan, (p,)) for p in spare_points(plan))
    yield from _rounds(plan)
    yield from _strips(plan)
    for setup in plan.setups:
        yield from _second_base(plan, setup)


def spare_points(plan: Plan) -> tuple[ControlPoint, ...]:
    """Control that may be left out at all: nothing that is pinned, and no check that the standard's least number
    needs."""
    checks_spare = len(plan.checks) > max(1, standards()[plan.brief.standard].least_checks)
    return tuple(p for p in plan.control if not p.pinned and (p.role == "target" or checks_spare))


def without(plan: Plan, points: tuple[ControlPoint, ...]) -> Remedy:
    """A plan without some points of its control; saved: laying out, observing, taking up, and the way round all that
    are left."""
    gone = {p.id for p in points}
    left = tuple(p for p in plan.control if p.id not in gone)
    minutes = minutes_on_ground(plan, left) - minutes_on_ground(plan, plan.control)
    edits = tuple(Edit(f"control/{p.id}", to_json(p), None, plan.control.index(p)) for p in points)
    roles = {p.role for p in points}
    what = "points" if len(roles) > 1 else f"{points[0].role}{'' if len(points) == 1 else 's'}"
    names = ", ".join(reference("control", p.id) for p in points)
    return Remedy("drop", f"Leave out {what} {names}", minutes, edits)


def _rounds(plan: Plan) -> Iterator[Remedy]:
    """Control that is observed more than once from the same source: once."""
    for who, points in (("checks", plan.checks), ("targets", plan.targets), ("control and check points", plan.control)):
        twice = [p for p in points if len(p.occupations) > 1 and len(p.by_source) == 1]
        if not twice or (who == "control and check points" and len({p.role for p in twice}) == 1):
            continue
        edits = tuple(
            e for p in twice for e in field_edits(f"control/{p.id}", p, occupations=[to_json(p.occupations[0])])
        )
        minutes = sum(minutes_on_point(p.occupations[:1]) - minutes_on_point(p.occupations) for p in twice)
        minutes -= round_metres(tuple(twice)) / plan.assume["walking_speed"]
        yield Remedy("drop", f"Observe {who} once: no second round on foot", minutes, edits)


def _strips(plan: Plan) -> Iterator[Remedy]:
    for flight in plan.flights:
        of = f" of {reference('flight', flight.id)}" if len(plan.flights) > 1 else ""
        pattern, choices = flight.pattern, []
        if isinstance(pattern, ParallelLines) and pattern.cross_lines:
            choices.append((f"Leave out the cross lines{of}", flight.having(cross_lines=0)))
        if isinstance(pattern, ParallelLines) and (pattern.oblique_lines or pattern.oblique_across):
            without = flight.having(oblique_lines=0, oblique_across=0)
            choices.append((f"Leave out the oblique lines{of}", without))
        if pattern.extra_lines:
            choices.append((f"Leave out the flight lines beyond the area{of}", flight.having(extra_lines=0)))
        now = flown(plan, flight).minutes if choices else 0.0
        for words, then in choices:
            minutes = flown(plan, then).minutes - now
            yield Remedy("drop", words, minutes, part_edits(f"flights/{flight.id}", flight, then))


def _second_base(plan: Plan, setup: SetUp) -> Iterator[Remedy]:
    """A set-up from which nothing is flown, and whose points are observed from another one too."""
    if any(setup_of(f.positioned_from) == setup.id for f in plan.flights):
        return
    observed = [p for p in plan.control if any(_from(p, o.positioned_from, setup.id) for o in p.occupations)]
    again = [(p, [o for o in p.occupations if not _from(p, o.positioned_from, setup.id)]) for p in observed]
    if not observed or any(not left or setup_of(p.positioned_from) == setup.id for p, left in again):
        return
    edits: list[Edit] = []
    minutes = -plan.assume["minutes_set_up"] - round_metres(tuple(observed)) / plan.assume["walking_speed"]
    for p, left in again:
        edits += field_edits(f"control/{p.id}", p, occupations=[to_json(o) for o in left])
        minutes += minutes_on_point(tuple(left)) - minutes_on_point(p.occupations)
    edits.append(Edit(f"setups/{setup.id}", to_json(setup), None, plan.setups.index(setup)))
    yield Remedy("drop", f"Leave out the {reference('setup', setup.id)}: one base", minutes, tuple(edits))


def _from(point: ControlPoint, hung: Any, key: str) -> bool:
    return setup_of(hung or point.positioned_from) == key
