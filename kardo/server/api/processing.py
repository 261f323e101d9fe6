"""Static post-processing: a base's log handed to a service, and the position it answers with, brought to the job."""

from typing import Annotated
from uuid import UUID

import numpy as np
from django.conf import settings
from django.http import HttpRequest
from ninja import File, Form, Query, Router, Schema
from ninja.files import UploadedFile
from pydantic import Field

from kardo.core.close.final import Final, final_place
from kardo.outside.line import Address
from kardo.outside.processing import answer_of, hand_in
from kardo.server.access import job_of
from kardo.server.outside import address_among
from kardo.server.plans.stored import stored_plan
from kardo.server.uploads import upload_of

router = Router(tags=["close"])
MOST_LOG = 60_000_000  # bytes, as sent


class HandedIn(Schema):
    """A log at a service: the name of its job there."""

    service: str
    id: str


class ProcessedOut(Schema):
    """What became of a log: waiting, failed (with why), or done with the mark's final coordinates, and where they come
    from."""

    state: str
    words: str
    final: Final | None
    source: Annotated[str, Field(max_length=300)]


def _service(wanted: str) -> Address:
    return address_among(wanted, settings.PROCESSING, "service")


@router.get("/{job_id}/close/processing", response=list[str])
def list_services(request: HttpRequest, job_id: UUID) -> list[str]:
    """The services that a log may be handed to."""
    job_of(request, job_id)
    return list(settings.PROCESSING)


@router.post("/{job_id}/close/processing", response=HandedIn)
def process_log(request: HttpRequest, job_id: UUID, file: File[UploadedFile], service: Form[str]) -> HandedIn:
    """Hand a base's raw log to a service. Kardo keeps nothing of it."""
    job_of(request, job_id)
    data, _ = upload_of(file, MOST_LOG)
    return HandedIn(service=service, id=hand_in(_service(service), data))


@router.get("/{job_id}/close/processing/{handed}", response=ProcessedOut)
def show_processed(request: HttpRequest, job_id: UUID, handed: str, service: Query[str] = "") -> ProcessedOut:
    """What became of a log that was handed in, in the job's grid and heights."""
    plan = stored_plan(job_of(request, job_id))
    answer, final, source = answer_of(_service(service), handed), None, ""
    if answer.state == "done":
        final = final_place(plan, answer.crs, answer.epoch, answer.xyz, np.array(answer.covariance))
        source = f"static, {answer.hours:g} h against {', '.join(answer.stations[:5])}; {' '.join(final.words)}"[:300]
    return ProcessedOut(state=answer.state, words=answer.words, final=final, source=source)
