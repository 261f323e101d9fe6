"""The report of a closed job, from its record: one page for whoever reviews it for the client, then the evidence. HTML
and PDF; each carries the record, and where it is signed a seal."""

import json
import re
import zlib
from collections.abc import Iterable
from html import escape
from importlib.metadata import version

import numpy as np
from pydantic import TypeAdapter

from kardo.core.accuracy.figures.acceptance import chance_words
from kardo.core.accuracy.figures.standards import Standard, held_to, standards
from kardo.core.arrays import Json
from kardo.core.book.done import vertical_read
from kardo.core.book.entries import Book, HeightRead, StoodUp, book_of, entry_from_json
from kardo.core.book.words import entry_words
from kardo.core.close.record import Record, record_from_json
from kardo.core.close.verdict import Component
from kardo.core.errors import ReadError
from kardo.core.flight.lines.sensor import ScanSensor, sensor_of
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.units import UNITS, counted, small
from kardo.core.plan.assumptions import defaults
from kardo.core.plan.model import Plan, plan_from_json
from kardo.core.plan.naming import name_of
from kardo.core.practice.glossary import GLOSSARY
from kardo.core.practice.local_grid import local_words
from kardo.formats.documents import Paper, page, pdf
from kardo.formats.json_text import json_of
from kardo.formats.seal import seal, unsealed

DOCUMENT = TypeAdapter(Record)
RECORD_FILE = "kardo-record.json"
_IN_HTML = re.compile(rb'<script type="application/json" id="kardo-record">(.*?)</script>', re.S)
_IN_PDF = re.compile(
    rb"/EmbeddedFile/Subtype /application#2fjson[^\n]*?/Filter /FlateDecode/Length (\d{1,9})>>\nstream\n"
)
MOST_BYTES, MOST_RECORD = 30_000_000, 16_000_000


def html_report(record: Record, seed: bytes | None = None) -> bytes:
    """The report as HTML that stands alone; sealed with the key of a seed where it is signed."""
    carried = json.dumps(_json(record)).replace("<", "\\u003c")
    whole = _html(record).replace(
        "</body>", f'<script type="application/json" id="kardo-record">{carried}</script></body>'
    )
    content = whole.encode()
    return seal(content, "html", seed) if seed is not None else content


def pdf_report(record: Record, seed: bytes | None = None, paper: Paper = "A4") -> bytes:
    """The report as PDF, with the record attached; sealed with the key of a seed where it is signed."""
    content = pdf(_html(record), {RECORD_FILE: json.dumps(_json(record))}, paper=paper)
    return seal(content, "pdf", seed) if seed is not None else content


def read_report(data: bytes) -> tuple[Record, str]:
    """The record that a signed report carries, and the fingerprint of the key that sealed it. Raises ReadError for one
    that was altered, or is none."""
    if len(data) > MOST_BYTES:
        raise ReadError("The file is larger than any report.", mend="Give a report that Kardo wrote.")
    sealed = unsealed(data)
    text = _attached(sealed.content) if sealed.content.startswith(b"%PDF") else _embedded(sealed.content)
    record = record_from_json(json_of(text, MOST_RECORD, "record in the report"))
    if record.signed is not None and record.signed.key != sealed.fingerprint:
        raise ReadError(
            f"The report names the key {record.signed.key} and is sealed with {sealed.fingerprint}.",
            mend="Ask for the report as it was signed.",
        )
    return record, sealed.fingerprint


def _json(record: Record) -> Json:
    return DOCUMENT.dump_python(record, mode="json")


def _embedded(content: bytes) -> bytes:
    found = _IN_HTML.search(content)
    if found is None:
        raise ReadError("The report carries no record.", mend="Ask for the report as it was signed.")
    return found[1]


