"""Names are put in when words are shown: what is computed and stored speaks of things by kind and id."""

import re
from typing import Any

from kardo.core.geodesy.units import length, small, speed
from kardo.core.plan.model import Plan

_REFERENCE = re.compile(
    r"\{(mark|setup|network|leg|line|distance_east|distance_north|flight|control|area|camera)/([A-Za-z0-9_.-]+)\}"
)
_MEASURE = re.compile(r"\{(small|length|speed)/([0-9.e+-]+)\}")
_SHOWN = {"small": small, "length": length, "speed": speed}


def reference(kind: str, key: str) -> str:
    """How words that are stored speak of a thing of the plan.

    >>> reference("mark", "heron-4")
    '{mark/heron-4}'
    """
    return f"{{{kind}/{key}}}"


def small_length(metres: float) -> str:
    """How words that are stored speak of a small length, whatever unit it will be shown in."""
    return f"{{small/{metres!r}}}"


def plain_length(metres: float) -> str:
    """The same of a length."""
    return f"{{length/{metres!r}}}"


def plain_speed(m_per_s: float) -> str:
    """The same of a speed.

    >>> plain_speed(4.2)
    '{speed/4.2}'
    """
    return f"{{speed/{m_per_s!r}}}"


def without_braces(words: str) -> str:
    """References as plain ids, for files that carry no names."""
    return _REFERENCE.sub(lambda found: found[2], words)


def named(words: str, plan: Plan) -> str:
    """Words with the names that things have in a plan, and lengths and speeds in its unit; what is no longer there
    keeps its id."""
    unit = plan.brief.unit
    words = _MEASURE.sub(lambda found: _SHOWN[found[1]](float(found[2]), unit), words)
    return _REFERENCE.sub(lambda found: name_of(plan, found[1], found[2]), words)


def name_of(plan: Plan, kind: str, key: str) -> str:
    """What a thing of a plan is called in a sentence."""
    if kind in ("leg", "line"):
        flight, *_, number = key.split(".")
        part = f"{kind} {number}"
        return part if len(plan.flights) < 2 else f"{part} of {name_of(plan, 'flight', flight)}"
    if kind.startswith("distance"):
        way = {"distance_east": ", eastward", "distance_north": ", northward"}.get(kind, "")
        return f"distance to {name_of(plan, 'mark', key.partition('.')[0])}{way}"
    rows: tuple[Any, ...] = {
        "mark": plan.marks,
        "setup": plan.setups,
        "network": plan.correction_services,
        "flight": plan.flights,
        "control": plan.control,
        "area": plan.site.areas,
        "camera": plan.kit.cameras,
        "scanner": plan.kit.scanners,
    }[kind]
    own: str = next((row.name for row in rows if row.id == key), key)
    if kind == "setup":
        return set_up_name(plan, key, own)
    if kind == "network" and "network" in own.casefold():
        return own
    return {"mark": f"mark {own}", "network": f"network {own}"}.get(kind, own)


def set_up_name(plan: Plan, key: str, own: str) -> str:
    """A set-up by the mark it stands on, and by its own name where several stand there."""
    setup = plan.setup(key)
    mark = plan.mark(setup.mark) if setup else None
    if setup is None or mark is None:
        return f"set-up {own}"
    alone = sum(s.mark == mark.id for s in plan.setups) == 1
    return f"set-up on {mark.name}" if alone else f"set-up {own} on {mark.name}"
