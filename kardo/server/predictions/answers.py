"""What the browser is told about a computation."""

from dataclasses import dataclass
from datetime import datetime

from django.db.models import Q, Subquery
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob
from pydantic import TypeAdapter

from kardo.core.accuracy.advice import Advice
from kardo.core.accuracy.effort import GUESSED
from kardo.core.accuracy.planned import missing
from kardo.core.accuracy.prediction import ENGINE
from kardo.core.accuracy.results import Result, Undetermined
from kardo.core.practice.catalogue import Finding
from kardo.core.summary import Fault, Told, found, named_advice, told
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import bring_up_to_date, stored_plan, with_ground
from kardo.server.predictions.models import WAITING, Computation
from kardo.server.standing import Standing

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


def waited_for(at: Standing) -> PredictionAnswer:
    """How far a prediction under way has come."""
    left = time_left(at.state, at.stage, at.share, at.started_at, timezone.now())
    return _untold(Underway(at.plan_hash, at.state, at.stage, at.share, left, at.ahead))


def _untold(state: Underway) -> PredictionAnswer:
    return PredictionAnswer(**vars(state), result=None, told=None, findings=None, error=None)


def prediction_of(job: Job) -> PredictionAnswer:
    """The prediction of the job's plan as it stands, or how far it has come. Starts nothing."""
    row = computation(job, Computation.Kind.PREDICTION)
    if row is not None and row.state in WAITING:
        return _untold(underway(job, row))
    plan = stored_plan(job)
    result = RESULT.validate_python(row.result) if row and row.result else None
    full = result if isinstance(result, Result) else None
    return PredictionAnswer(
        **vars(underway(job, row)),
        result=result,
        told=told(plan, result) if result else None,
        findings=found(with_ground(job.pk, plan), full),
        error=_error(row),
    )


def advice_of(job: Job, row: Computation | None) -> AdviceAnswer:
    """What would help the job's plan as it stands, or how far the search has come. Starts nothing."""
    result = named_advice(stored_plan(job), ADVICE.validate_python(row.result)) if row and row.result else None
    return AdviceAnswer(**vars(underway(job, row)), result=result, error=_error(row))


def computation(job: Job, kind: str) -> Computation | None:
    """The stored computation of the job's plan as it stands, or None; what is large of it is read when it is looked at."""
    bring_up_to_date(job)
    made_of_it = {"organisation_id": job.organisation_id, "kind": kind, "plan_hash": job.plan_hash, "engine": ENGINE}
    return next(iter(Computation.objects.filter(**made_of_it).defer("plan", "result")[:1]), None)


def _error(row: Computation | None) -> Fault | None:
    return Fault(**row.error) if row and row.error else None


def underway(job: Job, row: Computation | None) -> Underway:
    """How far a computation is."""
    if row is None:
        return Underway(job.plan_hash, "lacking" if missing(stored_plan(job)) else "none", "", 0.0, None, 0)
    return Underway(job.plan_hash, row.state, row.stage, row.share, seconds_left(row), _ahead(row))


def seconds_left(row: Computation) -> float | None:
    """From the time spent and the share of the work done; None while that cannot be told honestly."""
    return time_left(row.state, row.stage, row.share, row.started_at, timezone.now())


def time_left(state: str, stage: str, share: float, started_at: datetime | None, now: datetime) -> float | None:
    """The same of a computation that is known by its figures alone."""
    if state != Computation.State.RUNNING or started_at is None or stage in GUESSED or share < LEAST_SHARE:
        return None
    return float((now - started_at).total_seconds() * (1 - share) / share)


def _ahead(row: Computation) -> int:
    """How many computations wait before this one on its queue: of higher priority, or as high and earlier."""
    if row.state != Computation.State.QUEUED or row.queue_job is None:
        return 0
    waiting = ProcrastinateJob.objects.filter(queue_name=row.queue, status="todo")
    own = Subquery(ProcrastinateJob.objects.filter(pk=row.queue_job).values("priority"))
    return waiting.filter(Q(priority__gt=own) | Q(priority=own, id__lt=row.queue_job)).count()
