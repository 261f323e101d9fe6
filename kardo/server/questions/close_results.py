"""What came of a job, as far as it is computed."""

from dataclasses import dataclass, field, fields
from datetime import datetime
from typing import Any

from kardo.core.accuracy.figures.results import ENGINE, Result, Undetermined
from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.accuracy.jointly import JointChecks
from kardo.core.close.against import Against, against, said_of
from kardo.core.close.closed import as_closed, contradictions
from kardo.core.close.record import (
    BudgetLine,
    FindingLine,
    Promised,
    Record,
    ResidualLine,
    Signed,
    documents,
    finding_lines,
    residual_lines,
)
from kardo.core.close.shift import ShiftPreview, preview, residuals_now
from kardo.core.close.verdict import ClosedVerdict, verdict
from kardo.core.day.cautions import cautions
from kardo.core.errors import KardoError, PlanError
from kardo.core.plan.model import Plan
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.words import result_text
from kardo.server.jobs.models import Job
from kardo.server.predictions.kinds import KINDS
from kardo.server.predictions.models import WAITING, Computation
from kardo.server.questions.closing import Documents


@dataclass(frozen=True)
class ClosedJob:
    """What came of a job: the plan as closed, what was promised (planned, then as done), residuals after any block
    shift, verdict, comparison, and in words what the checks are blind to and what contradicts the book. state: lacking
    (says why in words), none (nobody asked), queued, running, done or failed."""

    state: str
    words: str
    closed: Plan | None = None
    promised: list[Promised] = field(default_factory=list)
    residuals: list[ResidualLine] = field(default_factory=list)
    verdict: ClosedVerdict | None = None
    against: Against | None = None
    shift: ShiftPreview | None = None
    blind: list[str] = field(default_factory=list)
    budget: list[BudgetLine] = field(default_factory=list)
    findings: list[FindingLine] = field(default_factory=list)
    contradictions: list[str] = field(default_factory=list)


SHOWN = tuple(f.name for f in fields(ClosedJob) if f.name != "closed")


def came_of(job: Job, held: Documents) -> ClosedJob:
    """What came of a job, as far as it is computed. Starts nothing."""
    try:
        if held.closing.judged is None:
            words, shift = "Bring in the residuals at the checks.", _shift(held)
            return ClosedJob("lacking", words, promised=_planned(job), shift=shift)
        closed = as_closed(held.plan, held.book, held.closing)
        unshifted = as_closed(held.plan, held.book, held.closing.model_copy(update={"shift": None}))
        taken = residuals_now(unshifted, held.closing)
        assert taken is not None
        d = {o.point: o.d for o in taken.outcomes if o.d is not None}
        shift = _shift(held)
        judged = verdict(closed, d)
        lacks = missing(closed)
    except KardoError as fault:
        return ClosedJob("lacking", f"{fault.what} {fault.mend}".strip(), promised=_planned(job))
    kept: dict[str, Any] = {
        "closed": closed,
        "residuals": residual_lines(held.plan, taken),
        "verdict": judged,
        "shift": shift,
        "contradictions": contradictions(held.plan, held.book, held.closing),
    }
    if lacks:
        return ClosedJob("lacking", lacks[0][1], promised=_planned(job), **kept)
    result, state, words = _computed(job, closed.hash, Computation.Kind.PREDICTION)
    joint, of_checks, words_of_checks = _computed(job, closed.hash, Computation.Kind.CHECKS)
    kept["promised"] = _planned(job)
    if isinstance(joint, JointChecks):
        kept["against"] = against(closed, d, joint)
    if isinstance(result, Result):
        said, tests = result_text(closed, result), kept.get("against")
        tested = said_of(tests, closed.brief.unit) if tests else None
        kept |= {
            "promised": [*kept["promised"], Promised.of("as done", result)],
            "blind": said.blind,
            "budget": [
                BudgetLine(name=name, sigma_h=s.sigma_h, sigma_v=s.sigma_v, share_h=s.share_h, share_v=s.share_v)
                for name, s in zip(said.budget, result.budget, strict=True)
            ],
            "findings": finding_lines(check_plan(closed, result, tested), held.closing),
        }
    if of_checks == "failed":  # the verdict stands without the comparison; why there is none is told
        kept["contradictions"] = [*kept["contradictions"], f"Not held against the prediction: {words_of_checks}"]
        of_checks = "done"
    worst = next((s for s in ("failed", "running", "queued", "none") if s in {state, of_checks}), "done")
    return ClosedJob(worst, words, **kept)


def _shift(held: Documents) -> ShiftPreview | None:
    """What the block shift that is applied does. Raises PlanError."""
    shift = held.closing.shift
    if shift is None:
        return None
    unshifted = as_closed(held.plan, held.book, held.closing.model_copy(update={"shift": None}))
    return preview(unshifted, shift, held.closing.judged)


def _planned(job: Job) -> list[Promised]:
    result, _, _ = _computed(job, job.plan_hash, Computation.Kind.PREDICTION)
    return [Promised.of("planned", result)] if isinstance(result, Result) else []


def _computed(job: Job, plan_hash: str, kind: str) -> tuple[Any, str, str]:
    """The result of a computation, how far it is, and what went wrong."""
    rows = Computation.objects.filter(
        organisation_id=job.organisation_id,
        kind=kind,
        plan_hash=plan_hash,
        policy=job.organisation.policy.key(kind),
        engine=ENGINE,
    )
    row = rows.only("state", "result", "error").first()
    if row is None:
        return None, "none", ""
    if row.state == Computation.State.DONE:
        result = KINDS[kind].answer.validate_python(row.result)
        if isinstance(result, Undetermined):
            return None, "failed", "Something in the block as it was closed is not determined."
        return result, "done", ""
    if row.error:
        return None, "failed", f"{row.error['what']} {row.error['mend']}".strip()
    return None, row.state if row.state in WAITING else "none", ""


def record_of(job: Job, held: Documents, now: datetime, signed: Signed | None) -> Record:
    """What a report is made from. Raises PlanError where there is nothing to report yet."""
    came = came_of(job, held)
    if came.verdict is None or came.closed is None:
        raise PlanError(came.words or "No point was used as a check.", where="Close", mend="Bring in residuals first.")
    if came.state != "done":
        raise PlanError(
            came.words or "The prediction of what was done is still being computed.",
            where="Close",
            mend="Wait for it, or start it again.",
        )
    return Record(
        organisation=job.organisation.name,
        title=held.plan.brief.title,
        revision=job.revision,
        made_at=now.isoformat(timespec="seconds"),
        **documents(held.plan, held.book, held.closing),
        closed_hash=came.closed.hash,
        promised=came.promised,
        residuals=came.residuals,
        verdict=came.verdict,
        against=came.against,
        shift=came.shift,
        blind=came.blind,
        budget=came.budget,
        findings=came.findings,
        contradictions=came.contradictions,
        cautions=list(cautions(held.plan)),
        signed=signed,
    )
