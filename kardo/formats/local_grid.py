"""A local grid as plain text: its points in both systems and its parameters, a line each, to be kept, sent and read
again.

    local grid: works grid
    unit: m
    job grid: EPSG:25828
    job heights: EPSG:5773
    about: 622975.0000 5128366.0000
    moved: -617938.2000 -5126366.1000 -41.2000
    scale: 0.999700000
    turn: -17.18873385
    rise: 0.000020000 -0.000030000
    point: K1 | 622900.0000 5128300.0000 4.0000 | 5000.0000 2000.0000 -37.2000 | plane height

about is E N in the job's grid; moved is E N H, the local coordinates there less the job's; turn is bearings in the
local grid less those in the job's, in degrees; rise is that of local heights over the job's, a metre to grid east and
north. With points, the similarity is made of them anew; without, it is what the parameters state."""

import re
from typing import Any

from kardo.core.control.local import local_system
from kardo.core.errors import GeodesyError, PlanError, ReadError
from kardo.core.geodesy.units import UNITS, Unit
from kardo.core.parts import validated
from kardo.core.plan.local import MOST_POINTS, LocalGrid, LocalPoint
from kardo.core.plan.model import Plan
from kardo.core.practice.local_grid import local_told
from kardo.formats.cells import Table, number, tables_of

MAX_BYTES = 100_000
HEAD = "local grid"


def local_text(plan: Plan) -> str:
    """The plan's local grid, in the job's unit, to a tenth of a millimetre. Raises PlanError where it has none,
    GeodesyError where its points do not determine it."""
    told, local, unit = local_told(plan), plan.brief.local, UNITS[plan.brief.unit]
    assert local is not None

    def own(*metres: float | None) -> str:
        return " ".join("-" if v is None else f"{unit.from_metres(v):.4f}" for v in metres)

    lines = [
        f"{HEAD}: {local.name}",
        f"unit: {unit.id}",
        f"job grid: {plan.brief.crs}",
        f"job heights: {plan.brief.heights}",
        f"about: {own(*told.about)}",
        f"moved: {own(*told.moved)}",
        f"scale: {told.scale:.9f}",
        f"turn: {told.turn:.8f}",
        f"rise: {told.rise[0]:.9f} {told.rise[1]:.9f}",
    ]
    if local.kind == "calibrated":
        lines += [
            f"scale is: {local.scale}",
            f"height is: {'tilted' if local.tilt else 'shifted'}",
            f"agree to: {unit.from_metres(local.sigma_h):.5f} {unit.from_metres(local.sigma_v):.5f}",
        ]
    for p, fit in zip(local.points, told.points, strict=False):
        uses = " ".join(word for word, use in (("plane", p.plane), ("height", p.height)) if use) or "nothing"
        left = own(fit.east, fit.north, fit.up)
        name = p.name.replace("|", "/").replace("\n", " ")
        lines.append(f"point: {name} | {own(p.e, p.n, p.h)} | {own(p.local_e, p.local_n, p.local_h)} | {uses} | {left}")
    return "\n".join(lines) + "\n"


def read_local(data: bytes) -> LocalGrid:
    """A local grid from its text. Raises ReadError with the line for what cannot be read."""
    if len(data) > MAX_BYTES:
        raise ReadError("This is too large for a local grid.", mend="Send the text that Kardo writes.")
    told: dict[str, tuple[int, str]] = {}
    points: list[tuple[int, str]] = []
    for k, line in enumerate(data.decode("utf-8-sig", errors="replace").splitlines(), 1):
        key, colon, value = (part.strip() for part in line.partition(":"))
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        if not colon:
            raise ReadError("This line has no “name: value”.", where=f"line {k}", mend="Write one a line.")
        if key == "point":
            points.append((k, value))
        elif key in told:
            raise ReadError(f"“{key}” is there twice.", where=f"line {k}", mend="Say it once.")
        else:
            told[key] = k, value
    if HEAD not in told:
        raise ReadError("This is no local grid.", mend=f"Its first line is “{HEAD}: name”.")
    if len(points) > MOST_POINTS:
        raise ReadError(f"{len(points)} points; up to {MOST_POINTS} are taken.", mend="Take those around the site.")
    unit = _unit(told)
    parts: dict[str, Any] = {"name": told[HEAD][1][:60] or HEAD, "kind": "calibrated" if points else "stated"}
    parts |= _ways(told, unit) if points else _stated(told, unit)
    parts["points"] = [_point(line, value, n, unit) for n, (line, value) in enumerate(points, 1)]
    return _built(parts)


