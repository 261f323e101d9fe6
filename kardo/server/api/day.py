"""A visit on the clock, and what of it goes out on paper and into calendars."""

from typing import Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import TypeAdapter

from kardo.core.day.day import Day, day_of
from kardo.core.plan.model import Plan
from kardo.formats.day_sheet import calendar, person_html, person_of
from kardo.formats.documents import pdf
from kardo.server.access import job_of, paper_of
from kardo.server.made_once import made_once
from kardo.server.plans.stored import whole_plan
from kardo.server.questions.job_status import status_of

router = Router(tags=["day"])
DAY = TypeAdapter(Day)


def _plan(request: HttpRequest, job_id: UUID) -> Plan:
    return whole_plan(job_of(request, job_id))


@router.get("/{job_id}/day/{visit}", response=Day)
def show_day(request: HttpRequest, job_id: UUID, visit: str) -> HttpResponse:
    """A visit's tasks on the clock, or in words why they do not fit and what would make them fit."""
    at = status_of(request, job_id)
    return made_once(request, (at.revision, at.model), DAY, lambda: day_of(_plan(request, job_id), visit))


@router.get("/{job_id}/day/{visit}/{person}.{kind}")
def print_day(request: HttpRequest, job_id: UUID, visit: str, person: str, kind: Literal["pdf", "ics"]) -> HttpResponse:
    """One person's sheet, or tasks for a calendar."""
    plan = _plan(request, job_id)
    _, who = person_of(plan, visit, person)
    day = day_of(plan, visit)
    if kind == "pdf":
        response = HttpResponse(
            pdf(person_html(plan, day, who), paper=paper_of(request)), content_type="application/pdf"
        )
    else:
        response = HttpResponse(calendar(plan, day, who), content_type="text/calendar; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{visit}-{person}.{kind}"'
    return response
