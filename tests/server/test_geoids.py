"""An organisation's geoids: kept once, taken by a job for the part about its site, scoped."""

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kardo.server.marks.models import OwnGeoid
from tests.formats.test_geoid import gtx, wavy
from tests.server.conftest import edit

pytestmark = pytest.mark.django_db


def keep(client, job, data, name="Corvane 2026"):
    return client.post(f"/api/jobs/{job.pk}/geoids", {"name": name, "file": SimpleUploadedFile("own.gtx", data)})


def test_a_geoid_is_kept_taken_and_carries_the_plans_heights(planner, job):
    kept = keep(planner, job, gtx())
    assert kept.status_code == 200 and "GTX" in kept.json()["covers"]
    taken = planner.get(f"/api/jobs/{job.pk}/geoids/{kept.json()['id']}").json()
    assert taken["heights"] == "geoid:Corvane 2026" and not taken["odd"]
    shown = planner.get(f"/api/jobs/{job.pk}/plan").json()
    before = shown["plan"]["brief"]
    edits = [edit(f"brief/{k}", before[k], taken[k]) for k in ("heights", "geoid")]
    assert planner.patch_plan(job.pk, edits, shown["revision"]).status_code == 200
    told = planner.get(f"/api/jobs/{job.pk}/summary").json()
    assert told["datum"]["heights"] == told["heights"][0]["system"] == "Corvane 2026"
    assert planner.delete(f"/api/jobs/{job.pk}/geoids/{kept.json()['id']}").status_code == 204
    again = planner.get(f"/api/jobs/{job.pk}/summary").json()
    assert again["datum"]["heights"] == "Corvane 2026", "the job holds its own part"


def test_the_same_file_again_is_the_same_geoid_by_its_newest_name(planner, job):
    first, second = keep(planner, job, gtx()).json(), keep(planner, job, gtx(), "renamed").json()
    assert first["id"] == second["id"] and OwnGeoid.objects.get().name == "renamed"
    assert [g["name"] for g in planner.get(f"/api/jobs/{job.pk}/geoids").json()] == ["renamed"]


def test_another_organisation_sees_none_of_it(planner, stranger, job, office):
    from kardo.server.actions.edit_plan import create_job
    from tests.conftest import small_plan

    kept = keep(planner, job, gtx()).json()["id"]
    other = create_job(stranger.user.member.organisation, stranger.user, small_plan())
    assert stranger.get(f"/api/jobs/{other.pk}/geoids").json() == []
    assert stranger.get(f"/api/jobs/{other.pk}/geoids/{kept}").status_code == 404
    assert stranger.delete(f"/api/jobs/{other.pk}/geoids/{kept}").status_code == 404


def test_what_is_none_is_refused_and_nothing_is_kept(planner, job):
    refused = keep(planner, job, b"heights of somewhere")
    assert refused.status_code == 422 and "neither a GTX" in refused.json()["title"] + refused.json().get("detail", "")
    odd = keep(planner, job, gtx(wavy() - 40)).json()["id"]
    assert planner.get(f"/api/jobs/{job.pk}/geoids/{odd}").json()["odd"]
    assert OwnGeoid.objects.count() == 1
