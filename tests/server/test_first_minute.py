"""The list of jobs and the first question of a new one: where?"""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kardo.core.plan.model import plan_from_json
from kardo.server.jobs.models import Job
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import request_computation, run
from tests.conftest import small_plan
from tests.formats.test_files import geojson, tiff
from tests.server.conftest import edit, person

pytestmark = pytest.mark.django_db


def lines(client, archived=False):
    return client.get(f"/api/jobs?archived={str(archived).lower()}").json()


def test_a_line_shows_its_drawing_who_changed_it_and_what_it_promises(planner, office, job):
    (line,) = lines(planner)
    assert line["saved_by"] == planner.user.username and line["promise"] is None and not line["demo"]
    drawing = line["drawing"]
    assert [len(drawing[of]) for of in ("ring", "targets", "checks", "marks")] == [4, 5, 4, 1]
    assert all(0 <= v <= 100 for spot in drawing["ring"] for v in spot)
    run(str(request_computation(job, small_plan()).key))
    promise = lines(planner)[0]["promise"]
    stored = Computation.objects.get(job=job).result
    assert promise["rmse_v"] == stored["rmse_v"] and promise["chance"] == stored["chance"]
    planner.patch_plan(job.pk, [edit("brief/tolerance_v", 0.05, 0.002)], 1)
    assert lines(planner)[0]["promise"] is None, "another plan, of which nothing is known yet"


def test_a_job_of_an_earlier_kardo_is_drawn_when_it_is_listed(planner, job):
    Job.objects.update(drawing=None)
    assert len(lines(planner)[0]["drawing"]["ring"]) == 4
    assert Job.objects.get().drawing is not None


def test_a_job_that_cannot_be_read_any_more_does_not_hide_the_others(planner, office, job):
    Job.objects.create(organisation=office, title="Broken", document={"format": "kardo-plan", "version": 99})
    assert {line["title"] for line in lines(planner)} == {"Test field", "Broken"}


def test_a_job_is_put_away_and_fetched_back_and_deleted_only_from_there(planner, job):
    keeper = person("keeper", job.organisation, "administrator")
    assert keeper.delete(f"/api/jobs/{job.pk}").status_code == 422
    assert planner.post_json(f"/api/jobs/{job.pk}/archive", {"archived": True}).json()["archived"]
    assert lines(planner) == [] and len(lines(planner, archived=True)) == 1
    assert planner.get(f"/api/jobs/{job.pk}/plan").status_code == 200, "it can still be opened"
    planner.post_json(f"/api/jobs/{job.pk}/archive", {"archived": False})
    assert len(lines(planner)) == 1 and lines(planner)[0]["revision"] == 1
    planner.post_json(f"/api/jobs/{job.pk}/archive", {"archived": True})
    assert keeper.delete(f"/api/jobs/{job.pk}?title={job.title}").status_code == 204


def test_a_new_job_like_another_has_all_of_its_plan(planner, job):
    made = planner.post_json(f"/api/jobs/{job.pk}/like", {"title": "Second visit"})
    assert made.status_code == 201
    plan, other = (
        plan_from_json(json.loads(planner.get(f"/api/jobs/{key}/export/plan.json").content))
        for key in (job.pk, made.json()["id"])
    )
    assert other.hash == plan.hash and other.brief.title == "Second visit"
    assert other.surface.at(622_950.0, 5_128_350.0) == plan.surface.at(622_950.0, 5_128_350.0)


def test_another_organisations_jobs_are_not_put_away_or_copied(job, django_user_model):
    from kardo.server.accounts.models import Organisation

    stranger = person("stranger", Organisation.objects.create(name="Other"))
    assert stranger.post_json(f"/api/jobs/{job.pk}/archive", {"archived": True}).status_code == 404
    assert stranger.post_json(f"/api/jobs/{job.pk}/like", {"title": "x"}).status_code == 404
    assert lines(stranger) == []


@pytest.mark.parametrize(
    ("fields", "first", "outline"),
    [
        ({"text": "46°18'14\"N 13°25'40\"W"}, "EPSG:25828", False),
        ({"text": "lat,lon\n46.30,-13.40\n46.31,-13.40\n46.31,-13.41"}, "EPSG:25828", True),
        ({"file": SimpleUploadedFile("a.geojson", geojson())}, "EPSG:25828", True),
        ({"file": SimpleUploadedFile("a.tif", tiff())}, "EPSG:25828", False),
        ({"text": "44.26N 72.57W", "unit": "us-ft"}, "EPSG:6590", False),
    ],
)
def test_a_place_is_told_by_whatever_is_at_hand(planner, fields, first, outline):
    told = planner.post("/api/where", fields).json()
    assert told["grids"][0]["code"] == first and told["outline"] == outline and not told["options"]
    usable = [h["code"] for h in told["heights"] if not h["missing"]]
    assert usable == ["EPSG:5773", "ellipsoidal"]


def test_a_place_that_can_be_read_in_two_ways_is_asked_about(planner):
    told = planner.post("/api/where", {"text": "46.3 -13.4"}).json()
    assert ["46.30000° N" in o["words"] for o in told["options"]] == [True, False]
    chosen = planner.post("/api/where", {"text": "46.3 -13.4", "chosen": told["options"][1]["key"]}).json()
    assert chosen["latitude"] == pytest.approx(-13.4) and not chosen["options"]


@pytest.mark.parametrize("text", ["622900 5128300", "north of the pier", "", "nan nan", "91 200"])
def test_what_tells_no_place_is_refused_with_what_to_do(planner, text):
    answer = planner.post("/api/where", {"text": text})
    assert answer.status_code == 422 and "latitude and longitude" in answer.json()["mend"]


def test_a_files_own_grid_comes_first(planner):
    told = planner.post("/api/where", {"file": SimpleUploadedFile("a.tif", tiff(crs="EPSG:32628"))}).json()
    assert told["grids"][0]["code"] == "EPSG:32628"
