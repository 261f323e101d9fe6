"""The book over the API: entries in, the whole book and the third answer out."""

from datetime import datetime
from typing import Any
from uuid import UUID

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Router, Schema
from ninja.files import UploadedFile

from kardo.core.accuracy.change.advice import Promise
from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.book.done import StillToDo, still_to_do
from kardo.core.book.enough import enough
from kardo.core.book.entries import Book, Entry
from kardo.core.errors import KardoError, PlanError
from kardo.core.plan.model import Plan
from kardo.formats.picture import MAX_BYTES
from kardo.server.access import job_of, person_of
from kardo.server.actions.recompute import ask_for_closed, ask_for_done
from kardo.server.actions.write_book import keep_picture, take
from kardo.server.book.models import Attachment
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import whole_plan
from kardo.server.questions.answers import promise_of
from kardo.server.questions.book import book, done_plans
from kardo.server.uploads import upload_of

router = Router(tags=["book"])


class Sent(Schema):
    """Entries of one device, as often as it likes; now is its clock as it sends them."""

    now: datetime
    entries: list[dict[str, Any]]


class Taken(Schema):
    """The ids that are kept now, and what is told of the device's clock."""

    kept: list[str]
    clock: str


class Kept(Schema):
    """An entry with when it was received, and how far its device's clock was ahead, in seconds."""

    entry: Entry
    received: datetime
    clock_off_s: float
    stands: bool


class BookOut(Schema):
    """The book; what may be expected of what was done, with the rest as planned, and if the crew left now (None while
    it is computed); whether that is enough, in a sentence; and what is still to do."""

    entries: list[Kept]
    done: Promise | None
    leaving: Promise | None
    enough: str
    left: StillToDo


@router.post("/{job_id}/book", response=Taken)
def write_book(request: HttpRequest, job_id: UUID, body: Sent) -> Taken:
    """Take entries: each once, in any order. All or nothing: a refused one is named, and nothing of the request is
    kept."""
    if body.now.tzinfo is None:
        raise PlanError(
            "The device's clock does not say its offset from UTC.", where="now", mend="Send it with an offset."
        )
    with transaction.atomic():
        job = job_of(request, job_id, Job.objects.select_related("organisation").select_for_update(of=("self",)))
        clock = take(job, body.entries, body.now, person_of(request))
        plan = whole_plan(job)
        ask_for_done(job, plan)
        ask_for_closed(job, plan)
    return Taken(kept=[str(e["id"]) for e in body.entries], clock=clock)


class Picture(Schema):
    """A picture that is kept: what an entry names it by."""

    digest: str


@router.post("/{job_id}/pictures", response=Picture)
def keep_a_picture(request: HttpRequest, job_id: UUID, file: File[UploadedFile]) -> Picture:
    """Keep a picture, once however often it is sent; an entry names it by its digest."""
    data, _ = upload_of(file, MAX_BYTES)
    with transaction.atomic():
        job = job_of(request, job_id, Job.objects.select_related("organisation").select_for_update(of=("self",)))
        return Picture(digest=keep_picture(job, data, person_of(request)))


@router.get("/{job_id}/pictures/{digest}")
def show_picture(request: HttpRequest, job_id: UUID, digest: str) -> HttpResponse:
    """A picture as it came. Never changes: the digest names its bytes."""
    found = get_object_or_404(Attachment, job=job_of(request, job_id), digest=digest)
    response = HttpResponse(bytes(found.body), content_type=found.kind)
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


@router.get("/{job_id}/book", response=BookOut)
def read_book(request: HttpRequest, job_id: UUID) -> BookOut:
    """The whole book, and the third answer."""
    job = job_of(request, job_id)
    plan, written = whole_plan(job), book(job)
    if not written.entries:
        return BookOut(entries=[], done=None, leaving=None, enough="", left=still_to_do(plan, written))
    stands = {e.id for e in written.valid_entries}
    rows = {str(row.uid): row for row in job.book_entries.all()}
    entries = [
        Kept(entry=e, received=rows[e.id].received, clock_off_s=rows[e.id].clock_off_s, stands=e.id in stands)
        for e in written.entries
    ]
    done, leaving, lack = _promises(job, plan, written)
    left = still_to_do(plan, written)
    return BookOut(entries=entries, done=done, leaving=leaving, enough=enough(plan, left, leaving, lack), left=left)


def _promises(job: Job, plan: Plan, written: Book) -> tuple[Promise | None, Promise | None, str]:
    """Of the plan as done with the rest as planned, and if the crew left now; or what is lacking for the latter."""
    try:
        done, leaving = done_plans(plan, written)
    except KardoError as fault:
        return None, None, f"{fault.what} {fault.mend}".strip()
    if lacks := missing(leaving):
        return promise_of(job, done)[0], None, lacks[0][1]
    return promise_of(job, done)[0], *promise_of(job, leaving)
