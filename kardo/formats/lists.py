"""Lists for the field, as CSV: the control for a controller, and the waypoints of the flights."""

import csv
import io
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kardo.core.errors import ReadError
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan
from kardo.core.practice.local_grid import local_told
from kardo.formats.map.rows import CODES, flown_lines, in_world

SIGNS = tuple("=+-@＝＋－＠")


def point_list_csv(plan: Plan, template: "Template | None" = None) -> str:
    """Columns in the order of a template, usually point, N, E, Z, code; in the job's grid, unit and height system, to a
    tenth of a millimetre. The base's mark comes last."""
    heights = heights_of(plan, plan.control)
    rows = [(p.name, p.n, p.e, float(h), str(p.role)) for p, h in zip(plan.control, heights, strict=True)]
    rows += [(m.name, m.n, m.e, plan.mark_height(m), "mark") for m in plan.marks]
    return _point_rows(plan, rows, template or Template())


def local_list_csv(plan: Plan) -> str:
    """The same in the plan's local grid. Raises PlanError where it has none, GeodesyError where its points do not
    determine it."""
    places = local_told(plan).places
    rows = [(p.name, p.n, p.e, math.nan if p.h is None else p.h, p.role) for p in places]
    return _point_rows(plan, rows, Template())


def _point_rows(plan: Plan, rows: Sequence[tuple[str, float, float, float, str]], template: "Template") -> str:
    unit = UNITS[plan.brief.unit]
    out = io.StringIO()
    writer = csv.writer(out, delimiter=template.separator, lineterminator="\r\n")
    if template.header:
        writer.writerow(template.columns)

    def figure(value: float) -> str:
        return f"{unit.from_metres(value):.4f}".replace(".", template.decimal) if np.isfinite(value) else ""

    for name, n, e, h, role in rows:
        said = {"point": safe_cell(name), "N": figure(n), "E": figure(e), "Z": figure(h), "code": CODES[role]}
        writer.writerow([said[column] for column in template.columns])
    return out.getvalue()


@dataclass(frozen=True)
class Template:
    """How a list for a controller is laid out: its columns in order, what parts them, the sign of decimals, and whether
    a header stands over them."""

    columns: tuple[str, ...] = ("point", "N", "E", "Z", "code")
    separator: str = ","
    decimal: str = "."
    header: bool = True


def template_of(columns: str, separator: str, decimal: str, header: bool) -> Template:
    """A template as it is asked for. Raises ReadError for one that no list could be read back from.

    >>> template_of("P,E,N,Z,C", "semicolon", "comma", False).columns
    ('point', 'E', 'N', 'Z', 'code')
    """
    wanted = tuple(LETTERS.get(letter.strip().casefold(), "") for letter in columns.split(","))
    if "" in wanted or not {"N", "E"} <= set(wanted) or len(set(wanted)) < len(wanted):
        raise ReadError(
            f"“{columns[:40]}” is no order of columns.",
            where="columns",
            mend="Each of P, N, E, Z, C once; N and E at least.",
        )
    if separator not in SEPARATORS or decimal not in DECIMALS:
        raise ReadError("Columns are parted by comma, semicolon, tab or space.", where="separator")
    if SEPARATORS[separator] == DECIMALS[decimal]:
        raise ReadError(
            "A comma cannot part columns and decimals both.", where="decimals", mend="Part columns otherwise."
        )
    return Template(wanted, SEPARATORS[separator], DECIMALS[decimal], header)


LETTERS = {"p": "point", "n": "N", "e": "E", "z": "Z", "c": "code"}
SEPARATORS = {"comma": ",", "semicolon": ";", "tab": "\t", "space": " "}
DECIMALS = {"point": ".", "comma": ","}


def safe_cell(name: str) -> str:
    """A spreadsheet must not take a name for a formula: nothing it would trim away leads, and no sign, full-width ones
    included."""
    bare = name.lstrip(" \t\r\n\u00a0\u3000")
    suspect = bare[:1] in SIGNS or bare != name
    return f"'{name}" if suspect and name else name


def waypoints_csv(plan: Plan) -> str:
    """Waypoints in the order flown: longitude and latitude on WGS 84, heights ellipsoidal, above ground and above the
    take-off place in metres; the job's grid, unit and height system beside them."""
    unit = UNITS[plan.brief.unit]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    own = [f"{axis}_{unit.short}" for axis in "ENH"]
    writer.writerow(
        [
            "flight",
            "sortie",
            "line",
            "waypoint",
            "longitude_deg",
            "latitude_deg",
            "ellipsoidal_m",
            "above_ground_m",
            "above_take_off_m",
            *own,
            "course_deg",
            "tilt_deg",
            "speed_m_per_s",
            "images",
        ]
    )
    for flight, way in flown_lines(plan):
        world = in_world(plan, way.e, way.n, way.h)
        for k, (lon, lat, up) in enumerate(world):
            heights = [f"{v:.2f}" if np.isfinite(v) else "" for v in (way.above_ground[k], way.above_start[k])]
            grid = [f"{unit.from_metres(float(v)):.3f}" for v in (way.e[k], way.n[k], way.h[k])]
            writer.writerow(
                [
                    safe_cell(flight.flight.name),
                    way.sortie[k],
                    way.strip[k],
                    k + 1,
                    f"{lon:.9f}",
                    f"{lat:.9f}",
                    f"{up:.2f}",
                    *heights,
                    *grid,
                    f"{way.course[k]:.2f}",
                    f"{way.tilt[k]:.1f}",
                    f"{flight.flight.speed_m_per_s:g}",
                    "on" if way.taking[k] else "off",
                ]
            )
    return out.getvalue()
