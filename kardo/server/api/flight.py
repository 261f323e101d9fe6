"""The flights over the API: what their images cover, and the card."""

from dataclasses import dataclass
from typing import Annotated
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Query, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field, TypeAdapter

from kardo.core.day.exposure import Cloud, ExposureAdvice, exposure
from kardo.core.errors import PlanError
from kardo.core.flight.air.airtime import AirTime, air_time
from kardo.core.flight.air.profile import LineProfile, of_line, of_way
from kardo.core.flight.air.take_off import TakeOffs, take_offs
from kardo.core.flight.ground.as_flown import HeldAgainst, held_against
from kardo.core.flight.ground.coverage import CoverageFigures, coverage, told
from kardo.core.flight.ground.density import DensityFigures, density, told_density
from kardo.core.flight.ground.drawing import CoverageDrawing, density_drawing, drawing_of
from kardo.core.flight.lines.calibration import calibration_edits
from kardo.core.flight.lines.own_lines import another_line
from kardo.core.flight.lines.pattern import flown
from kardo.core.parts import to_json
from kardo.core.plan.edits import Edit, field_edits
from kardo.core.plan.flights import Flight
from kardo.core.plan.kit import Camera, LensEntry
from kardo.core.plan.lens import brought_in_line
from kardo.core.plan.model import Plan
from kardo.formats.camera import read_camera
from kardo.formats.coordinates import Option
from kardo.formats.documents import pdf
from kardo.formats.flight_card import flight_card_html
from kardo.formats.map.things import MAX_BYTES
from kardo.formats.picture import MAX_BYTES as MOST_IMAGE
from kardo.formats.track import read_track
from kardo.server.access import job_of, paper_of
from kardo.server.api.readings import near_site
from kardo.server.made_once import made_once
from kardo.server.plans.stored import stored_plan, whole_plan
from kardo.server.questions.job_status import status_of
from kardo.server.uploads import upload_of

router = Router(tags=["flight"])


@dataclass(frozen=True)
class CoverageAnswer:
    """What the images, or the scan, cover, in figures and for the sheet."""

    figures: CoverageFigures | None
    density: DensityFigures | None
    drawing: CoverageDrawing


COVERAGE, AIR, LIGHT = TypeAdapter(CoverageAnswer), TypeAdapter(AirTime), TypeAdapter(ExposureAdvice)


@router.get("/{job_id}/flight/coverage", response=CoverageAnswer)
def show_coverage(request: HttpRequest, job_id: UUID) -> HttpResponse:
    """How many images and flight lines see each place of the site, how fine, and how much the overlap holds over the
    ground as it is."""
    at = status_of(request, job_id)
    return made_once(request, at.of_plan, COVERAGE, lambda: _covered(whole_plan(job_of(request, job_id))))


def _covered(plan: Plan) -> CoverageAnswer:
    if plan.mapped_by == "scan":
        dense = density(plan)
        return CoverageAnswer(None, told_density(plan, dense), density_drawing(dense))
    found = coverage(plan)
    return CoverageAnswer(told(plan, found), None, drawing_of(found, plan.policy["coverage-pixel"]))


@router.get("/{job_id}/flight/air", response=AirTime)
def show_air_time(request: HttpRequest, job_id: UUID, flight: str = "") -> HttpResponse:
    """A flight line by line in the wind that it is planned in: speed over the ground, turns, battery, sight."""
    at = status_of(request, job_id)

    def make() -> AirTime:
        plan = whole_plan(job_of(request, job_id))
        return air_time(plan, _flight(plan, flight))

    return made_once(request, (at.revision, at.model, flight), AIR, make)


@router.get("/{job_id}/flight/light", response=ExposureAdvice)
def show_light(
    request: HttpRequest,
    job_id: UUID,
    flight: str = "",
    cloud: Cloud = "clear",
    date: Annotated[str, Query(max_length=10)] = "",
) -> HttpResponse:
    """Light through a day (the first visit's, where none is said) for a flight's camera: sensitivity, shutter and
    speed."""
    at = status_of(request, job_id)

    def make() -> ExposureAdvice:
        plan = whole_plan(job_of(request, job_id))
        day = date or next((v.date for v in plan.visits if v.date), "")
        if not day:
            raise PlanError("No day is planned yet.", where="Flight, exposure", mend="Choose a date, or plan a visit.")
        return exposure(plan, _flight(plan, flight), cloud, day)

    return made_once(request, (at.revision, at.model, flight, cloud, date), LIGHT, make)


def _flight(plan: Plan, key: str) -> Flight:
    own = next((f for f in plan.flights if key in ("", f.id)), None)
    if own is None:
        raise PlanError("There is no such flight.", where="Flight", mend="Choose another.")
    return own


