"""Predictions as jobs on the PostgreSQL queue."""

import logging

from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from kardo.core.accuracy.prediction import ENGINE, predict
from kardo.core.errors import KardoError
from kardo.core.plan.model import Plan, plan_from_json
from kardo.server.jobs.models import Job
from kardo.server.predictions.models import Prediction

log = logging.getLogger(__name__)


def request_prediction(job: Job, plan: Plan) -> Prediction:
    """The prediction of a plan: the stored one where there is one, else one on its way."""
    found, created = Prediction.objects.get_or_create(
        organisation=job.organisation, plan_hash=plan.hash, engine=ENGINE, defaults={"job": job, "plan": plan.to_json()}
    )
    if created or found.state == Prediction.State.CANCELLED:
        Prediction.objects.filter(pk=found.pk).update(state=Prediction.State.QUEUED, job=job, share=0, stage="")
        found.state = Prediction.State.QUEUED
        transaction.on_commit(lambda: run.defer(prediction_id=found.pk))
    return found


@app.task(queue="predictions", retry=2)
def run(prediction_id: int) -> None:
    """Compute one prediction and store its result. Safe to run twice: the result of a plan is always the same."""
    prediction = Prediction.objects.select_related("job").filter(pk=prediction_id).first()
    if prediction is None or prediction.state in {Prediction.State.DONE, Prediction.State.FAILED}:
        return
    if prediction.job is not None and prediction.job.plan_hash != prediction.plan_hash:
        Prediction.objects.filter(pk=prediction_id).update(
            state=Prediction.State.CANCELLED
        )  # overtaken by a later edit
        return
    rows = Prediction.objects.filter(pk=prediction_id)
    rows.update(state=Prediction.State.RUNNING)
    try:
        result = predict(
            plan_from_json(prediction.plan), lambda stage, share: rows.update(stage=stage, share=share) and None
        )
    except KardoError as fault:
        rows.update(
            state=Prediction.State.FAILED,
            error={"what": fault.what, "where": fault.where, "mend": fault.mend},
            finished_at=timezone.now(),
        )
        return
    rows.update(state=Prediction.State.DONE, result=result, share=1.0, finished_at=timezone.now())
