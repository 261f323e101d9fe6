"""Control on paper: a drawing to scale, a page for every target, and a list to set it out by."""

import csv
import io
import math
from collections.abc import Collection
from html import escape
from importlib.metadata import version

from kardo.core.control.stakeout import StakeOut
from kardo.core.day.observing import method_words
from kardo.core.errors import ReadError
from kardo.core.geodesy.angles import format_dms
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.units import UNITS, Unit, counted, length, small
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnInstrument, OnService, OnSetUp
from kardo.formats.documents import PAPERS, Paper, page
from kardo.formats.lists import safe_cell
from kardo.formats.plan_drawing import Frame, drawing, frame_of, scales_of, sign_of

SKETCH_SIGNS = ("target", "check", "mark")
MOST_SHEETS = 200


def _foot(plan: Plan, what: str) -> str:
    return f"{plan.brief.title} · {what} · plan {plan.revision[:12]} · Kardo {version('kardo')}"


def sketch_html(plan: Plan, paper: Paper = "A4", scale: int | None = None) -> str:
    """A sheet with the drawing, at the scale that is wanted or the largest usual one that shows it all, a title block
    and what the signs mean. Raises ReadError for a scale that no ruler has."""
    usual = scales_of(plan.brief.unit)
    if scale is not None and scale not in usual:
        raise ReadError(
            f"1:{scale} is no usual scale.", where="scale", mend=f"One of {', '.join(f'1:{s}' for s in usual)}."
        )
    wide, high = PAPERS[paper]
    frame = frame_of(plan, wide - 24, high - 42, scale)
    counts = (len(plan.targets), len(plan.checks), len(plan.marks))
    style = (
        f"<style>@page {{ size: {wide}mm {high}mm; margin: 10mm 12mm 12mm }} svg {{ display: block }} .block svg {{"
        f" display: inline; vertical-align: -0.6mm }} .block {{ width: {frame.width}mm; border: 0.4mm solid #17242e;"
        " border-top: 0; margin: 0 } .block td { border-right: 0.3pt solid #17242e; border-bottom: 0; padding: 1mm"
        " 2mm }</style>"
    )
    signs = " &nbsp; ".join(
        f'<svg width="4mm" height="4mm" viewBox="-2.2 -2.2 4.4 4.4">{sign_of(what)}</svg> {counted(count, what)}'
        for what, count in zip(SKETCH_SIGNS, counts, strict=True)
    )
    cells = (
        f"<b>{escape(plan.brief.title)}</b><br>control sketch",
        f"{frame.words} on {paper}",
        (
            f"{escape(plan.grid.name)}<br>heights {escape(height_name(plan.brief.heights))},"
            f" {UNITS[plan.brief.unit].plural}"
        ),
        f"{signs}<br>– · – boundary",
        f"plan {plan.revision[:12]}<br>sigma and verdict: see the plan",
    )
    block = "".join(f"<td>{cell}</td>" for cell in cells)
    return page(
        f"{plan.brief.title}, control sketch",
        _foot(plan, "control sketch"),
        f'{style}{drawing(plan, frame)}<table class="block"><tr>{block}</tr></table>',
    )


def target_sheets_html(plan: Plan, chosen: str = "", kept: Collection[str] = ()) -> str:
    """A page for every point, or for one: what it is called, where it lies, how it is laid and observed, what stands
    about it, its pictures as far as they are kept (by digest, shown as `picture:digest`), and room for what is found
    there. Raises ReadError for more pages than anybody prints."""
    points = [p for p in plan.control if not chosen or p.id == chosen]
    if not points or len(points) > MOST_SHEETS:
        raise ReadError(
            f"There are {len(points)} points to print.",
            where="Control, files",
            mend=f"Print 1 to {MOST_SHEETS} sheets.",
        )
    heights = dict(zip((p.id for p in plan.control), heights_of(plan, plan.control).tolist(), strict=True))
    style = (
        "<style>.sheet { page-break-after: always } .sheet:last-child { page-break-after: auto } .big { font-size:"
        " 44pt; font-weight: 700; line-height: 1 } .typed { font: 15pt 'Kardo Figures' } .empty { height: 52mm; border:"
        " 0.4pt solid #17242e; margin-top: 2mm; padding: 1mm 2mm; font-size: 8pt } .low { height: 20mm } .pictures {"
        " margin-top: 2mm; line-height: 0 } .pictures img { max-height: 34mm; max-width: 42mm; margin-right: 2mm"
        " }</style>"
    )
    body = "".join(_sheet(plan, p, heights[p.id], kept) for p in points)
    return page(f"{plan.brief.title}, target sheets", _foot(plan, "target sheets"), style + body)