def _attached(content: bytes) -> bytes:
    """The record in a PDF as `pdf_report` writes it: the one embedded file, deflated. No reader of PDF is needed, and
    so none can be attacked by what somebody else sealed."""
    found = _IN_PDF.search(content)
    if found is None:
        raise ReadError("The report carries no record.", mend="Ask for the report as it was signed.")
    opened = zlib.decompressobj()
    try:
        text = opened.decompress(content[found.end() : found.end() + int(found[1])], MOST_RECORD + 1)
    except zlib.error as fault:
        raise ReadError("The record in the report cannot be read.") from fault
    return text


def _html(record: Record) -> str:
    plan = plan_from_json(record.plan)
    book = book_of(entry_from_json(e) for e in record.book)
    state = "signed" if record.signed else "DRAFT, not signed"
    foot = (
        f"{record.title} · {state} · revision {record.revision} · plan {record.plan_digest[:8]} · book"
        f" {record.book_digest[:8]} · closing {record.closing_digest[:8]} · Kardo {version('kardo')}"
    )
    body = [
        f'<div class="first" style="page-break-after: always">{_first_page(record, plan)}</div>',
        _plan_part(plan),
        _datum_part(plan),
        _heights_part(plan, book),
        _residuals_part(record, plan),
        _against_part(record, plan),
        _budget_part(record, plan),
        _assumed_part(plan),
        _findings_part(record),
        _book_part(plan, book),
        _section("Cautions", _list(record.cautions)),
        _section("Documents", _documents(record)),
    ]
    text = "".join(body)
    return page(f"{record.title}, accuracy report", foot, text + _section("Words", _words_of(text)))


def _words_of(text: str) -> str:
    """What the words of the trade mean that stand in the report."""
    shown = re.sub(r"<[^>]+>", " ", text).casefold()
    used = [e for e in GLOSSARY if re.search(rf"\b{re.escape(e.term.casefold())}", shown)]
    rows = "".join(
        f"<tr><td>{escape(e.term)}</td><td>{escape(e.says)}</td><td>{escape(e.source)}</td></tr>" for e in used
    )
    return f"<table><tr><th>word</th><th>meaning</th><th>source</th></tr>{rows}</table>"


def _first_page(record: Record, plan: Plan) -> str:
    verdict, unit = record.verdict, plan.brief.unit
    checks = next(c for c in verdict.checks if c.axis == "V").n
    standard = standards()[plan.brief.standard]
    word = "KEEPS ITS TOLERANCE" if verdict.passed else "DOES NOT KEEP ITS TOLERANCE"
    if verdict.passed and verdict.unmet:
        word = "WITHIN ITS FIGURES, BUT WHAT THE STANDARD ASKS IS NOT MET"
    parts = [
        f"<h1>{escape(record.title)}</h1>",
        (
            f'<p class="quiet">{escape(record.organisation)} · accuracy at {checks}'
            f" {'check' if checks == 1 else 'checks'} · made {_moment(record.made_at)}</p>"
        ),
        _signed(record),
        f'<p class="lead"><b>{word}</b>, by {escape(standard.name)} ({escape(_publisher(standard))}).</p>',
        _table(
            ["", "measured", "allowed", ""],
            [
                [
                    escape(j.statistic),
                    _cell(_small(j.value, unit)),
                    _cell(_limit(j.allowed, unit)),
                    "kept" if j.kept else "NOT kept",
                ]
                for j in (verdict.h, verdict.v)
            ],
        ),
        "<h2>At the check points, map minus survey</h2>" + _components(verdict.checks, unit),
        _list(verdict.means),
        "<h2>Against what was predicted</h2>" + _promised(record, unit),
        _list(record.against.words[:3] if record.against else ["No check could be held against the prediction."]),
        "<h2>What the check points cannot see</h2>" + _list(record.blind),
    ]
    if verdict.unmet:
        parts.append(f"<h2>What {escape(standard.name)} asks and is not met</h2>{_list(verdict.unmet)}")
    parts.append(f'<p class="quiet">What the standard does not say: {escape(standard.silent)}</p>')
    parts.append(f'<p class="quiet">{_systems(plan)}</p>')
    return "".join(parts)


