"""What lies on an area whose volume matters, and what a tolerance is of it: a mean height, cubic metres, or per cent of
the heap.

The terrain as it is now tells how much lies there: the mean height between it and a plane through the area's edge,
fitted by least squares, times the area. It is a size to judge by, not a survey: the heap of the day of the flight is
another."""

import math
from dataclasses import dataclass

import numpy as np
from shapely import LinearRing, contains_xy

from kardo.core.accuracy.figures.standards import held_to
from kardo.core.arrays import Floats
from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import area_polygon, ground_scale
from kardo.core.geodesy.units import small
from kardo.core.kept import kept
from kardo.core.plan.edits import Edit, field_edits
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Area

ACROSS, ALONG_EDGE = 60, 200  # places over an area each way, and along its edge
LEAST = 0.02  # metres of mean height, below which an area has no content worth a percentage


@dataclass(frozen=True)
class AllowedVolume:
    """What the tolerance of the mean height is on an area: m2 on the ground, m3 that lie there by the terrain (None
    where nothing is known of it), and m3 and per cent of those that are allowed, at the level of the tolerance."""

    id: str
    area: float
    content: float | None
    m3: float
    percent: float | None


@kept(128, by=lambda plan, area: (area.ring, plan.site.boundary, plan.site.ground, plan.brief.system))
def content(plan: Plan, area: Area) -> float | None:
    """Cubic metres that lie on an area above or below the plane through its edge; None where the terrain does not know
    it, or nothing lies there."""
    if plan.surface is None:
        return None
    polygon = area_polygon(area)
    west, south, east, north = polygon.bounds
    middles = (np.arange(ACROSS) + 0.5) / ACROSS
    e, n = (x.ravel() for x in np.meshgrid(west + middles * (east - west), south + middles * (north - south)))
    inside = contains_xy(polygon, e, n)
    e, n = e[inside], n[inside]
    ring = LinearRing(area.ring)
    edge = np.array([ring.interpolate(k / ALONG_EDGE, normalized=True).coords[0] for k in range(ALONG_EDGE)])
    about = edge.mean(axis=0)
    known, height = plan.surface.at(e, n), plan.surface.at(*edge.T)
    if not len(e) or np.isnan(known).any() or np.isnan(height).any():
        return None
    base, *_ = np.linalg.lstsq(_plane(*(edge - about).T), height, rcond=None)
    mean = abs(float((known - _plane(e - about[0], n - about[1]) @ base).mean()))
    return mean * polygon.area / ground_scale(plan) ** 2 if mean >= LEAST else None


def _plane(e: Floats, n: Floats) -> Floats:
    return np.stack([np.ones(len(e)), e, n], axis=1)


def allowed_volumes(plan: Plan) -> list[AllowedVolume]:
    """What the tolerance of the mean height is on each area; nothing where the standard judges something else."""
    if plan.brief.standard != "volume":
        return []
    allowed, out = held_to(plan.brief)[1], []
    for area in plan.site.areas:
        extent, lies = area_polygon(area).area / ground_scale(plan) ** 2, content(plan, area)
        m3 = allowed * extent
        out.append(
            AllowedVolume(id=area.id, area=extent, content=lies, m3=m3, percent=100 * m3 / lies if lies else None)
        )
    return out


def tolerance_by_volume(plan: Plan, key: str, m3: float | None = None, percent: float | None = None) -> list[Edit]:
    """The edits by which so many m3, or so many per cent of what lies there, are allowed on an area: they set the
    tolerance of the mean height. Raises PlanError."""
    one = next((v for v in allowed_volumes(plan) if v.id == key), None)
    if one is None:
        raise PlanError(
            "There is no such area to allow a volume on.",
            where="Brief",
            mend="Choose the volume standard, and draw the area in Site (A).",
        )
    if m3 is None:
        if percent is None or one.content is None:
            raise PlanError(
                "How much lies there is not known, so a percentage of it means nothing.",
                where="Brief",
                mend="Give the tolerance in cubic units or as a mean height, or bring in terrain that shows the heap.",
            )
        m3 = one.content * percent / 100
    wanted = round(m3 / one.area, 5)
    if not (math.isfinite(wanted) and wanted > 0):
        raise PlanError(
            "A tolerance is more than nothing.",
            where="Brief",
            mend=f"Now it is {small(held_to(plan.brief)[1], plan.brief.unit)} of mean height.",
        )
    return list(field_edits("brief", plan.brief, tolerance_v=wanted))