def _sheet(plan: Plan, p: ControlPoint, height: float, kept: Collection[str]) -> str:
    unit = UNITS[plan.brief.unit]
    frame = Frame(
        e=p.e, n=p.n, scale=1000 if plan.brief.unit == "m" else 1200, width=174, height=72, unit=plan.brief.unit
    )
    figures = "".join(
        f"<tr><td>{name}</td><td class='typed num'>{shown}</td></tr>"
        for name, shown in (
            ("easting", _figure(unit.from_metres(p.e))),
            ("northing", _figure(unit.from_metres(p.n))),
            ("height", _figure(unit.from_metres(height)) if math.isfinite(height) else "not known"),
        )
    )
    role = "control point: adjusts the block" if p.role == "target" else "check: never adjusted"
    lies = f" on {p.lies_on}" if p.lies_on else ""
    laid = f"{p.face}, {length(p.width, plan.brief.unit, 2)} wide{lies}"
    rows = [("what it is", role), ("laid", laid), ("observed", "; ".join(_observed(plan, p)))]
    rows += [("returns", "a durable mark: leave it, it is wanted again")] if p.returns else []
    rows += [("note", p.note)] if p.note else []
    told = "".join(f"<tr><td>{name}</td><td>{escape(words)}</td></tr>" for name, words in rows)
    witness = "".join(
        f"<tr><td>{escape(name)}</td><td class='figures num'>{length(far, plan.brief.unit, 1)}</td><td class='figures"
        f" num'>{bearing}</td></tr>"
        for name, far, bearing in _witnesses(plan, p)
    )
    shown = [digest for digest in p.pictures if digest in kept]
    pictures = "".join(f'<img src="picture:{digest}">' for digest in shown)
    return (
        '<div class="sheet"><table><tr><td'
        f' class="big">{escape(p.name)}</td><td><table>{figures}</table></td></tr></table><p'
        f' class="quiet">{escape(plan.grid.name)}, {unit.plural}; heights'
        f" {escape(height_name(plan.brief.heights))}</p><table>{told}</table><h2>Where,"
        f" {escape(frame.words)}</h2>{drawing(plan, frame, p.id)}<h2>From there to</h2><table><tr><th></th><th"
        f' class="figures num">distance</th><th class="figures num">grid bearing</th></tr>{witness}</table><div'
        f' class="pictures">{pictures}</div><div class="{"empty low" if shown else "empty"}">found · laid at · pole'
        " height · observed at · photograph number · sketch of what is about</div></div>"
    )


def _figure(value: float) -> str:
    return f"{value:,.3f}".replace(",", "\u202f")


def _observed(plan: Plan, p: ControlPoint) -> list[str]:
    out = []
    for on, some in p.by_source.items():
        what = method_words(plan, on)
        if isinstance(on, OnSetUp | OnService):
            each = (f"{o.epochs} epochs" + (f" {o.after_min:.0f} min later" if o.after_min else "") for o in some)
            what += f", {' and '.join(each)}"
        elif isinstance(on, OnInstrument):
            what += f", {len(some)} round{'s' * (len(some) > 1)}"
        out.append(what)
    return out


