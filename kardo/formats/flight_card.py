"""A flight on one page: a picture of its lines, and every figure that is typed."""

import math
from html import escape
from importlib.metadata import version
from typing import Literal

import numpy as np

from kardo.core.arrays import Ints
from kardo.core.errors import ReadError
from kardo.core.flight.air.clearance import of_lines, of_ways
from kardo.core.flight.lines.pattern import FlightPlan, all_flown
from kardo.core.flight.lines.sensor import ImageSensor, ScanSensor
from kardo.core.flight.lines.swath import gate, sequence_words, used_angle
from kardo.core.flight.lines.wind import wind_of
from kardo.core.geodesy.angles import format_dms
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.units import UNITS, length, small, speed
from kardo.core.gnss.settings_card import settings_card
from kardo.core.plan.flights import ParallelLines
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnService, OnSetUp
from kardo.formats.documents import page
from kardo.formats.plan_drawing import COOL, INK, WARN, Frame, arrow_to, drawing, filled_about, near_to, sign_of

WIDE, HIGHEST = 174.0, 60.0  # millimetres, of the drawing
CAUTIONS = (
    "The airspace is looked up again today; registration, licence and leave are at hand. The aircraft stays in sight,"
    " and nobody below it. Home point recorded, return height set, action on a lost link set, pad level and clear,"
    " propellers on last. Kardo reminds; it does not authorise."
)


def flight_card_html(plan: Plan, chosen: str = "") -> str:
    """A page for each flight, or for one. Raises ReadError where there is none, PlanError where it cannot be laid
    out."""
    flights = [f for f in all_flown(plan) if not chosen or f.flight.id == chosen]
    if not flights:
        raise ReadError("There is no such flight.", where="Flight", mend="Add one.")
    style = (
        "<style>.card { page-break-after: always } .card:last-child { page-break-after: auto } .typed { font: 10pt"
        " 'Kardo Figures'; white-space: nowrap } .card { font-size: 9pt } .card h2 { margin: 2mm 0 0.7mm } .card p {"
        " margin: 0.7mm 0 } .two { width: 100% } .two > tbody > tr > td { width: 50%; border: 0; padding-right: 5mm }"
        " .card td { padding: 0.45mm 2mm 0.45mm 0 }</style>"
    )
    foot = f"{plan.brief.title} · flight card · plan {plan.revision[:12]} · Kardo {version('kardo')}"
    body = "".join(_card(plan, f) for f in flights)
    return page(f"{plan.brief.title}, flight card", foot, style + body)


def _card(plan: Plan, f: FlightPlan) -> str:
    places = [*plan.site.boundary, *zip(f.e.tolist(), f.n.tolist(), strict=True)]
    shown = near_to(places, list(f.take_offs))
    frame = filled_about(shown, WIDE, HIGHEST, plan.brief.unit)
    typed, known = _typed(plan, f), _known(plan, f)
    min(typed, known, key=len).extend(_corrections(plan, f))  # where there is room
    scale = f"1:{frame.scale:,.0f}".replace(",", "\u202f")
    return (
        f'<div class="card"><h1>{escape(f.flight.name)} <span class="quiet" style="font-size:'
        f' 11pt">{escape(plan.brief.title)}</span></h1>'
        f"{drawing(plan, frame, over=_lines(f, frame))}"
        f'<p class="quiet">{scale}, {escape(plan.grid.name)}. <svg width="4mm" height="4mm" viewBox="-2.2 -2.2 4.4'
        f' 4.4">{sign_of("pad")}</svg> take-off &nbsp; → first line &nbsp; whole and dashed: sorties in turn</p>'
        "<table"
        f' class="two"><tr><td><h2>Type</h2>{_table(typed)}</td><td><h2>Know</h2>{_table(known)}</td></tr></table>'
        f"<h2>Sorties</h2>{_sequence(f)}{_sorties(plan, f)}<p class='quiet'>{CAUTIONS}</p></div>"
    )


def _lines(f: FlightPlan, frame: Frame) -> str:
    """The flight lines as they are flown, sorties told apart by colour and dash, the take-off place and an arrow on the
    first line."""
    out = []
    for strip in f.strips:
        (x0, y0), (x1, y1) = frame.at(*strip.start), frame.at(*strip.end)
        colour, dash = (COOL, "") if strip.sortie % 2 == 0 else (WARN, ' stroke-dasharray="2 0.8"')
        out.append(
            f'<line x1="{x0:.2f}" y1="{y0:.2f}" x2="{x1:.2f}" y2="{y1:.2f}" stroke="{colour}"'
            f' stroke-width="0.35"{dash}/>'
        )
    (x0, y0), (x1, y1) = frame.at(*f.strips[0].start), frame.at(*f.strips[0].end)
    turn = math.degrees(math.atan2(y1 - y0, x1 - x0))
    out.append(f'<path d="M4 0L0 -1.6V1.6z" fill="{INK}" transform="translate({x0:.2f} {y0:.2f}) rotate({turn:.1f})"/>')
    for place, sorties in f.take_offs.items():
        x, y = frame.at(*place)
        name = "take-off" if len(f.take_offs) == 1 else f"take-off, {sortie_words(sorties)}"
        if not frame.holds(x, y):
            out.append(arrow_to(frame, name, *place))
            continue
        out.append(f'<g transform="translate({x:.2f} {y:.2f})">{sign_of("pad")}</g>')
        if len(f.take_offs) > 1:
            out.append(
                f'<text x="{x + 2:.2f}" y="{y + 1:.2f}" font-size="2.6" fill="{INK}">{sortie_words(sorties)}</text>'
            )
    return "".join(out)