def _built(parts: dict[str, Any]) -> LocalGrid:
    try:
        local = validated(LocalGrid, parts, "local grid")
        if local.kind == "stated":
            local_system(local)
    except (PlanError, GeodesyError) as fault:
        raise ReadError(fault.what, where=fault.where, mend=fault.mend) from fault
    return local


def _unit(told: dict[str, tuple[int, str]]) -> Unit:
    line, said = told.get("unit", (0, "m"))
    if said not in UNITS:
        raise ReadError(f"There is no unit “{said[:20]}”.", where=f"line {line}", mend="Write m, ft or us-ft.")
    return UNITS[said]


def _numbers(told: dict[str, tuple[int, str]], key: str, count: int, usual: list[float]) -> list[float]:
    if key not in told:
        return usual
    line, value = told[key]
    found = [number(word) for word in value.split()]
    if len(found) != count or None in found:
        raise ReadError(
            f"“{key}” takes {count} number{'s' * (count > 1)}.",
            where=f"line {line}",
            mend="Write them apart by spaces.",
        )
    return [v for v in found if v is not None]


def _stated(told: dict[str, tuple[int, str]], unit: Unit) -> dict[str, Any]:
    """The parameters; what a text says nothing of is as in the job's grid."""
    if "moved" not in told and "scale" not in told:
        raise ReadError(
            "Neither points nor parameters are in it.", mend="Give points, or about, moved, scale and turn."
        )
    e0, n0 = _numbers(told, "about", 2, [0.0, 0.0])
    move_e, move_n, move_h = _numbers(told, "moved", 3, [0.0, 0.0, 0.0])
    metres = {"e0": e0, "n0": n0, "move_e": move_e, "move_n": move_n, "move_h": move_h}
    rise_e, rise_n = _numbers(told, "rise", 2, [0.0, 0.0])
    plain = {"factor": _numbers(told, "scale", 1, [1.0])[0], "turn": _numbers(told, "turn", 1, [0.0])[0]}
    return {k: unit.to_metres(v) for k, v in metres.items()} | plain | {"rise_e": rise_e, "rise_n": rise_n}


def _ways(told: dict[str, tuple[int, str]], unit: Unit) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for key, field, words in (
        ("scale is", "scale", {"free": "free", "one": "one"}),
        ("height is", "tilt", {"tilted": True, "shifted": False}),
    ):
        if key in told:
            line, value = told[key]
            if value not in words:
                raise ReadError(f"“{key}” is {' or '.join(words)}.", where=f"line {line}", mend="Write one of them.")
            out[field] = words[value]
    if "agree to" in told:
        out |= zip(("sigma_h", "sigma_v"), (unit.to_metres(v) for v in _numbers(told, "agree to", 2, [])), strict=True)
    return out


def _point(line: int, value: str, n: int, unit: Unit) -> LocalPoint:
    name, *rest = (part.strip() for part in value.split("|"))
    if len(rest) < 2:
        raise ReadError(
            "A point is “name | E N H | E N H”.", where=f"line {line}", mend="Write - for a height not known."
        )
    grid, local = (_triple(part, line, unit) for part in rest[:2])
    uses = rest[2].split() if len(rest) > 2 else ["plane", "height"]
    return _row(name, n, grid, local, "plane" in uses, "height" in uses, line)


