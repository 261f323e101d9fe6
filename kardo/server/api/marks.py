"""The library of marks over the API, always seen from a job: nearest first, in the job's grid and heights."""

import datetime
from contextlib import suppress
from typing import Annotated
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Form, Query, Router, Schema, Status
from ninja.files import UploadedFile
from pydantic import AfterValidator, Field

from kardo.core.errors import GeodesyError, PlanError, ReadError
from kardo.core.geodesy.crs import grid
from kardo.core.gnss.library import carries_control, published_of
from kardo.core.layout.base_places import BasePlaces, KnownPlace, base_places
from kardo.core.parts import Clean
from kardo.core.plan.model import Plan
from kardo.core.plan.published import Brought, Published, Step, brought, step_between
from kardo.formats.certificate import ReadCertificate, read_certificate
from kardo.formats.marks import MAX_BYTES, MarkReading, read_marks
from kardo.formats.picture import MAX_BYTES as MAX_PHOTO
from kardo.formats.picture import picture_kind
from kardo.server.access import job_of, name_of, organisation_of, person_of
from kardo.server.actions.keep_mark import add_version, keep, nearest, steps
from kardo.server.marks.models import KnownMark
from kardo.server.plans.stored import stored_plan, whole_plan
from kardo.server.uploads import upload_of

router = Router(tags=["marks"])


def _kind(text: str) -> str:
    if text not in KnownMark.Kind.values:
        raise ValueError("is none of " + ", ".join(KnownMark.Kind.values))
    return text


class About(Schema):
    """What a mark is and how it is found."""

    designation: Annotated[str, Field(min_length=1, max_length=60), Clean]
    kind: Annotated[str, AfterValidator(_kind)] = "base"
    description: Annotated[str, Field(max_length=2000), Clean] = ""
    sky: Annotated[str, Field(max_length=300), Clean] = ""
    recovered: datetime.date | None = None


class NewMark(Schema):
    """A mark for the library with its coordinates."""

    about: About
    coordinates: Published


class NewMarks(Schema):
    """Marks that are kept together."""

    marks: Annotated[list[NewMark], Field(min_length=1, max_length=2000)]


class NearMark(Schema):
    """A mark of the library as a job sees it. away: metres from the site (None where it is not known yet); brought None
    where its coordinates cannot be had in the job's grid, with the reason; laid: control of the job lies on it."""

    id: UUID
    about: About
    away: float | None
    version: int
    photo: bool
    coordinates: Published
    sigma: tuple[float, float]
    brought: Brought | None
    laid: bool
    why: str


class VersionOut(Schema):
    """One version of a mark's coordinates, when it came and by whom; the step from the one before, None for the
    first."""

    number: int
    at: datetime.datetime
    by: str
    coordinates: Published
    step: Step | None


def _mark(request: HttpRequest, mark_id: UUID) -> KnownMark:
    rows = KnownMark.objects.prefetch_related("versions").defer("photo")
    return get_object_or_404(rows, pk=mark_id, organisation=organisation_of(request))


def _seen(mark: KnownMark, plan: Plan, away: float | None) -> NearMark:
    newest = mark.newest
    published, why, there = newest.published, "", None
    try:
        there = brought(published, plan.grid)
    except GeodesyError as fault:
        why = f"{fault.what} {fault.mend}"
    return NearMark(
        id=mark.pk,
        about=About(**{name: getattr(mark, name) for name in About.model_fields}),
        away=away,
        version=newest.number,
        photo=bool(mark.photo_kind),
        coordinates=published,
        sigma=published.sigma,
        brought=there,
        laid=there is not None and carries_control(plan, there.e, there.n),
        why=why,
    )


@router.get("/{job_id}/library", response=list[NearMark])
def list_nearest(request: HttpRequest, job_id: UUID, query: Query[str] = "") -> list[NearMark]:
    """The fifty marks of the library nearest to the site, in the job's grid and heights."""
    plan = stored_plan(job_of(request, job_id))
    rows = nearest(organisation_of(request), plan, query[:60])
    return [_seen(mark, plan, mark.away.m if hasattr(mark, "away") else None) for mark in rows]


@router.get("/{job_id}/base-places", response=BasePlaces)
def rank_base_places(request: HttpRequest, job_id: UUID) -> BasePlaces:
    """Places of the site, marks of the plan and marks of the library about it, ranked for the base."""
    plan = whole_plan(job_of(request, job_id))
    near = [_seen(mark, plan, None) for mark in nearest(organisation_of(request), plan)]
    taken = {mark.origin.id for mark in plan.marks if mark.origin}
    known = [
        KnownPlace("", one.about.designation, one.brought.e, one.brought.n)
        for one in near
        if one.brought is not None and str(one.id) not in taken
    ]
    return base_places(plan, known)


@router.post("/{job_id}/library", response=list[NearMark])
def keep_marks(request: HttpRequest, job_id: UUID, new: NewMarks) -> list[NearMark]:
    """Keep marks in the library: all of them, or none."""
    plan = stored_plan(job_of(request, job_id))
    made = keep(
        organisation_of(request), person_of(request), [(m.about.model_dump(), m.coordinates) for m in new.marks]
    )
    return [_seen(mark, plan, None) for mark in made]


class OfPlan(Schema):
    """A mark of the plan, by id."""

    mark: Annotated[str, Field(max_length=40)]


@router.post("/{job_id}/library/of-plan", response=NearMark)
def keep_mark_of_plan(request: HttpRequest, job_id: UUID, of: OfPlan) -> NearMark:
    """Keep a mark of the plan in the library, with the accuracy that the plan has it at."""
    plan = stored_plan(job_of(request, job_id))
    mark = plan.mark(of.mark)
    if mark is None:
        raise PlanError("The plan has no such mark.", where="Base, marks")
    about = About(designation=mark.name, description=mark.find)
    (made,) = keep(organisation_of(request), person_of(request), [(about.model_dump(), published_of(plan, mark))])
    return _seen(made, plan, None)


