"""Every place of a plan in the job's grid, found by the kind that its coordinates carry in the model."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any, get_args

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.limits import STATIONS
from kardo.core.parts import InGrid, Part, parts_in
from kardo.core.plan.model import Plan


@dataclass(frozen=True)
class Places:
    """Places (k,) that a plan names, grid metres, and in which station they are typed. edge: of a raster, where no
    height is asked for."""

    where: str
    e: Floats
    n: Floats
    edge: bool


def places_of(plan: Plan) -> list[Places]:
    """All places of a plan in the job's grid, those that are typed together together.

    >>> from kardo.core.plan.stands import Mark
    >>> [p.where for p in places_of(Plan(marks=(Mark(id="a", name="A", e=1.0, n=2.0),)))]
    ['Base, marks']
    """
    found: list[Places] = []
    for name, kinds in _fields(Plan):
        value = getattr(plan, name)
        if name == "flights":
            for flight in value:
                found += _gathered(f"{STATIONS[name]}, {flight.name}", [flight])
        elif isinstance(value, Part):
            for inner, own in _fields(type(value)):
                found += _gathered(f"{STATIONS[name]}, {inner.replace('_', ' ')}", getattr(value, inner), own)
        else:
            found += _gathered(STATIONS[name], value, kinds)
    return found


def _gathered(where: str, value: Any, kinds: Sequence[InGrid] = ()) -> list[Places]:
    """The places of a field's value: those of rasters' edges apart from the others."""
    groups: dict[bool, tuple[list[float], list[float]]] = {False: ([], []), True: ([], [])}
    _gather(value, kinds, groups)
    return [Places(where, np.array(e), np.array(n), edge) for edge, (e, n) in groups.items() if e]


def _gather(value: Any, kinds: Sequence[InGrid], into: dict[bool, tuple[list[float], list[float]]]) -> None:
    if value is None:
        return
    if isinstance(value, Part):
        for name, own in _fields(type(value)):
            _gather(getattr(value, name), own, into)
    elif isinstance(value, tuple | list):
        numbers = bool(value) and isinstance(value[0], int | float)
        for k, one in enumerate(value):
            _gather(one, [kinds[k % len(kinds)]] if numbers else kinds, into)
    else:
        (kind,) = kinds
        into[kind.edge][kind.axis == "n"].append(value)


@cache
def _fields(model: type[Part]) -> list[tuple[str, list[InGrid]]]:
    """The fields of a part in which there is a coordinate: its kinds where the field is one, or a list of places; none
    where they lie in parts within it."""
    found = []
    for name, field in model.model_fields.items():
        kinds = [m for m in field.metadata if isinstance(m, InGrid)] or _kinds(field.annotation)
        if kinds or any(_fields(part) for part in parts_in(field.annotation)):
            found.append((name, kinds))
    return found


def _kinds(annotation: Any) -> list[InGrid]:
    own = [m for m in getattr(annotation, "__metadata__", ()) if isinstance(m, InGrid)]
    return own or [kind for inner in get_args(annotation) for kind in _kinds(inner)]
