"""Close over the API: residuals in, verdict and comparison out, the block shift, the report and its signature."""

from collections.abc import Callable
from datetime import datetime
from pathlib import PurePath
from typing import Literal
from uuid import UUID

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Form, Router, Schema
from ninja.files import UploadedFile

from kardo.core.close.against import Against
from kardo.core.close.closed import as_closed
from kardo.core.close.closing import BlockShift, Closing, ResidualSet, Waiver, with_set
from kardo.core.close.record import BudgetLine, FindingLine, Promised, ResidualLine, faults, record_from_json
from kardo.core.close.shift import ShiftPreview, backwards, marks_here, preview, shift_by
from kardo.core.close.verdict import ClosedVerdict
from kardo.core.errors import PlanError
from kardo.core.parts import validated
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Mark
from kardo.core.policy.policy import catalogue
from kardo.formats.coordinates import MAX_BYTES as MAX_POSITIONS
from kardo.formats.positions import shifted_points, shifted_positions
from kardo.formats.report import MOST_BYTES, html_report, pdf_report, read_report
from kardo.formats.residuals import MAX_BYTES, MEANS, Axes, ResidualReading, read_residuals
from kardo.server.access import frozen_words, job_of, name_of, paper_of, person_of
from kardo.server.actions.change_closing import change
from kardo.server.actions.recompute import ask_for_closed
from kardo.server.actions.sign import key_of, reopen, require_signer, sign
from kardo.server.closeout.models import SignedReport
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import stored_plan, whole_plan
from kardo.server.questions.close_results import SHOWN, came_of, record_of
from kardo.server.questions.closing import Documents, documents_of
from kardo.server.uploads import upload_of

router = Router(tags=["close"])
checking = Router(tags=["close"])


class ReportLine(Schema):
    """A signed report: who signed what and when, the key that sealed it; who opened the job again and why."""

    id: UUID
    at: datetime
    by: str
    certified: str
    revision: int
    fingerprint: str
    reopened: str


class CloseOut(Schema):
    """The closing and what came of it. revision is the closing's own, to be sent with the next step."""

    revision: int
    closing: Closing
    frozen: str
    may_sign: bool
    key: str
    book_kept: bool
    state: str
    words: str
    promised: list[Promised]
    residuals: list[ResidualLine]
    verdict: ClosedVerdict | None
    against: Against | None
    shift: ShiftPreview | None
    marks_here: list[Mark]
    blind: list[str]
    budget: list[BudgetLine]
    findings: list[FindingLine]
    contradictions: list[str]
    reports: list[ReportLine]


def _answer(request: HttpRequest, job: Job, held: Documents) -> CloseOut:
    came = came_of(job, held)
    return CloseOut(
        **{name: getattr(came, name) for name in SHOWN},
        revision=held.revision,
        closing=held.closing,
        frozen=frozen_words(job),
        may_sign=person_of(request).member.may("sign"),
        key=key_of(job.organisation),
        book_kept=bool(held.book.entries),
        marks_here=marks_here(held.plan),
        reports=[_line(r) for r in job.reports.defer("pdf", "html").select_related("reopened_by")],
    )


def _line(report: SignedReport) -> ReportLine:
    record = record_from_json(report.record)
    assert record.signed is not None
    return ReportLine(
        id=report.id,
        at=report.at,
        by=record.signed.by,
        certified=record.signed.certified,
        revision=record.revision,
        fingerprint=report.fingerprint,
        reopened=_opened(report),
    )


def _opened(report: SignedReport) -> str:
    """Who opened the job again, when and why; empty where nobody did."""
    who = report.reopened_by
    if report.reopened_at is None:
        return ""
    name = "somebody" if who is None else name_of(who)
    return f"opened again {report.reopened_at:%Y-%m-%d %H:%M} UTC by {name}: {report.reason}"


def _held_job(request: HttpRequest, job_id: UUID) -> Job:
    """The job for this transaction alone."""
    return job_of(request, job_id, Job.objects.select_for_update(of=("self",)).select_related("organisation"))


@router.get("/{job_id}/close", response=CloseOut)
def show_close(request: HttpRequest, job_id: UUID) -> CloseOut:
    """The closing and what came of it, as far as it is computed."""
    job = job_of(request, job_id)
    return _answer(request, job, documents_of(job))


