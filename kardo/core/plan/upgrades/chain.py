"""Old plans are read for ever: a chain of small functions, one a version step.

Documents, rows and undo steps go through the same chain when they are read. What a step needs to know of its time is
written down beside it and never changes."""

from collections.abc import Callable
from typing import Any

from pydantic import ValidationError

from kardo.core.arrays import Json
from kardo.core.errors import PlanError
from kardo.core.plan.edits import Edit, as_held, difference, value_at
from kardo.core.plan.model import VERSION
from kardo.core.plan.upgrades.from_1 import from_1
from kardo.core.plan.upgrades.from_2 import from_2

STEPS: dict[int, Callable[[Json], Json]] = {1: from_1, 2: from_2}


def upgraded(document: Json) -> Json:
    """A document of any older version as one of this. Raises PlanError for a version that never was, or a document that
    is not laid out as its version says."""
    version = document.get("version", 1)
    while version != VERSION:
        if type(version) is not int or version not in STEPS:
            raise PlanError(f"There is no version {ascii(version)[:20]} of the plan.", where="version")
        try:
            document = STEPS[version](document)
        except (KeyError, TypeError, ValueError, AttributeError) as fault:
            raise PlanError(
                f"This plan is not laid out as version {version} has it ({type(fault).__name__}).", where="plan"
            ) from fault
        version = document["version"]
    return document


def upgraded_step(changes: list[Json], document: Json) -> list[Edit]:
    """An undo step of version 1 ({object, before, after}) as edits by field, to be laid over a document of this
    version. Kit and set-ups that it needs are added where they are missing; it takes none away. Raises PlanError for a
    step that cannot be read."""
    try:
        return _upgraded_step(changes, document)
    except ValidationError as fault:
        raise PlanError("This step of an older plan cannot be read.", where="undo", mend="Step over it.") from fault


def _upgraded_step(changes: list[Json], document: Json) -> list[Edit]:
    edits: list[Edit] = []
    for change in changes:
        before, after = (_modelled(upgraded(_alone(change["object"], change[side]))) for side in ("before", "after"))
        edits += difference(before, after)
    return [e for e in edits if not _is_supply(e.path) or (e.after is not None and value_at(document, e.path) is None)]


def _modelled(document: Json) -> Json:
    """A document with every part as the model holds it, whether or not the parts hold together."""
    return {name: as_held((name,), value) for name, value in document.items()}


def _is_supply(path: str) -> bool:
    """Whether a path is a whole row of the kit or a rover's set-up, which version 1 did not have."""
    parts = path.split("/")
    return (parts[0] == "kit" and len(parts) == 3) or (parts[0] == "setups" and len(parts) == 2)


def _alone(name: str, value: Any) -> Json:
    """A document of version 1 with one object in it."""
    kind, _, key = name.partition("/")
    document: Json = {"format": "kardo-plan", "version": 1}
    plural = {"mark": "marks", "control": "control", "area": "areas"}.get(kind)
    if not plural:
        return document | ({} if value is None else {kind: value})
    return document | {plural: [] if value is None else [value | {"id": key}]}
