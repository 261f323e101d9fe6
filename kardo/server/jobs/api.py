"""Jobs: list, create, open, remove; and the catalogues a job chooses from."""

import json
import math
from contextlib import suppress
from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import File, Form, Router, Schema, Status
from ninja.files import UploadedFile

from kardo.core.accuracy.change.advice import JobPromise
from kardo.core.accuracy.change.offers import usual_point
from kardo.core.accuracy.figures.standards import standards
from kardo.core.arrays import Json
from kardo.core.errors import KardoError, PlanError, ReadError
from kardo.core.geodesy.confidence import RADIAL_95, VERTICAL_95
from kardo.core.geodesy.systems import ELLIPSOIDAL, CrsInfo, GridOffer, grids_at, heights_at, search
from kardo.core.geodesy.units import UNITS, UnitId
from kardo.core.gnss.occupations import INDEPENDENT_MIN, METHODS
from kardo.core.parts import validated
from kardo.core.plan.assumptions import defaults
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import MOST_OCCUPATIONS, ControlPoint, Occupation
from kardo.core.plan.flights import SCANNING, STRENGTHENING
from kardo.core.plan.kit import Aircraft, Antenna, Battery, Calibration, Camera, Logger, Scanner
from kardo.core.plan.library import library, new_plan
from kardo.core.plan.model import json_schema, plan_from_json
from kardo.core.plan.sketch import Sketch
from kardo.core.plan.stands import USUAL_REACH
from kardo.core.practice.glossary import GLOSSARY
from kardo.core.practice.own_geoid import place_of_job
from kardo.formats import raster
from kardo.formats.coordinates import Option
from kardo.formats.files import ACCEPTED, WRITTEN, Written
from kardo.formats.map.registry import FORMATS
from kardo.formats.where import read_where
from kardo.server.access import job_of, organisation_of
from kardo.server.jobs.models import Job
from kardo.server.plans.editing import create_job
from kardo.server.plans.stored import bring_up_to_date, stored_plan, whole_plan
from kardo.server.predictions.answers import promises_of
from kardo.server.uploads import upload_of

router = Router(tags=["jobs"])
catalogues = Router(tags=["catalogues"])
MAX_PLAN_BYTES = 12_000_000


class JobLine(Schema):
    """A job in a list: its drawing and what it promises as it stands, where that is known."""

    id: UUID
    title: str
    saved_at: datetime
    saved_by: str
    revision: int
    demo: bool
    archived: bool
    drawing: Sketch | None
    promise: JobPromise | None


class NewJob(Schema):
    title: str


class Archived(Schema):
    archived: bool


def _line(job: Job, promise: Json | None = None) -> dict[str, Any]:
    who = job.saved_by
    return {
        **{name: getattr(job, name) for name in ("id", "title", "saved_at", "revision", "demo", "drawing")},
        "saved_by": "" if who is None else who.first_name or who.username,
        "archived": job.archived_at is not None,
        "promise": promise,
    }


@router.get("", response=list[JobLine])
def list_jobs(request: HttpRequest, archived: bool = False):
    """The organisation's jobs, or those that it put away, the last changed first."""
    own = Job.objects.filter(organisation=organisation_of(request), archived_at__isnull=not archived)
    jobs = list(own.defer("document").select_related("saved_by", "organisation"))
    for job in jobs:
        if job.drawing is None:  # of an earlier Kardo; one that cannot be read any more must not hide the others
            with suppress(KardoError):
                bring_up_to_date(job)
    return [_line(job, known) for job, known in zip(jobs, promises_of(jobs), strict=True)]


@router.post("", response={201: JobLine})
def new_job(request: HttpRequest, body: NewJob):
    """An empty job."""
    brief = validated(Brief, {"title": body.title.strip()[:120] or "Untitled job"}, "job")
    return Status(201, _line(create_job(organisation_of(request), request.user, new_plan(brief.title))))


