"""Keeping the closing of a job, and asking for what its residuals are held against."""

from collections.abc import Callable
from dataclasses import dataclass
from uuid import UUID

from django.contrib.auth.models import AbstractBaseUser

from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.arrays import Json
from kardo.core.book.entries import Book
from kardo.core.close.closed import as_closed
from kardo.core.close.closing import Closing, closing_from_json
from kardo.core.errors import KardoError, PlanError
from kardo.core.parts import to_json
from kardo.core.plan.model import Plan
from kardo.server.access import require_open
from kardo.server.book.keeping import book
from kardo.server.closeout.models import JobClosing
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import whole_plan
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import request_computation


@dataclass(frozen=True)
class Documents:
    """The three documents of a job as they are kept, the plan with its ground; and the closing's revision."""

    plan: Plan
    book: Book
    closing: Closing
    revision: int


def documents_of(job: Job) -> Documents:
    """What is kept of a job."""
    closing, revision = closing_of(job)
    return Documents(whole_plan(job), book(job), closing, revision)


def closing_of(job: Job | UUID) -> tuple[Closing, int]:
    """The closing of a job, or of one by its id, and its revision."""
    row = JobClosing.objects.filter(job=job).first()
    return closing_from_json(row.document) if row and row.document else Closing(), row.revision if row else 0


def change(job: Job, based_on: int, author: AbstractBaseUser, to: Callable[[Documents], Closing]) -> Documents:
    """Put another closing in the place of the one that is kept, for a job that is held for this transaction. Raises PlanError for a
    frozen job, and where somebody changed the closing since."""
    require_open(job)
    row, _ = JobClosing.objects.select_for_update().get_or_create(job=job)
    if row.revision != based_on:
        raise PlanError(
            "Somebody else has changed the closing meanwhile.",
            where="Close",
            mend="Look at it as it is now, then repeat.",
        )
    held = documents_of(job)
    closing = to(held)
    row.document, row.revision, row.saved_by = to_json(closing), row.revision + 1, author
    row.save()
    ask_for_closed(job, held.plan)
    return Documents(held.plan, held.book, closing, row.revision)


def ask_for_closed(job: Job, plan: Plan, again: bool = False) -> None:
    """Have what the residuals are held against computed, as far as anything can be."""
    row: Json | None = JobClosing.objects.filter(job=job).values_list("document", flat=True).first()
    if not row:
        return
    try:
        closing = closing_from_json(row)
        if closing.judged is None and closing.shift is None:
            return  # findings were waived, and nothing came of the job yet
        closed = as_closed(plan, book(job), closing)
    except KardoError:
        return  # told when the closing is asked for
    if missing(closed):
        return
    Job.objects.filter(pk=job.pk).update(closed_hash=closed.hash)
    for kind in (Computation.Kind.PREDICTION, Computation.Kind.CHECKS):
        request_computation(job, closed, kind, again)
