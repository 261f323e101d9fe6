"""Predictions on the queue: stored under the plan's hash, safe to repeat, overtaken when the plan moves on."""

from dataclasses import replace

import pytest
from procrastinate.contrib.django.models import ProcrastinateJob

from kardo.core import kept
from kardo.core.accuracy.figures.results import Undetermined
from kardo.core.accuracy.prediction import predict
from kardo.core.plan.model import plan_from_json
from kardo.server.actions.edit_plan import create_job
from kardo.server.jobs.models import Job
from kardo.server.predictions import tasks
from kardo.server.predictions.kinds import KINDS
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import run
from tests.conftest import small_plan
from tests.server.conftest import edit
from tests.server.test_editing import moved

PREDICTION = Computation.Kind.PREDICTION
pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.usefixtures("empty_queue")]


def ask(client, job):
    return client.get(f"/api/jobs/{job.pk}/prediction").json()


def start(client, job):
    return client.post(f"/api/jobs/{job.pk}/prediction/start").json()


def compute():
    run(key=str(Computation.objects.latest("pk").key))


def test_asked_queued_computed_and_kept(planner, job):
    assert ask(planner, job)["state"] == "none" and not Computation.objects.exists(), "looking starts nothing"
    assert start(planner, job)["state"] == "queued"
    assert ask(planner, job)["findings"] is None
    assert ProcrastinateJob.objects.count() == 1
    compute()
    done = ask(planner, job)
    assert done["state"] == "done" and done["findings"] is not None
    expected = predict(small_plan())
    assert done["result"]["rmse_v"] == pytest.approx(expected.rmse_v, rel=1e-12)
    assert done["result"]["hash"] == job.plan_hash
    assert ProcrastinateJob.objects.count() == 1, "an equal plan is not computed twice"


def test_an_undone_edit_finds_its_old_result(planner, job):
    start(planner, job)
    compute()
    planner.patch_plan(job.pk, moved(job), 1)
    assert ask(planner, job)["state"] == "queued", "an edit asks for what it made"
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert ask(planner, job)["state"] == "done"


def test_a_plan_that_was_overtaken_is_not_computed(planner, job):
    start(planner, job)
    first = Computation.objects.get()
    Computation.objects.update(state="running")  # a worker has it in hand
    planner.patch_plan(job.pk, moved(job), 1)
    run(key=str(first.key))
    first.refresh_from_db()
    assert first.state == "cancelled" and first.result is None
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert ask(planner, job)["state"] == "queued", "asked for again, it goes back on the queue"


def test_running_twice_changes_nothing(planner, job):
    start(planner, job)
    prediction = Computation.objects.get()
    run(key=str(prediction.key))
    prediction.refresh_from_db()
    stamp = prediction.finished_at
    run(key=str(prediction.key))
    prediction.refresh_from_db()
    assert prediction.finished_at == stamp


def test_a_result_whose_worker_was_killed_is_computed_again(planner, job):
    start(planner, job)
    Computation.objects.update(state="running", share=0.4)
    compute()
    assert Computation.objects.get().state == "done"


def test_a_plan_that_lacks_something_is_told_what_and_not_queued(planner, job):
    planner.patch_plan(job.pk, [edit("setups/base/mark", "A", None)], 1)
    told = ask(planner, job)
    assert told["state"] == "lacking" and not Computation.objects.exists()
    lacks = planner.get(f"/api/jobs/{job.pk}/summary").json()["lacks"]
    assert lacks == [
        {
            "station": "base",
            "words": "Put the base on a mark with known coordinates, or take corrections from a service.",
        }
    ]


def test_a_plan_that_cannot_be_computed_fails_with_the_reason(planner, job):
    start(planner, job)
    job.terrains.all().delete()
    kept.forget()
    compute()
    failed = Computation.objects.get()
    assert failed.state == "failed" and "heights are not here" in failed.error["what"] and failed.error["mend"]


def test_a_fault_that_nobody_thought_of_ends_as_failed_with_a_reference(planner, job, monkeypatch):
    def explode(plan, report, part):
        raise ZeroDivisionError("nobody thought of this")

    monkeypatch.setitem(KINDS, PREDICTION, replace(KINDS[PREDICTION], compute=explode))
    start(planner, job)
    compute()
    told = ask(planner, job)
    assert told["state"] == "failed" and "reference" in told["error"]["what"]
    monkeypatch.undo()
    assert start(planner, job)["state"] == "queued", "it can be started again"
    compute()
    assert ask(planner, job)["state"] == "done"


