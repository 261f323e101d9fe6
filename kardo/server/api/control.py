"""Control in the field: how it is observed, the rounds past it, and what of it goes out on paper."""

from typing import Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema
from pydantic import TypeAdapter

from kardo.core.control.naming import NameScheme, renamed
from kardo.core.control.stakeout import StakeOut, stake_out
from kardo.core.day.observing import ObservationPlan, observation_plan
from kardo.core.day.rounds import By, Rounds, rounds_of
from kardo.core.flight.lines.areas import round_start
from kardo.formats.control_sheets import sketch_html, stake_out_csv, stake_out_html, target_sheets_html
from kardo.formats.documents import Paper, pdf
from kardo.formats.picture import printed
from kardo.server.access import job_of, paper_of
from kardo.server.made_once import made_once
from kardo.server.plans.stored import stored_plan, whole_plan
from kardo.server.questions.job_status import status_of

router = Router(tags=["control"])
OBSERVED, ROUNDS, STAKED = TypeAdapter(ObservationPlan), TypeAdapter(Rounds), TypeAdapter(StakeOut)


class ChangeOut(Schema):
    """One change by field."""

    path: str
    before: str
    after: str


@router.get("/{job_id}/control/observed", response=ObservationPlan)
def show_observations(request: HttpRequest, job_id: UUID) -> HttpResponse:
    """Every occupation of every point: by what, how long, when, under which satellites, and how good it comes out."""
    at = status_of(request, job_id)
    return made_once(request, at.of_plan, OBSERVED, lambda: observation_plan(whole_plan(job_of(request, job_id))))


@router.get("/{job_id}/control/rounds", response=Rounds)
def show_rounds(request: HttpRequest, job_id: UUID, people: Query[int] = 1, by: Query[By] = "foot") -> HttpResponse:
    """The rounds past all points: over the ground as it is, shared among people, on foot or with a vehicle along the
    paths."""
    at = status_of(request, job_id)
    made_of = *at.of_plan, people, by
    return made_once(request, made_of, ROUNDS, lambda: rounds_of(whole_plan(job_of(request, job_id)), people, by))


class RenamingOut(Schema):
    """Edits that give every point its name by a scheme; nothing is changed yet."""

    edits: list[ChangeOut]
    changed: int


@router.post("/{job_id}/control/names", response=RenamingOut)
def name_by_scheme(request: HttpRequest, job_id: UUID, body: NameScheme) -> RenamingOut:
    """The edits that name the control by a scheme. Nothing is saved."""
    plan = stored_plan(job_of(request, job_id))
    found = renamed(plan, body, round_start(plan))
    return RenamingOut(edits=[ChangeOut(**e.to_json()) for e in found.edits], changed=found.changed)


@router.get("/{job_id}/control/stake-out", response=StakeOut)
def show_stake_out(request: HttpRequest, job_id: UUID, station: Query[str], on: Query[str] = "") -> StakeOut:
    """Bearing, angle, distances and rise from a mark to every point."""
    return stake_out(whole_plan(job_of(request, job_id)), station, on)


@router.get("/{job_id}/control/stake-out.{kind}")
def print_stake_out(
    request: HttpRequest, job_id: UUID, kind: Literal["pdf", "csv"], station: Query[str], on: Query[str] = ""
) -> HttpResponse:
    """The same on paper, or as a list."""
    plan = whole_plan(job_of(request, job_id))
    found = stake_out(plan, station, on)
    if kind == "csv":
        return _file(stake_out_csv(plan, found).encode(), "text/csv; charset=utf-8", "stake-out.csv")
    return _file(pdf(stake_out_html(plan, found), paper=paper_of(request)), "application/pdf", "stake-out.pdf")


@router.get("/{job_id}/control/sketch.pdf")
def print_sketch(
    request: HttpRequest, job_id: UUID, paper: Query[Paper | None] = None, scale: Query[int] = 0
) -> HttpResponse:
    """A drawing of the control to scale; at the largest usual scale that shows it all, and on the organisation's paper,
    where none is said."""
    plan = whole_plan(job_of(request, job_id))
    return _file(
        pdf(sketch_html(plan, paper or paper_of(request), scale or None)), "application/pdf", "control-sketch.pdf"
    )


@router.get("/{job_id}/control/targets.pdf")
def print_targets(request: HttpRequest, job_id: UUID, point: Query[str] = "") -> HttpResponse:
    """A page for every point, or for one."""
    job = job_of(request, job_id)
    plan = whole_plan(job)
    wanted = {digest for p in plan.control if not point or p.id == point for digest in p.pictures}
    kept = job.attachments.filter(digest__in=wanted).values_list("digest", "body").iterator(chunk_size=20)
    pictures = {digest: printed(bytes(body)) for digest, body in kept}
    body = pdf(target_sheets_html(plan, point, pictures), pictures=pictures, paper=paper_of(request))
    return _file(body, "application/pdf", "target-sheets.pdf")


def _file(body: bytes, kind: str, name: str) -> HttpResponse:
    response = HttpResponse(body, content_type=kind)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response
