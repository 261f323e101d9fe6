"""Version 2 to 3: the trade's own names with units in them, and a flight's sensor and pattern as parts of their own.
What is edited by version 2's paths is edited by this one's."""

from collections.abc import Iterable, Sequence
from typing import Any

from kardo.core.arrays import Json
from kardo.core.errors import PlanError
from kardo.core.plan.edits import Conflict, ConflictError, Edit, by_field, held, value_at

_FLIGHT = {
    "height": "height_m",
    "speed": "speed_m_per_s",
    "wind_speed": "wind_m_per_s",
    "wind_from": "wind_from_deg",
    "wind_at": "wind_at_m",
    "reserve": "reserve_percent",
    "return_height": "return_height_m",
    "standpoint": "take_off",
    "hangs_on": "positioned_from",
    "float_legs": "float_sorties",
    "missing_legs": "missing_sorties",
}
_SENSORS = {
    "images": {
        "camera": "camera",
        "tilt": "tilt_deg",
        "forward_overlap": "forward_overlap",
        "trigger_by": "trigger_by",
        "worst_speed": "worst_speed_m_per_s",
        "exposure_time": "exposure_s",
    },
    "scan": {
        "scanner": "scanner",
        "scan_angle": "scan_angle_deg",
        "range_gate": "range_gate_m",
        "start_up": "start_up",
        "adjustment": "adjustment",
    },
}
_EXTRA = {"margin_exposures": "extra_exposures"}
_BESIDE = {"side_overlap": "side_overlap", "margin_strips": "extra_lines", "margin_reason": "extra_reason"}
_OVER = {"area": "area", "areas_too": "more_areas"}
_PATTERNS = {
    "block": {
        **_OVER,
        **_BESIDE,
        **_EXTRA,
        "course": "course_deg",
        "course_by": "course_by",
        "crossing_strips": "cross_lines",
        "crossing_height": "cross_height_m",
        "oblique_strips": "oblique_lines",
        "oblique_across": "oblique_across",
        "oblique_tilt": "oblique_tilt_deg",
    },
    "corridor": {**_BESIDE, **_EXTRA, "line": "line", "width": "width_m"},
    "facade": {**_EXTRA, "line": "line", "stand_off": "stand_off_m"},
    "own": {**_OVER, "side_overlap": "side_overlap", "own_strips": "lines"},
}
_KINDS = {"block": "parallel"}  # of a pattern, where it has another name now
_OF_PARTS = frozenset(name for table in (*_SENSORS.values(), *_PATTERNS.values()) for name in table) | {"pattern"}
# What version 2 took for what a flight did not say; what is not here it took as this version does.
_DEFAULTS: Json = {
    "camera": None,
    "scanner": None,
    "area": None,
    "areas_too": [],
    "line": [],
    "own_strips": [],
    "width": 60.0,
    "stand_off": 15.0,
    "course": None,
    "course_by": "time",
    "margin_reason": "",
    "tilt": 0.0,
    "forward_overlap": 75.0,
    "side_overlap": 75.0,
    "margin_strips": 2,
    "margin_exposures": 2,
    "crossing_strips": 0,
    "crossing_height": None,
    "oblique_strips": 0,
    "oblique_across": 0,
    "oblique_tilt": 30.0,
    "trigger_by": "distance",
    "worst_speed": None,
    "exposure_time": 0.001,
    "scan_angle": None,
    "range_gate": None,
    "start_up": True,
    "adjustment": "height",
}


def from_2(old: Json) -> Json:
    """A plan of version 2 as one of version 3."""
    out = {_renamed(_TOP, name): part for name, part in old.items()} | {"version": 3}
    for name in ("flights", "control", "setups", "visits"):
        if name in old:
            out[name] = [_ROWS[name](row) for row in old[name]]
    brief = old.get("brief") or {}
    if brief.get("local"):
        out["brief"] = brief | {"local": _local(brief["local"])}
    return out


_TOP = {"networks": "correction_services"}


def _renamed(table: dict[str, str], name: str) -> str:
    return table.get(name, name)


def _source(on: Any) -> Any:
    """What a position comes from: a network is a correction service now."""
    if isinstance(on, dict) and on.get("on") == "network":
        return {"on": "service", "service": on["network"]}
    return on


def _local(local: Json) -> Json:
    return {_renamed(_SOURCES, k): _source(v) if k == "hangs_on" else v for k, v in local.items()}


_SOURCES = {"hangs_on": "positioned_from"}


def _occupation(row: Json) -> Json:
    return {_renamed(_SOURCES, k): _source(v) if k == "hangs_on" else v for k, v in row.items()}


def _point(row: Json) -> Json:
    out = _occupation(row)
    return out | {"occupations": [_occupation(o) for o in row["occupations"]]} if "occupations" in row else out


def _set_up(row: Json) -> Json:
    return row | {"readings": _readings(row["readings"])} if "readings" in row else row


def _readings(readings: Any) -> Any:
    return [
        {("measured_to" if k == "way" else k): v for k, v in one.items()} if isinstance(one, dict) else one
        for one in readings
    ]


def _visit(row: Json) -> Json:
    return {("utc_offset_h" if k == "clock_h" else k): v for k, v in row.items()}


