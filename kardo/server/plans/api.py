"""The plan of a job: read, edit, undo; bring boundary, terrain and points in; take files out."""

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum
from typing import Annotated, Any, Literal
from uuid import UUID

import numpy as np
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse
from ninja import File, Form, Header, Query, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field, TypeAdapter

from kardo.core.accuracy.figures.heaps import tolerance_by_volume
from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.control.met import met_by
from kardo.core.errors import PlanError
from kardo.core.geodesy.units import UnitId
from kardo.core.plan.edits import Edit as PlanEdit
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Terrain, terrain_of
from kardo.core.presentation.summary import Summary, summary
from kardo.core.terrain.drawing import contours, shading_png
from kardo.core.terrain.surface import Surface
from kardo.formats import boundary, raster
from kardo.formats.coordinates import Option
from kardo.formats.files import PLAN_FILES
from kardo.formats.lists import point_list_csv, template_of
from kardo.formats.map.things import MAX_BYTES
from kardo.formats.points import read_any_points
from kardo.formats.raster import TerrainChoices
from kardo.server.access import frozen_words, job_of
from kardo.server.book.keeping import ask_for_done
from kardo.server.closeout.keeping import ask_for_closed
from kardo.server.job_status import status_of
from kardo.server.jobs.models import Job
from kardo.server.made_once import made_now, made_once
from kardo.server.plans import editing
from kardo.server.plans.models import Edit
from kardo.server.plans.stored import keep_terrain, stored_plan, whole_plan, with_ground
from kardo.server.predictions import live
from kardo.server.predictions.answers import (
    AdviceAnswer,
    LayoutsAnswer,
    PredictionAnswer,
    SchemesAnswer,
    Underway,
    advice_of,
    lacking,
    layouts_of,
    prediction_of,
    schemes_of,
    underway,
    waited_for,
)
from kardo.server.predictions.models import Computation
from kardo.server.predictions.solved_networks import LiveAnswer
from kardo.server.predictions.tasks import request_computation, stop
from kardo.server.uploads import upload_of, uploads_of

router = Router(tags=["plan"])
MARGIN = 400.0  # metres of terrain kept about the boundary


class PlanOut(Schema):
    """The job's plan, terrain by its digest."""

    id: UUID
    revision: int
    hash: str
    saved_at: datetime
    saved_by: str
    can_undo: bool
    can_redo: bool
    frozen: str
    plan: Plan


PLAN, SUMMARY, PREDICTION = TypeAdapter(PlanOut), TypeAdapter(Summary), TypeAdapter(PredictionAnswer)
LIVE = TypeAdapter(LiveAnswer)
Asked = Literal["prediction", "advice", "schemes", "layouts"]


class EditIn(Schema):
    """One change by field: what stood there when it was formed, and what comes after. Null adds or removes a row."""

    path: str = Field(max_length=200)
    before: Any
    after: Any
    at: int | None = None


class Step(Schema):
    """Edits that are one step of work. id is the sender's own number of it: sent twice, it is taken once."""

    edits: list[EditIn]
    id: UUID | None = None


def _undoable(request: HttpRequest, job: Job) -> tuple[bool, bool]:
    """Whether the one who asks has a step to undo, and one to redo."""
    own = set(job.edits.filter(author=request.user).values_list("state", flat=True).distinct())
    return Edit.State.DONE in own, Edit.State.UNDONE in own


def _answer(job: Job, plan: Plan, undoable: tuple[bool, bool]) -> PlanOut:
    return PlanOut(
        id=job.id,
        revision=job.revision,
        hash=job.plan_hash,
        saved_at=job.saved_at,
        saved_by=str(job.saved_by or ""),
        can_undo=undoable[0],
        can_redo=undoable[1],
        frozen=frozen_words(job),
        plan=plan,
    )


def _read(request: HttpRequest, job_id: UUID) -> PlanOut:
    job = job_of(request, job_id)
    return _answer(job, stored_plan(job), _undoable(request, job))


def _recompute(job: Job, plan: Plan) -> None:
    """Every edit asks for the prediction of what it made, unless the plan still lacks something; and where there is a book, of what
    it makes of what was done, and of how it was closed."""
    if not missing(plan):
        request_computation(job, plan)
    if job.done_hash or job.closed_hash:
        whole = with_ground(job.pk, plan)
        ask_for_done(job, whole)
        ask_for_closed(job, whole)


