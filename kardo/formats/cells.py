"""A list cut into cells: columns parted by tabs, semicolons, bars, commas or spaces, a header row or none, and angles
that take several words. What a cell is, a number, an angle or a word, is told here; what a column means, in
coordinates.py."""

import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import product

from kardo.core.errors import ReadError
from kardo.core.geodesy.angles import Angle, read_angle

MAX_ROWS, LONGEST_LINE = 6000, 2000
MOST = 1e9  # no coordinate or height is larger, in any unit
POINT_NAMES = {  # as lists head them, letters alone: numéro is numro
    *("name", "point", "pt", "id", "no", "nr", "num", "number", "label", "pointid", "pointname", "pointno", "ptid"),
    *(
        "punkt",
        "pkt",
        "punktnr",
        "pktnr",
        "punktnummer",
        "bezeichnung",
        "nom",
        "numro",
        "numero",
        "matricule",
        "punto",
        "pto",
        "nombre",
    ),
}
HEADS = {
    "name": POINT_NAMES | {"photo", "image", "file", "filename"},
    "e": {"e", "east", "easting", "eastings", "est", "este", "ost", "rechtswert"},
    "n": {"n", "north", "northing", "northings", "nord", "norte", "hochwert"},
    "x": {"x"},
    "y": {"y"},
    "lat": {"lat", "latitude"},
    "lon": {"lon", "long", "lng", "longitude"},
    "h": {"h", "z", "elev", "elevation", "height", "alt", "altitude"},
    "code": {"code", "desc", "description", "role", "type"},
}
SAID_UNITS = {
    "m": "m",
    "metre": "m",
    "metres": "m",
    "meter": "m",
    "meters": "m",
    "ft": "ft",
    "feet": "ft",
    "foot": "ft",
    "usft": "us-ft",
    "ftus": "us-ft",
    "ussurveyfoot": "us-ft",
    "ussurveyfeet": "us-ft",
    "ftind": "ind-ft",
    "indft": "ind-ft",
    "indianfoot": "ind-ft",
    "indianfeet": "ind-ft",
}
_NUMBER = re.compile(r"[-+−]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][-+]?\d{1,3})?")
_GROUPED = re.compile(r"[-+−]?\d{1,3}(?:,\d{3})+\.\d+")


@dataclass(frozen=True)
class Table:
    """A list in cells: rows with their line numbers, how it was cut, and its header where it has one."""

    rows: list[list[str]]
    numbers: list[int]
    cut: str
    head: list[str] | None = None


def decoded(data: bytes, name: str) -> tuple[str, list[str]]:
    """A file as text, and what has to be said of how its letters were read. Raises ReadError for what is no text."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        codec, said = "utf-16", []
    else:
        try:
            return data.decode("utf-8-sig"), []
        except UnicodeDecodeError:
            codec, said = (
                "cp1252",
                ["Not in UTF-8: letters with accents are read as Windows (Western) has them; look at the names."],
            )
    try:
        text = data.decode(codec)
    except UnicodeDecodeError:
        text = "\0"
    if sum(not (c.isprintable() or c in "\r\n\t\xa0") for c in text) > len(text) / 500:
        raise ReadError(
            f"{name or 'The file'} is no text.", mend="Export it as CSV, GeoJSON, KML, GPX, GeoPackage or DXF."
        )
    return text, said


def tables_of(text: str) -> list[Table]:
    """The list cut into cells, in every way that gives each line two or more. Raises ReadError for one that is too
    large."""
    lines = [
        (k, line)
        for k, line in enumerate(text.replace("\ufeff", "").splitlines(), 1)
        if line.strip() and not line.lstrip().startswith("#")
    ]
    if len(lines) > MAX_ROWS + 1:
        raise ReadError(f"The list has {len(lines)} rows; up to {MAX_ROWS} are taken.", mend="Split it.")
    if long := next((k for k, line in lines if len(line) > LONGEST_LINE), None):
        raise ReadError(
            f"A line is longer than {LONGEST_LINE} characters.", where=f"line {long}", mend="Give one point per line."
        )
    if not lines:
        raise ReadError("There is nothing to read.", mend="Paste one point per line.")
    numbers = [k for k, _ in lines]
    cuts = [("\t", "tabs"), (";", "semicolons"), ("|", "bars"), (",", "commas")]
    tables = [
        Table([_cells(line, mark) for _, line in lines], numbers, f"Columns parted by {name}.")
        for mark, name in cuts
        if all(mark in line for _, line in lines)
    ]
    tables = tables[:1] if tables and tables[0].cut != "Columns parted by commas." else tables
    if not tables or tables[0].cut.endswith("commas."):
        words = [line.split() for _, line in lines]
        tables.append(Table(words, numbers, "Columns parted by spaces."))
        head, body = (words[:1], words[1:]) if _header(words[0]) else ([], words)
        tables += [
            Table([*head, *rows], numbers, "Columns parted by spaces, angles over several.") for rows in _spaced(body)
        ]
    wide = [_with_head(t) for t in tables if all(len(row) >= 2 for row in t.rows)]
    if not wide:
        thin = next(k for t in tables for k, row in zip(t.numbers, t.rows, strict=True) if len(row) < 2)
        raise ReadError(
            "A line needs at least two coordinates.",
            where=f"line {thin}",
            mend="Write easting and northing, or latitude and longitude.",
        )
    if any(not t.rows for t in wide):
        raise no_coordinates()
    return wide


def _cells(line: str, mark: str) -> list[str]:
    return [cell.strip() for cell in next(csv.reader(io.StringIO(line), delimiter=mark))]


def _with_head(table: Table) -> Table:
    if not _header(table.rows[0]):
        return table
    return replace(table, head=table.rows[0], rows=table.rows[1:], numbers=table.numbers[1:])


def _header(cells: list[str]) -> bool:
    """Whether a line names columns: words alone, two of which name coordinates."""
    if any(ch.isdigit() for c in cells for ch in re.split(r"[\[(]", c)[0]):
        return False
    known = {what for c in cells for what in [head_of(c)] if what}
    return any({a, b} <= known for a, b in (("e", "n"), ("x", "y"), ("lat", "lon")))


def head_of(cell: str) -> str | None:
    word = re.sub(r"[^a-z]", "", re.split(r"[\[(,]", cell.casefold())[0])
    return next((what for what, words in HEADS.items() if word in words), None)


def unit_of(cell: str) -> str | None:
    """The unit that a column's head says in brackets or behind a comma."""
    said = re.split(r"[\[(,]", cell.casefold(), maxsplit=1)
    return SAID_UNITS.get(re.sub(r"[^a-z]", "", said[1])) if len(said) > 1 else None