@router.post("/import", response={201: JobLine})
def import_plan(request: HttpRequest, file: File[UploadedFile]):
    """A job from a Kardo plan."""
    if file.size > MAX_PLAN_BYTES:
        raise ReadError("The plan is larger than 12 MB.", where=file.name, mend="Use a coarser terrain.")
    try:
        data = json.loads(file.read())
    except (ValueError, RecursionError) as fault:
        raise ReadError(f"{file.name} is not JSON.", where=file.name, mend="Choose a plan that Kardo wrote.") from fault
    return Status(201, _line(create_job(organisation_of(request), request.user, plan_from_json(data))))


@router.post("/{job_id}/like", response={201: JobLine})
def new_job_like(request: HttpRequest, job_id: UUID, body: NewJob):
    """A new job with all that another has planned, under a title of its own."""
    own = job_of(request, job_id)
    plan = whole_plan(own)
    brief = validated(Brief, plan.brief.model_dump() | {"title": body.title.strip()[:120] or plan.brief.title}, "job")
    plan = plan.model_copy(update={"brief": brief})
    return Status(201, _line(create_job(organisation_of(request), request.user, plan, like=own)))


@router.post("/{job_id}/archive", response=JobLine)
def archive_job(request: HttpRequest, job_id: UUID, body: Archived):
    """Put a job away, or fetch it back; nothing of it changes."""
    job = job_of(request, job_id)
    job.archived_at = timezone.now() if body.archived else None
    Job.objects.filter(pk=job.pk).update(archived_at=job.archived_at)
    return _line(job)


@router.delete("/{job_id}", response={204: None})
def remove_job(request: HttpRequest, job_id: UUID):
    """Delete an archived job for ever."""
    job = job_of(request, job_id)
    if job.archived_at is None:
        raise PlanError("Only an archived job can be deleted.", where="job", mend="Archive it first.")
    if job.reports.exists():
        raise PlanError("A job with signed reports stays.", where="job", mend="Leave it in the archive.")
    job.delete()
    return HttpResponse(status=204)


@catalogues.get("/crs", response=list[CrsInfo])
def search_crs(request: HttpRequest, q: str = "", kind: str = "projected", job: UUID | None = None):
    """Coordinate systems of PROJ's database by words of their code, name or area, a job's own place first. Height systems that this machine has no geoid
    grid for are marked so, and come last."""
    at, unit = _place_and_unit(request, job) if job else (None, "m")
    if kind != "vertical":
        return search(q, "projected", at=at, unit=unit)
    found = search(q or "EGM96", "vertical", at=at)
    if ELLIPSOIDAL.startswith(q.strip().casefold()):
        found.insert(0, CrsInfo(ELLIPSOIDAL, "ellipsoidal heights", "everywhere"))
    return found


def _place_and_unit(request: HttpRequest, job: UUID) -> tuple[tuple[float, float] | None, str]:
    """Where a job is, None before it has a place, and its unit."""
    plan = stored_plan(job_of(request, job))
    try:
        return place_of_job(plan), plan.brief.unit
    except KardoError:
        return None, plan.brief.unit


class WhereOut(Schema):
    """A place, how it was read, the ways it can be read where there are several, and the grids and height systems that are meant
    for it. outline: whether it was told by an outline that can be the boundary."""

    latitude: float
    longitude: float
    how: list[str]
    options: list[Option]
    outline: bool
    grids: list[GridOffer]
    heights: list[CrsInfo]


@catalogues.post("/where", response=WhereOut)
def read_place(
    request: HttpRequest,
    text: Form[str] = "",
    file: File[UploadedFile | None] = None,
    chosen: Form[str] = "",
    unit: Form[UnitId] = "m",
):
    """Where a job is, by a coordinate, a list or a file, and what is meant for that place; a file's own grid comes first, where
    it fits. Nothing is saved."""
    data, name = upload_of(file, raster.MAX_BYTES) if file else (text.encode(), "")
    found = read_where(data, name, chosen)
    grids = grids_at(found.lon, found.lat, unit, found.crs)
    return WhereOut(
        latitude=found.lat,
        longitude=found.lon,
        how=list(found.how),
        options=list(found.options),
        outline=found.outline,
        grids=grids,
        heights=heights_at(found.lon, found.lat, grids[0].area if grids else ""),
    )


class Choice(Schema):
    id: str
    name: str


