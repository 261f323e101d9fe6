"""From what is stored to the immutable plan: the document through the upgrade chain, the terrain by its digest."""

import hashlib
import json
from dataclasses import asdict
from functools import cache
from typing import Any

from django.contrib.gis.geos import Point

from kardo.core.errors import GeodesyError, PlanError
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.kept import kept
from kardo.core.plan.library import new_plan
from kardo.core.plan.model import Plan, json_schema, plan_from_json, plan_of
from kardo.core.plan.site import Terrain
from kardo.core.plan.sketch import sketch
from kardo.core.policy.policy import Policy
from kardo.server.jobs.models import Job
from kardo.server.plans.models import TerrainGrid


@cache
def model_digest() -> str:
    """What the plan's model, and the way its hash is taken, are now; a hash stored under others is computed anew."""
    now = json.dumps([json_schema(), new_plan().hash], sort_keys=True)
    return hashlib.sha256(now.encode()).hexdigest()[:12]


def stored_plan(job: Job) -> Plan:
    """The job's plan, terrain by its digest. Raises PlanError for one that cannot be read."""
    bring_up_to_date(job)
    return plan_of(job.document).under(job.organisation.policy)


def plan_at(job_id: Any, revision: int, model: str, policy: Policy) -> Plan:
    """A job's plan at the revision at which it stands, by this model, under its organisation's policy; the newest where
    it has moved on meanwhile. A revision never changes, so that it is read once. Raises PlanError for one that cannot
    be read."""
    try:
        return _plan_of_revision(job_id, revision, model, policy)
    except Job.DoesNotExist:
        return stored_plan(Job.objects.select_related("organisation").get(pk=job_id))


@kept(64, by=lambda job_id, revision, model, policy: (job_id, revision, model, policy))
def _plan_of_revision(job_id: Any, revision: int, model: str, policy: Policy) -> Plan:
    return plan_of(Job.objects.only("document").get(pk=job_id, revision=revision, model=model).document).under(policy)


def bring_up_to_date(job: Job) -> None:
    """A document that an older model stored, or that was never drawn, goes through the upgrade chain, and is kept so
    with its new hash."""
    if job.model != model_digest() or job.drawing is None:
        keep(job, plan_from_json(job.document or {"format": "kardo-plan", "version": 1}))
        unedited = Job.objects.filter(pk=job.pk, revision=job.revision)
        unedited.update(document=job.document, plan_hash=job.plan_hash, model=job.model, drawing=job.drawing)


def keep(job: Job, plan: Plan) -> None:
    """Write a plan into its job, which the caller saves."""
    job.document = plan.without_heights().to_json()
    job.title, job.plan_hash, job.model = plan.brief.title, plan.hash, model_digest()
    job.drawing = asdict(sketch(plan))


def whole_plan(job: Job) -> Plan:
    """The job's plan with the heights of its terrain."""
    return with_ground(job.pk, stored_plan(job))


def with_ground(job_id: Any, plan: Plan) -> Plan:
    """A stored plan with its heights. Raises PlanError when they are not kept."""
    terrain = plan.site.ground.terrain
    return plan if terrain is None or terrain.heights else plan.with_terrain(_whole_terrain(job_id, terrain))


@kept(
    64, by=lambda job_id, terrain: (job_id, terrain.digest)
)  # by the job too: what another job holds is no answer here
def _whole_terrain(job_id: Any, terrain: Terrain) -> Terrain:
    rows = TerrainGrid.objects.filter(job_id=job_id, digest=terrain.digest)
    heights = rows.values_list("value__heights", flat=True).first()
    if heights is None:
        raise PlanError("The terrain's heights are not here.", where="Site, terrain", mend="Import the terrain again.")
    return terrain.with_heights(str(heights))


def keep_terrain(job: Job, terrain: Terrain) -> Terrain:
    """Store heights under their digest; answers the small row that goes into the plan."""
    TerrainGrid.objects.get_or_create(
        job=job, digest=terrain.digest, defaults={"value": terrain.model_dump(mode="json", exclude={"digest"})}
    )
    return terrain.without_heights()


def location(plan: Plan) -> Point | None:
    """The middle of the site for maps of all jobs."""
    if not plan.brief.crs or len(plan.site.boundary) < 3:
        return None
    middle = site_polygon(plan).centroid
    try:
        lon, lat = plan.grid.to_world(middle.x, middle.y)
    except GeodesyError:
        return None
    return Point(float(lon), float(lat), srid=4326)