def _revision(if_match: str | None) -> int:
    """Of the plan that an edit was made on: a bare number, or the tag that the plan came with."""
    try:
        return int((if_match or "").strip().removeprefix("W/").strip('"').partition("-")[0])
    except ValueError:
        raise PlanError(
            "The edit does not say which revision it is based on.",
            where="If-Match",
            mend="Send the ETag of the plan it was made on.",
        ) from None


@router.get("/{job_id}/plan", response=PlanOut)
def show_plan(request: HttpRequest, job_id: UUID):
    """The plan as it stands."""
    at = status_of(request, job_id)
    made = (at.revision, at.model, at.can_undo, at.can_redo, at.frozen_at)
    return made_once(request, made, PLAN, lambda: _read(request, job_id))


@router.patch("/{job_id}/plan", response=PlanOut)
def edit_plan(request: HttpRequest, job_id: UUID, body: Step, if_match: Header[str | None] = None):
    """Change fields of the plan as one step. 412 with both values when somebody changed one of them since."""
    with transaction.atomic():
        job = job_of(request, job_id, editing.jobs_to_edit(request.user, body.id))
        edits = [one.model_dump() for one in body.edits]
        job, plan = editing.edit(job, _revision(if_match), body.id, edits, request.user)
        _recompute(job, plan)
    return made_now(PLAN, _answer(job, plan, (True, False)))


@router.post("/{job_id}/plan/{direction}", response=PlanOut)
def step(request: HttpRequest, job_id: UUID, direction: Literal["undo", "redo"], over: bool = False):
    """Undo or redo one's own last step; over steps over it: it stays as it is and is forgotten."""
    with transaction.atomic():
        job = job_of(request, job_id, editing.jobs_to_edit(request.user))
        job, plan = editing.step_back(job, request.user, redo=direction == "redo", over=over)
        _recompute(job, plan)
    return made_now(PLAN, _answer(job, plan, _undoable(request, job)))


@router.get("/{job_id}/summary", response=Summary)
def show_summary(request: HttpRequest, job_id: UUID):
    """What follows directly from the plan: area, flights, height chains, heights of control."""
    at = status_of(request, job_id)
    return made_once(request, (at.revision, at.model), SUMMARY, lambda: summary(at.whole_plan))


@router.get("/{job_id}/volume-tolerance", response=list[PlanEdit])
def offer_tolerance(
    request: HttpRequest,
    job_id: UUID,
    area: str = "",
    m3: Annotated[float | None, Query(gt=0, le=1e9)] = None,
    percent: Annotated[float | None, Query(gt=0, le=100)] = None,
):
    """The edits by which so many cubic metres, or so many per cent of what lies on an area, are allowed there. Nothing is saved."""
    return tolerance_by_volume(whole_plan(job_of(request, job_id)), area, m3, percent)


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
):
    """How a boundary file or pasted list is understood; where there are options, by the one that is chosen. Nothing is saved."""
    plan = whole_plan(job_of(request, job_id))
    data, name = uploads_of(file, beside, boundary.MAX_BYTES) if file else (text.encode(), "")
    found = boundary.read_boundary(data, name, plan.grid, plan.brief.unit, near_site(plan), chosen, plan.surface)
    return BoundaryOut(
        ring=list(found.ring),
        how=list(found.how),
        area=found.area,
        options=list(found.options),
        approximate=found.approximate,
        axis=found.axis,
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
    """A point as read, grid metres, with what stands in its way: another of its place in the plan (an id) or before it in the list (a number),
    or another of its name in the plan; and whether it lies about the site."""

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
):
    """How a list or a file of points is understood; where several ways fit, by the one that is chosen. Nothing is saved."""
    plan = stored_plan(job_of(request, job_id))
    data, name = uploads_of(file, beside, MAX_BYTES) if file else (text.encode(), "")
    found = read_any_points(data, name, plan.grid, plan.brief.unit, near_site(plan), chosen)
    met = met_by(plan, [(p.name, p.e, p.n) for p in found.points])
    points = [
        PointOut(p.name, p.e, p.n, p.h, p.code, m.same, m.twice, m.named, m.about)
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
):
    """Read a GeoTIFF into the job's grid and heights; the answer's value is what an edit of `site/ground/terrain` takes. What
    the file leaves open, its unit or what 0 means, and a transformation that is approximate, is refused until the form says it."""
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
def draw_terrain(request: HttpRequest, response: HttpResponse, job_id: UUID, digest: str):
    """Contours and shading of a terrain of this job, for the sheet. Never changes: the digest names the heights."""
    grid = job_of(request, job_id).terrains.filter(digest=digest).first()
    if grid is None:
        raise Http404("no such terrain")
    t = grid.value
    surface = Surface.unpack(t["e0"], t["n0"], t["step"], t["rows"], t["cols"], t["heights"])
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return {"extent": surface.extent, "shading": shading_png(surface), **contours(surface)}


