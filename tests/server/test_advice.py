"""Advice on the queue, stopping and starting by a person, the time left, and who waits for whom."""

from dataclasses import replace
from datetime import timedelta

import pytest
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from kardo.core.accuracy.change.advice import advise
from kardo.core.accuracy.figures import effort
from kardo.core.accuracy.figures.results import Undetermined
from kardo.core.plan.edits import changed, edit_from_json
from kardo.server.actions.edit_plan import create_job
from kardo.server.plans.stored import stored_plan, whole_plan
from kardo.server.predictions import tasks
from kardo.server.predictions.kinds import KINDS
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import PATIENT, QUICK, give_up, run
from kardo.server.questions.answers import time_left
from tests.conftest import small_plan
from tests.server.test_editing import moved

PREDICTION = Computation.Kind.PREDICTION
pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.usefixtures("empty_queue")]


def advice(client, job):
    return client.get(f"/api/jobs/{job.pk}/advice").json()


def post(client, job, what):
    return client.post(f"/api/jobs/{job.pk}/{what}").json()


def test_advice_starts_when_asked_and_one_click_tries_an_offer(planner, job):
    assert advice(planner, job)["state"] == "none"
    assert not Computation.objects.exists(), "looking does not start the search"
    assert post(planner, job, "advice/start")["state"] == "queued"
    assert ProcrastinateJob.objects.get().queue_name == PATIENT
    run(key=str(Computation.objects.get().key))
    told = advice(planner, job)
    assert told["state"] == "done"
    offers = told["result"]["offers"]
    assert {"twice", "taped"} & {o["kind"] for o in offers} and all(o["minutes"] >= 0 for o in offers)
    plan = stored_plan(job)
    for offer in offers:
        changed(plan, [edit_from_json(e) for e in offer["edits"]])
    best = offers[0]
    assert planner.patch_plan(job.pk, best["edits"], 1).status_code == 200
    assert advice(planner, job)["state"] == "none", "another plan, another search"
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert advice(planner, job)["state"] == "done"


def test_a_stopped_prediction_stays_stopped_until_asked_again(planner, job):
    post(planner, job, "prediction/start")
    assert post(planner, job, "prediction/stop")["state"] == "stopped"
    number = Computation.objects.get().key
    run(key=str(number))
    assert planner.get(f"/api/jobs/{job.pk}/prediction").json()["state"] == "stopped"
    assert post(planner, job, "prediction/start")["state"] == "queued"
    run(key=str(number))
    assert planner.get(f"/api/jobs/{job.pk}/prediction").json()["state"] == "done"
    assert post(planner, job, "prediction/stop")["state"] == "done", "what is done cannot be stopped"


def while_running(monkeypatch, act):
    """Something happens while a worker computes: just before its second report of progress."""

    def compute(plan, report, part):
        report(effort.FORMING, 0.1)
        act()
        report(effort.MAP, 0.5)
        return Undetermined("late", 0, [])

    monkeypatch.setitem(KINDS, PREDICTION, replace(KINDS[PREDICTION], compute=compute))


def test_a_running_prediction_is_stopped_at_its_next_report(planner, job, monkeypatch):
    post(planner, job, "prediction/start")
    while_running(monkeypatch, lambda: post(planner, job, "prediction/stop"))
    run(key=str(Computation.objects.get().key))
    assert Computation.objects.get().state == "stopped" and Computation.objects.get().result is None


def test_a_running_prediction_ends_when_an_edit_overtakes_it(planner, job, monkeypatch):
    post(planner, job, "prediction/start")
    first = Computation.objects.get()
    while_running(monkeypatch, lambda: planner.patch_plan(job.pk, moved(job), 1))
    run(key=str(first.key))
    first.refresh_from_db()
    assert first.state == "cancelled" and first.result is None


