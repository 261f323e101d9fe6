"""The local grid of a job: what it is, its text, and points read for it."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field

from kardo.core.plan.local import LocalGrid, LocalPoint
from kardo.core.plan.stands import Mark
from kardo.core.practice.local_grid import LocalTold, ground_coordinates, local_told, marks_of_local
from kardo.formats.lists import local_list_csv
from kardo.formats.local_grid import MAX_BYTES, local_text, pasted_pairs, pasted_places, read_local
from kardo.server.access import job_of
from kardo.server.plans.stored import whole_plan
from kardo.server.uploads import upload_of

router = Router(tags=["base"])


class Pasted(Schema):
    """A list of points, as it was pasted."""

    text: Annotated[str, Field(max_length=MAX_BYTES)]


@router.get("/{job_id}/local", response=LocalTold)
def show_local(request: HttpRequest, job_id: UUID) -> LocalTold:
    """The local grid's parameters, how its points fit, and control in it."""
    return local_told(whole_plan(job_of(request, job_id)))


@router.get("/{job_id}/local/ground", response=LocalGrid)
def offer_ground(request: HttpRequest, job_id: UUID) -> LocalGrid:
    """Coordinates whose lengths are those on the ground at the site. Nothing is saved."""
    return ground_coordinates(whole_plan(job_of(request, job_id)))


@router.get("/{job_id}/local.txt")
def write_local(request: HttpRequest, job_id: UUID) -> HttpResponse:
    """The local grid as plain text."""
    return _file(local_text(whole_plan(job_of(request, job_id))), "text/plain; charset=utf-8", "local-grid.txt")


@router.get("/{job_id}/local.csv")
def list_in_local(request: HttpRequest, job_id: UUID) -> HttpResponse:
    """Control and marks in local coordinates."""
    return _file(local_list_csv(whole_plan(job_of(request, job_id))), "text/csv; charset=utf-8", "points-local.csv")


def _file(text: str, kind: str, name: str) -> HttpResponse:
    response = HttpResponse(text, content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@router.post("/{job_id}/local/read", response=LocalGrid)
def read_local_text(request: HttpRequest, job_id: UUID, file: File[UploadedFile]) -> LocalGrid:
    """The local grid of a text. Nothing is saved."""
    job_of(request, job_id)
    return read_local(upload_of(file, MAX_BYTES)[0])


@router.post("/{job_id}/local/marks", response=list[Mark])
def read_local_marks(request: HttpRequest, job_id: UUID, body: Pasted) -> list[Mark]:
    """Marks that the local grid has, pasted in its coordinates and the job's unit, where the job's grid has them.
    Nothing is saved."""
    plan = whole_plan(job_of(request, job_id))
    return marks_of_local(plan, pasted_places(body.text, plan.brief.unit))


@router.post("/{job_id}/local/points", response=list[LocalPoint])
def read_pairs(request: HttpRequest, job_id: UUID, body: Pasted) -> list[LocalPoint]:
    """Points of a pasted list, in the job's unit. Nothing is saved."""
    return pasted_pairs(body.text, whole_plan(job_of(request, job_id)).brief.unit)
