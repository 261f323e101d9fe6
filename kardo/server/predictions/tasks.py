"""Predictions and advice as jobs on the PostgreSQL queue.

Quick work and patient work wait on queues of their own, so that a block of ten thousand images, or a search for what would
help, does not hold up somebody's three hundred. A computation belongs to the last worker that claimed it: a worker taken
for dead that still lives finds its token gone at its next report of progress, and writes nothing more.
"""

import logging
import uuid

from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from kardo.core.accuracy.planned import flight_of
from kardo.core.accuracy.prediction import ENGINE, predict
from kardo.core.accuracy.remedies import remedies
from kardo.core.errors import KardoError
from kardo.core.plan.model import Plan, plan_from_json
from kardo.server.jobs.models import Job
from kardo.server.predictions.models import Prediction

log = logging.getLogger(__name__)

QUICK, PATIENT = "quick", "patient"
QUICK_EXPOSURES = 3000  # above, a prediction waits with the patient work
COMPUTE = {Prediction.Kind.PREDICTION: predict, Prediction.Kind.ADVICE: remedies}
State = Prediction.State


class Overtaken(Exception):
    """This computation is no longer wanted from this worker."""


def request_prediction(job: Job, plan: Plan, kind: str = Prediction.Kind.PREDICTION, again: bool = False) -> Prediction:
    """The prediction (or advice) of a plan: the stored one where there is one, else one on its way. One that a person
    stopped or that failed starts over only when asked `again`."""
    found, created = Prediction.objects.get_or_create(
        organisation=job.organisation,
        kind=kind,
        plan_hash=plan.hash,
        engine=ENGINE,
        defaults={"job": job, "plan": plan.to_json()},
    )
    over = {State.CANCELLED, State.STOPPED, State.FAILED} if again else {State.CANCELLED}
    if created or found.state in over:
        queue = _queue_for(plan, kind)
        with transaction.atomic():
            Prediction.objects.filter(pk=found.pk).update(
                state=State.QUEUED, job=job, share=0, stage="", error=None, started_at=None, runner=None
            )
            number = run.configure(queue=queue).defer(prediction_id=found.pk)
            Prediction.objects.filter(pk=found.pk).update(queue_job=number)
        found.refresh_from_db()
    return found


def _queue_for(plan: Plan, kind: str) -> str:
    if kind == Prediction.Kind.ADVICE:
        return PATIENT
    try:
        return QUICK if len(flight_of(plan).e) <= QUICK_EXPOSURES else PATIENT
    except KardoError:
        return QUICK  # it will fail at once, with the reason


def stop(prediction: Prediction) -> None:
    """A person wants it no more. A worker that has it in hand notices at its next report of progress."""
    Prediction.objects.filter(pk=prediction.pk, state__in=[State.QUEUED, State.RUNNING]).update(
        state=State.STOPPED, runner=None
    )


def give_up(prediction_id: int, error: dict[str, str]) -> None:
    """Fail a computation from outside, for example because its workers were lost again and again."""
    Prediction.objects.filter(pk=prediction_id, state__in=[State.QUEUED, State.RUNNING]).update(
        state=State.FAILED, runner=None, error=error, finished_at=timezone.now()
    )


@app.task(queue=QUICK, retry=2)
def run(prediction_id: int) -> None:
    """Compute one prediction and store its result. Safe to run twice, also at the same time on two hosts."""
    mine = uuid.uuid4()
    rows = Prediction.objects.filter(pk=prediction_id)
    claimed = rows.filter(state__in=[State.QUEUED, State.RUNNING]).update(
        state=State.RUNNING, runner=mine, started_at=timezone.now(), stage="", share=0
    )
    if not claimed:
        return
    rows = rows.filter(runner=mine)
    prediction = rows.first()
    if prediction is None:
        return

    def report(stage: str, share: float) -> None:
        job_hash = Job.objects.filter(pk=prediction.job_id).values_list("plan_hash", flat=True).first()
        if job_hash not in (None, prediction.plan_hash):
            rows.update(state=State.CANCELLED)
            raise Overtaken
        if not rows.update(stage=stage, share=share):
            raise Overtaken

    try:
        result = COMPUTE[Prediction.Kind(prediction.kind)](plan_from_json(prediction.plan), report)
    except Overtaken:
        log.info("%s was overtaken or stopped", prediction)
        return
    except KardoError as fault:
        rows.update(
            state=State.FAILED,
            error={"what": fault.what, "where": fault.where, "mend": fault.mend},
            finished_at=timezone.now(),
        )
        return
    rows.update(state=State.DONE, result=result, share=1.0, finished_at=timezone.now())
