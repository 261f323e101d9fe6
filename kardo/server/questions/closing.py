"""The closing of a job, and the documents that are kept of it."""

from dataclasses import dataclass
from uuid import UUID

from kardo.core.book.entries import Book
from kardo.core.close.closing import Closing, closing_from_json
from kardo.core.plan.model import Plan
from kardo.server.closeout.models import JobClosing
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import whole_plan
from kardo.server.questions.book import book


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