def _witnesses(plan: Plan, p: ControlPoint) -> list[tuple[str, float, str]]:
    """The nearest other points, marks and corners of the site, with distance on the grid and bearing."""
    others = [(o.name, o.e, o.n) for o in plan.control if o.id != p.id] + [(m.name, m.e, m.n) for m in plan.marks]
    others += [(f"corner {k} of the site", e, n) for k, (e, n) in enumerate(plan.site.boundary, 1)]
    others += [(f.name, *f.vertices[0]) for f in plan.site.features if len(f.vertices) == 1]
    near = sorted((math.hypot(e - p.e, n - p.n), name, e, n) for name, e, n in others)[:5]
    return [(name, far, format_dms(math.degrees(math.atan2(e - p.e, n - p.n)) % 360, 0)) for far, name, e, n in near]


def stake_out_html(plan: Plan, found: StakeOut) -> str:
    """The list to set out by: bearing, angle from the mark oriented on, distances on the grid and the ground, rise."""
    unit = UNITS[plan.brief.unit]
    rows = "".join(
        f"<tr><td><b>{escape(r.name)}</b></td><td>{r.role}</td><td class='figures num'>{_angle(r.bearing)}</td><td"
        f" class='figures num'>{_angle(r.angle)}</td><td class='figures num'>{unit.from_metres(r.grid_m):.3f}</td><td"
        f" class='figures num'>{unit.from_metres(r.ground_m):.3f}</td><td class='figures"
        f" num'>{_rise(r.rise, unit)}</td></tr>"
        for r in found.rays
    )
    heads = (
        "grid bearing",
        f"angle from {found.on}" if found.on else "angle",
        f"grid, {unit.short}",
        f"ground, {unit.short}",
        f"rise, {unit.short}",
    )
    head = "".join(f'<th class="figures num">{escape(h)}</th>' for h in heads)
    oriented = (
        f", oriented on {escape(found.on)} at {_angle(found.on_bearing)}"
        if found.on
        else ", not oriented on another mark"
    )
    return page(
        f"{plan.brief.title}, stake-out",
        _foot(plan, f"stake-out from {found.station}"),
        f"<h1>Stake-out from {escape(found.station)}</h1>"
        f'<p class="lead">E {_figure(unit.from_metres(found.e))} N'
        f" {_figure(unit.from_metres(found.n))}{oriented}.</p><p>{escape(found.told)}</p>"
        f"<table><tr><th>point</th><th></th>{head}</tr>{rows}</table>"
        f'<p class="quiet">Coordinates in {escape(plan.grid.name)}, {unit.plural}; heights'
        f" {escape(height_name(plan.brief.heights))}. "
        f"Combined factor at the station {found.factor:.7f}; smallest figure {small(0.001, plan.brief.unit)}.</p>",
    )


def stake_out_csv(plan: Plan, found: StakeOut) -> str:
    """The same as a list: angles in decimal degrees, lengths in the job's unit."""
    unit, out = UNITS[plan.brief.unit], io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(
        [
            "point",
            "code",
            "bearing_deg",
            "angle_deg",
            f"grid_{unit.short}",
            f"ground_{unit.short}",
            f"rise_{unit.short}",
        ]
    )
    for r in found.rays:
        angles = ["" if a is None else f"{a:.6f}" for a in (r.bearing, r.angle)]
        rise = "" if r.rise is None else f"{unit.from_metres(r.rise):.4f}"
        writer.writerow(
            [
                safe_cell(r.name),
                r.role,
                *angles,
                f"{unit.from_metres(r.grid_m):.4f}",
                f"{unit.from_metres(r.ground_m):.4f}",
                rise,
            ]
        )
    return out.getvalue()


def _angle(degrees: float | None) -> str:
    return "–" if degrees is None else format_dms(degrees, 0)


def _rise(rise: float | None, unit: Unit) -> str:
    return "–" if rise is None else f"{unit.from_metres(rise):+.3f}"
