"""Entries of the book: append only. An entry is never edited and never deleted; a later one that names it corrects it.

Entries come from several devices, in any order and more than once: the book is a set of them, ordered by their own
clock."""

import datetime
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, TypeAdapter, model_validator

from kardo.core.arrays import Json
from kardo.core.parts import Clean, Coordinate, Identifier, Length, Part, validated
from kardo.core.plan.flights import State

EntryId = Annotated[str, Field(pattern=r"^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$")]
Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Short = Annotated[str, Field(max_length=60), Clean]
Words = Annotated[str, Field(max_length=2000), Clean]
Off = Annotated[float, Field(ge=-1e8, le=1e8, allow_inf_nan=False)]
Count = Annotated[int, Field(ge=0, le=1_000_000)]


def _moment(text: str) -> str:
    """A moment with its offset from UTC, as the device's clock had it."""
    try:
        moment = datetime.datetime.fromisoformat(text)
    except ValueError as fault:
        raise ValueError("is not a moment, like 2027-03-16T09:30:00-01:00") from fault
    if moment.tzinfo is None:
        raise ValueError("does not say its offset from UTC")
    return text


Moment = Annotated[str, Field(max_length=40), AfterValidator(_moment)]


class Arrival(Part):
    """The crew is on site."""

    kind: Literal["arrival"] = "arrival"


class Departure(Part):
    """The crew leaves: what was not done on this visit was not done."""

    kind: Literal["departure"] = "departure"


class StoodUp(Part):
    """A set-up stands over a mark; whether the plummet was on it, before the work and after."""

    kind: Literal["set_up"] = "set_up"
    setup: Identifier
    mark: Identifier
    plummet_on: bool
    when: Literal["before", "after"] = "before"


class HeightRead(Part):
    """An antenna height as it was read: slant to the disc's edge, vertical to the reference point, or the pole's own;
    as typed, with its unit, and in metres."""

    kind: Literal["height"] = "height"
    setup: Identifier
    measured_to: Literal["slant", "vertical", "pole"]
    when: Literal["before", "after"] = "before"
    typed: Short
    metres: Length

    @model_validator(mode="before")
    @classmethod
    def _as_older_books_have_it(cls, said: Any) -> Any:
        return {"measured_to" if k == "way" else k: v for k, v in said.items()} if isinstance(said, dict) else said


class BroadcastHeard(Part):
    """What a set-up broadcasts was heard, or its receiver was asked: metres east, north, up of its position from the
    planned one; whether that is as planned; by whom it was told, and where; in words."""

    kind: Literal["broadcast"] = "broadcast"
    setup: Identifier
    by: Literal["caster", "receiver"]
    source: Short
    east: Off
    north: Off
    up: Off
    as_planned: bool
    words: Words


class LogOn(Part):
    """A set-up's log begins."""

    kind: Literal["log_start"] = "log_start"
    setup: Identifier


class LogOff(Part):
    """A set-up's log ends."""

    kind: Literal["log_end"] = "log_end"
    setup: Identifier


class Occupied(Part):
    """A point was occupied: what the solution came to, epochs, the pole's height in metres, and the base it was
    observed from where that was another than planned."""

    kind: Literal["occupation"] = "occupation"
    point: Identifier
    state: State
    epochs: Annotated[int, Field(ge=1, le=100_000)]
    pole: Length | None = None
    setup: Identifier | None = None


class TargetOut(Part):
    """A target or check lies at its place."""

    kind: Literal["target_out"] = "target_out"
    point: Identifier


class TargetMoved(Part):
    """A target or check lies somewhere else than planned, in grid metres; whether it was moved after it had been
    observed, which makes it worse than none."""

    kind: Literal["target_moved"] = "target_moved"
    point: Identifier
    e: Coordinate
    n: Coordinate
    after_observed: bool = False


class NotReached(Part):
    """A point could not be reached: it is neither laid out nor observed; why."""

    kind: Literal["not_reached"] = "not_reached"
    point: Identifier
    why: Words = ""


class SessionOn(Part):
    """A target that logs for itself was switched on; where it lies, as its display or the peg says."""

    kind: Literal["session_on"] = "session_on"
    point: Identifier
    place: Short = ""


class SessionOff(Part):
    """A target that logs for itself was switched off."""

    kind: Literal["session_off"] = "session_off"
    point: Identifier


class TargetIn(Part):
    """A target or check was taken up."""

    kind: Literal["target_in"] = "target_in"
    point: Identifier


