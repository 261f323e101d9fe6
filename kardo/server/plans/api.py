"""The plan of a job: read, edit, undo; bring boundary, terrain and points in; take files out."""

import base64
import io
from datetime import datetime
from typing import Any, Literal
from uuid import UUID

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse
from ninja import File, Form, Header, Router, Schema
from ninja.files import UploadedFile
from PIL import Image

from kardo.core.accuracy.planned import missing
from kardo.core.accuracy.prediction import ENGINE
from kardo.core.errors import PlanError, ReadError
from kardo.core.plan.model import Area, Base, Brief, ControlPoint, Flight, Mark, Plan, Site, terrain_of
from kardo.core.plan.shapes import AdviceShape, LiveShape, PredictionShape, Summary, Underway
from kardo.core.plan.summary import summary
from kardo.core.terrain.drawing import contours, shading
from kardo.core.terrain.surface import Surface
from kardo.formats import boundary, coordinates, exports, raster
from kardo.server.access import job_of
from kardo.server.jobs.models import Job
from kardo.server.plans import editing
from kardo.server.plans.models import Edit
from kardo.server.predictions import live
from kardo.server.predictions.models import Prediction
from kardo.server.predictions.tasks import request_prediction, stop
from kardo.server.predictions.views import prediction_json, underway_json

router = Router(tags=["plan"])
MARGIN = 400.0  # metres of terrain kept about the boundary


class PlanOutline(Schema):
    """The plan without the terrain's heights."""

    format: str
    version: int
    brief: Brief
    site: Site
    terrain: editing.TerrainRow | None
    flight: Flight
    marks: list[Mark]
    base: Base
    control: list[ControlPoint]
    areas: list[Area]
    assumptions: dict[str, float]


class PlanOut(Schema):
    id: UUID
    revision: int
    hash: str
    saved_at: datetime
    saved_by: str
    can_undo: bool
    can_redo: bool
    plan: PlanOutline


class Change(Schema):
    object: str
    value: dict[str, Any] | None = None


class Edits(Schema):
    changes: list[Change]


def _answer(request: HttpRequest, response: HttpResponse, job: Job) -> PlanOut:
    response["ETag"] = f'"{job.revision}"'
    own = job.edits.filter(author=request.user)
    return PlanOut(
        id=job.id,
        revision=job.revision,
        hash=job.plan_hash,
        saved_at=job.saved_at,
        saved_by=str(job.saved_by or ""),
        can_undo=own.filter(state=Edit.State.DONE).exists(),
        can_redo=own.filter(state=Edit.State.UNDONE).exists(),
        plan=editing.outline(job),
    )


def _recompute(job: Job) -> None:
    """Every edit asks for the prediction of what it made, unless the plan still lacks something."""
    plan = editing.assemble(job)
    if not missing(plan):
        request_prediction(job, plan)


def _revision(if_match: str | None) -> int:
    try:
        return int((if_match or "").strip().strip('"'))
    except ValueError:
        raise PlanError(
            "The edit does not say which revision it is based on.",
            where="If-Match",
            mend="Send the ETag of the plan it was made on.",
        ) from None


@router.get("/{job_id}/plan", response=PlanOut)
def show_plan(request: HttpRequest, response: HttpResponse, job_id: UUID):
    return _answer(request, response, job_of(request, job_id))


@router.patch("/{job_id}/plan", response=PlanOut)
def edit_plan(
    request: HttpRequest, response: HttpResponse, job_id: UUID, body: Edits, if_match: Header[str | None] = None
):
    """Change objects of the plan as one step. 412 when one of them changed since the revision in If-Match."""
    job = job_of(request, job_id)
    changed = editing.apply(job.pk, _revision(if_match), [c.dict() for c in body.changes], request.user)
    _recompute(changed)
    return _answer(request, response, changed)


@router.post("/{job_id}/plan/{direction}", response=PlanOut)
def step(request: HttpRequest, response: HttpResponse, job_id: UUID, direction: Literal["undo", "redo"]):
    """Undo or redo one's own last step."""
    job = job_of(request, job_id)
    changed = editing.step_back(job.pk, request.user, redo=direction == "redo")
    _recompute(changed)
    return _answer(request, response, changed)


@router.get("/{job_id}/summary", response=Summary)
def show_summary(request: HttpRequest, job_id: UUID):
    """What follows directly from the plan: area, flight, height chain, heights of control."""
    return summary(editing.assemble(job_of(request, job_id)))


class BoundaryOut(Schema):
    ring: list[tuple[float, float]]
    how: list[str]
    area: float


@router.post("/{job_id}/read/boundary", response=BoundaryOut)
def read_boundary(request: HttpRequest, job_id: UUID, text: Form[str] = "", file: File[UploadedFile | None] = None):
    """How a boundary file or pasted list is understood. Nothing is saved."""
    plan = editing.assemble(job_of(request, job_id))
    data, name = _upload(file, boundary.MAX_BYTES) if file else (text.encode(), "")
    found = boundary.read_boundary(data, name, plan.grid, plan.brief.unit)
    return BoundaryOut(ring=list(found.ring), how=list(found.how), area=found.area)


class PointOut(Schema):
    name: str
    e: float
    n: float
    h: float | None
    code: str


class PointsOut(Schema):
    points: list[PointOut]
    how: list[str]


