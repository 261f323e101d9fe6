"""Rows to plan and back: edits with conflict detection, undo and redo."""

import hashlib
import json
from typing import Annotated, Any

from django.contrib.auth.models import AbstractBaseUser
from django.contrib.gis.geos import Point
from django.db import transaction
from pydantic import Field
from shapely import Polygon

from kardo.core.arrays import Json
from kardo.core.errors import KardoError, PlanError
from kardo.core.plan.model import (
    Area,
    Base,
    Brief,
    ControlPoint,
    Flight,
    Mark,
    Part,
    Plan,
    Site,
    plan_from_json,
    validated,
)
from kardo.server.jobs.models import Job
from kardo.server.plans.models import Edit, PlanObject, TerrainGrid

SINGLE: dict[str, type[Part]] = {"brief": Brief, "site": Site, "flight": Flight, "base": Base}
MANY: dict[str, tuple[str, type[Part]]] = {
    "mark": ("marks", Mark),
    "control": ("control", ControlPoint),
    "area": ("areas", Area),
}
MAX_CHANGES = 3000


class TerrainRow(Part):
    """The terrain as the plan's rows hold it: its digest stands for the heights."""

    digest: Annotated[str, Field(max_length=64)]
    e0: float
    n0: float
    step: float
    rows: int
    cols: int
    source: str = ""


class ConflictError(KardoError):
    """Somebody else changed the same object since. `current` holds what stands there now."""

    def __init__(self, current: list[Json]) -> None:
        names = ", ".join(c["object"] for c in current[:3])
        super().__init__(
            f"Changed elsewhere meanwhile: {names}.", where=names, mend="Keep theirs, or put yours on top of it."
        )
        self.current = current


def assemble(job: Job) -> Plan:
    """The job's rows as one immutable plan, terrain included."""
    return plan_from_json(_document(job, with_terrain=True))


def outline(job: Job) -> Json:
    """The plan as the browser wants it: terrain by its digest, without the heights."""
    return _document(job, with_terrain=False)


def _document(job: Job, with_terrain: bool) -> Json:
    rows = dict(job.objects_of_plan.exclude(value=None).order_by("id").values_list("name", "value"))
    document: Json = {"format": "kardo-plan", "version": 1}
    for name, model in SINGLE.items():
        document[name] = rows.get(name) or model().model_dump(mode="json")
    for prefix, (plural, _) in MANY.items():
        document[plural] = [value for name, value in rows.items() if name.startswith(f"{prefix}/")]
    document["assumptions"] = rows.get("assumptions") or {}
    terrain = rows.get("terrain")
    document["terrain"] = _terrain(job, terrain["digest"]) if terrain and with_terrain else terrain
    return document


def _terrain(job: Job, digest: str) -> Json:
    grid = job.terrains.filter(digest=digest).first()
    if grid is None:
        raise PlanError("The terrain's heights are not here.", where="Site, terrain", mend="Import the terrain again.")
    return grid.value


def keep_terrain(job: Job, value: Json) -> Json:
    """Store heights under their digest; answers the small row that goes into the plan."""
    digest = hashlib.sha256(json.dumps(value, sort_keys=True).encode()).hexdigest()
    TerrainGrid.objects.get_or_create(job=job, digest=digest, defaults={"value": value})
    return {"digest": digest, **{k: v for k, v in value.items() if k != "heights"}}


def _checked(name: str, value: Any) -> Any:
    """One object's value, validated by the plan's own model. Raises PlanError."""
    if value is None:
        if name in SINGLE:
            raise PlanError(f"{name} cannot be removed.", where=name)
        return None
    prefix, _, key = name.partition("/")
    if name in SINGLE:
        return validated(SINGLE[name], value, name).model_dump(mode="json")
    if prefix in MANY and key:
        part = validated(MANY[prefix][1], value, name)
        if part.id != key:
            raise PlanError(f"The id {part.id} is not the object's name.", where=name)
        return part.model_dump(mode="json")
    if name == "terrain":
        return validated(TerrainRow, value, name).model_dump(mode="json")
    if name == "assumptions" and isinstance(value, dict):
        return value
    raise PlanError(f"A plan has no part “{name}”.", where=name)


