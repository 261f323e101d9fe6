"""The one grammar of edits: (path, before, after), by field.

A path names fields, and rows by their id: `brief/tolerance_h`, `control/G1/e`, `control/G1` (the whole row: before None
adds it, after None takes it away), `kit/cameras/mp20/calibration`, `assumptions/overrides/tie_ray_px`. An edit holds
what it was formed on, so two people who change different fields of one point both win, and the same field is a
conflict."""

import math
import typing
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Annotated, Any

from pydantic import TypeAdapter, ValidationError

from kardo.core.arrays import Json
from kardo.core.errors import KardoError, PlanError
from kardo.core.parts import Part, parts_in, to_json
from kardo.core.plan.model import Plan

MAX_DEPTH = 8
FIXED = {"format", "version", "id"}  # no edit changes these


@dataclass(frozen=True)
class Edit:
    """One change of a plan's document. at is the place among its siblings of a row that comes or goes, so that it can
    come back where it was."""

    path: str
    before: Any
    after: Any
    at: int | None = None

    def to_json(self) -> Json:
        """The edit as stored and sent."""
        own = {"path": self.path, "before": self.before, "after": self.after}
        return own if self.at is None else own | {"at": self.at}


@dataclass(frozen=True)
class Conflict:
    """A field that somebody else changed since: what was wanted, and what stands there now."""

    path: str
    mine: Any
    theirs: Any


class ConflictError(KardoError):
    """Somebody else changed the same field since. `conflicts` holds both values."""

    def __init__(self, conflicts: Sequence[Conflict]) -> None:
        names = ", ".join(c.path for c in conflicts[:3])
        super().__init__(
            f"Changed elsewhere meanwhile: {names}.", where=names, mend="Keep theirs, or put yours on top of it."
        )
        self.conflicts = tuple(conflicts)


def edit_from_json(data: Any) -> Edit:
    """Read an edit from outside. Raises PlanError for one that is not well formed or could not be stored."""
    if not isinstance(data, dict) or not isinstance(data.get("path"), str) or not {"before", "after"} <= set(data):
        raise PlanError(
            "An edit needs a path, what was there before and what comes after.", where="edits", mend="Send all three."
        )
    at = data.get("at")
    if not (at is None or (type(at) is int and 0 <= at < 10_000)):
        raise PlanError("An edit's place must be a small whole number.", where=data["path"][:60])
    _require_plain(data["after"], data["path"], MAX_DEPTH)
    _require_plain(data["before"], data["path"], MAX_DEPTH)
    return held(Edit(data["path"], data["before"], data["after"], at))


def _require_plain(value: Any, path: str, depth: int) -> None:
    """Only what a database and JSON can hold: finite numbers, clean text, no deep nesting."""
    if isinstance(value, float) and not math.isfinite(value):
        raise PlanError("Not a finite number.", where=path[:60], mend="Type a number.")
    if isinstance(value, str) and ("\x00" in value or any("\ud800" <= c <= "\udfff" for c in value)):
        raise PlanError("Has a character that cannot be stored.", where=path[:60], mend="Type it anew.")
    if isinstance(value, dict | list):
        if depth == 0:
            raise PlanError("Nested too deeply.", where=path[:60])
        for one in (*value, *value.values()) if isinstance(value, dict) else value:
            _require_plain(one, path, depth - 1)


def _kinds(model: type[Part], at: tuple[str, ...] = ()) -> Iterable[tuple[tuple[str, ...], Any]]:
    """What the model holds at every path that an edit can name; a row's id is told as *."""
    for name, field in model.model_fields.items():
        path, parts = (*at, name), parts_in(field.annotation)
        yield path, field.rebuild_annotation()
        if typing.get_origin(field.annotation) is not tuple:
            for part in parts:
                yield from _kinds(part, path)
        elif parts and "id" in parts[0].model_fields:
            yield (*path, "*"), parts[0]
            yield from _kinds(parts[0], (*path, "*"))


def _is_dict(kind: Any) -> bool:
    """Whether a field's type is a mapping, whatever bounds it carries."""
    inner = typing.get_args(kind)[0] if typing.get_origin(kind) is Annotated else kind
    return typing.get_origin(inner) is dict


KINDS = dict(_kinds(Plan))
ROW_LISTS = frozenset(path[:-1] for path in KINDS if path[-1] == "*" and "*" not in path[:-1])
OPEN = frozenset(path for path, kind in KINDS.items() if _is_dict(kind))  # where any key may come and go
_GONE: Any = object()


def held(edit: Edit) -> Edit:
    """An edit with its values as the model holds them: one that was formed before a row had some field has the field's
    default there, as what stands in the plan has. What the model would refuse stays as it is.

    >>> held(Edit("control/G1/occupations", None, [{"epochs": 5}])).after[0]["after_min"]
    0.0
    """
    path = tuple(edit.path.split("/"))
    kind = _kind(path)
    return replace(edit, before=_as_held(edit.before, kind), after=_as_held(edit.after, kind))


