"""Photo positions moved by a block shift: before and after in one table. The pictures themselves are left alone."""

import csv
import io
import math

from kardo.core.arrays import Triple
from kardo.core.close.shift import ShiftPreview, in_job_heights
from kardo.core.errors import ReadError
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan
from kardo.formats.coordinates import MAX_BYTES, Reading, read_points
from kardo.formats.lists import safe_cell

Place = tuple[float, float, float | None]
HEAD = ("E before", "N before", "H before", "E", "N", "H")


def one_place(plan: Plan, text: str, heights: str | None) -> Triple:
    """A place in grid metres with its height in the job's system, from E, N, H in the job's unit or latitude, longitude
    and height; heights says what the height is (job, ellipsoidal), which beside latitude and longitude nobody knows
    unless it is said. Raises ReadError for anything else, and where it can be read in more ways than one."""
    reading = _read(plan, text)
    found = reading.points
    if len(found) != 1 or found[0].h is None:
        raise ReadError(
            "This is not one place with a height.",
            where=text[:60],
            mend="Give E, N, H, or latitude, longitude, height.",
        )
    if reading.geographic and heights is None:
        raise ReadError(
            f"Is {found[0].h:g} m an ellipsoidal height, or one of the job's height system?",
            where=text[:60],
            mend="Say --heights ellipsoidal, or --heights job.",
        )
    return in_job_heights(plan, (found[0].e, found[0].n, found[0].h), heights or "job")


def shifted_positions(plan: Plan, text: str, by: Triple) -> tuple[str, int]:
    """A list of photo positions (grid or geographic, heights as given) moved by metres east, north, up: CSV in the
    job's grid and unit, before and after, to a tenth of a millimetre; and how many. Raises ReadError with the line for
    what cannot be read."""
    points = _read(plan, text).points
    return _table(plan, "photo", [(p.name, (p.e, p.n, p.h), by) for p in points]), len(points)


def shifted_points(plan: Plan, shift: ShiftPreview) -> str:
    """Targets and checks before and after a block shift, each moved by as much as it rests on the base that is shifted:
    CSV in the job's grid and unit."""
    at = {p.id: (p, h) for p, h in zip(plan.control, heights_of(plan, plan.control).tolist(), strict=True)}
    rows = [(p.name, (p.e, p.n, h), moved.by) for moved in shift.points for p, h in [at[moved.point]]]
    return _table(plan, "point", rows)


def _table(plan: Plan, first: str, rows: list[tuple[str, Place, Triple]]) -> str:
    """Names, places and what they are moved by: places before and after."""
    unit, out = UNITS[plan.brief.unit], io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([first, *(f"{name}, {unit.short}" for name in HEAD)])
    for name, before, by in rows:
        after = (None if v is None else v + d for v, d in zip(before, by, strict=True))
        cells = ("" if v is None or math.isnan(v) else f"{unit.from_metres(v):.4f}" for v in (*before, *after))
        writer.writerow([safe_cell(name), *cells])
    return out.getvalue()


def _read(plan: Plan, text: str) -> Reading:
    if len(text) > MAX_BYTES:
        raise ReadError(
            f"This list is larger than {MAX_BYTES // 1_000_000} MB.", mend="Give the positions of one flight."
        )
    ring = plan.site.boundary
    near = (sum(p[0] for p in ring) / len(ring), sum(p[1] for p in ring) / len(ring)) if ring else None
    found = read_points(text, plan.grid, plan.brief.unit, near)
    if found.options:
        ways = "; ".join(option.words for option in found.options[:2])
        raise ReadError(
            f"This can be read in several ways: {ways}.", mend="Put a line with the names of the columns over it."
        )
    return found
