"""What is computed of a job: live figures, prediction, advice, schemes and layouts; started and stopped."""

from typing import Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import TypeAdapter

from kardo.core.errors import PlanError
from kardo.server.access import job_of
from kardo.server.api.plan import Step
from kardo.server.made_once import made_now, made_once
from kardo.server.plans.stored import stored_plan
from kardo.server.predictions.models import Computation
from kardo.server.predictions.solved_networks import LiveAnswer
from kardo.server.predictions.tasks import request_computation, stop
from kardo.server.questions import live
from kardo.server.questions.answers import (
    AdviceAnswer,
    LayoutsAnswer,
    PredictionAnswer,
    SchemesAnswer,
    Underway,
    advice_of,
    lacking,
    layouts_of,
    prediction_of,
    schemes_of,
    underway,
    waited_for,
)
from kardo.server.questions.job_status import status_of

router = Router(tags=["plan"])
PREDICTION, LIVE = TypeAdapter(PredictionAnswer), TypeAdapter(LiveAnswer)
Asked = Literal["prediction", "advice", "schemes", "layouts"]


@router.post("/{job_id}/live", response=LiveAnswer)
def live_answer(request: HttpRequest, job_id: UUID, body: Step) -> HttpResponse:
    """Provisional figures with edits of the control that are not saved: what a drag shows. No edits makes ready."""
    return made_now(LIVE, live.answer(status_of(request, job_id), [one.model_dump() for one in body.edits]))


@router.get("/{job_id}/prediction", response=PredictionAnswer)
def show_prediction(request: HttpRequest, job_id: UUID) -> HttpResponse:
    """The prediction of the plan as it stands, or how far it has come, with findings. Asking does not start it."""
    at = status_of(request, job_id)
    if at.under_way:
        return made_now(PREDICTION, waited_for(at))
    return made_once(request, at.made_of, PREDICTION, lambda: prediction_of(at))


@router.get("/{job_id}/advice", response=AdviceAnswer)
def show_advice(request: HttpRequest, job_id: UUID) -> AdviceAnswer:
    """What would help the plan as it stands most, or how far the search has come. Asking does not start it."""
    at = status_of(request, job_id, Computation.Kind.ADVICE)
    return advice_of(at)


@router.get("/{job_id}/schemes", response=SchemesAnswer)
def show_schemes(request: HttpRequest, job_id: UUID) -> SchemesAnswer:
    """Correction schemes for the plan as it stands, side by side, or how far they have come. Asking does not start
    it."""
    at = status_of(request, job_id, Computation.Kind.SCHEMES)
    return schemes_of(at)


@router.get("/{job_id}/layouts", response=LayoutsAnswer)
def show_layouts(request: HttpRequest, job_id: UUID) -> LayoutsAnswer:
    """Layouts of control searched for the plan as it stands, or how far the search has come. Asking does not start
    it."""
    at = status_of(request, job_id, Computation.Kind.LAYOUTS)
    return layouts_of(at)


@router.post("/{job_id}/{kind}/start", response=Underway)
def start_computation(request: HttpRequest, job_id: UUID, kind: Asked) -> Underway:
    """Start it, also again after it was stopped or failed."""
    job = job_of(request, job_id)
    plan = stored_plan(job)
    if lacks := lacking(plan, kind):
        raise PlanError(lacks[0][1], where=lacks[0][0])
    request_computation(job, plan, kind, again=True)
    return underway(status_of(request, job_id, kind), kind)


@router.post("/{job_id}/{kind}/stop", response=Underway)
def stop_computation(request: HttpRequest, job_id: UUID, kind: Asked) -> Underway:
    """Stop it, waiting or under way; it starts again only when asked to."""
    stop(status_of(request, job_id, kind).row)
    return underway(status_of(request, job_id, kind), kind)
