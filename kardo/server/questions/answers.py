"""What the browser is told about a computation."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.utils import timezone

from kardo.core.accuracy.change.advice import Advice, Promise
from kardo.core.accuracy.change.schemes import Schemes
from kardo.core.accuracy.figures.effort import GUESSED
from kardo.core.accuracy.figures.results import ENGINE, Result, Undetermined
from kardo.core.arrays import Json
from kardo.core.close.closing import with_waivers
from kardo.core.layout.search import Search
from kardo.core.plan.model import Plan
from kardo.core.practice.catalogue import Finding
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.summary import Fault
from kardo.core.presentation.words import ResultText, named_advice, named_schemes, result_text
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import model_digest
from kardo.server.predictions.kinds import KINDS
from kardo.server.predictions.models import Computation
from kardo.server.questions.closing import closing_of
from kardo.server.questions.job_status import JobStatus

LEAST_SHARE = 0.08  # below, the time spent says nothing of the time left


@dataclass(frozen=True)
class Underway:
    """A computation, or how far it has come. state: lacking (the plan wants something first), none (nobody asked),
    queued, running, done, failed, cancelled (overtaken by an edit) or stopped (by a person). seconds_left is None while
    it cannot be told; ahead counts what waits before it on the queue."""

    hash: str
    state: str
    stage: str
    share: float
    seconds_left: float | None
    ahead: int


@dataclass(frozen=True)
class PredictionAnswer(Underway):
    """A prediction in figures and in words, with what the rules find in the plan."""

    result: Result | Undetermined | None
    told: ResultText | None
    findings: list[Finding] | None
    error: Fault | None


@dataclass(frozen=True)
class AdviceAnswer(Underway):
    """What would help most."""

    result: Advice | None
    error: Fault | None


@dataclass(frozen=True)
class SchemesAnswer(Underway):
    """Correction schemes side by side."""

    result: Schemes | None
    error: Fault | None


@dataclass(frozen=True)
class LayoutsAnswer(Underway):
    """Layouts of control, searched."""

    result: Search | None
    error: Fault | None


def waited_for(at: JobStatus) -> PredictionAnswer:
    """How far a prediction under way has come."""
    return PredictionAnswer(**vars(_how_far(at)), result=None, told=None, findings=None, error=None)


def prediction_of(at: JobStatus) -> PredictionAnswer:
    """The prediction of the job's plan as it stands, in figures and words. Starts nothing."""
    row, plan = _row(at), at.plan
    result = _read(row, Computation.Kind.PREDICTION) if row and row.result else None
    full = result if isinstance(result, Result) else None
    return PredictionAnswer(
        **vars(underway(at)),
        result=result,
        told=result_text(plan, result) if result else None,
        findings=with_waivers(check_plan(at.whole_plan, full), closing_of(at.job)[0]),
        error=_error(row),
    )


def advice_of(at: JobStatus) -> AdviceAnswer:
    """What would help the job's plan as it stands, or how far the search has come. Starts nothing."""
    row = _row(at)
    result = named_advice(at.plan, _read(row, Computation.Kind.ADVICE)) if row and row.result else None
    return AdviceAnswer(**vars(underway(at)), result=result, error=_error(row))


def schemes_of(at: JobStatus) -> SchemesAnswer:
    """The schemes for the job's plan as it stands, or how far they have come. Starts nothing."""
    row = _row(at)
    result = named_schemes(at.plan, _read(row, Computation.Kind.SCHEMES)) if row and row.result else None
    return SchemesAnswer(**vars(underway(at, Computation.Kind.SCHEMES)), result=result, error=_error(row))


def layouts_of(at: JobStatus) -> LayoutsAnswer:
    """The layouts that were found for the job's plan as it stands, or how far the search has come. Starts nothing."""
    row = _row(at)
    result = _read(row, Computation.Kind.LAYOUTS) if row and row.result else None
    return LayoutsAnswer(**vars(underway(at)), result=result, error=_error(row))


def underway(at: JobStatus, kind: str = Computation.Kind.PREDICTION) -> Underway:
    """How far a computation of the job's plan is, one that nobody asked for included."""
    if at.row is not None:
        return _how_far(at)
    return Underway(
        hash=at.plan_hash,
        state="lacking" if lacking(at.plan, kind) else "none",
        stage="",
        share=0.0,
        seconds_left=None,
        ahead=0,
    )


def lacking(plan: Plan, kind: str = Computation.Kind.PREDICTION) -> list[tuple[str, str]]:
    """What the plan still lacks before this can be computed: (station, sentence)."""
    return KINDS[kind].lacking(plan)


def _read(row: Computation, kind: str) -> Any:
    return KINDS[kind].answer.validate_python(row.result)


def _how_far(at: JobStatus) -> Underway:
    left = time_left(at.state, at.stage, at.share, at.started_at, timezone.now())
    return Underway(
        hash=at.plan_hash, state=at.state, stage=at.stage, share=at.share, seconds_left=left, ahead=at.ahead
    )


def _row(at: JobStatus) -> Computation | None:
    """What came of a computation."""
    return None if at.row is None else Computation.objects.only("result", "error").filter(pk=at.row).first()


def _error(row: Computation | None) -> Fault | None:
    return Fault(**row.error) if row and row.error else None


def promise_of(job: Job, plan: Plan) -> tuple[Promise | None, str]:
    """What a plan of a job promises, where that was computed by this engine; or why nothing can be promised."""
    rows = Computation.objects.filter(
        organisation_id=job.organisation_id,
        kind=Computation.Kind.PREDICTION,
        engine=ENGINE,
        plan_hash=plan.hash,
        policy=plan.policy.key(Computation.Kind.PREDICTION),
        state__in=(Computation.State.DONE, Computation.State.FAILED),
    )
    found = rows.values_list("promise", "error").first()
    if found is None:
        return None, ""
    promise, error = found
    if error:
        return None, f"{error['what']} {error['mend']}".strip()
    promise = {key: value for key, value in (promise or {}).items() if key != "newer"}
    return (Promise(**promise), "") if promise else (None, "Something in it is not determined.")


def promises_of(jobs: list[Job]) -> list[Json | None]:
    """What each job promises as it stands, where that was computed by this engine."""
    hashes = {job.plan_hash for job in jobs if job.model == model_digest()}
    of = Computation.objects.filter(
        organisation_id__in={job.organisation_id for job in jobs},
        kind=Computation.Kind.PREDICTION,
        engine=ENGINE,
        plan_hash__in=hashes,
        state=Computation.State.DONE,
    )
    known = {(key, policy): promise for key, policy, promise in of.values_list("plan_hash", "policy", "promise")}
    return [
        known.get((job.plan_hash, job.organisation.policy_keys.get(Computation.Kind.PREDICTION, ""))) for job in jobs
    ]


def time_left(state: str, stage: str, share: float, started_at: datetime | None, now: datetime) -> float | None:
    """Seconds, from the time spent and the share of the work done; None while that cannot be told honestly."""
    if state != Computation.State.RUNNING or started_at is None or stage in GUESSED or share < LEAST_SHARE:
        return None
    return float((now - started_at).total_seconds() * (1 - share) / share)
