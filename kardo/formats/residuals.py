"""Residuals at control points, as reconstruction programs write them: a table of whatever columns, with lines before and after it.

What each column means is told from its head, shown, and can be said otherwise; the unit is asked where the heads do not say it.
Which program wrote it is not asked.
"""

import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np

from kardo.core.errors import ReadError
from kardo.core.plan.model import Plan
from kardo.formats.cells import MAX_ROWS, number

MAX_BYTES = 1_000_000
MAX_COLUMNS, LONGEST_LINE = 60, 4000
HEAD_WITHIN, LEAST_KNOWN = 50, 3  # lines among which the head is looked for, and columns that it must name
AGREE = 0.0015  # metres to which a residual is that of the coordinates beside it: programs round to a millimetre

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
UNITS = {"m": 1.0, "mm": 0.001, "cm": 0.01, "ft": 0.3048, "us-ft": 1200 / 3937}
SAID = {
    **dict.fromkeys(("m", "metre", "metres", "meter", "meters"), "m"),
    **dict.fromkeys(("mm", "millimetre", "millimetres", "millimeter", "millimeters"), "mm"),
    **dict.fromkeys(("cm", "centimetre", "centimetres", "centimeter", "centimeters"), "cm"),
    **dict.fromkeys(("ft", "feet", "foot"), "ft"),
    **dict.fromkeys(("usft", "ftus", "ussurveyfoot", "ussurveyfeet"), "us-ft"),
}
NAMES = {"point", "name", "label", "id", "marker", "pt", "station", "number", "no", "nr"}
USES = {"role", "type", "use", "used", "kind"}
IMAGES = {"images", "image", "photos", "photo", "projections", "rays", "observations", "marked", "frames"}
RESIDUAL = {"d", "delta", "error", "err", "residual", "residuals", "resid", "res", "diff", "difference", "deviation", "misclosure", "r", "v"}  # fmt: skip
SURVEYED = {"surveyed", "survey", "measured", "known", "given", "reference", "ref", "source", "input", "initial"}
COMPUTED = {"computed", "calculated", "calc", "estimated", "est", "adjusted", "model", "map", "derived", "output"}
NOT_THESE = {"px", "pix", "pixel", "pixels", "accuracy", "acc", "sigma", "sd", "std", "stdev", "precision", "variance", "total", "rms", "rmse", "xy", "xyz", "mean"}  # fmt: skip
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
class ReadOutcome:
    """A point's line: its id in the plan, its name there; how it was used, and whether the file said so; map minus survey in
    metres, None for cells left empty; images."""

    point: str
    name: str
    used: Literal["adjusted", "checked"]
    said: bool
    d: tuple[float, float, float] | None
    images: int | None


@dataclass(frozen=True)
class ResidualReading:
    """What was read, and in words how: unknown are names that the plan has not, missing the plan's points without a line; asks is
    what has to be said before it can be taken (empty when nothing), units those to choose from."""

    columns: list[Column]
    outcomes: list[ReadOutcome]
    how: list[str]
    unknown: list[str]
    missing: list[str]
    asks: str
    units: list[str]


