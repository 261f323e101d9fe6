"""Setting out by bearing and distance: from a mark, with another to orient on, to each point of control."""

import math
from dataclasses import dataclass
from functools import cache

from kardo.core.errors import PlanError
from kardo.core.geodesy.units import length
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan

CELL = 200.0  # metres, and a twentieth up, over which the combined factor changes by less than a part in a million
NEAR = 1.0  # metres below which a bearing says nothing


@dataclass(frozen=True)
class Ray:
    """A point to be set out: grid bearing in degrees clockwise from grid north, None where it is the station itself;
    the angle clockwise from the mark that is oriented on, None without one; metres on the grid and on the ground; how
    much higher, None where a height is not known."""

    id: str
    name: str
    role: str
    bearing: float | None
    angle: float | None
    grid_m: float
    ground_m: float
    rise: float | None


@dataclass(frozen=True)
class StakeOut:
    """From a station, its height in metres or None, oriented on another mark or on none; the combined factor there; and
    what has to be said."""

    station: str
    e: float
    n: float
    h: float | None
    on: str
    on_bearing: float | None
    factor: float
    rays: list[Ray]
    told: str


def stake_out(plan: Plan, station: str, on: str = "") -> StakeOut:
    """Rays from a mark to all control, in the plan's order. station and on: ids of marks. The distance on the ground is
    the grid's by the combined factor half way: Ghilani and Wolf, Elementary Surveying, on reduction to the grid. Raises
    PlanError for a mark that is not there."""
    mark, back = plan.mark(station), plan.mark(on) if on else None
    if mark is None or (on and back is None):
        raise PlanError(
            "There is no such mark.", where="Control, files", mend="Choose one of the plan's marks to stand on."
        )
    h = _known(plan.mark_height(mark))
    backsight = _bearing(back.e - mark.e, back.n - mark.n) if back else None
    rays = []

    @cache
    def of_cell(e: int, n: int, up: int) -> float:
        return plan.grid.combined_factor(e * CELL, n * CELL, up * CELL / 20)

    def factor_near(e: float, n: float, up: float) -> float:
        return of_cell(round(e / CELL), round(n / CELL), round(20 * up / CELL))

    heights = heights_of(plan, plan.control)
    for point, height in zip(plan.control, heights.tolist(), strict=True):
        de, dn = point.e - mark.e, point.n - mark.n
        far, bearing = math.hypot(de, dn), _bearing(de, dn)
        middle = mark.e + de / 2, mark.n + dn / 2
        own = _known(height)
        factor = factor_near(*middle, ((own or h or 0.0) + (h or own or 0.0)) / 2)
        angle = None if bearing is None or backsight is None else (bearing - backsight) % 360
        rise = None if own is None or h is None else own - h
        rays.append(
            Ray(
                id=point.id,
                name=point.name,
                role=point.role,
                bearing=bearing,
                angle=angle,
                grid_m=far,
                ground_m=far / factor,
                rise=rise,
            )
        )
    factor = plan.grid.combined_factor(mark.e, mark.n, h or 0.0)
    return StakeOut(
        station=mark.name,
        e=mark.e,
        n=mark.n,
        h=h,
        on=back.name if back else "",
        on_bearing=backsight,
        factor=factor,
        rays=rays,
        told=_told(plan, rays, factor),
    )


def _known(height: float) -> float | None:
    return height if math.isfinite(height) else None


def _bearing(de: float, dn: float) -> float | None:
    """Degrees clockwise from grid north; None over no distance.

    >>> _bearing(-1.0, -1.0)
    225.0
    """
    return math.degrees(math.atan2(de, dn)) % 360 if math.hypot(de, dn) > NEAR else None


def _told(plan: Plan, rays: list[Ray], factor: float) -> str:
    unit = plan.brief.unit
    farthest = max((r.ground_m for r in rays), default=0.0)
    off = abs(factor - 1) * farthest
    words = (
        f"Bearings are of the grid. A line on the ground is {'shorter' if factor > 1 else 'longer'} than on the grid by"
        f" {abs(factor - 1) * 1e6:.0f} ppm"
    )
    return f"{words}: {length(off, unit, 3)} over the farthest, {length(farthest, unit)}."