PlanFileName = StrEnum("PlanFileName", {name: name for name in PLAN_FILES})  # type: ignore[misc] - what the registry has


@router.get("/{job_id}/export/{name}")
def export(
    request: HttpRequest,
    job_id: UUID,
    name: PlanFileName,
    columns: str = "P,N,E,Z,C",
    separator: str = "comma",
    decimals: str = "point",
    header: bool = True,
):
    """The plan's files for the field; the list of points with its columns in the order and habit that a controller wants."""
    plan, written = whole_plan(job_of(request, job_id)), PLAN_FILES[name]
    if name == "points.csv":
        body = point_list_csv(plan, template_of(columns, separator, decimals, header)).encode()
    else:
        body = written.write(plan)
    response = HttpResponse(body, content_type=written.media)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@router.post("/{job_id}/live", response=LiveAnswer)
def live_answer(request: HttpRequest, job_id: UUID, body: Step):
    """Provisional figures with edits of the control that are not saved: what a drag shows. No edits makes ready."""
    return made_now(LIVE, live.answer(status_of(request, job_id), [one.model_dump() for one in body.edits]))


@router.get("/{job_id}/prediction", response=PredictionAnswer)
def show_prediction(request: HttpRequest, job_id: UUID):
    """The prediction of the plan as it stands, or how far it has come, with findings. Asking does not start it."""
    at = status_of(request, job_id)
    if at.under_way:
        return made_now(PREDICTION, waited_for(at))
    return made_once(request, at.made_of, PREDICTION, lambda: prediction_of(at))


@router.get("/{job_id}/advice", response=AdviceAnswer)
def show_advice(request: HttpRequest, job_id: UUID):
    """What would help the plan as it stands most, or how far the search has come. Asking does not start it."""
    at = status_of(request, job_id, Computation.Kind.ADVICE)
    return advice_of(at)


@router.get("/{job_id}/schemes", response=SchemesAnswer)
def show_schemes(request: HttpRequest, job_id: UUID):
    """Correction schemes for the plan as it stands, side by side, or how far they have come. Asking does not start it."""
    at = status_of(request, job_id, Computation.Kind.SCHEMES)
    return schemes_of(at)


@router.get("/{job_id}/layouts", response=LayoutsAnswer)
def show_layouts(request: HttpRequest, job_id: UUID):
    """Layouts of control searched for the plan as it stands, or how far the search has come. Asking does not start it."""
    at = status_of(request, job_id, Computation.Kind.LAYOUTS)
    return layouts_of(at)


@router.post("/{job_id}/{kind}/start", response=Underway)
def start_computation(request: HttpRequest, job_id: UUID, kind: Asked):
    """Start it, also again after it was stopped or failed."""
    job = job_of(request, job_id)
    plan = stored_plan(job)
    if lacks := lacking(plan, kind):
        raise PlanError(lacks[0][1], where=lacks[0][0])
    request_computation(job, plan, kind, again=True)
    return underway(status_of(request, job_id, kind), kind)


@router.post("/{job_id}/{kind}/stop", response=Underway)
def stop_computation(request: HttpRequest, job_id: UUID, kind: Asked):
    """Stop it, waiting or under way; it starts again only when asked to."""
    stop(status_of(request, job_id, kind).row)
    return underway(status_of(request, job_id, kind), kind)