def sortie_words(sorties: Ints) -> str:
    """Which sorties, counted from 1, of those counted from 0 (k,).

    >>> sortie_words(np.array([0, 1, 2])), sortie_words(np.array([4]))
    ('sorties 1 – 3', 'sortie 5')
    """
    first, last = int(sorties[0]) + 1, int(sorties[-1]) + 1
    return f"sortie {first}" if first == last else f"sorties {first} – {last}"


def _table(rows: list[tuple[str, str]]) -> str:
    cells = (f'<tr><td>{name}</td><td class="typed num">{escape(words)}</td></tr>' for name, words in rows)
    return f"<table>{''.join(cells)}</table>"


def _typed(plan: Plan, f: FlightPlan) -> list[tuple[str, str]]:
    """What goes into the flight program, in its units and in feet or metres beside."""
    own, unit, pattern = f.flight, plan.brief.unit, f.flight.pattern
    rows = [
        ("height above ground", length(own.height_m, unit, 1)),
        ("follows the terrain", "yes" if own.terrain_following else "no"),
        *_overlap(f.sensor, pattern.side_overlap),
        ("course of the lines, grid", f"{f.main_course % 180:.1f}° / {(f.main_course + 180) % 360:.1f}°"),
        ("speed", speed(own.speed_m_per_s, unit)),
        ("lines apart", length(f.spacing, unit, 1)),
        *_of_sensor(f.sensor, f, unit),
        ("return height, over take-off", length(f.flight.homeward, unit)),
    ]
    wind = wind_of(own)
    told = f"{own.wind_from_deg:.0f}°, {speed(round(wind.speed, 1), unit)}" if wind.speed else "no wind"
    rows.append(("planned in wind from, grid", told))
    if isinstance(pattern, ParallelLines) and pattern.cross_lines:
        rows.append(("cross lines", f"{pattern.cross_lines}, at {length(f.cross_height or 0.0, unit, 1)}"))
    if isinstance(pattern, ParallelLines) and pattern.oblique_lines:
        rows.append(("oblique lines", f"{pattern.oblique_lines}, camera {pattern.oblique_tilt_deg:g}°"))
    return rows


def _overlap(sensor: ImageSensor | ScanSensor, side: float) -> list[tuple[str, str]]:
    if isinstance(sensor, ScanSensor):
        return [("overlap, side", f"{side:g} %")]
    return [("overlap, forward / side", f"{sensor.use.forward_overlap:g} / {side:g} %")]


def _both(metres: float, unit: str) -> list[tuple[str, str]]:
    """A distance to type into a program that knows metres or feet alone: first in the job's unit."""
    words = [f"{metres:.2f} m", f"{metres / 0.3048:.2f} ft"]
    first, second = words if unit == "m" else words[::-1]
    return [("image every", first), ("which is", second)]


def _of_sensor(sensor: ImageSensor | ScanSensor, f: FlightPlan, unit: str) -> list[tuple[str, str]]:
    """What is typed for the sensor alone."""
    if isinstance(sensor, ScanSensor):
        return [
            ("angle used", f"{math.degrees(used_angle(sensor.scanner, sensor.use)):.0f}°"),
            ("returns up to", length(gate(sensor.scanner, sensor.use), unit)),
            ("pulses a second", f"{sensor.scanner.pulses_per_s:,.0f}".replace(",", "\u202f")),
            ("lines a second", f"{sensor.scanner.lines_per_s:g}"),
        ]
    return [
        *(
            [("image every", f"{math.floor(100 * f.trigger_interval) / 100:.2f} s")]
            if sensor.use.trigger_by == "time"
            else [*_both(f.trigger_distance, unit), ("or, by time, every", f"{f.trigger_interval:.1f} s")]
        ),
        ("exposure at most", f"1/{1 / sensor.use.exposure_s:.0f} s"),
        ("camera off the plumb line", f"{sensor.use.tilt_deg:g}°"),
    ]


def _sequence(f: FlightPlan) -> str:
    """What the inertial unit wants on each sortie, and the seconds of data that are then trimmed."""
    before, after = (60 * minutes for minutes in f.sequence_minutes)
    if not before:
        return ""
    last, trimmed = (" and after the last", f" and the last {after:.0f} s") if after else ("", "")
    return (
        f"<p>Each sortie, before the first line{last}: {escape(sequence_words(f.scanner))}. Trim the first {before:.0f}"
        f" s{trimmed} of its data.</p>"
    )