def _kind(path: tuple[str, ...]) -> tuple[str, ...]:
    """A path with * for the ids of rows."""
    return tuple("*" if path[:k] in ROW_LISTS else name for k, name in enumerate(path))


def _as_held(value: Any, kind: tuple[str, ...]) -> Any:
    if kind not in KINDS or not isinstance(value, dict | list):
        return value
    try:
        return as_held(kind, value)
    except (ValidationError, KardoError):
        return value


def as_held(kind: tuple[str, ...], value: Any) -> Any:
    """A value as the model holds it at one of KINDS' paths, as plain JSON. Raises ValidationError for one that it does
    not hold."""
    return _adapter(kind).dump_python(_adapter(kind).validate_python(value), mode="json")


@cache
def _adapter(kind: tuple[str, ...]) -> TypeAdapter[Any]:
    return TypeAdapter(KINDS[kind])


class _Draft:
    """A document being changed: parts are copied when they are first touched, and rows found by id."""

    def __init__(self, document: Json) -> None:
        self.document = dict(document)
        self._own: set[int] = {id(self.document)}
        self._places: dict[tuple[str, ...], dict[str, int]] = {}

    def parent(self, path: tuple[str, ...]) -> Any:
        """The dict or row list that holds the last segment, owned by this draft; _GONE where a row on the way is not
        there."""
        here: Any = self.document
        for depth, key in enumerate(path[:-1]):
            where = path[:depth]
            child = self._child(here, where, key)
            if child is _GONE and isinstance(here, dict):
                raise _no_part(path)
            if child is None or child is _GONE:
                return _GONE
            if not isinstance(child, dict | list):
                raise _no_part(path)
            if id(child) not in self._own:
                child = child.copy()
                self._own.add(id(child))
                here[self._places[where][key] if isinstance(here, list) else key] = child
            here = child
        if isinstance(here, list) and path[:-1] not in ROW_LISTS:
            raise _no_part(path)
        return here

    def _child(self, here: Any, where: tuple[str, ...], key: str) -> Any:
        if isinstance(here, dict):
            return here.get(key, _GONE)
        if where not in ROW_LISTS:
            raise _no_part((*where, key))
        place = self._index(here, where).get(key)
        return _GONE if place is None else here[place]

    def _index(self, rows: list[Any], where: tuple[str, ...]) -> dict[str, int]:
        if where not in self._places:
            self._places[where] = {row["id"]: k for k, row in enumerate(rows)}
        return self._places[where]

    def get(self, path: tuple[str, ...]) -> Any:
        """The value that stands there; None for a row that is not there; _GONE where its row is not."""
        parent = self.parent(path)
        if parent is _GONE:
            return _GONE
        value = self._child(parent, path[:-1], path[-1])
        if value is _GONE and (isinstance(parent, list) or _kind(path[:-1]) in OPEN):
            return None
        if value is _GONE:
            raise _no_part(path)
        return value

    def put(self, path: tuple[str, ...], value: Any, at: int | None) -> int | None:
        """Set a field, add or replace a row, or take it away; the place of a row that came or went."""
        parent, key, where = self.parent(path), path[-1], path[:-1]
        if isinstance(parent, dict):
            if value is None and _kind(where) in OPEN:
                parent.pop(key, None)
            else:
                parent[key] = value
            return None
        place = self._index(parent, where).get(key)
        if value is None:
            assert place is not None
            del parent[place]
            del self._places[where]
            return place
        if not isinstance(value, dict) or value.get("id") != key:
            raise PlanError(f"The row's id is not “{key}”.", where="/".join(path))
        if place is not None:
            parent[place] = value
            return None
        place = len(parent) if at is None else min(at, len(parent))
        parent.insert(place, value)
        self._places.pop(where, None)
        return place


def _segments(path: str) -> tuple[str, ...]:
    parts = tuple(path.split("/"))
    if not 1 < len(parts) <= MAX_DEPTH or not all(parts) or parts[0] in FIXED or parts[-1] in FIXED:
        raise _no_part(parts)
    return parts


def _no_part(path: tuple[str, ...]) -> PlanError:
    words = ascii("/".join(path)[:60])[1:-1]
    return PlanError(f"A plan has no part “{words}” that can be edited.", where=words)


@dataclass(frozen=True)
class Applied:
    """What came of some edits: the new document, what was really done, and what clashed."""

    document: Json
    done: tuple[Edit, ...]
    conflicts: tuple[Conflict, ...]


