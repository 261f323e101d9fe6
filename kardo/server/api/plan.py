"""The plan of a job: read, edit, undo; and what follows directly from it."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import Header, Query, Router, Schema
from pydantic import Field, TypeAdapter

from kardo.core.accuracy.figures.heaps import tolerance_by_volume
from kardo.core.errors import PlanError
from kardo.core.plan.edits import Edit as PlanEdit
from kardo.core.plan.model import Plan
from kardo.core.presentation.summary import Summary, summary
from kardo.server.access import frozen_words, job_of, person_of
from kardo.server.actions import edit_plan as editing
from kardo.server.actions.recompute import recompute
from kardo.server.jobs.models import Job
from kardo.server.made_once import made_now, made_once
from kardo.server.plans.models import Edit
from kardo.server.plans.stored import stored_plan, whole_plan
from kardo.server.questions.job_status import status_of

router = Router(tags=["plan"])


class PlanOut(Schema):
    """The job's plan, terrain by its digest."""

    id: UUID
    revision: int
    hash: str
    saved_at: datetime
    saved_by: str
    can_undo: bool
    can_redo: bool
    frozen: str
    plan: Plan


PLAN, SUMMARY = TypeAdapter(PlanOut), TypeAdapter(Summary)


class EditIn(Schema):
    """One change by field: what stood there when it was formed, and what comes after. Null adds or removes a row."""

    path: str = Field(max_length=200)
    before: Any
    after: Any
    at: int | None = None


class Step(Schema):
    """Edits that are one step of work. id is the sender's own number of it: sent twice, it is taken once."""

    edits: list[EditIn]
    id: UUID | None = None


def _undoable(request: HttpRequest, job: Job) -> tuple[bool, bool]:
    """Whether the one who asks has a step to undo, and one to redo."""
    own = set(job.edits.filter(author=person_of(request)).values_list("state", flat=True).distinct())
    return Edit.State.DONE in own, Edit.State.UNDONE in own


def _answer(job: Job, plan: Plan, undoable: tuple[bool, bool]) -> PlanOut:
    return PlanOut(
        id=job.id,
        revision=job.revision,
        hash=job.plan_hash,
        saved_at=job.saved_at,
        saved_by=str(job.saved_by or ""),
        can_undo=undoable[0],
        can_redo=undoable[1],
        frozen=frozen_words(job),
        plan=plan,
    )


def _read(request: HttpRequest, job_id: UUID) -> PlanOut:
    job = job_of(request, job_id)
    return _answer(job, stored_plan(job), _undoable(request, job))


def _revision(if_match: str | None) -> int:
    """Of the plan that an edit was made on: a bare number, or the tag that the plan came with."""
    try:
        return int((if_match or "").strip().removeprefix("W/").strip('"').partition("-")[0])
    except ValueError:
        raise PlanError(
            "The edit does not say which revision it is based on.",
            where="If-Match",
            mend="Send the ETag of the plan it was made on.",
        ) from None


@router.get("/{job_id}/plan", response=PlanOut)
def show_plan(request: HttpRequest, job_id: UUID) -> HttpResponse:
    """The plan as it stands."""
    at = status_of(request, job_id)
    made = (at.revision, at.model, at.can_undo, at.can_redo, at.frozen_at)
    return made_once(request, made, PLAN, lambda: _read(request, job_id))


@router.patch("/{job_id}/plan", response=PlanOut)
def edit_plan(request: HttpRequest, job_id: UUID, body: Step, if_match: Header[str | None] = None) -> HttpResponse:
    """Change fields of the plan as one step. 412 with both values when somebody changed one of them since."""
    with transaction.atomic():
        job = job_of(request, job_id, editing.jobs_to_edit(person_of(request), body.id))
        edits = [one.model_dump() for one in body.edits]
        job, plan = editing.edit(job, _revision(if_match), body.id, edits, person_of(request))
        recompute(job, plan)
    return made_now(PLAN, _answer(job, plan, (True, False)))


@router.post("/{job_id}/plan/{direction}", response=PlanOut)
def step(request: HttpRequest, job_id: UUID, direction: Literal["undo", "redo"], over: bool = False) -> HttpResponse:
    """Undo or redo one's own last step; over steps over it: it stays as it is and is forgotten."""
    with transaction.atomic():
        job = job_of(request, job_id, editing.jobs_to_edit(person_of(request)))
        job, plan = editing.step_back(job, person_of(request), redo=direction == "redo", over=over)
        recompute(job, plan)
    return made_now(PLAN, _answer(job, plan, _undoable(request, job)))


@router.get("/{job_id}/summary", response=Summary)
def show_summary(request: HttpRequest, job_id: UUID) -> HttpResponse:
    """What follows directly from the plan: area, flights, height chains, heights of control."""
    at = status_of(request, job_id)
    return made_once(request, at.of_plan, SUMMARY, lambda: summary(at.whole_plan))


@router.get("/{job_id}/volume-tolerance", response=list[PlanEdit])
def offer_tolerance(
    request: HttpRequest,
    job_id: UUID,
    area: str = "",
    m3: Annotated[float | None, Query(gt=0, le=1e9)] = None,
    percent: Annotated[float | None, Query(gt=0, le=100)] = None,
) -> list[PlanEdit]:
    """The edits by which so many cubic metres, or so many per cent of what lies on an area, are allowed there. Nothing
    is saved."""
    return tolerance_by_volume(whole_plan(job_of(request, job_id)), area, m3, percent)