def _triple(words: str, line: int, unit: Unit) -> list[float | None]:
    cells = words.split()
    found = [None if cell == "-" else number(cell) for cell in cells]
    if (
        len(cells) not in (2, 3)
        or None in found[:2]
        or any(v is None and c != "-" for v, c in zip(found, cells, strict=True))
    ):
        raise ReadError(
            f"“{words[:40]}” is no E N H.", where=f"line {line}", mend="Write three numbers, or - for the height."
        )
    return [None if v is None else unit.to_metres(v) for v in (*found, None)[:3]]


def _row(
    name: str, n: int, grid: list[float | None], local: list[float | None], plane: bool, height: bool, line: int
) -> LocalPoint:
    parts = {"id": f"L{n}", "name": name[:60] or f"L{n}", "plane": plane, "height": height}
    parts |= dict(zip(("e", "n", "h"), grid, strict=True)) | dict(
        zip(("local_e", "local_n", "local_h"), local, strict=True)
    )
    try:
        return validated(LocalPoint, parts, "point")
    except PlanError as fault:
        raise ReadError(fault.what, where=f"line {line}", mend=fault.mend) from fault


def pasted_pairs(text: str, unit: str) -> list[LocalPoint]:
    """Points from a list of name, E, N, H in the job's grid, then E, N, H in the local one, in a unit; without heights,
    or with a hyphen for one that is not known. Raises ReadError with the line."""
    what = "A line needs a name, E N H as measured and E N H in the local grid."
    table = _table(text, (4, 5, 6, 7), what, "Paste seven columns, or five without heights.")
    return [
        _pasted(row, line, n, UNITS[unit])
        for n, (row, line) in enumerate(zip(table.rows, table.numbers, strict=True), 1)
    ]


def pasted_places(text: str, unit: str) -> list[tuple[str, float, float, float | None]]:
    """Names and local metres from a list of name, E, N and perhaps H, in a unit. Raises ReadError with the line."""
    table = _table(text, (3, 4), "A line needs a name and E N, or E N H.", "Paste three columns, or four.")
    out = []
    for row, line in zip(table.rows, table.numbers, strict=True):
        e, n, h = _triple(" ".join(cell or "-" for cell in row[1:]), line, UNITS[unit])
        assert e is not None and n is not None  # as _triple reads them
        out.append((row[0][:60] or f"line {line}", e, n, h))
    return out


def _table(text: str, widths: tuple[int, ...], what: str, mend: str) -> Table:
    """A pasted list of so many columns, its head left out. Raises ReadError."""
    if len(text) > MAX_BYTES:
        raise ReadError("This list is too long.", mend=f"Up to {MOST_POINTS} points are taken.")
    lines = text.splitlines()
    if lines and not any(number(cell.strip()) is not None for cell in re.split(r"[\s;,|]+", lines[0])):
        lines[0] = ""  # a head
    table = next((t for t in tables_of("\n".join(lines)) if all(_plain(row, widths) for row in t.rows)), None)
    if table is None:
        raise ReadError(what, mend=mend)
    if len(table.rows) > MOST_POINTS:
        raise ReadError(f"{len(table.rows)} points; up to {MOST_POINTS} are taken.", mend="Take those around the site.")
    return table


def _plain(row: list[str], widths: tuple[int, ...]) -> bool:
    """Whether a row has so many columns, none of them an angle in several words behind the name."""
    return len(row) in widths and not any(" " in cell for cell in row[1:])


def _pasted(row: list[str], line: int, n: int, unit: Unit) -> LocalPoint:
    cells = row if len(row) % 2 else [f"L{n}", *row]
    half = len(cells) // 2
    grid, local = (_triple(" ".join(part or "-" for part in cells[at : at + half]), line, unit) for at in (1, 1 + half))
    return _row(cells[0], n, grid, local, True, True, line)
