"""Residuals at control points, as reconstruction programs write them: a table of whatever columns, with lines before
and after it.

What each column means is told from its head, shown, and can be said otherwise; the unit is asked where the heads do not
say it. Which program wrote it is not asked."""

import csv
import io
import re
from dataclasses import dataclass
from typing import Literal

import numpy as np

from kardo.core.arrays import Floats, Triple, triple
from kardo.core.close.closing import Used
from kardo.core.control.local import fault_of_local, local_system
from kardo.core.errors import ReadError
from kardo.core.geodesy.similarity import Similarity
from kardo.core.geodesy.units import FEET, UNITS
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan
from kardo.formats.cells import MAX_ROWS, POINT_NAMES, SAID_UNITS, number

MAX_BYTES = 1_000_000
MAX_COLUMNS, LONGEST_LINE = 60, 4000
HEAD_WITHIN, LEAST_KNOWN = 50, 3  # lines among which the head is looked for, and columns that it must name
TURNED = 1e-3  # radians: less moves 50 mm by a twentieth of a millimetre
AGREE = 0.0015  # metres to which a residual is that of the coordinates beside it: programs round to a millimetre

Axes = Literal["", "grid", "local"]
Means = Literal["", "name", "used", "images", "de", "dn", "du", "se", "sn", "su", "ce", "cn", "cu"]
MEANS: dict[str, str] = {
    "": "nothing here",
    "name": "point",
    "used": "adjusted or checked",
    "images": "images",
    "de": "residual east",
    "dn": "residual north",
    "du": "residual up",
    "se": "surveyed east",
    "sn": "surveyed north",
    "su": "surveyed height",
    "ce": "computed east",
    "cn": "computed north",
    "cu": "computed height",
}
METRES = {key: float(unit.metres) for key, unit in UNITS.items()} | {"mm": 0.001, "cm": 0.01}
SAID = SAID_UNITS | {
    **dict.fromkeys(("mm", "millimetre", "millimetres", "millimeter", "millimeters"), "mm"),
    **dict.fromkeys(("cm", "centimetre", "centimetres", "centimeter", "centimeters"), "cm"),
}
NAMES = POINT_NAMES | {"marker", "station"}
USES = {"role", "type", "use", "used", "kind"}
IMAGES = {"images", "image", "photos", "photo", "projections", "rays", "observations", "marked", "frames"}
RESIDUAL = {
    "d",
    "delta",
    "error",
    "err",
    "residual",
    "residuals",
    "resid",
    "res",
    "diff",
    "difference",
    "deviation",
    "misclosure",
    "r",
    "v",
}
SURVEYED = {"surveyed", "survey", "measured", "known", "given", "reference", "ref", "source", "input", "initial"}
COMPUTED = {"computed", "calculated", "calc", "estimated", "est", "adjusted", "model", "map", "derived", "output"}
NOT_THESE = {
    "px",
    "pix",
    "pixel",
    "pixels",
    "accuracy",
    "acc",
    "sigma",
    "sd",
    "std",
    "stdev",
    "precision",
    "variance",
    "total",
    "rms",
    "rmse",
    "xy",
    "xyz",
    "mean",
}
AXES = {
    **dict.fromkeys(("e", "east", "easting", "x"), "e"),
    **dict.fromkeys(("n", "north", "northing", "y"), "n"),
    **dict.fromkeys(("u", "up", "z", "h", "height", "elevation", "altitude", "elev", "alt", "vertical"), "u"),
}
CHECKED = re.compile(r"check|verif|validation", re.I)
ADJUSTED = re.compile(r"control|adjust|gcp|target|constrain", re.I)


@dataclass(frozen=True)
class Column:
    """A column: its head, the first cells under it, and what it is taken for."""

    head: str
    sample: list[str]
    means: str


@dataclass(frozen=True)
class Meaning:
    """What a column may be taken for: its key, and in words."""

    id: str
    name: str


