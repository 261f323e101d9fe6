"""The areas of a plan as polygons in grid metres."""

import math
from functools import lru_cache

from shapely import LineString, MultiPolygon, Polygon, is_valid_reason, unary_union
from shapely.geometry.base import BaseGeometry

from kardo.core.errors import KardoError, PlanError
from kardo.core.geodesy.crs import Grid
from kardo.core.kept import kept
from kardo.core.parts import Ring
from kardo.core.plan.flights import CorridorLines, Flight, WallLines
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Area
from kardo.core.terrain.surface import AnySurface


def site_polygon(plan: Plan) -> Polygon:
    """The boundary as a polygon. Raises PlanError where there is none or it crosses itself."""
    if len(plan.site.boundary) < 3:
        raise PlanError(
            "There is no boundary.", where="Site", mend="Import one, paste its corners, or draw it on the sheet."
        )
    return _polygon(plan.site.boundary, "The boundary")


def area_polygon(area: Area) -> Polygon:
    """An area as a polygon. Raises PlanError where it crosses itself."""
    return _polygon(area.ring, f"The area {area.name}")


def flight_polygon(plan: Plan, flight: Flight) -> Polygon | MultiPolygon:
    """What a flight covers: its areas, or the whole site; of a corridor its width about the line. Raises PlanError as
    these do."""
    pattern = flight.pattern
    if isinstance(pattern, CorridorLines) and len(pattern.line) > 1:
        return _along(pattern.line, pattern.width_m / 2)
    if isinstance(pattern, WallLines) and len(pattern.line) > 1:
        return _along(pattern.line, pattern.stand_off_m)
    areas = [area_polygon(a) for a in plan.site.areas if a.id in pattern.areas]
    return unary_union(areas) if areas else site_polygon(plan)


@lru_cache(maxsize=64)
def _along(line: Ring, half: float) -> Polygon | MultiPolygon:
    return LineString(line).buffer(half, cap_style="flat", join_style="mitre")


def require_fit(plan: Plan) -> None:
    """Raises GeodesyError where the plan's grid is none, or does not fit its site; nothing is asked before there is a
    grid."""
    if plan.brief.crs and len(plan.site.boundary) >= 3:
        middle = site_polygon(plan).representative_point()
        plan.grid.require_fit(middle.x, middle.y)


@kept(64, by=lambda plan: (plan.site.boundary, plan.site.ground, plan.brief.system))
def ground_scale(plan: Plan) -> float:
    """Grid metres a metre on the ground, in the middle of the site at the ground's height; 1 before either is known."""
    try:
        return scale_over(plan.grid, plan.surface, site_polygon(plan))
    except KardoError:
        return 1.0


def scale_over(grid: Grid, surface: AnySurface | None, shape: BaseGeometry) -> float:
    """Grid metres a metre on the ground, in the middle of a shape in grid metres at the ground's height, where that is
    known. The one scale by which areas, lengths and widths are told. Raises GeodesyError where the grid or its heights
    cannot tell."""
    middle = shape.representative_point()
    h = float(surface.at(middle.x, middle.y)) if surface is not None else 0.0
    return grid.combined_factor(middle.x, middle.y, 0.0 if math.isnan(h) else h)


def crossing(polygon: Polygon) -> tuple[float, float] | None:
    """Where the outline of a polygon that is not valid crosses or touches itself, in its own coordinates; None where
    nothing tells."""
    e, *n = is_valid_reason(polygon).partition("[")[2].rstrip("]").split() or ["", ""]
    return (float(e), float(n[0])) if e else None


@lru_cache(maxsize=256)
def _polygon(ring: Ring, what: str) -> Polygon:
    polygon = Polygon(ring)
    if not polygon.is_valid or polygon.area <= 0:
        raise PlanError(
            f"{what} crosses itself or has no extent.",
            where="Site",
            mend="Move the vertices so that its sides do not cross.",
            spot=crossing(polygon),
            outline=tuple(ring),
        )
    return polygon


def round_start(plan: Plan) -> tuple[float, float]:
    """Where the vehicle stands and rounds begin: the first base's mark, or the middle of the site."""
    mark = next((plan.mark(s.mark) for s in plan.setups if s.mark), None)
    if mark is not None:
        return mark.e, mark.n
    middle = site_polygon(plan).representative_point()
    return middle.x, middle.y