def _publisher(standard: Standard) -> str:
    return standard.publisher if standard.edition == "none" else f"{standard.publisher}, {standard.edition}"


def _signed(record: Record) -> str:
    if record.signed is None:
        return "<p><b>Draft.</b> Nobody has signed this.</p>"
    s = record.signed
    return (
        f"<p><b>{escape(s.by)}</b> signed on {_moment(s.at)}, and certifies: “{escape(s.certified)}” "
        f'<span class="quiet">Sealed with the key {escape(s.key)}. Kardo computes; it does not certify.</span></p>'
    )


def _systems(plan: Plan) -> str:
    unit = UNITS[plan.brief.unit]
    dated = ", ".join(filter(None, (plan.brief.realisation, plan.brief.epoch and f"epoch {plan.brief.epoch}")))
    return escape(
        f"Grid {plan.grid.name} ({plan.brief.crs}){f', {dated}' if dated else ''}; heights"
        f" {height_name(plan.brief.heights)}; coordinates in {unit.plural}."
    )


def _components(found: list[Component], unit: str) -> str:
    rows = []
    for c in found:
        mean = _small(c.mean, unit) + (f" ± {_small(c.mean_95, unit)}" if c.mean_95 is not None else "")
        rows.append(
            [
                {"E": "east", "N": "north", "H": "plan, radial", "V": "height"}[c.axis],
                _cell(str(c.n)),
                _cell(mean),
                _cell(_small(c.rmse, unit)),
                _cell("–" if c.sd is None else _small(c.sd, unit)),
                _cell(_small(c.at_95, unit)),
                _cell(f"{_small(c.worst, unit)}") + f"<td>{escape(c.worst_point)}</td>",
            ]
        )
    return _table(["component", "n", "mean (95 %)", "RMSE", "std. dev.", "95 % accuracy", "worst", "at"], rows)


def _promised(record: Record, unit: str) -> str:
    rows = [
        [
            f"{p.name}, {p.state}" if p.state else p.name,
            *(_cell(_limit(v, unit)) for v in (p.seen_h, p.seen_v, p.rmse_h, p.rmse_v)),
            _cell("–" if p.chance is None else chance_words(p.chance)),
        ]
        for p in record.promised
    ]
    found = {c.axis: c for c in record.verdict.checks}
    rows.append(
        [
            "<b>achieved</b>",
            *(_cell(f"<b>{_small(found[a].rmse, unit)}</b>") for a in "HV"),
            _cell("–"),
            _cell("–"),
            _cell("–"),
        ]
    )
    return _table(
        ["RMSE", "H at check points", "V at check points", "H on the map", "V on the map", "probability of passing"],
        rows,
    )


ADJUSTED = {
    "none": "not at all",
    "height": "in height, to the control points",
    "position": "by a shift, to the control points",
    "matched": "by matching of flight lines, and to the control points",
}


def _plan_part(plan: Plan) -> str:
    unit, flights = plan.brief.unit, []
    for f in plan.flights:
        corrections = f"corrections {f.corrections.replace('_', ' ')}"
        sensor, side = sensor_of(plan, f), f.pattern.side_overlap
        first = f"{f.name}: {sensor.name}, {_length(f.height_m, unit, 0)} above ground"
        if isinstance(sensor, ScanSensor):
            adjusted = ADJUSTED[sensor.use.adjustment]
            flights.append(f"{first}, {side:g} % side overlap, {corrections}, adjusted: {adjusted}")
            continue
        state = sensor.camera.calibration.state.replace("_", " ")
        overlaps = f"{sensor.use.forward_overlap:g}/{side:g} %"
        flights.append(f"{first}, {overlaps}, {corrections}, lens calibrated: {state}")
    targets, checks = len(plan.targets), len(plan.checks)
    brief = plan.brief
    held_h, held_v = held_to(brief)
    told = [
        (
            f"Product: {brief.deliverable}; tolerance {small(held_h, unit)} H, {small(held_v, unit)} V by"
            f" {standards()[brief.standard].name}."
        ),
        *flights,
        f"Planned: {counted(targets, 'control point')}, {counted(checks, 'check point')}.",
    ]
    return _section("The plan", _list(told))


