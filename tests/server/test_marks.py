"""The library of marks: kept, found by nearness, taken, published anew, scoped."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from pyproj import Transformer

from kardo.core.plan.stands import Mark
from kardo.server.actions.edit_plan import create_job
from kardo.server.marks.models import KnownMark
from tests.conftest import E0, N0, small_plan
from tests.formats.fuzz import picture

pytestmark = pytest.mark.django_db


def coordinates(e=E0, n=N0, h=5.0, **more):
    base = {
        "crs": "EPSG:25828",
        "heights": "EPSG:5773",
        "e": e,
        "n": n,
        "h": h,
        "circle_95": 0.024477,
        "height_95": 0.0392,
    }
    return {**base, **more}


def keep(client, job, *marks):
    body = [{"about": {"designation": name, **about}, "coordinates": at} for name, at, about in marks]
    return client.post_json(f"/api/jobs/{job.pk}/library", {"marks": body})


def listed(client, job, **query):
    return client.get(f"/api/jobs/{job.pk}/library", query).json()


def test_the_nearest_marks_come_first_in_the_jobs_grid(planner, job):
    far, near = coordinates(E0 + 3000), coordinates(E0 + 100)
    e, n = Transformer.from_crs("EPSG:25828", "EPSG:3035", always_xy=True).transform(E0 + 5000, N0)
    european = coordinates(crs="EPSG:3035", e=e, n=n)
    assert keep(planner, job, ("Far 1", far, {}), ("Near 1", near, {}), ("Wide 1", european, {})).status_code == 200
    rows = listed(planner, job)
    assert [r["about"]["designation"] for r in rows][:2] == ["Near 1", "Far 1"]
    assert 0 < rows[0]["away"] < 200 and rows[1]["away"] == pytest.approx(3000, abs=150)
    assert rows[0]["sigma"] == pytest.approx([0.01, 0.02], abs=1e-6)
    assert rows[0]["brought"]["accuracy"] == 0 and rows[0]["brought"]["h"] == 5.0
    other = rows[2]["brought"]
    assert other["e"] == pytest.approx(E0 + 5000, abs=1e-4) and other["h"] == 5.0
    assert other["words"] == ["From ETRS89-extended / LAEA Europe."], (
        "exact: one datum, and nothing but a projection between"
    )
    assert [r["about"]["designation"] for r in listed(planner, job, query="far")] == ["Far 1"]


def test_new_coordinates_are_a_version_and_a_plan_keeps_what_it_took(planner, office):
    job = create_job(office, planner.user, small_plan())
    made = keep(planner, job, ("Heron 9", coordinates(), {"description": "brass bolt"})).json()[0]
    origin = {"id": made["id"], "revision": 1}
    mark = Mark(id="H9", name="Heron 9", e=E0, n=N0, h=5.0, origin=origin).model_dump(mode="json")
    assert planner.patch_plan(job.pk, [{"path": "marks/H9", "before": None, "after": mark}], 0).status_code == 200
    path = f"/api/jobs/{job.pk}/library"
    assert planner.get(f"{path}/changed").json() == []
    again = planner.post_json(f"{path}/{made['id']}/versions", coordinates())
    assert again.status_code == 422 and "the coordinates that it has" in again.json()["title"]
    newer = coordinates(E0 + 0.003, N0 - 0.004, 5.012, realisation="ETRF2014", epoch="2027.0")
    assert planner.post_json(f"{path}/{made['id']}/versions", newer).json()["version"] == 2
    (changed,) = planner.get(f"{path}/changed").json()
    assert changed["mark"] == "H9" and changed["step"]["horizontal"] == pytest.approx(0.005, abs=2e-5)
    assert changed["step"]["up"] == pytest.approx(0.012, abs=1e-5)
    versions = planner.get(f"{path}/{made['id']}/versions").json()
    assert [v["number"] for v in versions] == [2, 1] and versions[1]["step"] is None
    assert "ETRF2014 2027.0" in versions[0]["step"]["words"][-1] and versions[0]["by"]
    stored = planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]
    assert stored["marks"][-1]["e"] == E0, "nothing moves by itself"


def test_a_mark_of_the_plan_is_kept_with_its_accuracy_and_one_taken_here_is_not(planner, office):
    static = Mark(id="S", name="S", e=E0, n=N0, h=5.0, known="static", hours=4.0, find="under the ash")
    here = Mark(id="X", name="X", e=E0, n=N0, known="here")
    job = create_job(office, planner.user, small_plan(marks=(*small_plan().marks, static, here)))
    path = f"/api/jobs/{job.pk}/library/of-plan"
    kept = planner.post_json(path, {"mark": "S"}).json()
    assert kept["about"] == {
        "designation": "S",
        "kind": "base",
        "description": "under the ash",
        "sky": "",
        "recovered": None,
    }
    assert kept["sigma"][1] == pytest.approx(0.01825, abs=1e-5) and "4 h" in kept["coordinates"]["source"]
    refused = planner.post_json(path, {"mark": "X"})
    assert refused.status_code == 422 and "taken “here”" in refused.json()["title"]
    assert planner.post_json(path, {"mark": "nowhere"}).status_code == 422


def test_a_file_is_read_and_all_of_it_is_kept_or_none(planner, job):
    path = f"/api/jobs/{job.pk}/library"
    text = f"name,E,N,H\nHeron 1,{E0},{N0},4.5\nHeron 2,{E0 + 50},{N0},4.6\n".encode()
    read = planner.post(f"{path}/read", {"file": SimpleUploadedFile("marks.csv", text)}).json()
    assert [m["designation"] for m in read["marks"]] == ["Heron 1", "Heron 2"] and read["how"]
    assert KnownMark.objects.count() == 0, "reading keeps nothing"
    off = keep(planner, job, ("A", coordinates(), {}), ("B", coordinates(e=9e6), {}))
    assert off.status_code == 422 and KnownMark.objects.count() == 0
    bad = planner.post(f"{path}/read", {"file": SimpleUploadedFile("a.gpkg", b"SQLite format 3\0" + bytes(500))})
    assert bad.status_code == 422 and "not a sound GeoPackage" in bad.json()["title"]


def test_what_a_mark_is_can_be_told_anew_pictured_and_retired(planner, job):
    made = keep(planner, job, ("Heron 1", coordinates(), {})).json()[0]
    path = f"/api/jobs/{job.pk}/library/{made['id']}"
    about = {
        "designation": "Heron 1a",
        "kind": "return",
        "description": "take-off",
        "sky": "free",
        "recovered": "2027-03-16",
    }
    assert planner.put(path, json.dumps(about), content_type="application/json").json()["about"] == about
    assert planner.put(path, json.dumps({**about, "kind": "x"}), content_type="application/json").status_code == 422
    assert planner.get(f"{path}/photo").status_code == 422
    assert planner.post(f"{path}/photo", {"file": SimpleUploadedFile("p.jpg", picture("JPEG"))}).status_code == 204
    assert planner.get(f"{path}/photo")["Content-Type"] == "image/jpeg"
    assert listed(planner, job)[0]["photo"] is True
    assert planner.post(f"{path}/retire").status_code == 204 and listed(planner, job) == []
    assert len(planner.get(f"{path}/versions").json()) == 1, "what it was stays"


def test_another_organisations_library_is_not_seen(planner, stranger, job, office):
    made = keep(planner, job, ("Heron 1", coordinates(), {})).json()[0]
    theirs = create_job(stranger.user.member.organisation, stranger.user, small_plan())
    assert listed(stranger, theirs) == []
    path = f"/api/jobs/{theirs.pk}/library/{made['id']}"
    for answer in (
        stranger.get(f"{path}/versions"),
        stranger.post_json(f"{path}/versions", coordinates(h=9.0)),
        stranger.post(f"{path}/retire"),
        stranger.get(f"{path}/photo"),
        stranger.put(path, json.dumps({"designation": "mine"}), content_type="application/json"),
    ):
        assert answer.status_code == 404
    assert KnownMark.objects.get().designation == "Heron 1"


def test_a_plan_that_names_a_version_there_never_was_is_no_fault(planner, office):
    made_in = create_job(office, planner.user, small_plan())
    made = keep(planner, made_in, ("Heron 9", coordinates(), {})).json()[0]
    marks = (
        *small_plan().marks,
        Mark(id="B", name="B", e=E0, n=N0, origin={"id": made["id"], "revision": 0}),
        Mark(id="C", name="C", e=E0, n=N0, origin={"id": "from-elsewhere", "revision": 1}),
    )
    job = create_job(office, planner.user, small_plan(marks=marks))
    assert planner.get(f"/api/jobs/{job.pk}/library/changed").json() == []


def test_the_base_is_offered_places_of_the_site_and_marks_of_the_library(planner, job):
    assert keep(planner, job, ("Rise 3", coordinates(e=E0 + 230), {})).status_code == 200
    found = planner.get(f"/api/jobs/{job.pk}/base-places").json()
    assert {p["name"] for p in found["ranked"] if p["name"]} == {"A", "Rise 3"}
    assert found["ranked"][0]["score"] >= found["ranked"][-1]["score"]
