"""Names of control by a scheme, so that a name says the role and the order says the way."""

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field

from kardo.core.control.round import MOST_SOLVED, walk
from kardo.core.errors import PlanError
from kardo.core.parts import Clean, Part
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.edits import Edit
from kardo.core.plan.model import Plan

Order = Literal["listed", "round", "west", "north"]


class NameScheme(Part):
    """Letters before the number of a target and of a check, the first number, how many digits at least, and in which
    order they count: as listed, along one round from a start, from the west or from the north."""

    target: Annotated[str, Field(min_length=1, max_length=20), Clean] = "G"
    check: Annotated[str, Field(min_length=1, max_length=20), Clean] = "K"
    first: Annotated[int, Field(ge=0, le=100_000)] = 1
    digits: Annotated[int, Field(ge=1, le=6)] = 1
    order: Order = "listed"


@dataclass(frozen=True)
class Renaming:
    """The edits that give every point its name, and how many change."""

    edits: list[Edit]
    changed: int


def renamed(plan: Plan, scheme: NameScheme, start: tuple[float, float]) -> Renaming:
    """Names by a scheme, targets and checks counted apart; start: where the round begins, grid metres. Raises PlanError
    for letters that would not tell a target from a check."""
    if scheme.target.casefold() == scheme.check.casefold():
        raise PlanError(
            "Control and check points would be called alike.", where="Control, names", mend="Give checks other letters."
        )
    edits: list[Edit] = []
    count = {"target": scheme.first, "check": scheme.first}
    for point in _ordered(plan, scheme.order, start):
        letters = scheme.target if point.role == "target" else scheme.check
        name = f"{letters}{count[point.role]:0{scheme.digits}d}"
        count[point.role] += 1
        if name != point.name:
            edits.append(Edit(f"control/{point.id}/name", point.name, name))
    return Renaming(edits, len(edits))


def _ordered(plan: Plan, order: Order, start: tuple[float, float]) -> list[ControlPoint]:
    points = list(plan.control)
    if order == "west":
        return sorted(points, key=lambda p: (p.e, -p.n))
    if order == "north":
        return sorted(points, key=lambda p: (-p.n, p.e))
    if order == "round" and len(points) <= MOST_SOLVED:
        return [points[k] for k in walk(start, [(p.e, p.n) for p in points])[0]]
    return points