def _datum_part(plan: Plan) -> str:
    unit = plan.brief.unit
    rows = [
        [
            escape(m.name),
            *(_cell(_length(v, unit, 3)) for v in (m.e, m.n)),
            _cell("–" if m.h is None else _length(m.h, unit, 3)),
            {
                "published": "published",
                "local": "in the local grid",
                "static": f"static session of {m.hours:g} h",
                "here": "taken “here”, not yet shifted",
            }[m.known],
            _cell(f"{_small(m.sigma_h, unit)} / {_small(m.sigma_v, unit)}"),
            escape(" ".join(filter(None, (m.source, m.realisation, m.epoch)))),
        ]
        for m in plan.marks
    ]
    head = ["mark", "E", "N", "H", "known", "sigma H / V", "source"]
    return _section(
        "Marks and datum",
        f"<p>{_systems(plan)} {escape(local_words(plan))}</p>" + (_table(head, rows) if rows else "<p>No marks.</p>"),
    )


def _heights_part(plan: Plan, book: Book) -> str:
    """Set-ups and antenna heights as they were measured."""
    unit, rows = plan.brief.unit, []
    for entry in book.valid_entries:
        said = entry.said
        if isinstance(said, StoodUp):
            plummet = "on the mark" if said.plummet_on else "NOT on the mark"
            rows.append(
                [
                    _time(entry.at),
                    escape(name_of(plan, "setup", said.setup)),
                    f"stands, plummet {plummet}, {said.when}",
                    _cell(""),
                    _cell(""),
                    escape(entry.by),
                ]
            )
        if isinstance(said, HeightRead):
            setup = plan.setup(said.setup)
            up = None if setup is None else vertical_read(plan, setup, said)
            rows.append(
                [
                    _time(entry.at),
                    escape(name_of(plan, "setup", said.setup)),
                    f"{said.measured_to} height, {said.when}, typed “{escape(said.typed)}”",
                    _cell(_length(said.metres, unit, 4)),
                    _cell("–" if up is None else _length(up, unit, 4)),
                    escape(entry.by),
                ]
            )
    if not rows:
        return _section("Set-ups and heights as measured", "<p>The book holds none.</p>")
    head = ["when, by its device", "set-up", "what", "as read", "vertical, mark to ARP", "by"]
    return _section("Set-ups and heights as measured", _table(head, rows))


def _residuals_part(record: Record, plan: Plan) -> str:
    unit, taken = plan.brief.unit, record.closing["sets"][-1]
    own = {c.point: c for c in record.against.checks} if record.against else {}
    rows = []
    for r in record.residuals:
        d = [_cell("–")] * 3 if r.d is None else [_cell(_small(v, unit)) for v in r.d]
        test = own.get(r.point)
        told = "" if test is None else f"{chance_words(test.larger)}{', stands out' if test.stands_out else ''}"
        rows.append([escape(r.name), r.used, *d, _cell("–" if r.images is None else str(r.images)), _cell(told)])
    counts = ", ".join(f"{taken[what]} {what}" for what in ("images", "positions") if taken[what] is not None)
    said = [f"From {taken['file']}. {' '.join(taken['how'])}", *([f"Processing found {counts}."] if counts else [])]
    if record.shift is not None:
        by, source = record.shift.by, record.closing["shift"]["source"]
        said.append(
            f"Block shift applied: {_small(by[0], unit)} east, {_small(by[1], unit)} north, {_small(by[2], unit)} up"
            f" ({source}). The residuals are those after it."
        )
    head = ["point", "used", "east", "north", "up", "images", "probability of a larger one (p), given the others"]
    adjusted = record.verdict.adjusted
    fit = (
        f"<p>Fit at the points that adjusted, which proves nothing:</p>{_components(adjusted, unit)}"
        if adjusted
        else ""
    )
    return _section("Residuals, map minus survey", _list(said) + _arrows(record, plan) + _table(head, rows) + fit)