@dataclass(frozen=True)
class ReadOutcome:
    """What a file says of a point of the plan: how it was used, and how that is known; map minus survey in metres, None
    where it was not measured; images."""

    point: str
    name: str
    used: Used
    known: Literal["as the file says", "as planned", "not measured", "not in the file"]
    d: Triple | None
    images: int | None


@dataclass(frozen=True)
class ResidualReading:
    """What was read, every point of the plan in its order, and in words how. meanings is what a column may be taken
    for; unknown are names that the plan has not; asks is what has to be said before it can be taken (empty when
    nothing), units those to choose from; axes likewise, where the job has a local grid whose axes lie otherwise."""

    columns: list[Column]
    meanings: list[Meaning]
    outcomes: list[ReadOutcome]
    how: list[str]
    unknown: list[str]
    asks: str
    units: list[str]
    axes: list[Meaning]


def read_residuals(
    data: bytes, plan: Plan, means: tuple[str, ...] | None = None, unit: str = "", turned: bool = False, axes: Axes = ""
) -> ResidualReading:
    """Residuals of a plan's points along the axes of the job's grid. means: what each column is taken for, where the
    user said so; unit the one chosen; turned for residuals that are survey minus map; axes: those that the file's lie
    along. Raises ReadError naming the line."""
    lines = _lines(data)
    cells, first = _cut(lines)
    head = cells[first][1] if first is not None else [f"column {k + 1}" for k in range(_width(cells))]
    body = cells[first + 1 :] if first is not None else cells
    said = tuple(means) if means is not None else _meanings(head, _of_names(plan, head, body))
    said = (*said, *[""] * len(head))[: len(head)]
    columns = [
        Column(h, [row[k] for _, row in body[:3] if k < len(row)], m)
        for k, (h, m) in enumerate(zip(head, said, strict=True))
    ]
    at = {m: k for k, m in enumerate(said) if m}
    meanings = [Meaning(*pair) for pair in MEANS.items()]
    if lacks := _lacks(at):
        return ResidualReading(
            columns=columns, meanings=meanings, outcomes=[], how=[], unknown=[], asks=lacks, units=[], axes=[]
        )
    heads = {kind: [head[at[m]] for m in at if m in (f"{kind}e", f"{kind}n", f"{kind}u")] for kind in "dsc"}
    chosen, how = _unit_of(heads["d"] or heads["s"] + heads["c"], unit)
    units = _units(plan) if not chosen else []
    beside = _unit_of(heads["s"] + heads["c"], "")[0] or (plan.brief.unit if heads["d"] and how else chosen or units[0])
    rows, unknown = _rows(plan, body, _heading(cells[:first]), _Columns(at, METRES[chosen or units[0]], METRES[beside]))
    if not rows:
        raise ReadError(
            "No line has the name of a point of this plan.",
            where=", ".join(unknown[:5]),
            mend="Choose the column that holds the names, or name the points alike.",
        )
    sign, of_sign = _sign(rows, at, turned)
    asks = "" if chosen else "In which unit are the residuals? The heads do not say."
    if means is None and _x_is_open(plan, [head[k] for m, k in at.items() if m[1:] in ("e", "n")]):
        asks = f"Is X east or north? {plan.grid.name} counts its north first. Say it by the columns. {asks}".strip()
    system, of_axes, open_axes = _axes(plan, rows, axes)
    if open_axes and not of_axes:
        asks = f"Do the residuals lie along the job's grid or its local grid? {asks}".strip()
    how = [f"Columns: {', '.join(MEANS[m] for m in sorted(at, key=lambda m: at[m]))}.", of_sign, *of_axes, *how]
    if any(row.heading for row in rows):
        how.append("Adjusted or checked by the headings between the lines.")
    by_point = {row.point.id: row for row in rows}
    outcomes = [_outcome(p, by_point.get(p.id), sign, system) for p in plan.control]
    if plan.targets and not any(row.point.role == "target" or row.used == "adjusted" for row in rows):
        how.append(
            "No control point is in the file: all are taken to have adjusted the block, as planned. Say so where one"
            " did not."
        )
        outcomes = [
            (
                ReadOutcome(point=p.id, name=p.name, used="adjusted", known="as planned", d=None, images=None)
                if p.role == "target"
                else read
            )
            for p, read in zip(plan.control, outcomes, strict=True)
        ]
    return ResidualReading(
        columns=columns,
        meanings=meanings,
        outcomes=outcomes,
        how=how,
        unknown=unknown,
        asks=asks,
        units=units,
        axes=open_axes,
    )


