"""The files that a plan is written as."""

from enum import StrEnum
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Router

from kardo.formats.files import PLAN_FILES
from kardo.formats.lists import point_list_csv, template_of
from kardo.server.access import job_of
from kardo.server.plans.stored import whole_plan

router = Router(tags=["plan"])
PlanFileName = StrEnum("PlanFileName", {name: name for name in PLAN_FILES})  # type: ignore[misc]


@router.get("/{job_id}/export/{name}")
def export(
    request: HttpRequest,
    job_id: UUID,
    name: PlanFileName,
    columns: str = "P,N,E,Z,C",
    separator: str = "comma",
    decimals: str = "point",
    header: bool = True,
) -> HttpResponse:
    """The plan's files for the field; the list of points with its columns in the order and habit that a controller
    wants."""
    plan, written = whole_plan(job_of(request, job_id)), PLAN_FILES[name]
    if name == "points.csv":
        body = point_list_csv(plan, template_of(columns, separator, decimals, header)).encode()
    else:
        body = written.write(plan)
    response = HttpResponse(body, content_type=written.media)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response
