"""Files read into a job's grid, nothing saved: boundary, points, terrain; and a terrain drawn."""

from dataclasses import dataclass
from typing import Literal
from uuid import UUID

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile
from pydantic import TypeAdapter

from kardo.core.arrays import Json
from kardo.core.control.met import met_by
from kardo.core.geodesy.units import UnitId
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Terrain, terrain_of
from kardo.core.terrain.drawing import contours, shading_png
from kardo.core.terrain.surface import Surface
from kardo.formats import boundary, raster
from kardo.formats.coordinates import Option
from kardo.formats.map.things import MAX_BYTES
from kardo.formats.points import read_any_points
from kardo.formats.raster import TerrainChoices
from kardo.server.access import job_of
from kardo.server.made_once import made_now
from kardo.server.plans.stored import keep_terrain, stored_plan, whole_plan
from kardo.server.uploads import upload_of, uploads_of

router = Router(tags=["plan"])
MARGIN = 400.0  # metres of terrain kept about the boundary


class BoundaryOut(Schema):
    ring: list[tuple[float, float]]
    how: list[str]
    area: float
    options: list[Option]
    approximate: str
    axis: list[tuple[float, float]]
    width: float


@router.post("/{job_id}/read/boundary", response=BoundaryOut)
def read_boundary(
    request: HttpRequest,
    job_id: UUID,
    text: Form[str] = "",
    file: File[UploadedFile | None] = None,
    beside: File[list[UploadedFile] | None] = None,
    chosen: Form[str] = "",
) -> BoundaryOut:
    """How a boundary file or pasted list is understood; where there are options, by the one that is chosen. Nothing is
    saved."""
    plan = whole_plan(job_of(request, job_id))
    data, name = uploads_of(file, beside, boundary.MAX_BYTES) if file else (text.encode(), "")
    found = boundary.read_boundary(data, name, plan.grid, plan.brief.unit, near_site(plan), chosen, plan.surface)
    return BoundaryOut(
        ring=list(found.ring),
        how=list(found.how),
        area=found.area,
        options=list(found.options),
        approximate=found.approximate,
        axis=list(found.axis),
        width=found.width,
    )


def near_site(plan: Plan) -> tuple[float, float] | None:
    """The middle of the site in grid metres, by its boundary or its terrain; None before either is there."""
    terrain = plan.site.ground.terrain
    if len(plan.site.boundary) >= 3:
        e, n = np.mean(plan.site.boundary, axis=0)
        return float(e), float(n)
    if terrain is None:
        return None
    return terrain.e0 + terrain.step * terrain.cols / 2, terrain.n0 + terrain.step * terrain.rows / 2


@dataclass(frozen=True)
class PointOut:
    """A point as read, grid metres, with what stands in its way: another of its place in the plan (an id) or before it
    in the list (a number), or another of its name in the plan; and whether it lies about the site."""

    name: str
    e: float
    n: float
    h: float | None
    code: str
    same: str
    twice: int | None
    named: str
    about: bool


@dataclass(frozen=True)
class PointsOut:
    """A list or a file of points, how it was read, and what has to be chosen or accepted first."""

    points: list[PointOut]
    how: list[str]
    options: list[Option]
    approximate: str


POINTS = TypeAdapter(PointsOut)


@router.post("/{job_id}/read/points", response=PointsOut)
def read_points(
    request: HttpRequest,
    job_id: UUID,
    text: Form[str] = "",
    file: File[UploadedFile | None] = None,
    beside: File[list[UploadedFile] | None] = None,
    chosen: Form[str] = "",
) -> HttpResponse:
    """How a list or a file of points is understood; where several ways fit, by the one that is chosen. Nothing is
    saved."""
    plan = stored_plan(job_of(request, job_id))
    data, name = uploads_of(file, beside, MAX_BYTES) if file else (text.encode(), "")
    found = read_any_points(data, name, plan.grid, plan.brief.unit, near_site(plan), chosen)
    met = met_by(plan, [(p.name, p.e, p.n) for p in found.points])
    points = [
        PointOut(
            name=p.name, e=p.e, n=p.n, h=p.h, code=p.code, same=m.same, twice=m.twice, named=m.named, about=m.about
        )
        for p, m in zip(found.points, met, strict=True)
    ]
    return made_now(POINTS, PointsOut(points, list(found.how), list(found.options), found.approximate))


class TerrainOut(Schema):
    value: Terrain
    how: list[str]


@router.post("/{job_id}/read/terrain", response=TerrainOut)
def read_terrain(
    request: HttpRequest,
    job_id: UUID,
    file: File[UploadedFile],
    heights: Form[str] = "",
    unit: Form[Literal[""] | UnitId] = "",
    zeros: Form[Literal["", "gaps", "heights"]] = "",
    approximate: Form[Literal["", "accept"]] = "",
) -> TerrainOut:
    """Read a GeoTIFF into the job's grid and heights; the answer's value is what an edit of `site/ground/terrain`
    takes. What the file leaves open, its unit or what 0 means, and a transformation that is approximate, is refused
    until the form says it."""
    job = job_of(request, job_id)
    plan = stored_plan(job)
    data, name = upload_of(file, raster.MAX_BYTES)
    found = raster.read_terrain(
        data, plan.grid, TerrainChoices(heights or plan.brief.heights, unit, zeros, approximate), around_site(plan)
    )
    return TerrainOut(value=keep_terrain(job, terrain_of(found.surface, name)), how=list(found.how))


def around_site(plan: Plan) -> tuple[float, float, float, float] | None:
    """West, south, east, north of the site with a margin, grid metres; None before there is one."""
    if len(plan.site.boundary) < 3:
        return None
    e, n = np.array(plan.site.boundary).T
    return float(e.min() - MARGIN), float(n.min() - MARGIN), float(e.max() + MARGIN), float(n.max() + MARGIN)


class ContourLine(Schema):
    height: float
    index: bool
    line: list[tuple[float, float]]


class TerrainDrawing(Schema):
    extent: tuple[float, float, float, float]
    shading: str
    interval: float
    lines: list[ContourLine]


@router.get("/{job_id}/terrain/{digest}", response=TerrainDrawing)
def draw_terrain(request: HttpRequest, response: HttpResponse, job_id: UUID, digest: str) -> Json:
    """Contours and shading of a terrain of this job, for the sheet. Never changes: the digest names the heights."""
    grid = job_of(request, job_id).terrains.filter(digest=digest).first()
    if grid is None:
        raise Http404("no such terrain")
    t = grid.value
    surface = Surface.unpack(t["e0"], t["n0"], t["step"], t["rows"], t["cols"], t["heights"])
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return {"extent": surface.extent, "shading": shading_png(surface), **contours(surface)}
