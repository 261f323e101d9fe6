"""Geoid models that an organisation brought, of which a job takes the part about its site."""

import hashlib
from typing import Annotated
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field

from kardo.core.geodesy.crs import grid
from kardo.core.geodesy.systems import ELLIPSOIDAL, CrsInfo, heights_at
from kardo.core.parts import Clean
from kardo.core.practice.own_geoid import GeoidTaken, geoid_taken, place_of_job
from kardo.formats.geoid import MAX_BYTES, geoid_file, read_geoid
from kardo.server.access import job_of, organisation_of, person_of
from kardo.server.marks.models import OwnGeoid
from kardo.server.plans.stored import stored_plan
from kardo.server.uploads import upload_of

router = Router(tags=["marks"])


class GeoidOut(Schema):
    """A geoid of the organisation: its name, and what its file covers, in words."""

    id: UUID
    name: str
    covers: str


@router.get("/{job_id}/geoids", response=list[GeoidOut])
def list_geoids(request: HttpRequest, job_id: UUID) -> list[OwnGeoid]:
    """The organisation's own geoids."""
    job_of(request, job_id)
    return list(OwnGeoid.objects.filter(organisation=organisation_of(request)).defer("data"))


@router.get("/{job_id}/heights", response=list[CrsInfo])
def list_heights(request: HttpRequest, job_id: UUID) -> list[CrsInfo]:
    """The height systems that the job's place has, the grid's country's first; those whose geoid is not at hand say
    what is missing."""
    plan = stored_plan(job_of(request, job_id))
    area = grid(plan.brief.crs, ELLIPSOIDAL).crs.area_of_use if plan.brief.crs else None
    return heights_at(*place_of_job(plan), area.name if area else "")


@router.post("/{job_id}/geoids", response=GeoidOut)
def keep_geoid(
    request: HttpRequest,
    job_id: UUID,
    file: File[UploadedFile],
    name: Annotated[str, Field(min_length=1, max_length=50), Clean, Form()],
) -> OwnGeoid:
    """Keep a geoid (GTX, GeoTIFF) for the organisation; the same file again is the same geoid under its newest name."""
    job_of(request, job_id)
    data, _ = upload_of(file, MAX_BYTES)
    covers = geoid_file(data).words
    kept, _ = OwnGeoid.objects.update_or_create(
        organisation=organisation_of(request),
        digest=hashlib.sha256(data).hexdigest(),
        defaults={"name": name, "covers": covers, "data": data, "added_by": person_of(request)},
    )
    return kept


@router.get("/{job_id}/geoids/{geoid_id}", response=GeoidTaken)
def take_geoid(request: HttpRequest, job_id: UUID, geoid_id: UUID) -> GeoidTaken:
    """A geoid as the job would take it: the part about its site. Nothing is saved."""
    plan, kept = stored_plan(job_of(request, job_id)), _geoid(request, geoid_id)
    return geoid_taken(plan, read_geoid(bytes(kept.data), kept.name, *place_of_job(plan)))


@router.delete("/{job_id}/geoids/{geoid_id}", response={204: None})
def remove_geoid(request: HttpRequest, job_id: UUID, geoid_id: UUID) -> HttpResponse:
    """Take a geoid off the list. Jobs that took it keep what they have."""
    job_of(request, job_id)
    _geoid(request, geoid_id).delete()
    return HttpResponse(status=204)


def _geoid(request: HttpRequest, geoid_id: UUID) -> OwnGeoid:
    return get_object_or_404(OwnGeoid, pk=geoid_id, organisation=organisation_of(request))
