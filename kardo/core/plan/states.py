"""The two states of a plan whose base stands on a position taken "here": as it was taken, and shifted by its own
log."""

from kardo.core.plan.brief import State
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Mark

OTHER: dict[State, State] = {"as_taken": "shifted", "shifted": "as_taken"}


def to_shift(plan: Plan) -> tuple[Mark, ...]:
    """The marks that were taken "here", that something stands on, and that a shift is planned for."""
    stood = {s.mark for s in plan.setups}
    return tuple(m for m in plan.marks if m.known == "here" and m.shift_hours is not None and m.id in stood)


def in_state(plan: Plan, state: State) -> Plan:
    """The plan with what it promises told in a state."""
    return plan.model_copy(update={"brief": plan.brief.model_copy(update={"state": state})})
