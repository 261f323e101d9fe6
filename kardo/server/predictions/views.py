"""What the browser is told about a computation."""

from collections.abc import Callable

from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from kardo.core.accuracy.effort import GUESSED
from kardo.core.accuracy.planned import flight_of, missing
from kardo.core.arrays import Json
from kardo.core.errors import KardoError
from kardo.core.plan.model import Plan
from kardo.core.practice.rules import View, findings
from kardo.server.predictions.models import Prediction

LEAST_SHARE = 0.08  # below, the time spent says nothing of the time left


def prediction_json(plan: Plan, request: Callable[[], Prediction]) -> Json:
    """State, result and findings. A plan that lacks something asks for no computation."""
    out = underway_json(plan, None if missing(plan) else request(), "lacking")
    if out["state"] in {Prediction.State.QUEUED, Prediction.State.RUNNING}:
        return out | {"findings": None}
    try:
        flight = flight_of(plan)
    except KardoError:
        flight = None
    result = out["result"] if out["result"] and not out["result"]["defects"] else None
    out["findings"] = [f.to_json() for f in findings(View(plan, flight, result))]
    return out


def underway_json(plan: Plan, found: Prediction | None, otherwise: str) -> Json:
    """A computation, or how far it has come; `otherwise` is the state where there is none."""
    if found is None:
        return {
            "hash": plan.hash,
            "state": otherwise,
            "stage": "",
            "share": 0.0,
            "seconds_left": None,
            "ahead": 0,
            "result": None,
            "error": None,
        }
    return {
        "hash": plan.hash,
        "state": found.state,
        "stage": found.stage,
        "share": found.share,
        "seconds_left": seconds_left(found),
        "ahead": _ahead(found),
        "result": found.result,
        "error": found.error,
    }


def seconds_left(found: Prediction) -> float | None:
    """From the time spent and the share of the work done; None while that cannot be told honestly."""
    if found.state != Prediction.State.RUNNING or found.started_at is None:
        return None
    if found.stage in GUESSED or found.share < LEAST_SHARE:
        return None
    return (timezone.now() - found.started_at).total_seconds() * (1 - found.share) / found.share


def _ahead(found: Prediction) -> int:
    """How many computations wait before this one on its queue."""
    if found.state != Prediction.State.QUEUED or found.queue_job is None:
        return 0
    own = ProcrastinateJob.objects.filter(pk=found.queue_job).first()
    if own is None:
        return 0
    return ProcrastinateJob.objects.filter(queue_name=own.queue_name, status="todo", id__lt=own.id).count()