def _lines(data: bytes) -> list[tuple[int, str]]:
    if len(data) > MAX_BYTES:
        raise ReadError("The file is longer than a megabyte.", mend="Export the table of points alone.")
    for code in ("utf-16",) if data[:2] in (b"\xff\xfe", b"\xfe\xff") else ("utf-8-sig", "cp1252"):
        try:
            text = data.decode(code)
            break
        except UnicodeDecodeError:
            continue
    else:
        raise ReadError("This is not a text that can be read.", mend="Export the residuals as CSV in UTF-8.")
    lines = [(k, line) for k, line in enumerate(text.splitlines(), 1) if line.strip()]
    if not lines:
        raise ReadError("There is nothing to read.", mend="Export the residuals at the points as CSV.")
    if len(lines) > MAX_ROWS:
        raise ReadError(
            f"The file has {len(lines)} lines; up to {MAX_ROWS} are taken.", mend="Export the points alone."
        )
    if long := next((k for k, line in lines if len(line) > LONGEST_LINE), None):
        raise ReadError(f"A line is longer than {LONGEST_LINE} characters.", where=f"line {long}")
    return lines


Cells = list[tuple[int, list[str]]]


def _cut(lines: list[tuple[int, str]]) -> tuple[Cells, int | None]:
    """The lines in cells, parted by whatever makes most of a head line, or else most columns; and which of them is the
    head, None without one."""
    cuts = [_cut_at(lines, mark) for mark in (";", "\t", "|", ",")]
    if all(head is None for _, head, _ in cuts):
        cuts.append(_cut_at(lines, " "))
    cells, head, _ = max(cuts, key=lambda cut: (cut[2], _width(cut[0]) if cut[1] is None else 0))
    if _width(cells) > MAX_COLUMNS:
        raise ReadError(f"The table has more than {MAX_COLUMNS} columns.", mend="Export fewer.")
    return cells, head


def _cut_at(lines: list[tuple[int, str]], mark: str) -> tuple[Cells, int | None, int]:
    """The lines parted by a mark, which of them is the head, and how many of its columns are known."""
    cells = [(k, _cells(line, mark)) for k, line in lines]
    known = [sum(1 for m in _meanings(row) if m) for _, row in cells[:HEAD_WITHIN]]
    head = int(np.argmax(known))
    return (cells, head, known[head]) if known[head] >= LEAST_KNOWN else (cells, None, 0)


def _width(cells: Cells) -> int:
    return max(len(row) for _, row in cells)


def _cells(line: str, mark: str) -> list[str]:
    if mark == " ":
        return line.split()
    return [cell.strip().strip("#").strip() for cell in next(csv.reader(io.StringIO(line), delimiter=mark))]


def _of_names(plan: Plan, head: list[str], body: Cells) -> int | None:
    """Which of several columns that may hold names holds most of the plan's; None where none may."""
    known = _by_name(plan)
    may = [k for k, cell in enumerate(head) if _meaning(cell) == "name"]
    return max(may, key=lambda k: sum(_plain(row[k]) in known for _, row in body if k < len(row)), default=None)