def read_residuals(
    data: bytes, plan: Plan, means: tuple[str, ...] | None = None, unit: str = "", turned: bool = False
) -> ResidualReading:
    """Residuals of a plan's points. means: what each column is taken for, where the user said so; unit the one chosen; turned for
    residuals that are survey minus map. Raises ReadError naming the line."""
    lines = _lines(data)
    cells, first = _cut(lines)
    head = cells[first][1] if first is not None else [f"column {k + 1}" for k in range(_width(cells))]
    body = cells[first + 1 :] if first is not None else cells
    said = tuple(means) if means is not None else _meanings(head)
    said = (*said, *[""] * len(head))[: len(head)]
    columns = [
        Column(h, [row[k] for _, row in body[:3] if k < len(row)], m)
        for k, (h, m) in enumerate(zip(head, said, strict=True))
    ]
    at = {m: k for k, m in enumerate(said) if m}
    lacks = _lacks(at)
    if lacks:
        return ResidualReading(columns, [], [], [], [], lacks, [])
    heads = {kind: [head[at[m]] for m in at if m in (f"{kind}e", f"{kind}n", f"{kind}u")] for kind in "dsc"}
    chosen, how = _unit_of(heads["d"] or heads["s"] + heads["c"], unit)
    units = _units(plan) if not chosen else []
    beside = _unit_of(heads["s"] + heads["c"], "")[0] or (plan.brief.unit if heads["d"] and how else chosen or units[0])
    reading = _Lines(plan, at, UNITS[chosen or units[0]], UNITS[beside], turned)
    rows = list(reading.read(body, _heading(cells[:first])))
    missing = [p.name for p in plan.control if p.id not in {r.point for r in rows}]
    if not rows:
        raise ReadError(
            "No line has the name of a point of this plan.",
            where=", ".join(reading.unknown[:5]),
            mend="Choose the column that holds the names, or name the points alike.",
        )
    how = [*reading.how, *how]
    asks = "" if chosen else "In which unit are the residuals? The heads do not say."
    if means is None and _x_is_open(plan, [head[k] for m, k in at.items() if m[1:] in ("e", "n")]):
        asks = f"Is X east or north? {plan.grid.name} counts its north first. Say it by the columns. {asks}".strip()
    return ResidualReading(columns, rows, how, reading.unknown, missing, asks, units)


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
    """The lines in cells, parted by whatever makes most of a head line, or else most columns; and which of them is the head, None
    without one."""
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


def _meanings(head: list[str]) -> tuple[str, ...]:
    """What each column of a head line means, each meaning once: the first that has it."""
    taken: set[str] = set()
    out = []
    for cell in head:
        means = _meaning(cell)
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


def _heading(cells: Cells) -> str | None:
    """How the points under a heading were used, where the last line before the head is one."""
    filled = [[c for c in row if c] for _, row in cells[-1:]]
    return _use(filled[0][0]) if filled and len(filled[0]) == 1 else None


def _unit_of(heads: list[str], chosen: str) -> tuple[str, list[str]]:
    """The unit that the heads say, or the one chosen; and how that was known. Raises ReadError for heads that differ."""
    if chosen in UNITS:
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
    return [own, "mm", "cm"] if own == "m" else [own, *({"ft", "us-ft"} - {own}), "m", "mm"]