@router.post("/{job_id}/close/read", response=ResidualReading)
def read_file(
    request: HttpRequest,
    job_id: UUID,
    file: File[UploadedFile | None] = None,
    text: Form[str] = "",
    means: Form[str] = "",
    unit: Form[str] = "",
    turned: Form[bool] = False,
    axes: Form[Axes] = "",
) -> ResidualReading:
    """How a file of residuals is understood, or a pasted one; means names what each column is taken for, parted by
    commas, where the user said so. Nothing is saved."""
    plan = stored_plan(job_of(request, job_id))
    data = upload_of(file, MAX_BYTES)[0] if file else text.encode()
    said = tuple(m if m in MEANS else "" for m in means.split(",")) if means else None
    return read_residuals(data, plan, said, unit, turned, axes)


class Residuals(Schema):
    """A set of residuals to be judged."""

    revision: int
    taken: ResidualSet


@router.post("/{job_id}/close/residuals", response=CloseOut)
def take_residuals(request: HttpRequest, job_id: UUID, body: Residuals) -> CloseOut:
    """Judge this set; earlier ones stay on record."""

    return _changed(request, job_id, body.revision, lambda held: with_set(held.plan, held.closing, body.taken))


@router.post("/{job_id}/close/shift/preview", response=ShiftPreview)
def preview_shift(request: HttpRequest, job_id: UUID, body: BlockShift) -> ShiftPreview:
    """What a block shift would do. Nothing is saved."""
    held = documents_of(job_of(request, job_id))
    plain = held.closing.model_copy(update={"shift": None})
    return preview(as_closed(held.plan, held.book, plain), body, held.closing.judged)


class ShiftStep(Schema):
    """A block shift to be applied; null takes it back."""

    revision: int
    shift: BlockShift | None


@router.post("/{job_id}/close/shift", response=CloseOut)
def apply_shift(request: HttpRequest, job_id: UUID, body: ShiftStep) -> CloseOut:
    """Apply a block shift as a step of its own, or take it back."""

    def with_shift(held: Documents) -> Closing:
        if body.shift is not None:
            plain = held.closing.model_copy(update={"shift": None})
            preview(as_closed(held.plan, held.book, plain), body.shift, held.closing.judged)
        return held.closing.model_copy(update={"shift": body.shift})

    return _changed(request, job_id, body.revision, with_shift)


class ShiftedFile(Schema):
    """Photo positions before and after: the file's name, its text (CSV), and how many."""

    name: str
    text: str
    count: int


def _applied(held: Documents) -> tuple[Plan, BlockShift]:
    """The plan as done before the shift that is applied, and the shift. Raises PlanError where none is."""
    shift = held.closing.shift
    if shift is None:
        raise PlanError("No shift is applied.", where="Close, mend", mend="Apply it first.")
    return as_closed(held.plan, held.book, held.closing.model_copy(update={"shift": None})), shift


@router.post("/{job_id}/close/shift/positions", response=ShiftedFile)
def shift_positions(
    request: HttpRequest, job_id: UUID, file: File[UploadedFile], back: Form[bool] = False
) -> ShiftedFile:
    """Photo positions moved by the shift that is applied, or back from it: CSV before and after. Nothing is saved."""
    plan, shift = _applied(documents_of(job_of(request, job_id)))
    data, name = upload_of(file, MAX_POSITIONS)
    by = shift_by(plan, shift)
    text, count = shifted_positions(plan, data.decode("utf-8", "replace"), backwards(by) if back else by)
    return ShiftedFile(name=f"{PurePath(name).stem[:80]}-{'back' if back else 'shifted'}.csv", text=text, count=count)


