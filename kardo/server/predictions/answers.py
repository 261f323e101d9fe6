"""What the browser is told about a computation."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob
from pydantic import TypeAdapter

from kardo.core.accuracy.advice import Advice
from kardo.core.accuracy.effort import GUESSED
from kardo.core.accuracy.planned import missing
from kardo.core.accuracy.prediction import ENGINE
from kardo.core.accuracy.results import Result, Undetermined
from kardo.core.plan.model import Plan
from kardo.core.practice.catalogue import Finding
from kardo.core.summary import Fault, Told, found, named_advice, told
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import stored_plan, with_ground
from kardo.server.predictions.models import Prediction

LEAST_SHARE = 0.08  # below, the time spent says nothing of the time left
RESULT = TypeAdapter(Result | Undetermined)
ADVICE = TypeAdapter(Advice)


@dataclass(frozen=True)
class Underway:
    """A computation, or how far it has come. state: lacking (the plan wants something first), none (nobody asked), queued,
    running, done, failed, cancelled (overtaken by an edit) or stopped (by a person). seconds_left is None while it cannot
    be told; ahead counts what waits before it on the queue."""

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
    told: Told | None
    findings: list[Finding] | None
    error: Fault | None


@dataclass(frozen=True)
class AdviceAnswer(Underway):
    """What would help most."""

    result: Advice | None
    error: Fault | None


def prediction_of(job: Job) -> PredictionAnswer:
    """The prediction of the job's plan as it stands. Starts nothing."""
    plan = stored_plan(job)
    row = computation(job, plan, Prediction.Kind.PREDICTION)
    state = underway(plan, row)
    if state.state in {Prediction.State.QUEUED, Prediction.State.RUNNING}:
        return PredictionAnswer(**vars(state), result=None, told=None, findings=None, error=None)
    result = RESULT.validate_python(row.result) if row and row.result else None
    full = result if isinstance(result, Result) else None
    return PredictionAnswer(
        **vars(state),
        result=result,
        told=told(plan, result) if result else None,
        findings=found(with_ground(job.pk, plan), full),
        error=_error(row),
    )


def advice_of(job: Job) -> AdviceAnswer:
    """What would help the job's plan as it stands, or how far the search has come. Starts nothing."""
    plan = stored_plan(job)
    row = computation(job, plan, Prediction.Kind.ADVICE)
    result = named_advice(plan, ADVICE.validate_python(row.result)) if row and row.result else None
    return AdviceAnswer(**vars(underway(plan, row)), result=result, error=_error(row))


def computation(job: Job, plan: Plan, kind: str) -> Prediction | None:
    """The stored computation of a plan, or None."""
    return Prediction.objects.filter(
        organisation_id=job.organisation_id, kind=kind, plan_hash=plan.hash, engine=ENGINE
    ).first()


def _error(row: Prediction | None) -> Fault | None:
    return Fault(**row.error) if row and row.error else None


def underway(plan: Plan, row: Prediction | None) -> Underway:
    """How far a computation is."""
    if row is None:
        return Underway(plan.hash, "lacking" if missing(plan) else "none", "", 0.0, None, 0)
    return Underway(plan.hash, row.state, row.stage, row.share, seconds_left(row), _ahead(row))


def seconds_left(row: Prediction) -> float | None:
    """From the time spent and the share of the work done; None while that cannot be told honestly."""
    return time_left(row.state, row.stage, row.share, row.started_at, timezone.now())


def time_left(state: str, stage: str, share: float, started_at: datetime | None, now: datetime) -> float | None:
    """The same of a computation that is known by its figures alone."""
    if state != Prediction.State.RUNNING or started_at is None or stage in GUESSED or share < LEAST_SHARE:
        return None
    return float((now - started_at).total_seconds() * (1 - share) / share)


def _ahead(row: Prediction) -> int:
    """How many computations wait before this one on its queue: of higher priority, or as high and earlier."""
    own: Any = (
        ProcrastinateJob.objects.filter(pk=row.queue_job).first()
        if row.state == Prediction.State.QUEUED and row.queue_job
        else None
    )
    if own is None:
        return 0
    waiting = ProcrastinateJob.objects.filter(queue_name=own.queue_name, status="todo")
    before = waiting.filter(priority__gt=own.priority) | waiting.filter(priority=own.priority, id__lt=own.id)
    return before.count()
