"""Areas as parts of the plan: edited, undone, refused, carried by the plan's file, and told in the prediction."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kardo.server.jobs.models import Job
from kardo.server.plans.editing import assemble
from kardo.server.predictions.models import Prediction
from kardo.server.predictions.tasks import run
from tests.conftest import E0, N0

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.usefixtures("empty_queue")]
RING = [[E0 + 20, N0 + 20], [E0 + 80, N0 + 20], [E0 + 80, N0 + 70], [E0 + 20, N0 + 70]]


def area(ring=RING, name="Heap", key="A1"):
    return [{"object": f"area/{key}", "value": {"id": key, "name": name, "ring": ring}}]


def test_an_area_is_added_renamed_undone_and_redone(planner, job):
    assert planner.patch_plan(job.pk, area(), 1).status_code == 200
    assert planner.patch_plan(job.pk, area(name="Toe"), 2).status_code == 200
    names = lambda: [a["name"] for a in planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]["areas"]]  # noqa: E731
    assert names() == ["Toe"]
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert names() == ["Heap"]
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert names() == []
    planner.post(f"/api/jobs/{job.pk}/plan/redo")
    assert names() == ["Heap"]
    planner.patch_plan(job.pk, [{"object": "area/A1", "value": None}], Job.objects.get(pk=job.pk).revision)
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
    assert [a.name for a in assemble(Job.objects.get(pk=back["id"])).areas] == ["Heap"]
    assert Job.objects.get(pk=back["id"]).plan_hash == Job.objects.get(pk=job.pk).plan_hash


def test_the_prediction_tells_the_area_and_the_browser_is_told_marks_sigmas(planner, job):
    planner.patch_plan(job.pk, area(), 1)
    planner.get(f"/api/jobs/{job.pk}/prediction")
    run(prediction_id=Prediction.objects.get(plan_hash=Job.objects.get(pk=job.pk).plan_hash).pk)
    told = planner.get(f"/api/jobs/{job.pk}/prediction").json()["result"]
    assert [v["name"] for v in told["volumes"]] == ["the whole site", "Heap"]
    assert told["volumes"][1]["volume_95"] == pytest.approx(1.96 * told["volumes"][1]["sigma_volume"])
    summary = planner.get(f"/api/jobs/{job.pk}/summary").json()
    assert summary["mark_sigma"]["A"] == [0.01, 0.01, 0.015]


def test_a_standard_without_a_limit_on_heights_is_told_as_none(planner, job):
    brief = planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]["brief"]
    planner.patch_plan(job.pk, [{"object": "brief", "value": {**brief, "standard": "volume"}}], 1)
    summary = planner.get(f"/api/jobs/{job.pk}/summary").json()
    assert summary["limits"] == {"h": brief["tolerance_h"], "v": None}
    assert "NaN" not in json.dumps(summary) and "Infinity" not in json.dumps(summary)