class LensRecord(Schema):
    """A camera of the plan, by id, and the record of its lens as it is to be."""

    camera: Annotated[str, Field(max_length=40)]
    record: Annotated[tuple[LensEntry, ...], Field(max_length=100)]


@router.post("/{job_id}/flight/lens", response=list[Edit])
def bring_lens_in_line(request: HttpRequest, job_id: UUID, lens: LensRecord) -> list[Edit]:
    """The edits that put a record on a camera, and make the plan reckon with the lens as that has it on the day of the
    visit. Nothing is saved."""
    plan = stored_plan(job_of(request, job_id))
    own = next((c for c in plan.kit.cameras if c.id == lens.camera), None)
    if own is None:
        raise PlanError("The plan has no such camera.", where="Flight, kit")
    kept = field_edits(f"kit/cameras/{own.id}", own, record=[to_json(entry) for entry in lens.record])
    told = brought_in_line(plan, own.model_copy(update={"record": lens.record}))
    return [*kept, *(told[1] if told else ())]


@router.get("/{job_id}/flight/calibration", response=list[Edit])
def offer_calibration(request: HttpRequest, job_id: UUID, flight: str = "") -> list[Edit]:
    """The edits that add a flight which calibrates the lens of another. Nothing is saved."""
    plan = whole_plan(job_of(request, job_id))
    return list(calibration_edits(plan, _flight(plan, flight)))


@router.get("/{job_id}/flight/profile", response=LineProfile)
def show_profile(
    request: HttpRequest, job_id: UUID, flight: str = "", line: int = 0, sortie: int = 0, home: bool = False
) -> LineProfile:
    """A line of a flight from the side, or, of a sortie, the way out or home; each by its number, from 1."""
    plan = whole_plan(job_of(request, job_id))
    f = flown(plan, _flight(plan, flight))
    return of_way(plan, f, sortie, home) if sortie else of_line(plan, f, line)


@router.get("/{job_id}/flight/take-off", response=list[TakeOffs])
def find_take_offs(request: HttpRequest, job_id: UUID, flight: str = "") -> list[TakeOffs]:
    """The place from which a flight is seen and reached best, of those tried, and places by sortie where that is
    better; with the edits that choose them. Nothing is saved."""
    plan = whole_plan(job_of(request, job_id))
    return take_offs(plan, _flight(plan, flight))


@router.get("/{job_id}/flight/strip", response=list[Edit])
def offer_strip(request: HttpRequest, job_id: UUID, flight: str = "") -> list[Edit]:
    """The edits that add a flight line beside the last one of a flight whose flight lines somebody drew. Nothing is
    saved."""
    plan = whole_plan(job_of(request, job_id))
    return list(another_line(plan, _flight(plan, flight)))


class FlownOut(Schema):
    """How positions or a track were read, and what they are against the plan; None while a reading has to be chosen."""

    held: HeldAgainst | None
    count: int
    photos: bool
    how: list[str]
    options: list[Option]
    approximate: str


@router.post("/{job_id}/flight/flown", response=FlownOut)
def hold_against_flown(
    request: HttpRequest, job_id: UUID, file: File[UploadedFile], flight: Form[str] = "", chosen: Form[str] = ""
) -> FlownOut:
    """Photo positions (CSV, or points of a map file) or a track (GPX and other lines) held against the plan. Nothing is
    saved."""
    plan = whole_plan(job_of(request, job_id))
    data, name = upload_of(file, MAX_BYTES)
    read = read_track(data, name, plan.grid, plan.brief.unit, near_site(plan), chosen)
    track = read.track
    return FlownOut(
        held=None if track is None else held_against(plan, track, flight),
        count=0 if track is None else len(track.e),
        photos=track is None or track.photos,
        how=list(read.how),
        options=list(read.options),
        approximate=read.approximate,
    )


class CameraOut(Schema):
    """A camera as the plan would hold it, and how it was read."""

    value: Camera
    how: list[str]


@router.post("/{job_id}/flight/camera", response=CameraOut)
def read_sample_image(request: HttpRequest, job_id: UUID, file: File[UploadedFile]) -> CameraOut:
    """A camera from one of its images. Nothing is saved."""
    job_of(request, job_id)
    data, name = upload_of(file, MOST_IMAGE)
    found = read_camera(data, name)
    return CameraOut(value=found.camera, how=list(found.how))


@router.get("/{job_id}/flight/card.pdf")
def print_card(request: HttpRequest, job_id: UUID, flight: Query[str] = "") -> HttpResponse:
    """A page for each flight, or for one: a picture of its lines and every figure that is typed."""
    body = pdf(flight_card_html(whole_plan(job_of(request, job_id)), flight), paper=paper_of(request))
    response = HttpResponse(body, content_type="application/pdf")
    response["Content-Disposition"] = 'attachment; filename="flight-card.pdf"'
    return response
