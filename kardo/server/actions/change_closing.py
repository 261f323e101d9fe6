"""Put another closing in the place of the one that is kept of a job."""

from collections.abc import Callable

from django.contrib.auth.models import User

from kardo.core.close.closing import Closing
from kardo.core.errors import PlanError
from kardo.core.parts import to_json
from kardo.server.access import require_open
from kardo.server.actions.recompute import ask_for_closed
from kardo.server.closeout.models import JobClosing
from kardo.server.jobs.models import Job
from kardo.server.questions.closing import Documents, documents_of


def change(job: Job, based_on: int, author: User, to: Callable[[Documents], Closing]) -> Documents:
    """Put another closing in the place of the one that is kept, for a job that is held for this transaction. Raises
    PlanError for a frozen job, and where somebody changed the closing since."""
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
