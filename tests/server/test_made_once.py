"""What a browser holds is not sent again, and is never out of date."""

import gzip
from types import SimpleNamespace

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from kardo.server import asgi, made_once
from kardo.server.api import computations as api
from kardo.server.jobs.models import Job
from kardo.server.made_once import Shelf
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import run
from tests.server.test_editing import moved

pytestmark = pytest.mark.django_db


def read(client, job, what, tag=""):
    return client.get(f"/api/jobs/{job.pk}/{what}", headers={"If-None-Match": tag})


@pytest.mark.parametrize("what", ["plan", "summary", "prediction"])
def test_unchanged_is_told_without_a_body_until_somebody_edits(planner, chief, job, what):
    first = read(planner, job, what)
    assert first.status_code == 200 and "no-cache" in first["Cache-Control"]
    again = read(planner, job, what, first["ETag"])
    assert again.status_code == 304 and again.content == b"" and again["ETag"] == first["ETag"]
    chief.patch_plan(job.pk, moved(job), 1)
    now = read(planner, job, what, first["ETag"])
    assert now.status_code == 200 and now.content != first.content


def test_a_tag_as_it_came_serves_for_an_edit(planner, job):
    tag = read(planner, job, "plan")["ETag"]
    edits = {"edits": moved(job)}
    answer = planner.patch(
        f"/api/jobs/{job.pk}/plan", edits, content_type="application/json", headers={"If-Match": f"W/{tag}"}
    )
    assert answer.status_code == 200 and answer.json()["revision"] == 2


def test_each_person_is_told_of_the_own_steps(planner, chief, job):
    planner.patch_plan(job.pk, moved(job), 1)
    mine, theirs = read(planner, job, "plan"), read(chief, job, "plan")
    assert mine.json()["can_undo"] and not theirs.json()["can_undo"]
    assert read(chief, job, "plan", mine["ETag"]).status_code == 200


def test_a_tag_opens_no_other_office_s_job(planner, stranger, job):
    tag = read(planner, job, "summary")["ETag"]
    assert read(stranger, job, "summary", tag).status_code == 404


def test_a_summary_held_asks_one_thing_of_the_database(planner, job):
    tag = read(planner, job, "summary")["ETag"]
    with CaptureQueriesContext(connection) as asked:
        assert read(planner, job, "summary", tag).status_code == 304
    assert len(asked) == 1, "which job it is; who asks was seen a moment ago"


def test_who_was_seen_reads_for_seconds_and_changes_nothing_once_shut_out(planner, job, monkeypatch):
    assert read(planner, job, "plan").status_code == 200
    planner.user.is_active = False
    planner.user.save()
    assert read(planner, job, "plan").status_code == 200
    assert planner.patch_plan(job.pk, moved(job), 1).status_code == 401
    monkeypatch.setattr("kardo.server.accounts.seen.time", SimpleNamespace(monotonic=lambda: 1e12))
    assert read(planner, job, "plan").status_code == 401


def test_signing_out_ends_reading_at_once(planner, job):
    assert read(planner, job, "plan").status_code == 200
    key = planner.cookies["sessionid"].value
    assert planner.delete("/api/session").status_code == 200
    planner.cookies["sessionid"] = key
    assert read(planner, job, "plan").status_code == 401


def test_a_prediction_under_way_is_never_taken_from_the_shelf(planner, job):
    planner.post(f"/api/jobs/{job.pk}/prediction/start")
    waiting = read(planner, job, "prediction")
    assert waiting.json()["state"] == "queued" and "ETag" not in waiting
    run(key=str(Computation.objects.get().key))
    done = read(planner, job, "prediction", '"anything"')
    assert done.json()["state"] == "done" and done.json()["result"]["rmse_v"] > 0
    assert read(planner, job, "prediction", done["ETag"]).status_code == 304


@pytest.mark.parametrize("what", ["plan", "prediction"])
def test_what_is_held_or_waited_for_asks_one_thing_of_the_database(planner, job, what):
    planner.patch_plan(job.pk, moved(job), 1)
    tag = read(planner, job, what).get("ETag", "")
    with CaptureQueriesContext(connection) as asked:
        assert read(planner, job, what, tag).status_code == (304 if what == "plan" else 200)
    assert len(asked) == 1


