"""What a job is chosen from: places and grids, profiles, methods, standards, units, rules and files."""

import math
from typing import Any, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile

from kardo.core.accuracy.change.offers import usual_point
from kardo.core.accuracy.figures.standards import standards
from kardo.core.errors import KardoError
from kardo.core.geodesy.confidence import RADIAL_95, VERTICAL_95
from kardo.core.geodesy.systems import ELLIPSOIDAL, CrsInfo, GridOffer, grids_at, heights_at, search
from kardo.core.geodesy.units import UNITS, UnitId
from kardo.core.gnss.occupations import INDEPENDENT_MIN, METHODS
from kardo.core.plan.assumptions import defaults
from kardo.core.plan.control import MOST_OCCUPATIONS, ControlPoint, Occupation
from kardo.core.plan.flights import CorridorLines, Imaging, OwnLines, ParallelLines, Scanning, WallLines
from kardo.core.plan.kit import Aircraft, Antenna, Battery, Calibration, Camera, Logger, Scanner
from kardo.core.plan.library import SCAN_EXTRA, SCAN_OVERLAP, STRENGTHENING_TILT, library
from kardo.core.plan.model import json_schema
from kardo.core.plan.stands import USUAL_REACH
from kardo.core.practice.glossary import GLOSSARY
from kardo.core.practice.own_geoid import place_of_job
from kardo.formats import raster
from kardo.formats.coordinates import Option
from kardo.formats.files import ACCEPTED, WRITTEN, Written
from kardo.formats.map.registry import FORMATS
from kardo.formats.where import read_where
from kardo.server.access import job_of, policy_now
from kardo.server.plans.stored import stored_plan
from kardo.server.uploads import upload_of

router = Router(tags=["jobs"])
catalogues = Router(tags=["catalogues"])
MAX_PLAN_BYTES = 12_000_000


@catalogues.get("/crs", response=list[CrsInfo])
def search_crs(request: HttpRequest, q: str = "", kind: str = "projected", job: UUID | None = None) -> list[CrsInfo]:
    """Coordinate systems of PROJ's database by words of their code, name or area, a job's own place first. Height
    systems that this machine has no geoid grid for are marked so, and come last."""
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
    """A place, how it was read, the ways it can be read where there are several, and the grids and height systems that
    are meant for it. outline: whether it was told by an outline that can be the boundary."""

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
) -> WhereOut:
    """Where a job is, by a coordinate, a list or a file, and what is meant for that place; a file's own grid comes
    first, where it fits. Nothing is saved."""
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
    """What the pattern of a flight becomes when it takes a scanner up."""

    extra_lines: int
    side_overlap: float


class FlightPartsOut(Schema):
    """A flight's use of a sensor of each kind, and each pattern, as a new one begins."""

    images: Imaging
    scan: Scanning
    parallel: ParallelLines
    corridor: CorridorLines
    facade: WallLines
    own: OwnLines


class StrengtheningOut(Schema):
    """What a flight becomes that is flown beside another."""

    purpose: Literal["strengthen"]
    tilt_deg: float


class EntryOut(Schema):
    """A word of the trade, and which labels of the screen it explains."""

    term: str
    says: str
    source: str
    also: str
    labels: tuple[str, ...]


class FilesOut(Schema):
    """The endings of files that each reader takes, the names of formats of maps, and the maps that a plan is written
    as."""

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
    flight_parts: FlightPartsOut
    scanning: ScanningOut
    strengthening: StrengtheningOut
    calibration_frames: int
    usual_reach: dict[str, float]
    full_session_h: float
    circle_95: float
    height_95: float


@catalogues.get("/catalogue", response=Catalogue)
def show_catalogue(request: HttpRequest) -> dict[str, Any]:
    """Profiles, methods, standards, units, assumptions and rules: all that is chosen from, with sources."""
    shelf, policy = library(), policy_now(request)
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
        "flight_parts": _flight_parts(),
        "scanning": {"extra_lines": SCAN_EXTRA, "side_overlap": SCAN_OVERLAP},
        "strengthening": {"purpose": "strengthen", "tilt_deg": STRENGTHENING_TILT},
        "calibration_frames": math.ceil(policy["calibration-frames"]),
        "usual_reach": USUAL_REACH,
        "full_session_h": policy["base-mark-unsettled"],
        "circle_95": RADIAL_95,
        "height_95": VERTICAL_95,
        "rules": [vars(r) | {"threshold": r.threshold if r.has_threshold else None} for r in policy.rules],
    }


def _flight_parts() -> dict[str, object]:
    shelf = library()
    parts = ParallelLines(), CorridorLines(), WallLines(), OwnLines()
    sensors = Imaging(camera=next(iter(shelf.cameras))), Scanning(scanner=next(iter(shelf.scanners)))
    return {part.kind: part for part in (*sensors, *parts)}


@catalogues.get("/plan-schema", response=dict[str, Any], auth=None)
def show_plan_schema(request: HttpRequest) -> dict[str, Any]:
    """The published JSON Schema of the plan."""
    return json_schema()
