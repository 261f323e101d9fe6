"""Zones of airspace as features of a plan, and what has changed about them since."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature

HIGH = 1000.0  # metres: the most that a feature's height says
MOVED = 1.0  # metres from which an outline is another one
Change = Literal["new", "changed", "same", "gone"]


@dataclass(frozen=True)
class ZoneMet:
    """A zone as the authority has it now, as the plan would hold it, and what that is against the plan: new, changed
    (words say how), the same, or gone from the authority's list."""

    feature: Feature
    change: Change
    words: str


def compared(plan: Plan, found: Sequence[Feature]) -> list[ZoneMet]:
    """An authority's zones (with their numbers) against those of a plan: a zone keeps its id and what was asked of it
    as long as it is the same."""
    held = {f.zone.number: f for f in plan.site.features if f.kind == "airspace" and f.zone and f.zone.number}
    taken = {f.id for f in plan.site.features}
    out = []
    for zone in found:
        assert zone.zone is not None
        old = held.pop(zone.zone.number, None)
        if old is None or old.zone is None:
            key = next(k for k in (f"Z{n}" for n in range(1, len(taken) + 600)) if k not in taken)
            taken.add(key)
            out.append(ZoneMet(zone.model_copy(update={"id": key}), "new", ""))
            continue
        words = _differs(old, zone)
        asked = {} if words else {"asked": old.zone.asked, "reference": old.zone.reference}
        now = zone.model_copy(update={"id": old.id, "note": old.note, "zone": zone.zone.model_copy(update=asked)})
        out.append(ZoneMet(now, "changed" if words else "same", words))
    return out + [ZoneMet(f, "gone", "the authority has it no longer") for f in held.values()]


def _differs(old: Feature, new: Feature) -> str:
    """How a zone differs from what the plan holds; empty where it does not."""
    assert old.zone is not None and new.zone is not None
    said = []
    if old.zone.ceiling != new.zone.ceiling:
        said.append(f"ceiling {_ceiling(new)} m, was {_ceiling(old)} m")
    if old.zone.hours != new.zone.hours:
        said.append("other hours")
    pairs = zip(old.vertices, new.vertices, strict=False)
    if len(old.vertices) != len(new.vertices) or any(
        abs(a - b) > MOVED for p, q in pairs for a, b in zip(p, q, strict=True)
    ):
        said.append("another outline")
    return "; ".join(said)


def _ceiling(zone: Feature) -> str:
    assert zone.zone is not None
    return "none" if zone.zone.ceiling is None else f"{zone.zone.ceiling:g}"
