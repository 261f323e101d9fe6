"""The book of a job, and what it makes of its plan."""

from kardo.core.book.done import as_done
from kardo.core.book.enough import if_left_now
from kardo.core.book.entries import Book, book_of, entry_from_json
from kardo.core.plan.model import Plan
from kardo.server.jobs.models import Job


def book(job: Job) -> Book:
    """The book of a job."""
    return book_of(entry_from_json(e) for e in job.book_entries.values_list("entry", flat=True))


def visit_under_way(plan: Plan, written: Book) -> str:
    """The visit that the last entry belongs to, or the plan's first."""
    if written.entries:
        return written.entries[-1].visit
    return plan.visits[0].id if plan.visits else ""


def done_plans(plan: Plan, written: Book) -> tuple[Plan, Plan]:
    """The plan as done with the rest as planned, and as it would be done if the crew left now. Raises PlanError."""
    return as_done(plan, written), as_done(plan, if_left_now(written, visit_under_way(plan, written)))
