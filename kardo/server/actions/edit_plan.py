"""Edits by field with conflict detection, undo and redo. The grammar is the core's; here are its rows."""

from typing import Any
from uuid import UUID

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Exists, OuterRef, QuerySet

from kardo.core.arrays import Json
from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import area_polygon, site_polygon
from kardo.core.plan.edits import ConflictError, apply, edit_from_json, held, invert, value_at
from kardo.core.plan.edits import Edit as PlanEdit
from kardo.core.plan.model import Plan, plan_of
from kardo.core.plan.places import places_of
from kardo.core.plan.upgrades.chain import upgraded_step
from kardo.core.plan.upgrades.from_2 import edits_from_2
from kardo.server.access import require_open
from kardo.server.book.models import Attachment
from kardo.server.jobs.models import Job
from kardo.server.plans.models import Edit, Picture, TerrainGrid
from kardo.server.plans.stored import bring_up_to_date, keep, keep_terrain, location, stored_plan

MAX_EDITS = 3000


def jobs_to_edit(author: User, uid: UUID | None = None) -> QuerySet[Job]:
    """Jobs for this transaction alone; `taken` tells whether a step of this uid was taken before, `undone` whether the
    author has a step that could be redone."""
    own = Edit.objects.filter(job=OuterRef("pk"))
    taken, undone = own.filter(uid=uid), own.filter(author=author, state=Edit.State.UNDONE)
    return (
        Job.objects.select_related("organisation")
        .select_for_update(of=("self",))
        .annotate(taken=Exists(taken), undone=Exists(undone))
    )


def edit(job: Job, based_on: int, uid: UUID | None, edits: list[Json], author: User) -> tuple[Job, Plan]:
    """Lay edits over one of the `jobs_to_edit` as one step, inside the caller's transaction.

    A step whose uid was taken before changes nothing. Raises ConflictError where somebody changed the same field since,
    PlanError when the plan would not hold."""
    if not 0 < len(edits) <= MAX_EDITS:
        raise PlanError(f"A step holds 1 to {MAX_EDITS} edits.", where="edits")
    if not 0 <= based_on <= job.revision:
        raise PlanError(
            "The edit is based on a revision that this plan has not had.", where="If-Match", mend="Load the plan again."
        )
    wanted = [edit_from_json(one) for one in edits]
    bring_up_to_date(job)
    asked_along: Any = job  # what jobs_to_edit asked along with the row
    if uid is not None and asked_along.taken:
        return job, stored_plan(job)
    require_open(job)
    after, done = _applied(job, edits_from_2(wanted, job.document))
    if done:
        if asked_along.undone:
            job.edits.filter(author=author, state=Edit.State.UNDONE).update(state=Edit.State.GONE)
        _save(job, after, author)
        steps = [_as_stored(job, e).to_json() for e in done]
        Edit.objects.create(job=job, uid=uid, revision=job.revision, author=author, changes=steps)
    return job, after


def step_back(job: Job, author: User, redo: bool = False, over: bool = False) -> tuple[Job, Plan]:
    """Undo this person's last step, or redo the last one undone; over leaves it as it is and forgets it.

    Raises ConflictError when somebody has since changed what it touched, PlanError when there is none."""
    own = job.edits.filter(author=author)
    step = own.filter(state=Edit.State.UNDONE).first() if redo else own.filter(state=Edit.State.DONE).last()
    if step is None:
        raise PlanError(f"There is nothing to {'redo' if redo else 'undo'}.")
    require_open(job)
    bring_up_to_date(job)
    if over:
        step.state = Edit.State.GONE
        step.save(update_fields=["state"])
        return job, stored_plan(job)
    edits = _edits_of(step, job.document)
    after, _ = _applied(job, edits_from_2(edits if redo else invert(edits), job.document))
    _save(job, after, author)
    step.state = Edit.State.DONE if redo else Edit.State.UNDONE
    step.save(update_fields=["state"])
    return job, after