def test_a_row_and_its_queue_entry_stand_or_fall_together(planner, job, monkeypatch):
    monkeypatch.setattr(Computation.objects, "create", lambda **fields: 1 / 0)
    answer = planner.post(f"/api/jobs/{job.pk}/prediction/start")
    assert answer.status_code == 500 and "reference" in answer.json()["title"]
    assert not ProcrastinateJob.objects.exists() and not Computation.objects.exists()


def test_a_plan_whose_hash_another_model_made_does_not_spin(planner, job):
    start(planner, job)
    Computation.objects.update(plan_hash="0" * 64)
    Job.objects.filter(pk=job.pk).update(plan_hash="0" * 64, model="older")
    compute()
    assert Computation.objects.get().state == "failed"
    assert ask(planner, job)["state"] == "none", "read again it has the hash of this model"
    assert Job.objects.get(pk=job.pk).plan_hash == job.plan_hash


def test_old_computations_go_and_the_newest_stay(planner, job, monkeypatch):
    monkeypatch.setattr(tasks, "KEPT", 2)
    nothing = replace(KINDS[PREDICTION], compute=lambda plan, report, part: Undetermined(plan.hash, 0, []))
    monkeypatch.setitem(KINDS, PREDICTION, nothing)
    for k in range(4):
        planner.patch_plan(job.pk, moved(job), k + 1)
        compute()
    assert Computation.objects.count() == 2
    assert ask(planner, job)["state"] == "done"


def test_a_stored_plan_holds_no_copy_of_its_ground(planner, job):
    start(planner, job)
    stored_document = Computation.objects.get().plan
    assert stored_document["site"]["ground"]["terrain"]["heights"] is None
    assert plan_from_json(stored_document).hash == job.plan_hash


def test_turns_are_fair_by_organisation_and_job(planner, chief, stranger, job, office):
    """Whoever has much waiting stands further back than whoever has nothing."""
    start(planner, job)
    others = [create_job(office, chief.user, small_plan(overrides={"tie_ray_px": 0.5 + 0.1 * k})) for k in range(3)]
    for other in others:
        start(chief, other)
    third = create_job(stranger.user.member.organisation, stranger.user, small_plan())
    start(stranger, third)
    order = list(ProcrastinateJob.objects.order_by("-priority", "id").values_list("args__key", flat=True))
    places = [Computation.objects.get(key=key).job_id for key in order]
    assert places == [job.pk, third.pk, *(other.pk for other in others)]
    for client, one in ((planner, job), *((chief, other) for other in others), (stranger, third)):
        assert ask(client, one)["ahead"] == places.index(one.pk)


def test_what_waits_for_an_overtaken_plan_keeps_its_place_for_the_present_one(planner, job):
    start(planner, job)
    for k in range(3):
        planner.patch_plan(job.pk, moved(job), k + 1)
        job.refresh_from_db()
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    job.refresh_from_db()
    one = Computation.objects.get()
    assert (one.state, one.plan_hash) == ("queued", job.plan_hash) == ("queued", plan_from_json(one.plan).hash)
    assert ProcrastinateJob.objects.count() == 1
    compute()
    assert ask(planner, job)["state"] == "done"


def test_a_copy_of_the_job_keeps_what_waits_for_it_when_the_first_moves_on(planner, job, office):
    copy = create_job(office, planner.user, small_plan())
    start(planner, job)
    assert ask(planner, copy)["state"] == "queued", "equal plans share their computation"
    planner.patch_plan(job.pk, moved(job), 1)
    assert [ask(planner, one)["state"] for one in (job, copy)] == ["queued", "queued"]
    for one in Computation.objects.order_by("pk"):
        run(key=str(one.key))
    assert [ask(planner, one)["state"] for one in (job, copy)] == ["done", "done"]


def test_what_waits_is_let_go_where_the_present_plan_waits_on_another_queue(planner, job, monkeypatch):
    start(planner, job)
    monkeypatch.setattr(tasks, "QUICK_EXPOSURES", 1)
    planner.patch_plan(job.pk, moved(job), 1)
    assert list(Computation.objects.order_by("pk").values_list("state", "queue")) == [
        ("cancelled", "quick"),
        ("queued", "patient"),
    ]


def test_a_cancelled_plan_that_comes_back_is_computed_after_all(planner, job):
    planner.patch_plan(job.pk, moved(job), 1)
    Computation.objects.update(state="cancelled")
    start(planner, job)
    assert Computation.objects.get().state == "queued"
    compute()
    assert ask(planner, job)["state"] == "done"


def test_the_page_and_its_policy(planner):
    page = planner.get("/jobs/anything")
    assert page.status_code == 200
    assert "default-src 'self'" in page.headers["Content-Security-Policy"]
    assert planner.get("/api/nothing").status_code == 404