class _Lines:
    """The lines of a table, one by one; what it met is kept for the words."""

    def __init__(self, plan: Plan, at: dict[str, int], metres: float, beside: float, turned: bool) -> None:
        self.plan, self.at, self.metres, self.beside, self.turned = plan, at, metres, beside, turned
        self.unknown: list[str] = []
        self.how: list[str] = []
        self._by_name = _by_name(plan)
        self._from_both = not {"de", "dn", "du"} <= set(at)
        self._both = {"se", "sn", "su", "ce", "cn", "cu"} <= set(at)

    def read(self, body: Cells, section: str | None) -> Iterator[ReadOutcome]:
        """Each line of the plan's points; section is how those under a heading before the first were used."""
        met: dict[str, int] = {}
        signs: list[int] = []
        out: list[ReadOutcome] = []
        for line, row in body:
            filled = [c for c in row if c]
            if len(filled) == 1 and (use := _use(filled[0])) and not self._point(filled[0]):
                section = use
                continue
            name = self._cell(row, "name")
            point = self._point(name)
            if point is None:
                if name and len(self.unknown) < MAX_ROWS and any(number(c) is not None for c in row):
                    self.unknown.append(name[:60])
                continue
            if point.id in met:
                raise ReadError(
                    f"{point.name} has two lines, {met[point.id]} and {line}.", where=f"line {line}", mend="Keep one."
                )
            met[point.id] = line
            said = _use(self._cell(row, "used")) or section
            d = self._difference(row, line, signs)
            images = number(self._cell(row, "images")) if "images" in self.at else None
            planned: Literal["adjusted", "checked"] = "adjusted" if point.role == "target" else "checked"
            use_: Literal["adjusted", "checked"] = (
                planned if said is None else "checked" if said == "checked" else "adjusted"
            )
            count = None if images is None or images < 0 or images != int(images) else int(images)
            out.append(ReadOutcome(point.id, point.name, use_, said is not None, d, count))
        self._tell(signs, bool(section))
        yield from out

    def _tell(self, signs: list[int], sections: bool) -> None:
        names = [MEANS[m] for m in sorted(self.at, key=lambda m: self.at[m])]
        self.how.append(f"Columns: {', '.join(names)}.")
        if self._from_both:
            self.how.append("Residuals are the computed less the surveyed coordinates.")
        elif self._both:
            self.how.append(
                "Residuals are computed minus surveyed, as the coordinates beside them show."
                if sum(signs) >= 0
                else "Residuals were surveyed minus computed, as the coordinates beside them show, and were turned."
            )
        else:
            self.how.append(
                f"Residuals taken as {'survey minus map, and turned' if self.turned else 'map minus survey'}."
            )
        if sections:
            self.how.append("Adjusted or checked by the headings between the lines.")

    def _cell(self, row: list[str], means: str) -> str:
        k = self.at.get(means)
        return row[k] if k is not None and k < len(row) else ""

    def _point(self, name: str):  # type: ignore[no-untyped-def]
        return self._by_name.get(_plain(name)) if name else None

    def _difference(self, row: list[str], line: int, signs: list[int]) -> tuple[float, float, float] | None:
        """Map minus survey in metres; None where the cells are empty."""
        kinds = ("se", "sn", "su", "ce", "cn", "cu") if self._from_both else ("de", "dn", "du")
        texts = [self._cell(row, k) for k in kinds]
        if not any(texts):
            return None
        values = [number(t) for t in texts]
        for text, value, kind in zip(texts, values, kinds, strict=True):
            if value is None:
                raise ReadError(
                    f"“{text[:40]}” is no {MEANS[kind]}.", where=f"line {line}", mend="Correct the line, or the column."
                )
        known = np.array([v for v in values if v is not None]) * self.metres
        d = known[3:] - known[:3] if self._from_both else known
        if self._both and not self._from_both:
            d = self._as_beside(d, row, line, signs)
        elif self.turned:
            d = -d
        return float(d[0]), float(d[1]), float(d[2])

    def _as_beside(self, d, row: list[str], line: int, signs: list[int]):  # type: ignore[no-untyped-def]
        """The residual with the sign that the coordinates beside it have. Raises ReadError where neither fits."""
        values = [number(self._cell(row, k)) for k in ("se", "sn", "su", "ce", "cn", "cu")]
        if any(v is None for v in values):
            return d
        both = np.array(values, dtype=float) * self.beside
        for sign in (1, -1):
            if np.abs(sign * d - (both[3:] - both[:3])).max() <= AGREE:
                signs.append(sign if np.abs(d).max() > AGREE else 0)
                return sign * d
        raise ReadError(
            "The residuals are not the difference of the coordinates beside them.",
            where=f"line {line}",
            mend="Say what the columns mean, or leave the coordinates out.",
        )


def _use(text: str) -> Literal["adjusted", "checked"] | None:
    """How a point was used by a word of its line or a heading above it; None for words that say neither, or both."""
    checked, adjusted = CHECKED.search(text), ADJUSTED.search(text)
    if bool(checked) == bool(adjusted):
        return None
    return "checked" if checked else "adjusted"


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]", "", name.casefold())


def _by_name(plan: Plan) -> dict[str, object]:
    """The plan's points by their plain names and ids; a plain name that two have names neither."""
    found: dict[str, object] = {}
    for of in (lambda p: p.id, lambda p: p.name):
        names = [_plain(of(p)) for p in plan.control]
        found |= {n: p for n, p in zip(names, plan.control, strict=True) if n and names.count(n) == 1}
    return found
