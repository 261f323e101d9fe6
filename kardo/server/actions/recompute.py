"""Ask anew for what is computed of a job: of its plan, of what was done, of how it was closed."""

from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.arrays import Json
from kardo.core.close.closed import as_closed
from kardo.core.close.closing import closing_from_json
from kardo.core.errors import KardoError
from kardo.core.plan.model import Plan
from kardo.server.closeout.models import JobClosing
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import with_ground
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import request_computation
from kardo.server.questions.book import book, done_plans


def recompute(job: Job, plan: Plan) -> None:
    """Every edit asks for the prediction of what it made, unless the plan still lacks something; and where there is a
    book, of what it makes of what was done, and of how it was closed."""
    if not missing(plan):
        request_computation(job, plan)
    if job.done_hash or job.closed_hash:
        whole = with_ground(job.pk, plan)
        ask_for_done(job, whole)
        ask_for_closed(job, whole)


def ask_for_done(job: Job, plan: Plan) -> None:
    """Have the plan as done predicted, both ways, as far as anything can be."""
    written = book(job)
    if not written.entries:
        return
    try:
        done, leaving = done_plans(plan, written)
    except KardoError:
        return  # told when the book is asked for
    Job.objects.filter(pk=job.pk).update(done_hash=done.hash, leaving_hash=leaving.hash)
    for one in (done, leaving):
        if not missing(one):
            request_computation(job, one)


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