@router.get("/{job_id}/close/shift/points.csv")
def list_shifted_points(request: HttpRequest, job_id: UUID) -> HttpResponse:
    """Targets and checks before the shift that is applied and after it, each moved by as much as it rests on the
    base."""
    held = documents_of(job_of(request, job_id))
    plan, shift = _applied(held)
    text = shifted_points(plan, preview(plan, shift, held.closing.judged))
    response = HttpResponse(text, content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="points-shifted.csv"'
    return response


class Waived(Schema):
    """A finding and why it is accepted; an empty reason takes that back."""

    revision: int
    rule: str
    object: str
    reason: str
    words: str = ""


@router.post("/{job_id}/close/waiver", response=CloseOut)
def waive(request: HttpRequest, job_id: UUID, body: Waived) -> CloseOut:
    """Accept a finding with a reason, or no longer; of a rule that is a stop, for those who may sign."""
    job_of(request, job_id)
    entry = catalogue().get(body.rule)
    if entry is None:
        raise PlanError(f"There is no rule “{body.rule[:60]}”.", where="findings", mend="Load the findings again.")
    if entry.waives == "signer":
        require_signer(person_of(request))

    def with_waiver(held: Documents) -> Closing:
        others = tuple(
            w
            for w in held.closing.waivers
            if (w.rule, w.object) != (body.rule, body.object) or (not body.object and w.words not in ("", body.words))
        )
        if not body.reason.strip():
            return held.closing.model_copy(update={"waivers": others})
        words = {"rule": body.rule, "object": body.object, "reason": body.reason.strip(), "words": body.words[:600]}
        words |= {"by": name_of(person_of(request))}
        words |= {"at": timezone.now().isoformat(timespec="seconds")}
        return held.closing.model_copy(update={"waivers": (*others, validated(Waiver, words, "waiver"))})

    return _changed(request, job_id, body.revision, with_waiver)


def _changed(request: HttpRequest, job_id: UUID, revision: int, to: Callable[[Documents], Closing]) -> CloseOut:
    with transaction.atomic():
        job = _held_job(request, job_id)
        held = change(job, revision, person_of(request), to)
    return _answer(request, job, held)


@router.post("/{job_id}/close/compute", response=CloseOut)
def compute(request: HttpRequest, job_id: UUID) -> CloseOut:
    """Start what the residuals are held against, also again after it failed."""
    job = job_of(request, job_id)
    ask_for_closed(job, whole_plan(job), again=True)
    return _answer(request, job, documents_of(job))


class Certified(Schema):
    """What is certified, in the signer's own words."""

    certified: str


class Reopening(Schema):
    """Why a signed job is opened again."""

    reason: str


@router.post("/{job_id}/close/sign", response=CloseOut)
def sign_off(request: HttpRequest, job_id: UUID, body: Certified) -> CloseOut:
    """Sign: plan, book and closing are frozen, the report over them is sealed and kept."""
    with transaction.atomic():
        job = _held_job(request, job_id)
        sign(job, person_of(request), body.certified)
    return _answer(request, job, documents_of(job))


@router.post("/{job_id}/close/reopen", response=CloseOut)
def open_again(request: HttpRequest, job_id: UUID, body: Reopening) -> CloseOut:
    """Open a signed job again; the report stays."""
    with transaction.atomic():
        job = _held_job(request, job_id)
        reopen(job, person_of(request), body.reason)
    return _answer(request, job, documents_of(job))


KINDS = {"pdf": "application/pdf", "html": "text/html; charset=utf-8"}


@router.get("/{job_id}/close/report.{kind}")
def draft(request: HttpRequest, job_id: UUID, kind: Literal["pdf", "html"]) -> HttpResponse:
    """The report as it would be signed now: a draft."""
    job = job_of(request, job_id)
    record = record_of(job, documents_of(job), timezone.now(), None)
    drawn = pdf_report(record, paper=paper_of(request)) if kind == "pdf" else html_report(record)
    return _file(drawn, f"draft.{kind}", kind)


@router.get("/{job_id}/close/reports/{report_id}.{kind}")
def signed_report(request: HttpRequest, job_id: UUID, report_id: UUID, kind: Literal["pdf", "html"]) -> HttpResponse:
    """A report as it was signed."""
    report = get_object_or_404(SignedReport, job=job_of(request, job_id), pk=report_id)
    return _file(bytes(getattr(report, kind)), f"report-{report.at:%Y-%m-%d}.{kind}", kind)


def _file(body: bytes, name: str, kind: str) -> HttpResponse:
    response = HttpResponse(body, content_type=KINDS[kind])
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


class Checked(Schema):
    """A report that was not altered: of what, who signed it and when, and whether the seal is this organisation's."""

    title: str
    revision: int
    signed: str
    certified: str
    fingerprint: str
    own: bool


@checking.post("/verify", response=Checked)
def check_report(request: HttpRequest, file: File[UploadedFile]) -> Checked:
    """Whether a report was altered since it was signed."""
    record, key = read_report(upload_of(file, MOST_BYTES)[0])
    if found := faults(record):
        raise PlanError(found[0], where=file.name or "report", mend="Ask for the report as it was signed.")
    if record.signed is None:
        raise PlanError("Nobody has signed this report.", where=file.name or "report")
    return Checked(
        title=record.title,
        revision=record.revision,
        signed=f"{record.signed.by}, {record.signed.at[:16]} UTC",
        certified=record.signed.certified,
        fingerprint=key,
        own=key == key_of(person_of(request).member.organisation),
    )