class MethodOut(Choice):
    short: str
    minutes: float
    occupations: list[Occupation]


class CalibrationOut(Choice):
    calibration: Calibration


class StandardOut(Choice):
    publisher: str
    edition: str
    clause: str
    statistic_h: str
    statistic_v: str
    least_checks: int
    silent: str


class AssumptionOut(Schema):
    id: str
    value: float
    unit: str
    what: str
    source: str
    least: float
    most: float


class UnitOut(Choice):
    short: str
    metres: float


class OccupationsOut(Schema):
    """How many occupations a point may have, and the minutes from which two are under different skies."""

    most: int
    apart_min: float


class RuleOut(Schema):
    id: str
    asks: str
    severity: str
    station: str
    threshold: float | None
    why: str
    source: str


class ScanningOut(Schema):
    """What a flight becomes when it takes a scanner up."""

    margin_strips: int
    side_overlap: float
    tilt: float


class StrengtheningOut(Schema):
    """What a flight becomes that is flown beside another."""

    purpose: Literal["strengthen"]
    tilt: float


class EntryOut(Schema):
    """A word of the trade, and which labels of the screen it explains."""

    term: str
    says: str
    source: str
    also: str
    labels: tuple[str, ...]


class FilesOut(Schema):
    """The endings of files that each reader takes, the names of formats of maps, and the maps that a plan is written as."""

    accepted: dict[str, list[str]]
    formats: list[str]
    written: list[Written]


class Catalogue(Schema):
    glossary: list[EntryOut]
    cameras: list[Camera]
    scanners: list[Scanner]
    aircraft: list[Aircraft]
    batteries: list[Battery]
    antennas: list[Antenna]
    loggers: list[Logger]
    calibrations: list[CalibrationOut]
    methods: list[MethodOut]
    occupations: OccupationsOut
    new_point: ControlPoint
    standards: list[StandardOut]
    assumptions: list[AssumptionOut]
    units: list[UnitOut]
    files: FilesOut
    rules: list[RuleOut]
    scanning: ScanningOut
    strengthening: StrengtheningOut
    calibration_frames: int
    usual_reach: dict[str, float]
    full_session_h: float
    circle_95: float
    height_95: float


@catalogues.get("/catalogue", response=Catalogue)
def show_catalogue(request: HttpRequest):
    """Profiles, methods, standards, units, assumptions and rules: all that is chosen from, with sources."""
    shelf, policy = library(), organisation_of(request).policy
    units = [{"id": u.id, "short": u.short, "name": u.name, "metres": float(u.metres)} for u in UNITS.values()]
    return {
        "glossary": list(GLOSSARY),
        "cameras": list(shelf.cameras.values()),
        "scanners": list(shelf.scanners.values()),
        "aircraft": list(shelf.aircraft.values()),
        "batteries": list(shelf.batteries.values()),
        "antennas": list(shelf.antennas.values()),
        "loggers": list(shelf.loggers.values()),
        "calibrations": [vars(c) for c in shelf.calibrations.values()],
        "methods": [vars(m) for m in METHODS.values()],
        "occupations": {"most": MOST_OCCUPATIONS, "apart_min": INDEPENDENT_MIN},
        "new_point": usual_point(policy),
        "standards": [vars(s) for s in standards().values()],
        "assumptions": [vars(d) for d in defaults().values()],
        "units": units,
        "files": {"accepted": ACCEPTED, "formats": [f.name for f in FORMATS], "written": list(WRITTEN)},
        "scanning": SCANNING,
        "strengthening": STRENGTHENING,
        "calibration_frames": math.ceil(policy["calibration-frames"]),
        "usual_reach": USUAL_REACH,
        "full_session_h": policy["base-mark-unsettled"],
        "circle_95": RADIAL_95,
        "height_95": VERTICAL_95,
        "rules": [vars(r) | {"threshold": r.threshold if r.has_threshold else None} for r in policy.rules],
    }


@catalogues.get("/plan-schema", response=dict[str, Any], auth=None)
def show_plan_schema(request: HttpRequest):
    """The published JSON Schema of the plan."""
    return json_schema()
