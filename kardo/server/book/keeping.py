"""Taking entries, and asking for what may be expected of what was done."""

import hashlib
from datetime import datetime
from uuid import UUID

from django.contrib.auth.models import AbstractBaseUser
from django.utils import timezone

from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.book.done import as_done
from kardo.core.book.enough import if_left_now
from kardo.core.book.entries import Book, book_of, entry_from_json
from kardo.core.errors import KardoError, PlanError
from kardo.core.plan.model import Plan
from kardo.formats.picture import picture_kind
from kardo.server.access import require_open
from kardo.server.book.models import Attachment, BookEntry
from kardo.server.jobs.models import Job
from kardo.server.predictions.tasks import request_computation

MOST_ENTRIES = 20_000  # of a job
MOST_AT_ONCE = 500
MOST_PICTURES = 500  # of a job
OFF_S = 120.0  # seconds by which a device's clock may be off before it is told


def take(job: Job, sent: list[dict], now: datetime, sender: AbstractBaseUser) -> str:
    """Keep the entries that are not kept yet; what is told of the device's clock, which says now. Raises PlanError for one that is none, and for one whose id was taken before by another
    that says something else: nothing of the request is kept then."""
    if len(sent) > MOST_AT_ONCE:
        raise PlanError(f"Up to {MOST_AT_ONCE} entries are taken at once.", where="entries", mend="Send them in parts.")
    entries = {e.id: e for e in map(entry_from_json, sent)}
    kept = dict(job.book_entries.filter(uid__in=[UUID(key) for key in entries]).values_list("uid", "entry"))
    for key, entry in entries.items():
        known = kept.get(UUID(key))
        if known is not None and entry_from_json(known) != entry:
            raise PlanError(
                "An entry of this id was taken before, and says something else.",
                where=key,
                mend="Write a new one that corrects it.",
            )
    fresh = [e for key, e in entries.items() if UUID(key) not in kept]
    if fresh:
        require_open(job)
    if job.book_entries.count() + len(fresh) > MOST_ENTRIES:
        raise PlanError(f"A book holds up to {MOST_ENTRIES:,} entries.", where="book")
    off = (now - timezone.now()).total_seconds()
    rows = [
        BookEntry(job=job, uid=UUID(e.id), entry=e.model_dump(mode="json"), sender=sender, clock_off_s=off)
        for e in fresh
    ]
    BookEntry.objects.bulk_create(rows, ignore_conflicts=True)
    return _clock_words(off)


def keep_picture(job: Job, data: bytes, sender: AbstractBaseUser) -> str:
    """Keep a picture of a job that is held for this transaction, once; its digest. Raises ReadError, PlanError."""
    kind, digest = picture_kind(data), hashlib.sha256(data).hexdigest()
    if job.attachments.filter(digest=digest).exists():
        return digest
    require_open(job)
    if job.attachments.count() >= MOST_PICTURES:
        raise PlanError(f"A job keeps up to {MOST_PICTURES} pictures.", where="book")
    Attachment.objects.create(job=job, digest=digest, kind=kind, body=data, size=len(data), sender=sender)
    return digest


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


def _clock_words(off_s: float) -> str:
    """What is told of a device's clock; empty where it is right enough."""
    if abs(off_s) < OFF_S:
        return ""
    return f"This device's clock is {abs(off_s) / 60:.0f} min {'fast' if off_s > 0 else 'slow'}: set it, or times in the book will not fit."
