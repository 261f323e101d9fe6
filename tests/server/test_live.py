"""Live answers over the API: scoped, provisional, and the same as the engine's."""

import time

import pytest

from kardo.core.accuracy.prediction import predict
from kardo.server.plans.editing import assemble
from kardo.server.predictions import live
from tests.server.test_editing import moved

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture(autouse=True)
def fresh(monkeypatch):
    monkeypatch.setattr(live, "networks", live.Networks())


def ask(client, job, changes=()):
    answer = client.post(f"/api/jobs/{job.pk}/live", data={"changes": list(changes)}, content_type="application/json")
    return answer.json()


def ready(client, job, changes=()):
    for _ in range(200):
        told = ask(client, job, changes)
        if told["state"] != "preparing":
            return told
        time.sleep(0.05)
    raise AssertionError("never ready")


def test_first_preparing_then_the_figures_of_the_plan(planner, job):
    assert ask(planner, job)["state"] == "preparing"
    told = ready(planner, job)
    full = predict(assemble(job))
    assert told["state"] == "ready" and told["seconds"] < 5
    assert told["result"]["rmse_v"] == pytest.approx(full["rmse_v"], rel=1e-6)
    assert told["result"]["chance"] == pytest.approx(full["chance"], abs=1e-3)
    assert len(told["result"]["map"]["v"]) == len(full["map"]["v"])


def test_a_move_is_answered_without_being_saved_and_serves_after_it_is_saved(planner, job):
    ready(planner, job)
    wanted = moved(job)
    before = ask(planner, job, wanted)["result"]["rmse_h"]
    job.refresh_from_db()
    assert job.revision == 1, "a question is not an edit"
    planner.patch_plan(job.pk, wanted, 1)
    assert ask(planner, job)["state"] == "ready", "a change of control needs no other network"
    assert ask(planner, job)["result"]["rmse_h"] == pytest.approx(before, rel=1e-9)


def test_another_flight_needs_another_network(planner, job):
    ready(planner, job)
    flight = planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]["flight"]
    planner.patch_plan(job.pk, [{"object": "flight", "value": {**flight, "height": flight["height"] + 5}}], 1)
    assert ask(planner, job)["state"] == "preparing"


def test_only_control_is_answered_live(planner, job):
    answer = planner.post(
        f"/api/jobs/{job.pk}/live",
        data={"changes": [{"object": "flight", "value": {}}]},
        content_type="application/json",
    )
    assert answer.status_code == 422 and "control" in answer.json()["title"]


def test_a_plan_that_lacks_something_is_refused_in_words(planner, job):
    planner.patch_plan(job.pk, [{"object": "base", "value": {"mark": None}}], 1)
    told = ask(planner, job)
    assert told["state"] == "refused" and "mark" in told["words"]


def test_no_more_networks_are_kept_than_memory_allows(job):
    networks = live.Networks(solve=lambda plan: plan)
    for k in range(5):
        networks.start(f"k{k}", assemble(job)).join()
    assert [k for k in range(5) if networks.get(f"k{k}")] == [3, 4]