def _meanings(head: list[str], of_names: int | None = None) -> tuple[str, ...]:
    """What each column of a head line means, each meaning once: the first that has it; names are in the column that is
    given, where one is."""
    taken: set[str] = set()
    out = []
    for k, cell in enumerate(head):
        means = _meaning(cell)
        if means == "name" and of_names not in (None, k):
            means = ""
        out.append(means if means not in taken else "")
        taken.add(means)
    return tuple(out)


def _meaning(cell: str) -> str:
    cell = _BRACKETS.sub(lambda found: "" if _letters(found[1]) in SAID else found[0], cell)
    words = [w for w in re.split(r"[^a-zΔ]+", _camel(cell).casefold().replace("δ", " d ")) if w]
    unit = words[-1:] if words and words[-1] in SAID and len(words) > 1 and re.search(r"[\[(,/_ ]", cell) else []
    words = words[: len(words) - len(unit)]
    if not words or set(words) & NOT_THESE:
        return ""
    if len(words) == 1:
        return _single(words[0])
    axis = [AXES[w] for w in words if w in AXES]
    kind = [k for k, known in (("d", RESIDUAL), ("s", SURVEYED), ("c", COMPUTED)) if set(words) & known - {"v"}]
    if len(axis) == 1 and len(kind) == 1:
        return kind[0] + axis[0]
    if set(words) & IMAGES and not axis:
        return "images"
    return "name" if set(words) & NAMES and not axis else ""


def _single(word: str) -> str:
    if word in NAMES:
        return "name"
    if word in USES:
        return "used"
    if word in IMAGES:
        return "images"
    if word in AXES:
        return "s" + AXES[word]
    for kind in sorted(RESIDUAL, key=len, reverse=True):
        for one in (word.removeprefix(kind), word.removesuffix(kind)):
            if one != word and one in AXES:
                return "d" + AXES[one]
    return ""


_BRACKETS = re.compile(r"[\[(]([^\])]*)[\])]")


def _letters(text: str) -> str:
    return re.sub(r"[^a-z]", "", text.casefold())


def _camel(cell: str) -> str:
    return re.sub(r"(?<=[a-z])(?=[A-Z])", " ", cell)


def _lacks(at: dict[str, int]) -> str:
    """What has to be said about the columns before anything can be read."""
    if "name" not in at:
        return "Which column holds the names of the points?"
    if {"de", "dn", "du"} <= set(at) or {"se", "sn", "su", "ce", "cn", "cu"} <= set(at):
        return ""
    return (
        "Which columns hold the residuals east, north and up? Or all six of the surveyed and the computed coordinates."
    )


def _x_is_open(plan: Plan, heads: list[str]) -> bool:
    """Whether columns are called X and Y in a grid whose first axis is north: there, both are meant."""
    bare = any(re.search(r"(^|[^a-z])d?[xy]($|[^a-z])", _camel(head).casefold()) for head in heads)
    return bare and str(plan.grid.crs.axis_info[0].direction).casefold() == "north"


def _heading(cells: Cells) -> Used | None:
    """How the points under a heading were used, where the last line before the head is one."""
    filled = [[c for c in row if c] for _, row in cells[-1:]]
    return _use(filled[0][0]) if filled and len(filled[0]) == 1 else None


def _unit_of(heads: list[str], chosen: str) -> tuple[str, list[str]]:
    """The unit that the heads say, or the one chosen; and how that was known. Raises ReadError for heads that
    differ."""
    if chosen in METRES:
        return chosen, [f"Unit as chosen: {chosen}."]
    said = {unit for head in heads if (unit := _said(head))}
    if len(said) > 1:
        raise ReadError(f"The heads say several units: {', '.join(sorted(said))}.", mend="Choose the unit.")
    if not said:
        return "", []
    return said.pop(), [f"Unit as the heads say: {_said(next(h for h in heads if _said(h)))}."]


def _said(head: str) -> str | None:
    tail = re.split(r"[\[(,/_ ]", head.casefold())
    return SAID.get(_letters(tail[-1])) if len(tail) > 1 else None


