"""What the record of a lens says of it on a day: calibrated this week, earlier, or never since it was changed."""

import datetime
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from kardo.core.parts import to_json
from kardo.core.plan.edits import Edit, field_edits
from kardo.core.plan.kit import Camera, LensEntry
from kardo.core.plan.library import library
from kardo.core.plan.model import Plan

WEEK = 7  # days that a calibration counts as of this week


@dataclass(frozen=True)
class LensState:
    """How a lens is known, and why."""

    state: Literal["this_week", "earlier", "never"]
    why: str


def by_record(record: Sequence[LensEntry], on: str, fewest: float) -> LensState:
    """What the record says on a date (YYYY-MM-DD): the last calibration before it that no change of the lens came
    after. A flight of fewer frames than `fewest` does not count.

    >>> by_record([LensEntry(date="2027-03-01", frames=120)], "2027-03-05", 100).state
    'this_week'
    >>> since = LensEntry(date="2027-03-03", what="changed")
    >>> by_record([LensEntry(date="2027-03-01", frames=120), since], "2027-03-05", 100).state
    'never'
    """
    before = sorted((e for e in record if e.date <= on), key=lambda e: e.date)
    changed = next((e for e in reversed(before) if e.what == "changed"), None)
    since = [e for e in before if e.what != "changed" and (changed is None or e.date > changed.date)]
    counting = [e for e in since if e.what == "laboratory" or e.frames >= fewest]
    if not counting:
        few = f" The flight of {since[-1].date} had {since[-1].frames} frames." if since else ""
        if changed:
            return LensState("never", f"the lens was changed on {changed.date} and not calibrated since.{few}")
        return LensState("never", f"no calibration is on record.{few}")
    last = counting[-1]
    days = (datetime.date.fromisoformat(on) - datetime.date.fromisoformat(last.date)).days
    how = f"calibrated on {last.date}" + (f" by {last.frames} frames" if last.what == "flight" else "")
    return LensState("this_week" if days <= WEEK else "earlier", f"{how}, {days} days before")


def brought_in_line(plan: Plan, camera: Camera) -> tuple[LensState, tuple[Edit, ...]] | None:
    """What a camera's record says on the day of the first visit that has a date, and the edits that make the plan
    reckon so, none where it does; None without a record or a date."""
    on = next((v.date for v in plan.visits if v.date), "")
    if not on or not camera.record:
        return None
    told = by_record(camera.record, on, plan.policy["calibration-frames"])
    if told.state == camera.calibration.state:
        return told, ()
    usual = to_json(library().calibrations[told.state].calibration)
    return told, field_edits(f"kit/cameras/{camera.id}", camera, calibration=usual)