def apply(document: Json, edits: Iterable[Edit]) -> Applied:
    """Lay edits over a document, rebased on what stands there now.

    What stands there already is left out of `done`; a field that is neither as it was nor as it should become is a
    conflict and stays as it is. The document given is not changed. Raises PlanError for a path that a plan has not.

    >>> plan = {"brief": {"title": "one"}, "control": [{"id": "G1", "e": 5.0}]}
    >>> apply(plan, [Edit("control/G1/e", 5.0, 6.0)]).document["control"]
    [{'id': 'G1', 'e': 6.0}]
    >>> apply(plan, [Edit("brief/title", "another", "two")]).conflicts
    (Conflict(path='brief/title', mine='two', theirs='one'),)
    """
    draft, done, conflicts = _Draft(document), [], []
    for edit in by_field(edits):
        path = _segments(edit.path)
        stands = draft.get(path)
        if stands is _GONE:
            conflicts.append(Conflict(edit.path, edit.after, None))
        elif stands == edit.after:
            continue
        elif stands != edit.before:
            conflicts.append(Conflict(edit.path, edit.after, stands))
        else:
            done.append(replace(edit, at=draft.put(path, edit.after, edit.at)))
    return Applied(draft.document, tuple(done), tuple(conflicts))


def by_field(edits: Iterable[Edit]) -> list[Edit]:
    """Edits of whole parts told as edits of the fields that differ; a part that becomes another one, by its id, stays
    whole."""
    out = []
    for edit in edits:
        before, after = edit.before, edit.after
        fields = []
        if isinstance(before, dict) and isinstance(after, dict) and set(before) == set(after):
            fields = [k for k in before if before[k] != after[k]]
        if fields and not FIXED & set(fields):
            out += by_field(Edit(f"{edit.path}/{k}", before[k], after[k]) for k in fields)
        else:
            out.append(edit)
    return out


def invert(edits: Sequence[Edit]) -> list[Edit]:
    """What takes edits back: before and after change places, the last first.

    >>> invert([Edit("brief/title", "one", "two")])
    [Edit(path='brief/title', before='two', after='one', at=None)]
    """
    return [Edit(e.path, e.after, e.before, e.at) for e in reversed(edits)]


def value_at(document: Json, path: str) -> Any:
    """What stands at a path, None for a row that is not there. Raises PlanError for a path that a plan has not."""
    value = _Draft(document).get(_segments(path))
    return None if value is _GONE else value


def changed(plan: Plan, edits: Iterable[Edit]) -> Plan:
    """A plan with edits laid over it. Raises PlanError where it would not hold, ConflictError where one does not
    fit."""
    from kardo.core.plan.model import plan_of

    applied = apply(plan.to_json(), edits)
    if applied.conflicts:
        raise ConflictError(applied.conflicts)
    return plan_of(applied.document).under(plan.policy)


def field_edits(path: str, part: Part, **update: Any) -> tuple[Edit, ...]:
    """Edits of single fields of one part.

    >>> from kardo.core.plan.stands import SetUp
    >>> field_edits("setups/base", SetUp(id="base", name="base", antenna="disc"), mark="heron-4")
    (Edit(path='setups/base/mark', before=None, after='heron-4', at=None),)
    """
    before = to_json(part)
    return tuple(Edit(f"{path}/{key}", before[key], value) for key, value in update.items() if before[key] != value)


def part_edits(path: str, before: Part, after: Part) -> tuple[Edit, ...]:
    """The edits by field, in whatever part of it, that make another of a part.

    >>> from kardo.core.plan.stands import SetUp
    >>> base = SetUp(id="base", name="base", antenna="disc")
    >>> part_edits("setups/base", base, base.model_copy(update={"mark": "heron-4"}))
    (Edit(path='setups/base/mark', before=None, after='heron-4', at=None),)
    """
    return tuple(by_field([Edit(path, to_json(before), to_json(after))])) if before != after else ()


def difference(first: Json, second: Json, at: tuple[str, ...] = ()) -> list[Edit]:
    """The edits that make the second document of the first, by field."""
    out: list[Edit] = []
    for key in dict.fromkeys((*first, *second)):
        a, b, path = first.get(key), second.get(key), (*at, key)
        if a == b or key in FIXED:
            continue
        if path in ROW_LISTS:
            out += _row_differences(a or [], b or [], path)
        elif isinstance(a, dict) and isinstance(b, dict) and (set(a) == set(b) or path in OPEN or not at):
            out += difference(a, b, path)
        else:
            out.append(Edit("/".join(path), a, b))
    return out


def _row_differences(first: list[Json], second: list[Json], at: tuple[str, ...]) -> list[Edit]:
    before, after = ({row["id"]: row for row in rows} for rows in (first, second))
    out: list[Edit] = []
    for key in dict.fromkeys((*before, *after)):
        a, b, path = before.get(key), after.get(key), (*at, key)
        if a is not None and b is not None:
            out += difference(a, b, path)
        else:
            out.append(Edit("/".join(path), a, b))
    return out
