"""The site over the API: features of files and of a surface model, pictures, and the airspace looked up, taken and
asked."""

import json
import time

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kardo.core.presentation.findings import check_plan
from kardo.server.actions.edit_plan import create_job
from kardo.server.jobs.models import Job
from kardo.server.plans.models import Picture
from kardo.server.plans.stored import whole_plan
from kardo.standins.airspace import AirspaceStandIn
from tests.conftest import E0, N0, small_plan
from tests.formats.fuzz import picture
from tests.formats.test_backdrop import UP, geotiff, pixels
from tests.formats.test_map import kml
from tests.formats.test_terrain import tiff
from tests.server.conftest import edit
from tests.standins.running import running

pytestmark = pytest.mark.django_db


def read(client, job, what, data, name, **fields):
    return client.post(f"/api/jobs/{job.pk}/read/{what}", {"file": SimpleUploadedFile(name, data), **fields})


def ceilings(job):
    job.refresh_from_db()
    return [f.severity for f in check_plan(whole_plan(job), None) if f.rule == "airspace-ceiling"]


def test_features_of_a_file_come_as_rows_with_guesses_and_go_into_the_plan_as_they_are(planner, job):
    told = read(planner, job, "features", kml(), "site.kml").json()
    assert [(f["name"], f["kind"], f["shape"]) for f in told["features"]] == [
        ("peg", "hazard", "place"), ("fence", "obstacle", "line"), ("barn", "obstacle", "area"),
    ]  # fmt: skip
    assert told["layers"] == ["site"] * 3 and "WGS 84" in told["how"][0]
    edits = [edit(f"site/features/{f['id']}", None, f) for f in told["features"]]
    assert planner.patch_plan(job.pk, edits, 1).status_code == 200
    assert read(planner, job, "features", b"nothing", "a.kml").status_code == 422


def test_what_rises_over_the_terrain_is_offered(planner, job):
    up = np.zeros((120, 200))
    up[60:80, 30:45] = 8.0
    plan = small_plan()
    e, n = np.meshgrid(E0 + np.arange(200) + 0.5, N0 + 119.5 - np.arange(120))
    heights = plan.surface.at(e, n) + up
    told = read(planner, job, "risen", tiff(heights, UP, unit="metre"), "dsm.tif").json()
    (house,) = told["features"]
    assert house["kind"] == "obstacle" and house["height"] == pytest.approx(8.0, abs=0.3)
    assert "a guess" in told["how"][-1]


def test_a_picture_is_kept_for_its_job_alone_and_an_edit_needs_it(planner, stranger, job):
    told = read(planner, job, "backdrop", geotiff(pixels(), UP), "site.tif", taken="2026-05-01").json()
    value = told["value"]
    assert value["taken"] == "2026-05-01" and Picture.objects.filter(job=job).count() == 1
    address = f"/api/jobs/{job.pk}/backdrop/{value['digest']}.jpg"
    assert planner.get(address).content[:2] == b"\xff\xd8" and stranger.get(address).status_code == 404
    assert planner.patch_plan(job.pk, [edit("site/backdrops/B1", None, value)], 1).status_code == 200
    other = value | {"id": "B2", "digest": "0" * 64}
    refused = planner.patch_plan(job.pk, [edit("site/backdrops/B2", None, other)], 2)
    assert refused.status_code == 422 and "picture is not here" in refused.json()["title"]
    assert job.__class__.objects.get(pk=job.pk).plan_hash == job.plan_hash, "no number depends on a picture"


def test_pictures_come_along_to_a_job_like_this_one_and_stay_behind_where_a_plan_is_brought_in(planner, job):
    value = read(planner, job, "backdrop", geotiff(pixels(), UP), "site.tif").json()["value"]
    photo = planner.post(f"/api/jobs/{job.pk}/pictures", {"file": SimpleUploadedFile("p.jpg", picture("JPEG"))}).json()
    edits = [edit("site/backdrops/B1", None, value), edit("control/G1/pictures", [], [photo["digest"]])]
    assert planner.patch_plan(job.pk, edits, 1).status_code == 200
    stranger_to_it = planner.patch_plan(job.pk, [edit("control/G2/pictures", [], ["0" * 64])], 2)
    assert stranger_to_it.status_code == 422 and "picture is not here" in stranger_to_it.json()["title"]
    like = planner.post_json(f"/api/jobs/{job.pk}/like", {"title": "Next month"}).json()["id"]
    assert planner.get(f"/api/jobs/{like}/backdrop/{value['digest']}.jpg").status_code == 200
    assert planner.get(f"/api/jobs/{like}/pictures/{photo['digest']}").status_code == 200
    whole = planner.get(f"/api/jobs/{job.pk}/export/plan.json").content
    brought = planner.post("/api/jobs/import", {"file": SimpleUploadedFile("plan.json", whole)}).json()["id"]
    plan = planner.get(f"/api/jobs/{brought}/plan").json()["plan"]
    assert plan["site"]["backdrops"] == [] and all(p["pictures"] == [] for p in plan["control"])
    assert Job.objects.get(pk=brought).plan_hash == Job.objects.get(pk=job.pk).plan_hash


def test_the_airspace_is_looked_up_taken_asked_for_and_looked_up_again(planner, office, settings):
    job = create_job(office, planner.user, small_plan())
    lon, lat = small_plan().grid.to_world(E0, N0)
    where = (float(lon) - 0.01, float(lat) - 0.01, float(lon) + 0.01, float(lat) + 0.01)
    authority = AirspaceStandIn(delay=0.1, extra=("CV-9", "Test field", 50.0, None, where))
    with running(authority) as port:
        settings.AUTHORITIES = (f"127.0.0.1:{port}",)
        assert planner.get(f"/api/jobs/{job.pk}/authorities").json() == [f"127.0.0.1:{port}"]
        told = planner.get(f"/api/jobs/{job.pk}/airspace").json()
        met = next(z for z in told["zones"] if z["feature"]["zone"]["number"] == "CV-9")
        assert met["change"] == "new"
        zone = met["feature"]
        edits = [
            edit(f"site/features/{zone['id']}", None, zone),
            edit("site/airspace_looked_up", "", told["looked_up"]),
        ]
        assert planner.patch_plan(job.pk, edits, 1).status_code == 200
        assert ceilings(job) == ["stop"]
        wanted = {"feature": zone["id"], "height": 80, "date": "2027-03-16", "first": "08:00", "last": "12:00"}
        answer = planner.post_json(f"/api/jobs/{job.pk}/airspace/ask", wanted).json()
        assert answer["state"] == "requested"
        time.sleep(0.2)
        settled = planner.get(f"/api/jobs/{job.pk}/airspace/asked/{answer['reference']}").json()
        assert settled["state"] in ("granted", "refused")
        path = f"site/features/{zone['id']}/zone"
        granted = zone["zone"] | {"asked": "granted", "reference": answer["reference"]}
        assert planner.patch_plan(job.pk, [edit(path, zone["zone"], granted)], 2).status_code == 200
        assert ceilings(job) == []
        again = planner.get(f"/api/jobs/{job.pk}/airspace").json()
        same = next(z for z in again["zones"] if z["feature"]["zone"]["number"] == "CV-9")
        assert same["change"] == "same" and same["feature"]["zone"]["asked"] == "granted"
        refused = planner.get(f"/api/jobs/{job.pk}/airspace?authority=192.0.2.1:80")
        assert refused.status_code == 422 and "not among those" in refused.json()["title"]
    away = planner.get(f"/api/jobs/{job.pk}/airspace")
    assert away.status_code == 422 and away.json()["mend"] is not None
    assert json.loads(away.content)["title"]