def _flight(row: Json) -> Json:
    """A flight in parts. What its sensor or its pattern has no use for is left behind."""
    sensor = "images" if row.get("scanner") is None else "scan"
    pattern = row.get("pattern", "block")
    own = {_renamed(_FLIGHT, k): v for k, v in row.items() if k not in _OF_PARTS}
    if "positioned_from" in own:
        own["positioned_from"] = _source(own["positioned_from"])
    parts = {
        "sensor": {"kind": sensor} | {new: row[k] for k, new in _SENSORS[sensor].items() if k in row},
        "pattern": (
            {"kind": _renamed(_KINDS, pattern)} | {new: row[k] for k, new in _PATTERNS[pattern].items() if k in row}
        ),
    }
    if "lines" in parts["pattern"]:
        parts["pattern"]["lines"] = [
            {_renamed({"height": "height_m"}, k): v for k, v in line.items()} for line in parts["pattern"]["lines"]
        ]
    return own | parts


_ROWS = {"flights": _flight, "control": _point, "setups": _set_up, "visits": _visit}


# Edits by version 2's paths: steps kept to be undone, and what a browser had waiting while this version came.


def edits_from_2(edits: Sequence[Edit], document: Json) -> list[Edit]:
    """Edits by this version's paths; those that are by them already stay as they are. document: of this version, that
    they are laid over. Raises ConflictError where a flight's field was changed since, for such an edit may become one
    of a whole part; PlanError for one that is not laid out as version 2 has it."""
    try:
        return _by_new_paths(edits, document)
    except (KeyError, TypeError, ValueError, AttributeError) as fault:
        words = f"This edit is not laid out as version 2 of the plan has it ({type(fault).__name__})."
        raise PlanError(words, where="edits", mend="Nothing was changed.") from fault


def _by_new_paths(edits: Sequence[Edit], document: Json) -> list[Edit]:
    out: list[Edit] = []
    of_parts: dict[str, list[Edit]] = {}  # of each flight, by id
    for edit in edits:
        top, *rest = edit.path.split("/")
        if top == "flights" and len(rest) == 2 and _is_old(rest[1], edit):
            of_parts.setdefault(rest[0], []).append(edit)
        else:
            out.append(_by_new_path(edit, top, rest))
    return out + [one for some in of_parts.values() for one in _of_flight(some, document)]


def _is_old(name: str, edit: Edit) -> bool:
    if name == "pattern":
        return isinstance(edit.before, str) or isinstance(edit.after, str)
    return name in _OF_PARTS


def _of_flight(edits: list[Edit], document: Json) -> Iterable[Edit]:
    """The edits of one flight's parts, by laying them over the flight as version 2 would have told it."""
    path = "/".join(edits[0].path.split("/")[:2])
    stands = value_at(document, path)
    if stands is None:
        raise ConflictError([Conflict(e.path, e.after, None) for e in edits])
    flat = _flat(stands)
    for edit in edits:
        name = edit.path.split("/")[2]
        if flat[name] not in (edit.before, edit.after):
            raise ConflictError([Conflict(edit.path, edit.after, flat[name])])
        flat[name] = edit.after
    then = _flight(flat)
    parts = {name: _filled(stands[name], then[name]) for name in ("sensor", "pattern")}
    whole = (held(Edit(f"{path}/{name}", stands[name], part)) for name, part in parts.items())
    return by_field(edit for edit in whole if edit.before != edit.after)


def _filled(before: Json, after: Json) -> Json:
    """A part with what version 2 could not say of it as it stands."""
    return before | after if before["kind"] == after["kind"] else after


def _flat(flight: Json) -> Json:
    """A flight's parts as version 2 had them, all in one row."""
    sensor, pattern = flight["sensor"], flight["pattern"]
    kind = next((old for old, new in _KINDS.items() if new == pattern["kind"]), pattern["kind"])
    out = _DEFAULTS | {"pattern": kind}
    for part, table in ((sensor, _SENSORS[sensor["kind"]]), (pattern, _PATTERNS[kind])):
        out |= {old: part[new] for old, new in table.items() if new in part}
    out["own_strips"] = [
        {"start": s["start"], "end": s["end"], "height": s["height_m"]} for s in pattern.get("lines", [])
    ]
    return out


def _by_new_path(edit: Edit, top: str, rest: list[str]) -> Edit:
    """An edit of anything else: names and values changed, one by one."""
    before, after = edit.before, edit.after
    if len(rest) == 1 and top in _ROWS:
        before, after = (_row(top, value) for value in (before, after))
    if rest and rest[-1] == "hangs_on":
        before, after = _source(before), _source(after)
    if rest and rest[-1] == "occupations":
        before, after = ([_occupation(o) for o in some] if isinstance(some, list) else some for some in (before, after))
    if rest and rest[-1] == "readings":
        before, after = (_readings(some) if isinstance(some, list) else some for some in (before, after))
    if top == "brief" and rest == ["local"]:
        before, after = (_local(value) if isinstance(value, dict) else value for value in (before, after))
    names = [_renamed(_TOP, top), *rest]
    tables = {"flights": _FLIGHT, "control": _SOURCES, "brief": _SOURCES, "visits": {"clock_h": "utc_offset_h"}}
    if len(rest) > 1:
        names[2] = _renamed(tables.get(top, {}), rest[1])
    if names[-2:] == ["positioned_from", "network"]:
        names[-1] = "service"
    return held(Edit("/".join(names), before, after, edit.at))


def _row(top: str, value: Any) -> Any:
    """A whole row of version 2; one of this version stays as it is."""
    if not isinstance(value, dict) or (top == "flights" and "sensor" in value):
        return value
    return _ROWS[top](value)