@router.post("/{job_id}/read/points", response=PointsOut)
def read_points(request: HttpRequest, job_id: UUID, text: Form[str]):
    """How a pasted point list is understood. Nothing is saved."""
    plan = editing.assemble(job_of(request, job_id))
    found = coordinates.read_points(text, plan.grid, plan.brief.unit)
    return PointsOut(points=[PointOut(**p.__dict__) for p in found.points], how=list(found.how))


class TerrainOut(Schema):
    value: editing.TerrainRow
    how: list[str]


@router.post("/{job_id}/read/terrain", response=TerrainOut)
def read_terrain(request: HttpRequest, job_id: UUID, file: File[UploadedFile], heights: Form[str] = ""):
    """Read a GeoTIFF into the job's grid and heights; the answer's value is what an edit of `terrain` takes."""
    job = job_of(request, job_id)
    plan = editing.assemble(job)
    data, name = _upload(file, raster.MAX_BYTES)
    found = raster.read_terrain(data, plan.grid, heights or plan.brief.heights, _around(plan))
    value = terrain_of(found.surface, name).model_dump(mode="json")
    return TerrainOut(value=editing.keep_terrain(job, value), how=list(found.how))


def _upload(file: UploadedFile, limit: int) -> tuple[bytes, str]:
    if file.size > limit:
        raise ReadError(f"{file.name} is larger than {limit // 1_000_000} MB.", mend="Cut it to the site.")
    return file.read(), file.name or ""


def _around(plan: Plan) -> tuple[float, float, float, float] | None:
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
def draw_terrain(request: HttpRequest, response: HttpResponse, job_id: UUID, digest: str):
    """Contours and shading of a terrain of this job, for the sheet. Never changes: the digest names the heights."""
    grid = job_of(request, job_id).terrains.filter(digest=digest).first()
    if grid is None:
        raise Http404("no such terrain")
    t = grid.value
    surface = Surface.unpack(t["e0"], t["n0"], t["step"], t["rows"], t["cols"], t["heights"])
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return {"extent": surface.extent, "shading": _picture(shading(surface)), **contours(surface)}


def _picture(light: np.ndarray) -> str:
    """Shading as a grey PNG with transparency for what is dark, so that it lies over any paper colour."""
    dark = np.nan_to_num((0.85 - light) * 180, nan=0.0).clip(0, 160).astype(np.uint8)
    pixels = np.zeros((*dark.shape, 4), dtype=np.uint8)
    pixels[..., :3], pixels[..., 3] = (23, 36, 46), dark
    out = io.BytesIO()
    Image.fromarray(pixels[::-1], "RGBA").save(out, "PNG")
    return "data:image/png;base64," + base64.b64encode(out.getvalue()).decode()


EXPORTS = {
    "points.csv": (exports.point_list_csv, "text/csv; charset=utf-8"),
    "control.geojson": (exports.control_geojson, "application/geo+json"),
    "control.kml": (exports.control_kml, "application/vnd.google-earth.kml+xml"),
    "plan.json": (exports.plan_json, "application/json"),
}


@router.get("/{job_id}/export/{name}")
def export(
    request: HttpRequest, job_id: UUID, name: Literal["points.csv", "control.geojson", "control.kml", "plan.json"]
):
    """The plan's files for the field."""
    plan = editing.assemble(job_of(request, job_id))
    write, kind = EXPORTS[name]
    response = HttpResponse(write(plan), content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@router.post("/{job_id}/live", response=LiveShape)
def live_answer(request: HttpRequest, job_id: UUID, body: Edits):
    """Provisional figures with changes to the control that are not saved: what a drag shows. No changes makes ready."""
    return live.answer(job_of(request, job_id), [c.dict() for c in body.changes])


@router.get("/{job_id}/prediction", response=PredictionShape)
def show_prediction(request: HttpRequest, job_id: UUID):
    """The prediction of the plan as it stands, or how far it has come; asking for it starts it. Findings come along."""
    job = job_of(request, job_id)
    plan = editing.assemble(job)
    return prediction_json(plan, lambda: request_prediction(job, plan))


@router.get("/{job_id}/advice", response=AdviceShape)
def show_advice(request: HttpRequest, job_id: UUID):
    """What would help the plan as it stands most, or how far the search has come. Asking does not start it."""
    job = job_of(request, job_id)
    plan = editing.assemble(job)
    return underway_json(plan, _computation(job, plan, "advice"), "none")


@router.post("/{job_id}/{kind}/start", response=Underway)
def start_computation(request: HttpRequest, job_id: UUID, kind: Literal["prediction", "advice"]):
    """Start it, also again after it was stopped or failed."""
    job = job_of(request, job_id)
    plan = editing.assemble(job)
    if lacks := missing(plan):
        raise PlanError(lacks[0][1], where=lacks[0][0])
    return underway_json(plan, request_prediction(job, plan, kind, again=True), "none")


@router.post("/{job_id}/{kind}/stop", response=Underway)
def stop_computation(request: HttpRequest, job_id: UUID, kind: Literal["prediction", "advice"]):
    """Stop it, waiting or under way; it starts again only when asked to."""
    job = job_of(request, job_id)
    plan = editing.assemble(job)
    if found := _computation(job, plan, kind):
        stop(found)
    return underway_json(plan, _computation(job, plan, kind), "none")


def _computation(job: Job, plan: Plan, kind: str) -> Prediction | None:
    return Prediction.objects.filter(
        organisation=job.organisation, kind=kind, plan_hash=plan.hash, engine=ENGINE
    ).first()