class Changed(Schema):
    """A mark of the plan whose coordinates the library has newer: those, brought to the job, and what changed."""

    mark: str
    newest: NearMark
    step: Step


@router.get("/{job_id}/library/changed", response=list[Changed])
def list_changed(request: HttpRequest, job_id: UUID) -> list[Changed]:
    """Marks of the plan whose coordinates have a newer version in the library. The plan keeps its own until somebody
    takes it."""
    plan, found = stored_plan(job_of(request, job_id)), []
    rows = KnownMark.objects.filter(organisation=organisation_of(request)).prefetch_related("versions").defer("photo")
    known = {str(row.pk): row for row in rows.filter(pk__in=_origins(plan))}
    for mark in plan.marks:
        row = known.get(mark.origin.id) if mark.origin else None
        if row is None or mark.origin is None or mark.origin.revision >= row.newest.number:
            continue
        taken = next((v for v in row.versions.all() if v.number == mark.origin.revision), None)
        if taken is None:  # a plan from elsewhere may name a version that there never was
            continue
        step = step_between(taken.published, row.newest.published)
        found.append(Changed(mark=mark.id, newest=_seen(row, plan, None), step=step))
    return found


def _origins(plan: Plan) -> list[UUID]:
    """The ids of library marks that a plan took, those that are ids."""
    out = []
    for mark in plan.marks:
        with suppress(ValueError):
            out += [UUID(mark.origin.id)] if mark.origin else []
    return out


@router.post("/{job_id}/library/read", response=MarkReading)
def read_file_of_marks(
    request: HttpRequest, job_id: UUID, file: File[UploadedFile], crs: Form[str] = "", heights: Form[str] = ""
) -> MarkReading:
    """Marks of a file (CSV, GeoJSON, GPX, GeoPackage) in a grid, the job's where none is said. Nothing is saved."""
    plan = stored_plan(job_of(request, job_id))
    data, name = upload_of(file, MAX_BYTES)
    _, own, *known = plan.brief.system
    to = plan.grid if not crs else grid(crs, heights) if heights not in ("", own) else grid(crs, own, *known)
    return read_marks(data, name, to, plan.brief.unit)


@router.post("/{job_id}/library/certificate", response=ReadCertificate)
def read_text_of_certificate(request: HttpRequest, job_id: UUID, text: Form[str] = "") -> ReadCertificate:
    """One mark as its certificate prints it, in the job's grid. Nothing is saved."""
    plan = stored_plan(job_of(request, job_id))
    return read_certificate(text, plan.grid, plan.brief.unit)


@router.get("/{job_id}/library/{mark_id}/versions", response=list[VersionOut])
def list_versions(request: HttpRequest, job_id: UUID, mark_id: UUID) -> list[VersionOut]:
    """Every version of a mark's coordinates, the newest first, with what changed."""
    job_of(request, job_id)
    mark = _mark(request, mark_id)
    rows = list(mark.versions.select_related("author"))
    return [
        VersionOut(
            number=v.number, at=v.at, by=name_of(v.author) if v.author else "", coordinates=v.published, step=step
        )
        for v, step in reversed(list(zip(rows, [None, *steps(mark)], strict=True)))
    ]


@router.post("/{job_id}/library/{mark_id}/versions", response=NearMark)
def publish_anew(request: HttpRequest, job_id: UUID, mark_id: UUID, coordinates: Published) -> NearMark:
    """New coordinates of a mark. The old ones stay on record, and plans keep those that they took."""
    plan, mark = stored_plan(job_of(request, job_id)), _mark(request, mark_id)
    add_version(mark, person_of(request), coordinates)
    return _seen(_mark(request, mark_id), plan, None)


@router.put("/{job_id}/library/{mark_id}", response=NearMark)
def tell_of(request: HttpRequest, job_id: UUID, mark_id: UUID, about: About) -> NearMark:
    """What a mark is and how it is found, told anew."""
    plan, mark = stored_plan(job_of(request, job_id)), _mark(request, mark_id)
    KnownMark.objects.filter(pk=mark.pk).update(**about.model_dump())
    return _seen(_mark(request, mark_id), plan, None)


@router.post("/{job_id}/library/{mark_id}/retire", response={204: None})
def retire(request: HttpRequest, job_id: UUID, mark_id: UUID) -> Status[None]:
    """No longer offer a mark. What it was stays, and so do the plans that took it."""
    job_of(request, job_id)
    KnownMark.objects.filter(pk=_mark(request, mark_id).pk).update(retired_at=timezone.now())
    return Status(204, None)


@router.post("/{job_id}/library/{mark_id}/photo", response={204: None})
def keep_photo(request: HttpRequest, job_id: UUID, mark_id: UUID, file: File[UploadedFile]) -> Status[None]:
    """The picture by which a mark is found again."""
    job_of(request, job_id)
    mark = _mark(request, mark_id)
    data, _ = upload_of(file, MAX_PHOTO)
    KnownMark.objects.filter(pk=mark.pk).update(photo=data, photo_kind=picture_kind(data))
    return Status(204, None)


@router.get("/{job_id}/library/{mark_id}/photo")
def show_photo(request: HttpRequest, job_id: UUID, mark_id: UUID) -> HttpResponse:
    """The picture of a mark. Raises ReadError for one that has none."""
    job_of(request, job_id)
    mark = _mark(request, mark_id)
    if not mark.photo_kind:
        raise ReadError("This mark has no picture.", where=mark.designation)
    return HttpResponse(bytes(mark.photo or b""), content_type=mark.photo_kind)
