"""Entries of the book in words, with the names that things have in the plan: for the report."""

from collections.abc import Callable
from typing import Any

from kardo.core.book.entries import (
    BroadcastHeard,
    Entry,
    HeightRead,
    Noted,
    Occupied,
    SortieFlown,
    StoodUp,
    TargetMoved,
)
from kardo.core.geodesy.units import UNITS, length
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of


def entry_words(plan: Plan, entry: Entry) -> str:
    """What an entry says."""
    return WORDS[entry.said.kind](plan, entry.said)


def _stood(plan: Plan, said: StoodUp) -> str:
    plummet = "on the mark" if said.plummet_on else "NOT on the mark"
    return f"{_setup(plan, said)} stands on {name_of(plan, 'mark', said.mark)}, plummet {plummet}, {said.when}"


def _height(plan: Plan, said: HeightRead) -> str:
    metres = length(said.metres, plan.brief.unit, 4)
    return f"{_setup(plan, said)}: {said.measured_to} height typed {said.typed} ({metres}), {said.when}"


def _broadcast(plan: Plan, said: BroadcastHeard) -> str:
    held = "as planned" if said.as_planned else "NOT as planned"
    return f"{_setup(plan, said)} heard by its {said.by} {said.source}, {held}: {said.words}"


def _occupied(plan: Plan, said: Occupied) -> str:
    pole = f", pole {length(said.pole, plan.brief.unit, 3)}" if said.pole else ""
    base = f", from {_setup(plan, said)}" if said.setup else ""
    return f"{_point(plan, said)} occupied: {said.state}, {said.epochs} epochs{pole}{base}"


def _moved(plan: Plan, said: TargetMoved) -> str:
    unit = UNITS[plan.brief.unit]
    after = ", moved after it was observed" if said.after_observed else ""
    return (
        f"{_point(plan, said)} lies at {unit.from_metres(said.e):.2f} E {unit.from_metres(said.n):.2f} N"
        f" {unit.short}{after}"
    )


def _leg(plan: Plan, said: SortieFlown) -> str:
    battery = f", battery {said.battery}" if said.battery else ""
    return (
        f"{_of_leg(plan, said)}: {said.images} images, {said.positions} positions, {100 * said.not_fixed:.0f} % not"
        f" fixed{battery}"
    )


def _noted(_: Plan, said: Noted) -> str:
    return f"{said.kind}: {said.words}"


def _setup(plan: Plan, said: Any) -> str:
    return name_of(plan, "setup", said.setup)


def _point(plan: Plan, said: Any) -> str:
    return name_of(plan, "control", said.point)


def _of_leg(plan: Plan, said: Any) -> str:
    return f"{name_of(plan, 'flight', said.flight)}, sortie {said.leg}"


WORDS: dict[str, Callable[[Plan, Any], str]] = {
    "arrival": lambda plan, said: "on site",
    "departure": lambda plan, said: "left the site",
    "withdrawn": lambda plan, said: f"taken back: {said.why}" if said.why else "taken back",
    "set_up": _stood,
    "height": _height,
    "broadcast": _broadcast,
    "log_start": lambda plan, said: f"{_setup(plan, said)}: log on",
    "log_end": lambda plan, said: f"{_setup(plan, said)}: log off",
    "occupation": _occupied,
    "target_out": lambda plan, said: f"{_point(plan, said)} laid out",
    "target_moved": _moved,
    "not_reached": lambda plan, said: f"{_point(plan, said)} not reached{f': {said.why}' if said.why else ''}",
    "session_on": lambda plan, said: f"{_point(plan, said)}: its log on{f', {said.place}' if said.place else ''}",
    "session_off": lambda plan, said: f"{_point(plan, said)}: its log off",
    "target_in": lambda plan, said: f"{_point(plan, said)} taken up",
    "leg": _leg,
    "leg_not_flown": lambda plan, said: f"{_of_leg(plan, said)} not flown",
    "tick": lambda plan, said: f"done: {said.what.replace('_', ' ')}",
    "note": _noted,
    "incident": _noted,
    "weather": _noted,
    "photo": _noted,
}