ARROWS_WIDE = 520.0


def _arrows(record: Record, plan: Plan) -> str:
    """The residuals drawn over the site: arrows in plan, stems in height, with their exaggeration."""
    places = {p.id: (p.e, p.n) for p in plan.control}
    lines = [(places[r.point], r) for r in record.residuals if r.d is not None and r.point in places]
    outline = np.array(plan.site.boundary or [place for place, _ in lines])
    if len(outline) < 3 or not lines:
        return ""
    low, high = outline.min(axis=0), outline.max(axis=0)
    size = float((high - low).max())
    scale = ARROWS_WIDE / size
    largest = max(float(np.abs(np.array(r.d)).max()) for _, r in lines)
    factor = _plain(0.12 * size / max(largest, 1e-6))
    tall = float(high[1] - low[1]) * scale
    wide = float(high[0] - low[0]) * scale

    def at(e: float, n: float) -> tuple[float, float]:
        return (e - low[0]) * scale, tall - (n - low[1]) * scale

    ring = " ".join(f"{x:.1f},{y:.1f}" for x, y in (at(*p) for p in outline))
    marks = [f'<polygon points="{ring}" fill="#faf7f0" stroke="#17242e" stroke-width="0.8"/>']
    for (e, n), r in lines:
        assert r.d is not None
        x, y = at(e, n)
        x2, y2 = at(e + r.d[0] * factor, n + r.d[1] * factor)
        y3 = y - r.d[2] * factor * scale
        fill = "#17242e" if r.used == "checked" else "#ffffff"
        marks.append(
            f'<line x1="{x:.1f}" y1="{y:.1f}" x2="{x2:.1f}" y2="{y2:.1f}" stroke="#b4441c" stroke-width="1.4"/>'
            f'<line x1="{x:.1f}" y1="{y:.1f}" x2="{x:.1f}" y2="{y3:.1f}" stroke="#1f6f78" stroke-width="3"/>'
            f'<circle cx="{x:.1f}" cy="{y:.1f}" r="2.6" fill="{fill}" stroke="#17242e"/>'
            f'<text x="{x + 5:.1f}" y="{y - 4:.1f}" font-size="9" font-family="Kardo Figures">{escape(r.name)}</text>'
        )
    return (
        f'<svg viewBox="-40 -40 {wide + 80:.0f} {tall + 80:.0f}" style="width: 100%; max-height:'
        f' 95mm">{"".join(marks)}</svg><p class="quiet">Thin: residual in plan; thick: in height, up for a map too'
        f" high; both {factor:,.0f} times as long as on the ground. Filled: checks; open: adjusted.</p>"
    )


def _plain(most: float) -> float:
    """The largest of 1, 2, 5 times a power of ten that is not more."""
    power = 10.0 ** np.floor(np.log10(most))
    return float(max(k * power for k in (1, 2, 5) if k * power <= most))


def _against_part(record: Record, plan: Plan) -> str:
    if record.against is None:
        said = ["No check could be held against the prediction.", *record.contradictions]
        return _section("Against the prediction", _list(said))
    unit = plan.brief.unit
    rows = [
        [
            escape(c.name),
            *(_cell(_small(v, unit)) for v in (*c.d, *c.expected)),
            _cell(f"{_small(c.sigma[2], unit)}"),
            _cell(chance_words(c.larger)),
        ]
        for c in record.against.checks
    ]
    head = [
        "check",
        "east",
        "north",
        "up",
        "expected east",
        "north",
        "up",
        "sigma up",
        "probability of a larger one (p)",
    ]
    return _section(
        "Against the prediction, each check given the others",
        _list([*record.against.words, *record.contradictions]) + _table(head, rows),
    )


