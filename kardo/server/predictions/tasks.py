"""Predictions and advice as jobs on the PostgreSQL queue.

Quick work and patient work wait on queues of their own, so that a block of ten thousand images, or a search for what
would help, does not hold up somebody's three hundred. A computation belongs to the last worker that claimed it: a
worker taken for dead that still lives finds its token gone at its next report of progress, and writes nothing more."""

import functools
import logging
import operator
import uuid
from typing import Any

from django.db import OperationalError, transaction
from django.db.models import Q
from django.utils import timezone
from procrastinate.contrib.django import app

from kardo.core.accuracy.change.advice import JobPromise
from kardo.core.accuracy.figures.results import ENGINE, Result, result_json
from kardo.core.arrays import Json
from kardo.core.errors import KardoError
from kardo.core.flight.lines.pattern import estimated_exposures
from kardo.core.plan.model import Plan, plan_from_json
from kardo.server.jobs.models import Job
from kardo.server.memory import give_back
from kardo.server.plans.stored import with_ground
from kardo.server.predictions.kinds import KINDS
from kardo.server.predictions.models import WAITING, Computation

log = logging.getLogger(__name__)

QUICK, PATIENT = "quick", "patient"
QUICK_EXPOSURES = 3000  # above, a prediction waits with the patient work
KEPT = 40  # computations of each kind kept for a job, the newest
# places on the queue that one waiting computation of the same organisation, and of the same job, puts the next back
FAIR = 5
State = Computation.State


class Overtaken(Exception):
    """This computation is no longer wanted from this worker."""


@transaction.atomic(savepoint=False)
def request_computation(
    job: Job, plan: Plan, kind: str = Computation.Kind.PREDICTION, again: bool = False
) -> Computation:
    """The prediction (or advice) of a plan: the stored one where there is one, else one on its way, row and queue entry
    in one transaction. One that a person stopped or that failed starts over only when asked `again`."""
    wanted = {
        "organisation_id": job.organisation_id,
        "kind": kind,
        "plan_hash": plan.hash,
        "policy": plan.policy.key(kind),
        "engine": ENGINE,
    }
    queued = Q(organisation_id=job.organisation_id, state=State.QUEUED)
    rows = list(Computation.objects.filter(Q(**wanted) | queued).defer("plan", "result"))
    found = next((r for r in rows if all(getattr(r, name) == value for name, value in wanted.items())), None)
    over = {State.CANCELLED, State.STOPPED, State.FAILED} if again else {State.CANCELLED}
    if found is not None and found.state not in over:
        return found
    waiting = [r for r in rows if r.state == State.QUEUED]
    overtaken = [r for r in waiting if r.job_id == job.pk and r.kind == kind and not _wanted(r)]
    queue, stored = _queue_for(plan, kind), plan.without_heights().to_json()
    if found is None and overtaken and overtaken[0].queue == queue and _turned(overtaken[0], wanted, stored):
        return overtaken[0]
    _let_go(overtaken)
    key = found.key if found else uuid.uuid4()
    priority = _priority([r for r in waiting if r not in overtaken], job)
    number = run.configure(queue=queue, priority=priority).defer(key=str(key))
    if found is None:
        return Computation.objects.create(**wanted, job=job, plan=stored, key=key, queue=queue, queue_job=number)
    anew = {"share": 0, "stage": "", "error": None, "result": None, "started_at": None, "runner": None}
    Computation.objects.filter(pk=found.pk).update(state=State.QUEUED, job=job, queue=queue, queue_job=number, **anew)
    found.refresh_from_db()
    return found


def _wanted(one: Computation) -> bool:
    """Whether some job of the organisation still has the plan, or has it as done or closed; copies of a job share their
    computations."""
    names = ("plan_hash", "done_hash", "leaving_hash", "closed_hash")
    has = functools.reduce(operator.or_, (Q(**{name: one.plan_hash}) for name in names))
    return Job.objects.filter(has, organisation_id=one.organisation_id).exists()


def _turned(waiting: Computation, wanted: Json, stored: Json) -> bool:
    """What waits for an earlier plan of the job keeps its place for the present one; false where a worker took it."""
    waiting.plan_hash, waiting.policy = wanted["plan_hash"], wanted["policy"]
    still = Computation.objects.filter(pk=waiting.pk, state=State.QUEUED)
    return bool(still.update(state=State.QUEUED, plan=stored, **wanted))


def _let_go(overtaken: list[Computation]) -> None:
    """Nobody looks any more at what waits for an earlier plan."""
    if overtaken:
        Computation.objects.filter(pk__in=[r.pk for r in overtaken], state=State.QUEUED).update(state=State.CANCELLED)


