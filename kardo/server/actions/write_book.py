"""Write entries and pictures into the book of a job."""

import hashlib
from datetime import datetime
from uuid import UUID

from django.contrib.auth.models import User
from django.utils import timezone

from kardo.core.arrays import Json
from kardo.core.book.entries import entry_from_json
from kardo.core.errors import PlanError
from kardo.formats.picture import picture_kind
from kardo.server.access import require_open
from kardo.server.book.models import Attachment, BookEntry
from kardo.server.jobs.models import Job

MOST_ENTRIES = 20_000  # of a job
MOST_AT_ONCE = 500
MOST_PICTURES = 500  # of a job
YEARS = range(1980, 2100)  # a clock that lost its battery begins at 1980, or 2000
OFF_S = 120.0  # seconds by which a device's clock may be off before it is told


def take(job: Job, sent: list[Json], now: datetime, sender: User) -> str:
    """Keep the entries that are not kept yet; what is told of the device's clock, which says now. Raises PlanError for
    one that is none, and for one whose id was taken before by another that says something else: nothing of the request
    is kept then."""
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
    _require_of_this_time([(now, "now"), *((e.moment, e.id) for e in fresh)])
    _require_pictures(job, {digest for e in fresh for digest in e.attachments})
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


def _require_of_this_time(moments: list[tuple[datetime, str]]) -> None:
    """Raises PlanError for a date that no clock in the field can mean, however wrong it is set."""
    for moment, where in moments:
        if moment.year not in YEARS:
            raise PlanError(
                f"The year {moment.year} is not one of this book.",
                where=where,
                mend="Set the device's clock; what was written stays on it until then.",
            )


def _require_pictures(job: Job, digests: set[str]) -> None:
    """Raises PlanError for a picture that an entry names and that did not come: devices send pictures first."""
    missing = digests - set(job.attachments.filter(digest__in=digests).values_list("digest", flat=True))
    if missing:
        raise PlanError(
            "A picture that an entry names is not here.", where=min(missing)[:12], mend="Send the picture first."
        )


def keep_picture(job: Job, data: bytes, sender: User) -> str:
    """Keep a picture of a job that is held for this transaction, once; its digest. Raises ReadError, PlanError."""
    kind, digest = picture_kind(data), hashlib.sha256(data).hexdigest()
    if job.attachments.filter(digest=digest).exists():
        return digest
    require_open(job)
    if job.attachments.count() >= MOST_PICTURES:
        raise PlanError(f"A job keeps up to {MOST_PICTURES} pictures.", where="book")
    Attachment.objects.create(job=job, digest=digest, kind=kind, body=data, size=len(data), sender=sender)
    return digest


def _clock_words(off_s: float) -> str:
    """What is told of a device's clock; empty where it is right enough."""
    if abs(off_s) < OFF_S:
        return ""
    return (
        f"This device's clock is {abs(off_s) / 60:.0f} min {'fast' if off_s > 0 else 'slow'}: set it, or times in the"
        " book will not fit."
    )
