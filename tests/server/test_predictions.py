"""Predictions on the queue: stored under the plan's hash, safe to repeat, overtaken when the plan moves on."""

import pytest
from procrastinate.contrib.django.models import ProcrastinateJob

from kardo.core.accuracy.prediction import predict
from kardo.server.jobs.models import Job
from kardo.server.predictions.models import Prediction
from kardo.server.predictions.tasks import run
from tests.conftest import small_plan
from tests.server.test_editing import moved

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.usefixtures("empty_queue")]


def ask(client, job):
    return client.get(f"/api/jobs/{job.pk}/prediction").json()


def test_asked_queued_computed_and_kept(planner, job):
    assert ask(planner, job)["state"] == "queued"
    assert ask(planner, job)["findings"] is None
    assert ProcrastinateJob.objects.count() == 1
    run(prediction_id=Prediction.objects.get().pk)
    done = ask(planner, job)
    assert done["state"] == "done" and done["findings"] is not None
    expected = predict(small_plan())
    assert done["result"]["rmse_v"] == pytest.approx(expected["rmse_v"], rel=1e-12)
    assert done["result"]["hash"] == job.plan_hash
    assert ProcrastinateJob.objects.count() == 1, "an equal plan is not computed twice"


def test_an_undone_edit_finds_its_old_result(planner, job):
    ask(planner, job)
    run(prediction_id=Prediction.objects.get().pk)
    planner.patch_plan(job.pk, moved(job), 1)
    assert ask(planner, job)["state"] == "queued"
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert ask(planner, job)["state"] == "done"


def test_a_plan_that_was_overtaken_is_not_computed(planner, job):
    ask(planner, job)
    first = Prediction.objects.get()
    planner.patch_plan(job.pk, moved(job), 1)
    run(prediction_id=first.pk)
    first.refresh_from_db()
    assert first.state == "cancelled" and first.result is None
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert ask(planner, job)["state"] == "queued", "asked for again, it goes back on the queue"


def test_running_twice_changes_nothing(planner, job):
    ask(planner, job)
    prediction = Prediction.objects.get()
    run(prediction_id=prediction.pk)
    prediction.refresh_from_db()
    stamp = prediction.finished_at
    run(prediction_id=prediction.pk)
    prediction.refresh_from_db()
    assert prediction.finished_at == stamp


def test_a_result_whose_worker_was_killed_is_computed_again(planner, job):
    ask(planner, job)
    Prediction.objects.update(state="running", share=0.4)
    run(prediction_id=Prediction.objects.get().pk)
    assert Prediction.objects.get().state == "done"


def test_a_plan_that_lacks_something_is_told_what_and_not_queued(planner, job):
    planner.patch_plan(job.pk, [{"object": "base", "value": {"mark": None}}], 1)
    told = ask(planner, job)
    assert told["state"] == "lacking" and not Prediction.objects.exists()
    lacks = planner.get(f"/api/jobs/{job.pk}/summary").json()["lacks"]
    assert lacks == [{"station": "base", "words": "Put the base on a mark with known coordinates."}]


def test_a_plan_that_cannot_be_computed_fails_with_the_reason(planner, job):
    job = Job.objects.get(pk=job.pk)
    ask(planner, job)
    prediction = Prediction.objects.get()
    spoiled = dict(prediction.plan)
    spoiled["terrain"] = {**spoiled["terrain"], "heights": "x"}
    Prediction.objects.update(plan=spoiled)
    run(prediction_id=prediction.pk)
    told = ask(planner, job)
    assert told["state"] == "failed" and "damaged" in told["error"]["what"] and told["error"]["mend"]


def test_the_page_and_its_policy(planner):
    page = planner.get("/jobs/anything")
    assert page.status_code == 200
    assert "default-src 'self'" in page.headers["Content-Security-Policy"]
    assert planner.get("/api/nothing").status_code == 404