def _priority(waiting: list[Computation], job: Job) -> int:
    """Turns are fair by organisation and by job: whoever has much waiting already stands further back."""
    return -(len(waiting) + FAIR * sum(r.job_id == job.pk for r in waiting))


def _queue_for(plan: Plan, kind: str) -> str:
    if KINDS[kind].patient:
        return PATIENT
    try:
        return QUICK if estimated_exposures(plan) <= QUICK_EXPOSURES else PATIENT
    except KardoError:
        return QUICK  # it will fail at once, with the reason


def stop(row: int | None) -> None:
    """A person wants it no more. A worker that has it in hand notices at its next report of progress."""
    if row is not None:
        Computation.objects.filter(pk=row, state__in=WAITING).update(state=State.STOPPED, runner=None)


def give_up(key: str, error: dict[str, str]) -> None:
    """Fail a computation from outside, for example because its workers were lost again and again."""
    Computation.objects.filter(key=key, state__in=WAITING).update(
        state=State.FAILED, runner=None, error=error, finished_at=timezone.now()
    )


@app.task(queue=QUICK, retry=2)
def run(key: str) -> None:
    """Compute one prediction and store its result. Safe to run twice, also at the same time on two hosts.

    Whatever goes wrong ends as failed, in words where they are known and else with a reference into the log; only a
    database that is away is left to the queue to try again."""
    mine = uuid.uuid4()
    rows = Computation.objects.filter(key=key)
    claimed = rows.filter(state__in=WAITING).update(
        state=State.RUNNING, runner=mine, started_at=timezone.now(), stage="", share=0
    )
    prediction = rows.filter(runner=mine).first() if claimed else None
    if prediction is None:
        return
    rows = rows.filter(runner=mine)
    try:
        result = _computed(prediction, mine)
        give_back()
    except Overtaken:
        log.info("%s was overtaken or stopped", prediction)
    except KardoError as fault:
        _failed(rows, {"what": fault.what, "where": fault.where, "mend": fault.mend})
    except OperationalError:
        raise
    except Exception:
        reference = uuid.uuid4().hex[:8]
        log.exception("computation %s failed, reference %s", key, reference)
        _failed(rows, unexpected(reference))
    else:
        rows.update(state=State.DONE, share=1.0, finished_at=timezone.now(), **result)
        _prune(prediction)


def unexpected(reference: str) -> dict[str, str]:
    """What is told of a fault that nobody thought of."""
    return {
        "what": f"The computation failed for a reason that Kardo does not know (reference {reference}).",
        "where": "worker",
        "mend": "Start it again; if it fails again, tell whoever keeps this Kardo the reference.",
    }


def _failed(rows: Any, error: dict[str, str]) -> None:
    rows.update(state=State.FAILED, error=error, finished_at=timezone.now())


def _computed(prediction: Computation, mine: uuid.UUID) -> dict[str, Any]:
    """What is stored of a computation. Raises Overtaken, KardoError."""
    rows = Computation.objects.filter(pk=prediction.pk, runner=mine)

    def report(stage: str, share: float) -> None:
        if prediction.job_id is not None and not _wanted(prediction):
            rows.update(state=State.CANCELLED)
            raise Overtaken
        if not rows.update(stage=stage, share=share):
            raise Overtaken

    plan = plan_from_json(prediction.plan)
    if plan.hash != prediction.plan_hash:
        raise KardoError("This plan was stored by another Kardo and reads otherwise now.", mend="Open the job again.")
    policy = prediction.organisation.policy
    if policy.key(prediction.kind) != prediction.policy:  # the organisation asks otherwise by now
        rows.update(state=State.CANCELLED)
        raise Overtaken
    whole = with_ground(prediction.job_id, plan.under(policy))

    def keep_part(part: Any) -> None:
        rows.update(result=result_json(part))

    found = KINDS[prediction.kind].compute(whole, report, keep_part)
    line = result_json(JobPromise.of_result(found, plan.brief.chance)) if isinstance(found, Result) else None
    return {"result": result_json(found), "promise": line}


def _prune(done: Computation) -> None:
    """Older computations of a job go, but for the newest."""
    own = Computation.objects.filter(job=done.job, kind=done.kind).exclude(state__in=WAITING)
    newest = own.order_by("-pk").values_list("pk", flat=True)[KEPT - 1 : KEPT].first()
    if done.job_id is not None and newest is not None:
        own.filter(pk__lt=newest).delete()
