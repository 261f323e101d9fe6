"""What the rules find in a plan, and in its result where there is one."""

from kardo.core.accuracy.figures.results import Result
from kardo.core.errors import KardoError
from kardo.core.flight.lines.pattern import flown
from kardo.core.plan.model import Plan
from kardo.core.practice.catalogue import Closed, Finding, View, findings


def check_plan(plan: Plan, result: Result | None, closed: Closed | None = None) -> list[Finding]:
    """What the plan's policy asks and finds in a plan and, where there is one, its result; closed: and what the
    residuals said, of a survey that is being closed."""
    try:
        flights = tuple(flown(plan, f) for f in plan.flights)
    except KardoError:
        flights = ()
    return findings(View(plan, flights, result, covers=result is not None and bool(flights), closed=closed))