def _spaced(rows: list[list[str]]) -> Iterator[list[list[str]]]:
    """Lines of words in which an angle takes several: with a name before or without; hemispheres behind or before the
    numbers, or none, and then three numbers or two for each."""
    for named, take in product((0, 1), (_behind, _before, _by_threes, _by_twos)):
        out = [take(row[named:]) for row in rows]
        if out and all(cells is not None for cells in out):
            yield [row[:named] + cells for row, cells in zip(rows, out, strict=True) if cells is not None]


def _behind(words: list[str]) -> list[str] | None:
    """Angles that each end with the letter of their hemisphere."""
    ends = [k for k, w in enumerate(words) if w[-1:].upper() in "NSEWO" and (len(w) == 1 or not w[0].isalpha())]
    if len(ends) < 2 or ends[0] == 0:
        return None
    return [" ".join(words[: ends[0] + 1]), " ".join(words[ends[0] + 1 : ends[1] + 1]), *words[ends[1] + 1 :]]


def _before(words: list[str]) -> list[str] | None:
    """Angles that each begin with the letter of their hemisphere; the second ends where its numbers do."""
    starts = [k for k, w in enumerate(words) if w[:1].upper() in "NSEWO" and (len(w) == 1 or w[1:2].isdigit())]
    if len(starts) < 2 or starts[0] != 0:
        return None
    long = starts[1]
    return [" ".join(words[:long]), " ".join(words[long : 2 * long]), *words[2 * long :]]


def _by_threes(words: list[str]) -> list[str] | None:
    return [" ".join(words[:3]), " ".join(words[3:6]), *words[6:]] if len(words) >= 6 else None


def _by_twos(words: list[str]) -> list[str] | None:
    return [" ".join(words[:2]), " ".join(words[2:4]), *words[4:]] if len(words) >= 4 else None


def number(cell: str) -> float | None:
    """A decimal number with a point or a comma; None for words, nan, inf and numbers beyond any grid."""
    if _GROUPED.fullmatch(cell):
        cell = cell.replace(",", "")
    if not _NUMBER.fullmatch(cell) or (("e" in cell or "E" in cell) and not ("." in cell or "," in cell)):
        return None
    value = float(cell.replace(",", ".").replace("−", "-"))
    return value if abs(value) < MOST else None


def like_a_number(cell: str) -> bool:
    """Whether a cell is a number or what programs write in the place of one: nan, inf, 1e308."""
    try:
        float(cell.replace(",", "."))
    except ValueError:
        return number(cell) is not None
    return True


def coordinate(cell: str) -> Angle | None:
    """An angle that cannot be a name: with minutes, with a degree's mark, or with a hemisphere and a decimal. N1, 12E
    and plain numbers are none."""
    try:
        angle = read_angle(cell)
    except ReadError:
        return None
    marked = any(mark in cell for mark in "°º˚") or (angle.letter and ("." in cell or "," in cell))
    return angle if angle.sexagesimal or marked else None


def no_coordinates() -> ReadError:
    return ReadError("The list has no coordinates.", mend="Give one point per line: name, easting, northing, height.")