def _units(plan: Plan) -> list[str]:
    own = plan.brief.unit
    return [own, "mm", "cm"] if own == "m" else [own, *(foot for foot in FEET if foot != own), "m", "mm"]


@dataclass(frozen=True)
class _Columns:
    """Where what stands, and the metres of a unit of the residuals and of the coordinates beside them."""

    at: dict[str, int]
    metres: float
    beside: float

    def cell(self, row: list[str], means: str) -> str:
        """What a line says of something; empty where it does not."""
        k = self.at.get(means)
        return row[k] if k is not None and k < len(row) else ""

    def numbers(self, row: list[str], kinds: tuple[str, ...], line: int) -> Floats | None:
        """Several numbers of a line; None where all are left empty. Raises ReadError for what is none."""
        texts = [self.cell(row, k) for k in kinds]
        if not any(texts):
            return None
        values = [number(t) for t in texts]
        for text, value, kind in zip(texts, values, kinds, strict=True):
            if value is None:
                raise ReadError(
                    f"“{text[:40]}” is no {MEANS[kind]}.", where=f"line {line}", mend="Correct the line, or the column."
                )
        return np.array(values, dtype=np.float64)


@dataclass(frozen=True)
class _Row:
    """A line of a point: its number; what the line or the heading above it says of how it was used; its residual as it
    stands there, the computed less the surveyed coordinates beside it, and where it was surveyed east and north;
    metres, None where there are none."""

    line: int
    point: ControlPoint
    used: Used | None
    heading: bool
    d: Floats | None
    beside: Floats | None
    surveyed: Floats | None
    images: int | None


RESIDUALS, BESIDE = ("de", "dn", "du"), ("se", "sn", "su", "ce", "cn", "cu")


def _rows(plan: Plan, body: Cells, section: Used | None, columns: _Columns) -> tuple[list[_Row], list[str]]:
    """The lines of the plan's points, and the names that are none of them."""
    by_name, met = _by_name(plan), dict[str, int]()
    rows, unknown = [], []
    for line, row in body:
        filled = [c for c in row if c]
        if len(filled) == 1 and (use := _use(filled[0])) and _plain(filled[0]) not in by_name:
            section = use
            continue
        name = columns.cell(row, "name")
        point = by_name.get(_plain(name))
        if point is None:
            if name and any(number(c) is not None for c in row):
                unknown.append(name[:60])
            continue
        if point.id in met:
            raise ReadError(
                f"{point.name} has two lines, {met[point.id]} and {line}.", where=f"line {line}", mend="Keep one."
            )
        met[point.id] = line
        own = _use(columns.cell(row, "used"))
        rows.append(_row(line, row, point, own or section, section is not None and own is None, columns))
    return rows, unknown


def _row(line: int, row: list[str], point: ControlPoint, used: Used | None, heading: bool, columns: _Columns) -> _Row:
    has = set(columns.at)
    d = columns.numbers(row, RESIDUALS, line) if set(RESIDUALS) <= has else None
    both = columns.numbers(row, BESIDE, line) if set(BESIDE) <= has else None
    surveyed = columns.numbers(row, BESIDE[:2], line) if set(BESIDE[:2]) <= has else None
    images = number(columns.cell(row, "images"))
    count = int(images) if images is not None and images >= 0 and images == int(images) else None
    return _Row(
        line=line,
        point=point,
        used=used,
        heading=heading,
        d=None if d is None else d * columns.metres,
        beside=None if both is None else (both[3:] - both[:3]) * columns.beside,
        surveyed=None if surveyed is None else surveyed * columns.beside,
        images=count,
    )


