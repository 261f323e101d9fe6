"""A job as version 2 of the plan stored it, a step that can be undone in it, and edits that a browser had waiting while
the version came."""

import gzip
import json
from pathlib import Path

import pytest

from kardo.core.plan.model import plan_from_json
from kardo.server.actions.edit_plan import create_job
from kardo.server.jobs.models import Job
from kardo.server.plans.models import Edit
from tests.server.conftest import edit

KEPT = json.loads(gzip.decompress((Path(__file__).parents[1] / "data" / "plans-v2.json.gz").read_bytes()))
STEP = [
    {"path": "flights/main/tilt", "before": 5.0, "after": 0.0},
    {"path": "flights/main/height", "before": 70.0, "after": 80.0},
    {"path": "networks/net/name", "before": "service 1", "after": "network of the island"},
]


@pytest.fixture
def old_job(office, planner):
    """The rows as they stood: a document of version 2 under a model that is gone, and one step of its author."""
    document = KEPT["images"]["plan"]
    job = create_job(office, planner.user, plan_from_json(document))
    small = document | {"site": job.document["site"]}  # its terrain by digest
    Job.objects.filter(pk=job.pk).update(document=small, model="as it was")
    Edit.objects.create(job=job, revision=1, author=planner.user, changes=STEP)
    return job


def plan_now(planner, job):
    return planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]


def test_it_opens_in_this_version_and_its_step_is_undone_and_done_again(planner, old_job):
    assert plan_now(planner, old_job)["flights"][0]["height_m"] == 80.0
    assert planner.post(f"/api/jobs/{old_job.pk}/plan/undo").status_code == 200
    undone = plan_now(planner, old_job)
    assert undone["flights"][0]["sensor"]["tilt_deg"] == 5.0 and undone["flights"][0]["height_m"] == 70.0
    assert undone["correction_services"][0]["name"] == "service 1"
    assert planner.post(f"/api/jobs/{old_job.pk}/plan/redo").status_code == 200
    assert plan_now(planner, old_job)["flights"][0]["sensor"]["tilt_deg"] == 0.0


def test_edits_that_waited_in_a_browser_are_taken(planner, old_job):
    waiting = [edit("flights/dam/width", 40.0, 50.0), edit("flights/own/hangs_on", {"on": "nothing"}, {"on": "setup", "setup": "base"})]  # fmt: skip
    assert planner.patch_plan(old_job.pk, waiting, 1).status_code == 200
    then = plan_now(planner, old_job)["flights"]
    assert then[1]["pattern"]["width_m"] == 50.0 and then[3]["positioned_from"]["setup"] == "base"
    late = planner.patch_plan(old_job.pk, [edit("flights/dam/width", 40.0, 30.0)], 1)
    assert late.status_code == 412 and late.json()["conflicts"][0]["theirs"] == 50.0