class SortieFlown(Part):
    """A sortie of a flight was flown (counted from 1): images and positions counted, and the share of positions that is
    not fixed."""

    kind: Literal["leg"] = "leg"
    flight: Identifier
    leg: Annotated[int, Field(ge=1, le=1000)]
    images: Count
    positions: Count
    not_fixed: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.0
    battery: Short = ""


class SortieNotFlown(Part):
    """A sortie was not flown, and will not be."""

    kind: Literal["leg_not_flown"] = "leg_not_flown"
    flight: Identifier
    leg: Annotated[int, Field(ge=1, le=1000)]


class Ticked(Part):
    """A task of the day, or a line of a list, was done."""

    kind: Literal["tick"] = "tick"
    what: Annotated[str, Field(max_length=120), Clean]


class Noted(Part):
    """Something worth writing down; an incident where somebody or something came to harm or nearly so."""

    kind: Literal["note", "incident", "weather", "photo"]
    words: Words


class Withdrawn(Part):
    """The entry that this one corrects does not count: it should not have been made, or was outvoted; why."""

    kind: Literal["withdrawn"] = "withdrawn"
    why: Words = ""


Said = Annotated[
    Arrival
    | Departure
    | StoodUp
    | HeightRead
    | BroadcastHeard
    | LogOn
    | LogOff
    | Occupied
    | TargetOut
    | TargetMoved
    | NotReached
    | SessionOn
    | SessionOff
    | TargetIn
    | SortieFlown
    | SortieNotFlown
    | Ticked
    | Noted
    | Withdrawn,
    Field(discriminator="kind"),
]


class Entry(Part):
    """One entry: its id is made by the device, at is the device's clock; corrects names an earlier entry that this one
    stands in the place of; attachments by the digest of their bytes."""

    id: EntryId
    device: Short
    at: Moment
    by: Short
    visit: Identifier
    said: Said
    corrects: EntryId | None = None
    attachments: Annotated[tuple[Digest, ...], Field(max_length=20)] = ()

    @property
    def moment(self) -> datetime.datetime:
        """When it was made, by the device's clock."""
        return datetime.datetime.fromisoformat(self.at)


ENTRIES = TypeAdapter(tuple[Entry, ...])


def entry_from_json(data: Any) -> Entry:
    """Read an entry from outside. Raises PlanError about its first fault."""
    return validated(Entry, data, "entry")


@dataclass(frozen=True)
class Book:
    """Entries in the order of their clocks, each once."""

    entries: tuple[Entry, ...] = ()

    @cached_property
    def valid_entries(self) -> tuple[Entry, ...]:
        """The entries that nothing corrects, in their order; what was withdrawn is not among them. Of several
        corrections of one entry the last stands."""
        by_id = {e.id: e for e in self.entries}
        last: dict[str, str] = {}
        for e in self.entries:
            if e.corrects is not None and not self._corrects_itself(e, by_id):
                last[e.corrects] = e.id
        void = set(last)
        void |= {e.id for e in self.entries if e.corrects in last and last[e.corrects] != e.id}
        return tuple(e for e in self.entries if e.id not in void and e.said.kind != "withdrawn")

    @staticmethod
    def _corrects_itself(entry: Entry, by_id: dict[str, Entry]) -> bool:
        """Whether the chain of what it corrects comes back to it: such a correction is none."""
        seen, at = {entry.id}, entry.corrects
        while at is not None and at in by_id:
            if at in seen:
                return True
            seen.add(at)
            at = by_id[at].corrects
        return at in seen if at is not None else False

    def of(self, *kinds: str, visit: str | None = None) -> list[Any]:
        """What standing entries of some kinds say, in their order."""
        return [e.said for e in self.valid_entries if e.said.kind in kinds and visit in (None, e.visit)]


def book_of(entries: Iterable[Entry]) -> Book:
    """The book of entries in any order, some of them more than once. Two that claim one id are told apart by what they
    say: always the same one is kept."""
    kept: dict[str, Entry] = {}
    for entry in entries:
        other = kept.get(entry.id)
        if other is None or entry.model_dump_json() < other.model_dump_json():
            kept[entry.id] = entry
    return Book(tuple(sorted(kept.values(), key=lambda e: (e.moment, e.id))))


def to_json(book: Book) -> list[Json]:
    """The book as plain JSON."""
    return [e.model_dump(mode="json") for e in book.entries]