def _sign(rows: list[_Row], at: dict[str, int], turned: bool) -> tuple[int, str]:
    """By what residuals are multiplied to be map minus survey, and how that is known: by the coordinates beside them
    where there are any, one sign for the whole file. Raises ReadError where no sign fits all lines."""
    if not set(RESIDUALS) <= set(at):
        return 1, "Residuals are the computed less the surveyed coordinates."
    both = [(row.line, row.d, row.beside) for row in rows if row.d is not None and row.beside is not None]
    if not both:
        return (
            (-1, "Residuals taken as survey minus map, and turned.")
            if turned
            else (1, "Residuals taken as map minus survey.")
        )
    fits = {sign: [bool(np.abs(sign * d - beside).max() <= AGREE) for _, d, beside in both] for sign in (1, -1)}
    if all(fits[1]):
        return 1, "Residuals are computed minus surveyed, as the coordinates beside them show."
    if all(fits[-1]):
        return -1, "Residuals were surveyed minus computed, as the coordinates beside them show, and were turned."
    best = max((1, -1), key=lambda sign: sum(fits[sign]))
    raise ReadError(
        "The residuals are not the difference of the coordinates beside them.",
        where=f"line {both[fits[best].index(False)][0]}",
        mend="Say what the columns mean, or leave the coordinates out.",
    )


def _axes(plan: Plan, rows: list[_Row], chosen: Axes) -> tuple[Similarity | None, list[str], list[Meaning]]:
    """The local grid along whose axes the residuals lie, None where that is the job's; how that is known; what there is
    to choose from. Coordinates beside the residuals tell it; a local grid that is hardly turned makes no difference."""
    if plan.brief.local is None or fault_of_local(plan) is not None:
        return None, [], []
    system = local_system(plan.brief.local)
    if abs(system.turn) < TURNED:
        return None, [], []
    ways = [Meaning("grid", plan.grid.name), Meaning("local", plan.brief.local.name)]
    how, beside = "as you say", [(row.surveyed, row.point) for row in rows if row.surveyed is not None]
    if not chosen and beside:
        at = np.array([place for place, _ in beside])
        grid = np.array([(p.e, p.n) for _, p in beside])
        own = np.column_stack(system.there(grid[:, 0], grid[:, 1], np.zeros(len(grid)))[:2])
        off = [float(np.median(np.hypot(*(at - there).T))) for there in (grid, own)]
        chosen, how = "local" if off[1] < off[0] else "grid", "as the coordinates beside them are"
    if not chosen:
        return None, [], ways
    words = f"Residuals lie along the axes of {ways[chosen == 'local'].name}, {how}."
    return (system if chosen == "local" else None), [words], ways


def _outcome(point: ControlPoint, row: _Row | None, sign: int, system: Similarity | None) -> ReadOutcome:
    if row is None:
        return ReadOutcome(point=point.id, name=point.name, used="unused", known="not in the file", d=None, images=None)
    d = row.beside if row.d is None else sign * row.d
    used: Used = row.used or ("adjusted" if point.role == "target" else "checked")
    if d is None and used == "checked":
        return ReadOutcome(
            point=point.id, name=point.name, used="unused", known="not measured", d=None, images=row.images
        )
    d = d if d is None or system is None else system.back_along(d)
    known: Literal["as the file says", "as planned"] = "as the file says" if row.used else "as planned"
    return ReadOutcome(
        point=point.id, name=point.name, used=used, known=known, d=None if d is None else triple(d), images=row.images
    )


def _use(text: str) -> Used | None:
    """How a point was used by a word of its line or a heading above it; None for words that say neither, or both."""
    checked, adjusted = CHECKED.search(text), ADJUSTED.search(text)
    if bool(checked) == bool(adjusted):
        return None
    return "checked" if checked else "adjusted"


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]", "", name.casefold())


def _by_name(plan: Plan) -> dict[str, ControlPoint]:
    """The plan's points by their plain names and ids; a plain name that two have names neither."""
    found: dict[str, ControlPoint] = {}
    for of in ("id", "name"):
        names = [_plain(getattr(p, of)) for p in plan.control]
        found |= {n: p for n, p in zip(names, plan.control, strict=True) if n and names.count(n) == 1}
    return found