@transaction.atomic
def apply(job_id: Any, based_on: int, changes: list[Json], author: AbstractBaseUser) -> Job:
    """Apply changes [{object, value}] as one step. Raises ConflictError, or PlanError when the plan would not hold."""
    if not 0 < len(changes) <= MAX_CHANGES:
        raise PlanError(f"An edit holds 1 to {MAX_CHANGES} changes.", where="changes")
    job = Job.objects.select_for_update(of=("self",)).get(pk=job_id)
    wanted = {c["object"]: _checked(c["object"], c.get("value")) for c in changes}
    rows = {r.name: r for r in job.objects_of_plan.filter(name__in=wanted)}
    stale = [r for r in rows.values() if r.revision > based_on and r.value != wanted[r.name]]
    if stale:
        raise ConflictError([{"object": r.name, "value": r.value} for r in stale])
    steps = [{"object": n, "before": rows[n].value if n in rows else None, "after": v} for n, v in wanted.items()]
    steps = [s for s in steps if s["before"] != s["after"]]
    if not steps:
        return job
    job.edits.filter(author=author, state=Edit.State.UNDONE).update(state=Edit.State.GONE)
    _write(job, steps, "after", author)
    Edit.objects.create(job=job, revision=job.revision, author=author, changes=steps)
    return job


@transaction.atomic
def step_back(job_id: Any, author: AbstractBaseUser, redo: bool = False) -> Job:
    """Undo this person's last step, or redo the last one undone. Raises ConflictError when somebody has since
    changed what it touched, PlanError when there is none."""
    job = Job.objects.select_for_update(of=("self",)).get(pk=job_id)
    own = job.edits.filter(author=author)
    edit = own.filter(state=Edit.State.UNDONE).first() if redo else own.filter(state=Edit.State.DONE).last()
    if edit is None:
        raise PlanError(f"There is nothing to {'redo' if redo else 'undo'}.")
    stands, becomes = ("before", "after") if redo else ("after", "before")
    now = {r.name: r.value for r in job.objects_of_plan.filter(name__in=[s["object"] for s in edit.changes])}
    stale = [
        {"object": s["object"], "value": now.get(s["object"])}
        for s in edit.changes
        if now.get(s["object"]) != s[stands]
    ]
    if stale:
        raise ConflictError(stale)
    _write(job, edit.changes, becomes, author)
    edit.state = Edit.State.DONE if redo else Edit.State.UNDONE
    edit.save(update_fields=["state"])
    return job


def _write(job: Job, steps: list[Json], side: str, author: AbstractBaseUser) -> None:
    """Write rows and raise the revision; the assembled plan must hold together, or all of it is rolled back."""
    job.revision += 1
    for step in steps:
        value = step[side]
        if value is None and step["object"] in SINGLE:  # undoing the first edit of a part that began at its defaults
            value = SINGLE[step["object"]]().model_dump(mode="json")
        PlanObject.objects.update_or_create(
            job=job, name=step["object"], defaults={"value": value, "revision": job.revision}
        )
    plan = assemble(job)
    _require_sound(plan)
    job.title, job.plan_hash, job.saved_by = plan.brief.title, plan.hash, author
    job.location = _location(plan)
    job.save()


def _require_sound(plan: Plan) -> None:
    """What must never be stored: a boundary that crosses itself, coordinates the grid cannot hold, unknown systems."""
    import numpy as np

    from kardo.core.accuracy.defaults import Assumptions
    from kardo.core.accuracy.planned import area_polygon, site_polygon

    Assumptions(plan.assumptions)
    if not plan.brief.crs:
        return
    grid = plan.grid
    for what, points in (
        ("Site, boundary", plan.site.boundary),
        ("Control", [(p.e, p.n) for p in plan.control]),
        ("Base, marks", [(m.e, m.n) for m in plan.marks]),
        ("Site, areas", [vertex for a in plan.areas for vertex in a.ring]),
    ):
        if points:
            e, n = np.array(points, dtype=float).T
            grid.require_inside(e, n, what)
            grid.separation(e, n)
    if plan.site.boundary:
        site_polygon(plan)
    for area in plan.areas:
        area_polygon(area)


def _location(plan: Plan) -> Point | None:
    if not plan.brief.crs or len(plan.site.boundary) < 3:
        return None
    middle = Polygon(plan.site.boundary).centroid
    lon, lat = plan.grid.to_geodetic(middle.x, middle.y)
    return Point(float(lon), float(lat), srid=4326)


def create_job(organisation, author, plan: Plan) -> Job:
    """A new job from a whole plan."""
    with transaction.atomic():
        job = Job.objects.create(organisation=organisation, title=plan.brief.title, saved_by=author)
        steps = [
            {"object": name, "before": None, "after": getattr(plan, name).model_dump(mode="json")} for name in SINGLE
        ]
        for prefix, (plural, _) in MANY.items():
            steps += [
                {"object": f"{prefix}/{part.id}", "before": None, "after": part.model_dump(mode="json")}
                for part in getattr(plan, plural)
            ]
        if plan.terrain:
            steps.append(
                {"object": "terrain", "before": None, "after": keep_terrain(job, plan.terrain.model_dump(mode="json"))}
            )
        if plan.assumptions:
            steps.append({"object": "assumptions", "before": None, "after": dict(plan.assumptions)})
        _write(job, steps, "after", author)
    return job