def _edits_of(step: Edit, document: Json) -> list[PlanEdit]:
    """A step of any version as edits by field."""
    if step.changes and "object" in step.changes[0]:
        return upgraded_step(step.changes, document)
    return [held(PlanEdit(**change)) for change in step.changes]


def _applied(job: Job, edits: list[PlanEdit]) -> tuple[Plan, tuple[PlanEdit, ...]]:
    """The plan with edits, and what they really did. Raises ConflictError, PlanError."""
    applied = apply(job.document, edits)
    if applied.conflicts:
        raise ConflictError(applied.conflicts)
    if not applied.done:
        return stored_plan(job), ()
    plan = plan_of(applied.document).under(job.organisation.policy)
    _require_sound(job, plan, {e.path for e in applied.done})
    return plan, applied.done


def _as_stored(job: Job, done: PlanEdit) -> PlanEdit:
    """An edit with its value as the plan's model holds it, so that undo finds what it left."""
    return PlanEdit(done.path, done.before, value_at(job.document, done.path), done.at)


def _save(job: Job, plan: Plan, author: User) -> None:
    keep(job, plan)
    job.revision += 1
    job.saved_by, job.location = author, location(plan)
    job.save()


def _require_sound(job: Job, plan: Plan, paths: set[str]) -> None:
    """What must never be stored: a boundary that crosses itself, coordinates the grid cannot hold, unknown systems and
    figures, a terrain whose heights are not kept."""
    plan.assume  # noqa: B018 - raises for what cannot be assumed
    terrain = plan.site.ground.terrain
    of_ground = any(p.startswith("site/ground") for p in paths)
    if of_ground and terrain and not TerrainGrid.objects.filter(job=job, digest=terrain.digest).exists():
        raise PlanError("The terrain's heights are not here.", where="Site, terrain", mend="Import the terrain again.")
    if any(p.startswith("site/backdrops") for p in paths):
        wanted = {b.digest for b in plan.site.backdrops}
        if Picture.objects.filter(job=job, digest__in=wanted).count() < len(wanted):
            raise PlanError("The picture is not here.", where="Site, backdrop", mend="Bring the picture in again.")
    if any(p.endswith("/pictures") for p in paths):
        wanted = {d for p in plan.control for d in p.pictures}
        if Attachment.objects.filter(job=job, digest__in=wanted).count() < len(wanted):
            raise PlanError("The picture is not here.", where="Control, points", mend="Bring the picture in again.")
    if plan.site.boundary:
        site_polygon(plan)
    for area in plan.site.areas:
        area_polygon(area)
    if not plan.brief.crs:
        return
    for places in places_of(plan):
        plan.grid.require_inside(places.e, places.n, places.where)
        if not places.edge:
            plan.grid.separation(places.e, places.n)


@transaction.atomic
def create_job(organisation: Any, author: Any, plan: Plan, demo: bool = False, like: Job | None = None) -> Job:
    """A new job from a whole plan; its pictures come along from the job that it is like, and are left out without one.
    Raises PlanError where it would not hold."""
    plan = plan if like else plan.without_pictures()
    job = Job(organisation=organisation, saved_by=author, revision=1, demo=demo)
    keep(job, plan)
    job.location = location(plan)
    job.save()
    terrain = plan.site.ground.terrain
    if terrain is not None:
        plan.surface  # noqa: B018 - raises for heights that are missing or damaged
        keep_terrain(job, terrain)
    for kept in (Picture, Attachment) if like else ():
        _copied(kept, like, job, plan)
    _require_sound(job, plan, set())
    return job


def _copied(kept: type[Picture] | type[Attachment], like: Job | None, job: Job, plan: Plan) -> None:
    """The pictures of a plan, of one kind, kept for another job too."""
    wanted = {b.digest for b in plan.site.backdrops} | {d for p in plan.control for d in p.pictures}
    for row in kept.objects.filter(job=like, digest__in=wanted):
        row.pk, row.job = None, job
        row._state.adding = True
        row.save()
