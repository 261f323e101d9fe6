"""Areas as parts of the plan: edited, undone, refused, carried by the plan's file, and told in the prediction."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kardo.server.jobs.models import Job
from kardo.server.plans.stored import stored_plan
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import run
from tests.conftest import E0, N0
from tests.server.conftest import edit

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.usefixtures("empty_queue")]
RING = [[E0 + 20, N0 + 20], [E0 + 80, N0 + 20], [E0 + 80, N0 + 70], [E0 + 20, N0 + 70]]


def area(ring=RING, name="Heap", key="A1"):
    return [edit(f"site/areas/{key}", None, {"id": key, "name": name, "ring": ring})]


def test_an_area_is_added_renamed_undone_and_redone(planner, job):
    assert planner.patch_plan(job.pk, area(), 1).status_code == 200
    assert planner.patch_plan(job.pk, [edit("site/areas/A1/name", "Heap", "Toe")], 2).status_code == 200
    names = lambda: [a["name"] for a in planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]["site"]["areas"]]  # noqa: E731
    assert names() == ["Toe"]
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert names() == ["Heap"]
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert names() == []
    planner.post(f"/api/jobs/{job.pk}/plan/redo")
    assert names() == ["Heap"]
    fresh = Job.objects.get(pk=job.pk)
    planner.patch_plan(job.pk, [edit("site/areas/A1", fresh.document["site"]["areas"][0], None)], fresh.revision)
    assert names() == []


@pytest.mark.parametrize(
    ("ring", "words"),
    [
        (RING[:2], "3 items"),
        ([RING[0], RING[2], RING[1], RING[3]], "crosses itself"),
        ([[0, 0], [1, 0], [0, 1]], "outside"),
        ([[E0, "north"], *RING], "number"),
    ],
)
def test_an_area_that_cannot_be_is_refused_in_words(planner, job, ring, words):
    answer = planner.patch_plan(job.pk, area(ring), 1)
    assert answer.status_code == 422
    assert words in f"{answer.json()['title']} {answer.json()['mend']}"
    assert Job.objects.get(pk=job.pk).revision == 1


def test_areas_go_out_with_the_plan_and_come_back(planner, job):
    planner.patch_plan(job.pk, area(), 1)
    out = planner.get(f"/api/jobs/{job.pk}/export/plan.json")
    file = SimpleUploadedFile("plan.json", b"".join(out.streaming_content) if out.streaming else out.content)
    back = planner.post("/api/jobs/import", {"file": file}).json()
    assert [a.name for a in stored_plan(Job.objects.get(pk=back["id"])).site.areas] == ["Heap"]
    assert Job.objects.get(pk=back["id"]).plan_hash == Job.objects.get(pk=job.pk).plan_hash


def test_the_prediction_tells_the_area_and_the_browser_is_told_marks_sigmas(planner, job):
    planner.patch_plan(job.pk, area(), 1)
    run(key=str(Computation.objects.get(plan_hash=Job.objects.get(pk=job.pk).plan_hash).key))
    told = planner.get(f"/api/jobs/{job.pk}/prediction").json()["result"]
    assert [v["id"] for v in told["volumes"]] == ["", "A1"]
    assert told["volumes"][1]["volume_95"] == pytest.approx(1.96 * told["volumes"][1]["sigma_volume"])
    summary = planner.get(f"/api/jobs/{job.pk}/summary").json()
    assert summary["mark_sigma"]["A"] == [0.01, 0.01, 0.015]


def test_a_standard_without_a_limit_on_heights_is_told_as_none(planner, job):
    brief = planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]["brief"]
    planner.patch_plan(job.pk, [edit("brief/standard", brief["standard"], "volume")], 1)
    summary = planner.get(f"/api/jobs/{job.pk}/summary").json()
    held = {"held_h": brief["tolerance_h"], "held_v": brief["tolerance_v"]}
    assert summary["limits"] == {"h": brief["tolerance_h"], "v": None} | held
    assert "NaN" not in json.dumps(summary) and "Infinity" not in json.dumps(summary)


def test_cubic_metres_that_are_allowed_become_a_mean_height(planner, job):
    brief = planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]["brief"]
    planner.patch_plan(job.pk, [*area(), edit("brief/standard", brief["standard"], "volume")], 1)
    (allowed,) = planner.get(f"/api/jobs/{job.pk}/summary").json()["volumes"]
    asked = f"/api/jobs/{job.pk}/volume-tolerance?area=A1"
    offered = planner.get(f"{asked}&m3={2 * allowed['m3']}").json()
    assert planner.patch_plan(job.pk, offered, 2).status_code == 200
    (then,) = planner.get(f"/api/jobs/{job.pk}/summary").json()["volumes"]
    assert then["m3"] == pytest.approx(2 * allowed["m3"], rel=1e-3)
    assert planner.get(f"{asked}&m3=-1").status_code == 422 and planner.get(f"{asked}2&m3=1").status_code == 422