def test_what_is_asked_for_again_while_it_is_told_is_told_as_it_was_asked(planner, job, monkeypatch):
    """Stopped when the question was asked, waited for again when the answer is made: the tag goes with what is told."""
    planner.post(f"/api/jobs/{job.pk}/prediction/start")
    planner.post(f"/api/jobs/{job.pk}/prediction/stop")
    genuine = api.prediction_of

    def again(at):
        planner.post(f"/api/jobs/{job.pk}/prediction/start")
        return genuine(at)

    with monkeypatch.context() as patch:
        patch.setattr(api, "prediction_of", again)
        stopped = read(planner, job, "prediction")
    assert stopped.json()["state"] == "stopped"
    assert read(planner, job, "prediction", stopped["ETag"]).json()["state"] == "queued"
    planner.post(f"/api/jobs/{job.pk}/prediction/stop")
    assert read(planner, job, "prediction", stopped["ETag"]).status_code == 304


def test_a_job_that_an_older_model_stored_is_brought_up_to_date_before_it_is_told_of(planner, job):
    Job.objects.filter(pk=job.pk).update(model="older", plan_hash="of the older model")
    told = read(planner, job, "prediction").json()
    assert told["hash"] == job.plan_hash == Job.objects.get(pk=job.pk).plan_hash


def test_an_answer_is_made_once(planner, job, monkeypatch):
    monkeypatch.setattr(made_once, "shelf", Shelf())
    monkeypatch.setattr("kardo.server.api.plan.summary", counted := Counted())
    for _ in range(3):
        assert read(planner, job, "summary").status_code == 200
    assert counted.times == 1


class Counted:
    """Counts how often a summary is made."""

    times = 0

    def __call__(self, plan):
        from kardo.core.presentation.summary import summary

        self.times += 1
        return summary(plan)


def test_a_shelf_holds_no_more_than_it_may_and_what_was_asked_for_last():
    held = Shelf(most_bytes=300)
    for name in "abc":
        held.put(name, bytes(100))
    assert held.get("a")
    held.put("d", bytes(100))
    assert [name for name in "abcd" if held.get(name)] == ["a", "c", "d"]
    held.put("d", bytes(200))
    assert [name for name in "acd" if held.get(name)] == ["c", "d"], "what is put again counts once"


def test_a_long_answer_is_packed_and_says_so(planner, job):
    plain = read(planner, job, "plan")
    packed = planner.get(f"/api/jobs/{job.pk}/plan", headers={"Accept-Encoding": "gzip"})
    assert packed["Content-Encoding"] == "gzip" and int(packed["Content-Length"]) == len(packed.content)
    assert gzip.decompress(packed.content) == plain.content and packed["ETag"] == f"W/{plain['ETag']}"
    assert "Accept-Encoding" in packed["Vary"] and not plain.has_header("Content-Encoding")
    again = planner.get(f"/api/jobs/{job.pk}/plan", headers={"Accept-Encoding": "gzip"})
    sizes = {
        len(planner.get(f"/api/jobs/{job.pk}/plan", headers={"Accept-Encoding": "gzip"}).content) for _ in range(8)
    }
    assert len(sizes) > 1, "lengths tell nothing: the name in the head is of random length"
    assert gzip.decompress(again.content) == plain.content


def test_a_connection_is_closed_once_it_is_old_so_that_the_next_may_go_elsewhere(monkeypatch):
    now = [0.0]
    monkeypatch.setattr(asgi.time, "monotonic", lambda: now[0])
    assert not asgi._old(("10.0.0.1", 1)) and not asgi._old(None)
    now[0] = asgi.KEPT_OPEN + 1
    assert not asgi._old(("10.0.0.1", 2)) and asgi._old(("10.0.0.1", 1))
    assert not asgi._old(("10.0.0.1", 1)), "it is another one that has come from there since"