def test_a_worker_taken_for_dead_writes_nothing_more(planner, job, monkeypatch):
    """Two workers hold the same job: the one that claimed it last stores the result, once."""
    post(planner, job, "prediction/start")
    number = Computation.objects.get().key
    genuine = KINDS[PREDICTION]

    def the_other_one_finishes():
        with monkeypatch.context() as patch:
            patch.setitem(KINDS, PREDICTION, genuine)
            run(key=str(number))

    while_running(monkeypatch, the_other_one_finishes)
    run(key=str(number))
    stored = Computation.objects.get()
    assert stored.state == "done" and stored.result["hash"] != "late" and stored.result["rmse_v"] > 0


def test_work_that_costs_worker_after_worker_is_given_up_with_a_reason(planner, job):
    post(planner, job, "prediction/start")
    give_up(str(Computation.objects.get().key), {"what": "cut off", "where": "worker", "mend": "start again"})
    told = planner.get(f"/api/jobs/{job.pk}/prediction").json()
    assert told["state"] == "failed" and told["error"]["mend"] == "start again"
    assert post(planner, job, "prediction/start")["state"] == "queued"


def test_time_left_is_told_from_the_share_once_it_is_known():
    now = timezone.now()
    before = now - timedelta(seconds=30)
    assert time_left("running", effort.MAP, 0.75, before, now) == pytest.approx(10)
    for stage, share in ((effort.FORMING, 0.5), (effort.MAP, 0.01)):
        assert time_left("running", stage, share, before, now) is None, "no figure rather than a wrong one"
    assert time_left("queued", effort.MAP, 0.5, before, now) is None


def test_waiting_work_is_counted_by_queue(planner, chief, job):
    from kardo.server.actions.edit_plan import create_job

    post(planner, job, "advice/start")
    assert post(planner, job, "prediction/start")["ahead"] == 0, "patient work waits elsewhere"
    second = create_job(job.organisation, chief.user, small_plan(overrides={"tie_ray_px": 0.8}))
    assert post(chief, second, "prediction/start")["ahead"] == 0, "another job's first goes before this job's second"
    assert post(planner, job, "prediction/start")["ahead"] == 1


def test_large_blocks_wait_with_the_patient_work(planner, job, monkeypatch):
    monkeypatch.setattr(tasks, "QUICK_EXPOSURES", 10)
    post(planner, job, "prediction/start")
    assert ProcrastinateJob.objects.get().queue_name == PATIENT != QUICK


def test_progress_comes_in_order_and_every_stage_is_named(job):
    told = []
    from kardo.core.accuracy.prediction import predict

    predict(whole_plan(job), lambda stage, share: told.append((stage, share)))
    shares = [share for _, share in told]
    assert shares == sorted(shares) and shares[-1] == 1.0
    assert {s for s, _ in told} == {
        effort.LAYING_OUT,
        effort.FORMING,
        effort.FACTORING,
        effort.MAP,
        effort.CHECKS,
        effort.DONE,
    }
    seen = []
    advise(whole_plan(job), lambda stage, share: seen.append(share))
    assert seen == sorted(seen) and seen[-1] == 1.0


def test_a_layout_is_searched_when_asked_for_and_taken_by_its_edits(planner, office):
    job = create_job(office, planner.user, small_plan(control=()))
    told = lambda: planner.get(f"/api/jobs/{job.pk}/layouts").json()  # noqa: E731
    assert told()["state"] == "none"
    assert post(planner, job, "layouts/start")["state"] == "queued"
    run(key=str(Computation.objects.get().key))
    found = told()["result"]
    best = found["front"][found["proposed"]]
    assert best["judged"] and best["chance"] >= 0.9 and len(best["points"]) == best["targets"] + best["checks"]
    assert planner.patch_plan(job.pk, best["edits"], 1).status_code == 200
    plan = stored_plan(job.__class__.objects.get(pk=job.pk))
    assert [(p.name, p.role) for p in plan.control] == [(s["name"], s["role"]) for s in best["points"]]
    assert told()["state"] == "none", "the plan is another now"
