"""Jobs: list, create, open, remove; and the catalogues a job chooses from."""

import json
from datetime import datetime
from typing import Any
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema
from ninja.files import UploadedFile

from kardo.core.accuracy.standards import standards
from kardo.core.errors import ReadError
from kardo.core.geodesy.crs import ELLIPSOIDAL, geoid_at_hand, search
from kardo.core.geodesy.units import UNITS
from kardo.core.gnss.occupations import INDEPENDENT_MIN, METHODS
from kardo.core.plan.assumptions import defaults
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import MOST_OCCUPATIONS, Occupation
from kardo.core.plan.kit import Aircraft, Antenna, Battery, Calibration, Camera
from kardo.core.plan.library import library, new_plan
from kardo.core.plan.model import json_schema, plan_from_json
from kardo.core.plan.parts import validated
from kardo.core.practice.catalogue import rules
from kardo.server.access import job_of, organisation_of
from kardo.server.jobs.models import Job
from kardo.server.plans.editing import create_job

router = Router(tags=["jobs"])
catalogues = Router(tags=["catalogues"])
MAX_PLAN_BYTES = 12_000_000


class JobLine(Schema):
    id: UUID
    title: str
    saved_at: datetime
    revision: int


class NewJob(Schema):
    title: str


@router.get("", response=list[JobLine])
def list_jobs(request: HttpRequest):
    return Job.objects.filter(organisation=organisation_of(request)).defer("document")


@router.post("", response={201: JobLine})
def new_job(request: HttpRequest, body: NewJob):
    """An empty job."""
    brief = validated(Brief, {"title": body.title.strip()[:120] or "Untitled job"}, "job")
    return 201, create_job(organisation_of(request), request.user, new_plan(brief.title))


@router.post("/import", response={201: JobLine})
def import_plan(request: HttpRequest, file: File[UploadedFile]):
    """A job from a Kardo plan."""
    if file.size > MAX_PLAN_BYTES:
        raise ReadError("The plan is larger than 12 MB.", where=file.name, mend="Use a coarser terrain.")
    try:
        data = json.loads(file.read())
    except (ValueError, RecursionError) as fault:
        raise ReadError(f"{file.name} is not JSON.", where=file.name, mend="Choose a plan that Kardo wrote.") from fault
    return 201, create_job(organisation_of(request), request.user, plan_from_json(data))


@router.delete("/{job_id}", response={204: None})
def remove_job(request: HttpRequest, job_id: UUID):
    job_of(request, job_id).delete()
    return HttpResponse(status=204)


class CrsLine(Schema):
    code: str
    name: str
    area: str
    missing: str = ""


NO_GEOID = "its geoid grid is not on this machine: install it for PROJ"


@catalogues.get("/crs", response=list[CrsLine])
def search_crs(request: HttpRequest, q: str = "", kind: str = "projected"):
    """Coordinate systems of PROJ's database by words of their code, name or area. Height systems that this machine has no geoid
    grid for are marked so, and come last."""
    if kind != "vertical":
        return search(q, "projected")
    found = [
        CrsLine(code=i.code, name=i.name, area=i.area, missing="" if geoid_at_hand(i.code) else NO_GEOID)
        for i in search(q or "EGM96", "vertical")
    ]
    found.sort(key=lambda line: bool(line.missing))
    if ELLIPSOIDAL.startswith(q.strip().casefold()):
        found.insert(0, CrsLine(code=ELLIPSOIDAL, name="ellipsoidal heights", area="everywhere"))
    return found


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


class Catalogue(Schema):
    cameras: list[Camera]
    aircraft: list[Aircraft]
    batteries: list[Battery]
    antennas: list[Antenna]
    calibrations: list[CalibrationOut]
    methods: list[MethodOut]
    occupations: OccupationsOut
    standards: list[StandardOut]
    assumptions: list[AssumptionOut]
    units: list[UnitOut]
    rules: list[RuleOut]


@catalogues.get("/catalogue", response=Catalogue)
def show_catalogue(request: HttpRequest):
    """Profiles, methods, standards, units, assumptions and rules: all that is chosen from, with sources."""
    shelf = library()
    units = [{"id": u.id, "short": u.short, "name": u.name, "metres": float(u.metres)} for u in UNITS.values()]
    return {
        "cameras": list(shelf.cameras.values()),
        "aircraft": list(shelf.aircraft.values()),
        "batteries": list(shelf.batteries.values()),
        "antennas": list(shelf.antennas.values()),
        "calibrations": [vars(c) for c in shelf.calibrations.values()],
        "methods": [vars(m) for m in METHODS.values()],
        "occupations": {"most": MOST_OCCUPATIONS, "apart_min": INDEPENDENT_MIN},
        "standards": [vars(s) for s in standards().values()],
        "assumptions": [vars(d) for d in defaults().values()],
        "units": units,
        "rules": [vars(r) | {"threshold": r.threshold if r.threshold == r.threshold else None} for r in rules()],
    }


@catalogues.get("/plan-schema", response=dict[str, Any], auth=None)
def show_plan_schema(request: HttpRequest):
    """The published JSON Schema of the plan."""
    return json_schema()