def _budget_part(record: Record, plan: Plan) -> str:
    unit = plan.brief.unit
    rows = [
        [
            escape(b.name),
            _cell(_small(b.sigma_h, unit)),
            _cell(f"{100 * b.share_h:.0f} %"),
            _cell(_small(b.sigma_v, unit)),
            _cell(f"{100 * b.share_v:.0f} %"),
        ]
        for b in record.budget
    ]
    return _section(
        "Budget of the prediction, as done", _table(["source", "H", "of variance", "V", "of variance"], rows)
    )


def _assumed_part(plan: Plan) -> str:
    known = defaults(plan.assumptions.edition)
    told = [
        f"{known[key].what}: {value:g} {known[key].unit} instead of {known[key].value:g}"
        for key, value in plan.assumptions.overrides.items()
        if key in known
    ]
    said = [f"Defaults of edition {plan.assumptions.edition}.", *told]
    return _section("Assumptions", _list(said))


def _findings_part(record: Record) -> str:
    if not record.findings:
        return _section("Findings", "<p>None.</p>")
    rows = [
        [f.severity, escape(f.words), escape(f"waived: {f.waived}") if f.waived else "<b>open</b>"]
        for f in record.findings
    ]
    return _section("Findings", _table(["", "finding", "state"], rows))


def _book_part(plan: Plan, book: Book) -> str:
    if not book.entries:
        return _section("The book", "<p>No book was kept.</p>")
    stands = {e.id for e in book.valid_entries}
    rows = [
        [
            _time(e.at),
            escape(entry_words(plan, e)),
            escape(f"{e.by}, {e.device}"),
            "" if e.id in stands else "corrected",
        ]
        for e in book.entries
    ]
    return _section("The book", _table(["when, by its device", "what", "by", ""], rows))


def _documents(record: Record) -> str:
    rows = [
        ["plan", _cell(record.plan_digest)],
        ["book", _cell(record.book_digest)],
        ["closing", _cell(record.closing_digest)],
        ["plan as closed, what numbers depend on", _cell(record.closed_hash)],
    ]
    said = (
        f"Revision {record.revision}. SHA-256 of the documents that this report carries; "
        "<i>kardo verify</i> with this file tells whether anything in it was altered since it was signed."
    )
    return f"<p>{said}</p>" + _table(["document", "digest"], rows)


def _section(title: str, body: str) -> str:
    return f"<h2>{escape(title)}</h2>{body}"


def _list(lines: Iterable[str]) -> str:
    return f"<ul>{''.join(f'<li>{escape(line)}</li>' for line in lines)}</ul>"


def _cell(text: str) -> str:
    return f'<td class="figures num">{text}</td>'


def _table(heads: list[str], rows: list[list[str]]) -> str:
    body = "".join(
        f"<tr>{''.join(cell if cell.startswith('<td') else f'<td>{cell}</td>' for cell in row)}</tr>" for row in rows
    )
    numeric = [
        all(row[k].startswith("<td class") for row in rows if k < len(row)) if rows else False
        for k in range(len(heads))
    ]
    head = "".join(f"<th{' class=num' if right else ''}>{h}</th>" for h, right in zip(heads, numeric, strict=True))
    return f"<table><tr>{head}</tr>{body}</table>"


def _small(metres: float, unit: str) -> str:
    return escape(small(metres, unit)) if abs(metres) < 1 else escape(_length(metres, unit, 3))


def _limit(metres: float | None, unit: str) -> str:
    return "–" if metres is None else _small(metres, unit)


def _length(metres: float, unit: str, decimals: int) -> str:
    return f"{UNITS[unit].from_metres(metres):,.{decimals}f} {UNITS[unit].short}".replace(",", "\u202f")


def _moment(text: str) -> str:
    return escape(text[:16].replace("T", " ") + " UTC")


def _time(text: str) -> str:
    return f'<span class="figures">{escape(text[:16].replace("T", " "))}</span>'
