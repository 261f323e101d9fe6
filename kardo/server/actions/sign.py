"""Sign-off: plan, book and closing are frozen at a revision, and the report over them is sealed and kept."""

from typing import cast

from django.conf import settings
from django.contrib.auth.models import User
from django.utils import timezone
from django.utils.crypto import salted_hmac

from kardo.core.close.record import RECORD, Signed
from kardo.core.errors import PlanError
from kardo.formats.documents import Paper
from kardo.formats.report import html_report, pdf_report
from kardo.formats.seal import fingerprint_of
from kardo.server.access import name_of, require_open
from kardo.server.accounts.models import Organisation
from kardo.server.closeout.models import SignedReport
from kardo.server.jobs.models import Job
from kardo.server.questions.close_results import record_of
from kardo.server.questions.closing import documents_of

LEAST_WORDS, MOST_WORDS = 20, 1000  # letters of what is certified


def seed_of(organisation: Organisation) -> bytes:
    """The seed of the key that seals an organisation's reports: made from this installation's secret, so that nothing
    more has to be kept safe than that."""
    return salted_hmac(
        "kardo.report", f"organisation {organisation.pk}", secret=settings.SECRET_KEY, algorithm="sha256"
    ).digest()


def key_of(organisation: Organisation) -> str:
    """The fingerprint of an organisation's key."""
    return fingerprint_of(seed_of(organisation))


def require_signer(user: User) -> None:
    """Raises PlanError for somebody who may not sign."""
    if not user.member.may("sign"):
        raise PlanError(
            "You may not sign for this organisation.",
            where="Close, report",
            mend="Ask a member who may; whoever keeps the accounts says who that is.",
        )


def sign(job: Job, user: User, certified: str) -> SignedReport:
    """Sign a job that is held for this transaction, and freeze it. Raises PlanError where it is not ready."""
    require_signer(user)
    require_open(job)
    words = " ".join(certified.split())
    if not LEAST_WORDS <= len(words) <= MOST_WORDS:
        raise PlanError(
            "What is certified is not said.",
            where="Close, report",
            mend=f"Type in your own words what you certify, {LEAST_WORDS} to {MOST_WORDS:,} letters.",
        )
    now = timezone.now()
    seed = seed_of(job.organisation)
    name = name_of(user)
    signed = Signed(name, now.isoformat(timespec="seconds"), words, fingerprint_of(seed))
    record = record_of(job, documents_of(job), now, signed)
    open_ = [f.words for f in record.findings if f.severity == "stop" and not f.waived]
    if open_:
        raise PlanError(
            f"A finding of the gravest kind stands open: {open_[0]}",
            where="Close, report",
            mend="Mend it, or waive it with a reason.",
        )
    report = SignedReport.objects.create(
        job=job,
        at=now,
        by=user,
        record=RECORD.dump_python(record, mode="json"),
        pdf=pdf_report(record, seed, cast(Paper, job.organisation.paper)),
        html=html_report(record, seed),
        fingerprint=fingerprint_of(seed),
    )
    job.frozen_at = now
    Job.objects.filter(pk=job.pk).update(frozen_at=now)
    return report


def reopen(job: Job, user: User, reason: str) -> None:
    """Open a signed job again; its report stays as it is, with who did so and why. Raises PlanError."""
    require_signer(user)
    report = job.reports.filter(reopened_at=None).first()
    if job.frozen_at is None or report is None:
        raise PlanError("The job is open.", where="Close, report")
    if len(reason.strip()) < 3:
        raise PlanError("No reason is given.", where="Close, report", mend="Say why it is opened again.")
    report.reopened_at, report.reopened_by, report.reason = timezone.now(), user, reason.strip()[:500]
    report.save(update_fields=["reopened_at", "reopened_by", "reason"])
    job.frozen_at = None
    Job.objects.filter(pk=job.pk).update(frozen_at=None)