def _on_ground(sensor: ImageSensor | ScanSensor, f: FlightPlan, unit: str) -> list[tuple[str, str]]:
    """What one sees of the ground."""
    if isinstance(sensor, ScanSensor):
        return [("pulses on a m², one pass", f"{1 / f.gsd**2:.0f}"), ("lines", str(len(f.strips)))]
    return [
        ("pixel on the ground", small(f.gsd, unit)),
        ("blur", f"{f.blur_px:.2f} pixels"),
        ("images / lines", f"{len(f.e)} / {len(f.strips)}"),
    ]


def _known(plan: Plan, f: FlightPlan) -> list[tuple[str, str]]:
    own, unit = f.flight, plan.brief.unit
    per = UNITS[unit]
    rows = [
        *(row for place, sorties in f.take_offs.items() for row in _known_place(plan, f, place, sorties)),
        *_on_ground(f.sensor, f, unit),
        ("in the air", f"{f.minutes:.0f} min"),
        ("lands with", f"{min(sortie.battery_left for sortie in f.sorties):.0f} % or more"),
        (
            "corrections",
            {"live": "live", "post_processed": "post-processed", "both": "live, and raw logged", "none": "none"}[
                own.corrections
            ],
        ),
    ]
    for what, found in (("clear of the ground", of_lines(plan, f)), ("clear on the way home", of_ways(plan, f))):
        if found is not None:
            rows.append((what, f"{length(found.least, unit)}{f' over {found.over}' if found.over else ''}"))
    if np.isfinite(f.h).all():
        shown = " to ".join(f"{per.from_metres(float(v)):.1f}" for v in (f.h.min(), f.h.max()))
        rows.append((f"{f.sensor.what} at, {escape(height_name(plan.brief.heights))}", shown))
    return rows


def _known_place(plan: Plan, f: FlightPlan, place: tuple[float, float], sorties: Ints) -> list[tuple[str, str]]:
    """A take-off place, with its sorties where there are several."""
    lon, lat = (float(v) for v in plan.grid.to_world(*place))
    per, (e, n) = UNITS[plan.brief.unit], place
    of = "" if len(f.take_offs) == 1 else f" {sortie_words(sorties)}"
    return [
        (f"take-off{of}, E", f"{per.from_metres(e):.1f}"),
        (f"take-off{of}, N", f"{per.from_metres(n):.1f}"),
        ("latitude", format_dms(lat, 1)),
        ("longitude", format_dms(lon, 1)),
    ]


def _corrections(plan: Plan, f: FlightPlan) -> list[tuple[str, str]]:
    """What corrections come from, and what is typed for them as far as it is known; a password is printed on
    nothing."""
    on = f.flight.positioned_from
    kind: Literal["setups", "correction_services"]
    if isinstance(on, OnSetUp) and (setup := plan.setup(on.setup)) is not None:
        rows = [("from the base", f"{setup.name}{f' on {mark.name}' if (mark := plan.mark(setup.mark)) else ''}")]
        kind, key, known = "setups", on.setup, setup.link is not None
    elif isinstance(on, OnService) and (network := plan.service(on.service)) is not None:
        rows = [("from the service", network.name)]
        kind, key, known = "correction_services", on.service, network.settings is not None
    else:
        return []
    if not known or f.flight.corrections not in ("live", "both"):
        return rows
    card = settings_card(plan, kind, key)
    return [*rows, ("comes", card.carried), *((box.name, box.typed) for box in card.boxes if box.typed)]


def _place(plan: Plan, at: tuple[float, float]) -> str:
    unit = UNITS[plan.brief.unit]
    return f"{unit.from_metres(at[0]):.0f} {unit.from_metres(at[1]):.0f}"


def _sorties(plan: Plan, f: FlightPlan) -> str:
    rows = "".join(
        f"<tr><td class='figures'>{k}</td><td class='figures'>{sortie.first_strip + 1} – {sortie.last_strip + 1}</td>"
        f"<td class='figures'>{_place(plan, f.strips[sortie.first_strip].start)}</td><td"
        f" class='figures'>{_place(plan, f.strips[sortie.last_strip].end)}</td><td class='figures"
        f" num'>{f.sensor.images(int(np.count_nonzero(f.sortie == k - 1))) or '–'}</td><td class='figures"
        f" num'>{sortie.minutes:.1f}</td><td class='figures num'>{sortie.battery_left:.0f}"
        " %</td><td></td><td></td><td></td></tr>"
        for k, sortie in enumerate(f.sorties, 1)
    )
    heads = (
        "sortie",
        "lines",
        f"begins at E N, {UNITS[plan.brief.unit].short}",
        "ends at E N",
        "images",
        "minutes",
        "battery left",
        "battery used",
        "took off",
        "landed",
    )
    head = "".join(f"<th{' class=num' if h in {'images', 'minutes', 'battery left'} else ''}>{h}</th>" for h in heads)
    return f"<table><tr>{head}</tr>{rows}</table>"
