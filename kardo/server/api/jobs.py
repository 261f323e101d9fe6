"""Jobs: list, create, open, remove; and the catalogues a job chooses from."""

from contextlib import suppress
from datetime import datetime, timedelta
from uuid import UUID

from django.http import HttpRequest
from django.utils import timezone
from ninja import File, Router, Schema, Status
from ninja.files import UploadedFile

from kardo.core.accuracy.change.advice import JobPromise
from kardo.core.arrays import Json
from kardo.core.errors import KardoError, PlanError, ReadError
from kardo.core.parts import validated
from kardo.core.plan.brief import Brief
from kardo.core.plan.library import new_plan
from kardo.core.plan.model import plan_from_json
from kardo.core.plan.sketch import Sketch
from kardo.formats.json_text import json_of
from kardo.server.access import job_of, organisation_of, person_of
from kardo.server.actions.edit_plan import create_job
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import bring_up_to_date, whole_plan
from kardo.server.questions.answers import promises_of

router = Router(tags=["jobs"])
catalogues = Router(tags=["catalogues"])
MAX_PLAN_BYTES = 12_000_000
KEPT_IN_ARCHIVE = timedelta(days=30)


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


def _line(job: Job, promise: Json | None = None) -> JobLine:
    who = job.saved_by
    told = {
        **{name: getattr(job, name) for name in ("id", "title", "saved_at", "revision", "demo", "drawing")},
        "saved_by": "" if who is None else who.first_name or who.username,
        "archived": job.archived_at is not None,
        "promise": promise,
    }
    return JobLine.model_validate(told)


@router.get("", response=list[JobLine])
def list_jobs(request: HttpRequest, archived: bool = False) -> list[JobLine]:
    """The organisation's jobs, or those that it put away, the last changed first."""
    own = Job.objects.filter(organisation=organisation_of(request), archived_at__isnull=not archived)
    jobs = list(own.defer("document").select_related("saved_by", "organisation"))
    for job in jobs:
        if job.drawing is None:  # of an earlier Kardo; one that cannot be read any more must not hide the others
            with suppress(KardoError):
                bring_up_to_date(job)
    return [_line(job, known) for job, known in zip(jobs, promises_of(jobs), strict=True)]


@router.post("", response={201: JobLine})
def new_job(request: HttpRequest, body: NewJob) -> Status[JobLine]:
    """An empty job."""
    brief = validated(Brief, {"title": body.title.strip()[:120] or "Untitled job"}, "job")
    return Status(201, _line(create_job(organisation_of(request), person_of(request), new_plan(brief.title))))


@router.post("/import", response={201: JobLine})
def import_plan(request: HttpRequest, file: File[UploadedFile]) -> Status[JobLine]:
    """A job from a Kardo plan."""
    if (file.size or 0) > MAX_PLAN_BYTES:
        raise ReadError("The plan is larger than 12 MB.", where=file.name or "file", mend="Use a coarser terrain.")
    data = json_of(file.read(), MAX_PLAN_BYTES, "plan")
    return Status(201, _line(create_job(organisation_of(request), person_of(request), plan_from_json(data))))


@router.post("/{job_id}/like", response={201: JobLine})
def new_job_like(request: HttpRequest, job_id: UUID, body: NewJob) -> Status[JobLine]:
    """A new job with all that another has planned, under a title of its own."""
    own = job_of(request, job_id)
    plan = whole_plan(own)
    brief = validated(Brief, plan.brief.model_dump() | {"title": body.title.strip()[:120] or plan.brief.title}, "job")
    plan = plan.model_copy(update={"brief": brief})
    return Status(201, _line(create_job(organisation_of(request), person_of(request), plan, like=own)))


@router.post("/{job_id}/archive", response=JobLine)
def archive_job(request: HttpRequest, job_id: UUID, body: Archived) -> JobLine:
    """Put a job away, or fetch it back; nothing of it changes."""
    job = job_of(request, job_id)
    job.archived_at = timezone.now() if body.archived else None
    Job.objects.filter(pk=job.pk).update(archived_at=job.archived_at)
    return _line(job)


@router.delete("/{job_id}", response={204: None})
def remove_job(request: HttpRequest, job_id: UUID, title: str = "") -> Status[None]:
    """Delete an archived job for ever: one that has lain in the archive for 30 days, or whose title is typed."""
    job = job_of(request, job_id)
    if job.archived_at is None:
        raise PlanError("Only an archived job can be deleted.", where="job", mend="Archive it first.")
    if title.strip() != job.title and timezone.now() - job.archived_at < KEPT_IN_ARCHIVE:
        raise PlanError(
            "The job has not lain in the archive for 30 days.", where="job", mend="Type its title to delete it now."
        )
    if job.reports.exists():
        raise PlanError("A job with signed reports stays.", where="job", mend="Leave it in the archive.")
    job.delete()
    return Status(204, None)
