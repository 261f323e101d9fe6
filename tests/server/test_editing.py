"""Edits, conflicts, undo and redo, through the API."""

import json
import time
from itertools import pairwise
from uuid import uuid4

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from shapely import LineString, Point

from kardo.core.plan.model import plan_from_json
from kardo.formats.raster import write_terrain
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import stored_plan
from tests.conftest import E0, N0, small_plan
from tests.formats.test_files import CROSSED, geojson, surface
from tests.server.conftest import edit


def point(job, name="G1"):
    return next(p for p in current(job).to_json()["control"] if p["name"] == name)


def current(job):
    return stored_plan(Job.objects.get(pk=job.pk))


def moved(job, by=5.0, name="G1"):
    e = point(job, name)["e"]
    return [edit(f"control/{name}/e", e, e + by)]


def removed(job, name):
    return edit(f"control/{name}", point(job, name), None)


def test_a_new_job_holds_the_plan_it_was_made_from(job):
    assert current(job).hash == small_plan().hash == job.plan_hash
    assert job.location.x == pytest.approx(-13.4, abs=0.1)


def test_an_edit_raises_the_revision_and_the_etag(planner, job):
    answer = planner.get(f"/api/jobs/{job.pk}/plan")
    assert answer["ETag"].startswith('"1-')
    edited = planner.patch_plan(job.pk, moved(job), 1)
    assert edited.status_code == 200 and edited.json()["revision"] == 2
    assert edited.json()["hash"] != answer.json()["hash"]
    assert edited.json()["can_undo"] and not edited.json()["can_redo"]


def test_conflict_on_the_same_object_and_none_on_another(planner, chief, job):
    assert planner.patch_plan(job.pk, moved(job, 5), 1).status_code == 200
    clash = chief.patch_plan(job.pk, [edit("control/G1/e", E0 + 10, E0 + 19)], 1)
    assert clash.status_code == 412
    assert clash.headers["Content-Type"].startswith("application/problem+json")
    assert clash.json()["conflicts"] == [{"path": "control/G1/e", "mine": E0 + 19, "theirs": E0 + 15}]
    assert chief.patch_plan(job.pk, moved(job, 9, "G2"), 1).status_code == 200
    assert point(job)["e"] == pytest.approx(E0 + 15)


def test_the_same_change_twice_is_no_conflict(planner, chief, job):
    change = moved(job)
    planner.patch_plan(job.pk, change, 1)
    assert chief.patch_plan(job.pk, change, 1).status_code == 200


def test_undo_and_redo_survive_a_reload_and_belong_to_a_person(planner, chief, job):
    start = current(job).hash
    planner.patch_plan(job.pk, moved(job), 1)
    after = Job.objects.get(pk=job.pk).plan_hash
    chief.patch_plan(job.pk, moved(job, 3, "K1"), 2)
    assert planner.post(f"/api/jobs/{job.pk}/plan/undo").status_code == 200
    assert point(job)["e"] == pytest.approx(E0 + 10)
    assert chief.post(f"/api/jobs/{job.pk}/plan/undo").json()["hash"] == start
    assert planner.post(f"/api/jobs/{job.pk}/plan/redo").json()["hash"] == after
    assert planner.post(f"/api/jobs/{job.pk}/plan/redo").status_code == 422


def test_a_new_edit_ends_the_redo(planner, job):
    planner.patch_plan(job.pk, moved(job), 1)
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    planner.patch_plan(job.pk, moved(job, 1, "G2"), 3)
    assert planner.post(f"/api/jobs/{job.pk}/plan/redo").status_code == 422


def test_undo_of_what_somebody_else_changed_since_is_a_conflict(planner, chief, job):
    planner.patch_plan(job.pk, moved(job, 5), 1)
    chief.patch_plan(job.pk, moved(job, 2), 2)
    assert planner.post(f"/api/jobs/{job.pk}/plan/undo").status_code == 412


def test_removed_and_brought_back(planner, job):
    planner.patch_plan(job.pk, [removed(job, "K2")], 1)
    assert "K2" not in [p.name for p in current(job).control]
    assert planner.post(f"/api/jobs/{job.pk}/plan/undo").json()["hash"] == small_plan().hash


def test_many_changes_are_one_step(planner, job):
    changes = [*moved(job, 1, "G1"), *moved(job, 1, "G2"), removed(job, "K1")]
    planner.patch_plan(job.pk, changes, 1)
    assert planner.post(f"/api/jobs/{job.pk}/plan/undo").json()["hash"] == small_plan().hash


G7 = {"id": "G7", "name": "G7", "role": "target", "e": E0, "n": N0, "positioned_from": {"on": "setup", "setup": "base"}}
RING = [list(p) for p in small_plan().site.boundary]
BAD_EDITS = [
    ([edit("control/G7", None, {"id": "G7"})], "Field required"),
    ([edit("control/G1/e", E0 + 10, E0 + 11), edit("site/boundary", RING, CROSSED)], "crosses itself"),
    ([edit("site/boundary", RING, [[0, 0], [1, 0], [1, 1]])], "outside the area"),
    ([edit("flights/main/take_off", None, [0, 0])], "outside the area"),
    ([edit("setups/base/mark", "A", "nowhere")], "not among"),
    ([edit("brief/crs", "EPSG:25828", "EPSG:4326")], "not a projected grid"),
    ([edit("brief/heights", "EPSG:5773", "EPSG:3855")], "cannot be reached"),
    ([edit("brief", {}, None)], "no part"),
    ([edit("weather/wind", None, 1)], "no part"),
    ([edit("control/X1", None, G7)], "id is not"),
    ([edit("control/G1/id", "G1", "G9")], "no part"),
    ([edit("control/G1/colour", None, "red")], "no part"),
    ([edit("site/boundary/0", None, 1)], "no part"),
    ([edit("assumptions/overrides/nonsense", None, 1)], "assumption"),
    ([edit("assumptions/overrides/tie_ray_px", None, 0)], "cannot be meant"),
    ([edit("control/G1/h", None, 1e308)], "or less"),
    ([edit("control/G1/name", "G1", "nul\x00")], "cannot be stored"),
    ([edit("control/G1/name", "G1", "\ud800")], "cannot be stored"),
    ([edit("control/G1/name", "G1", "x" * 5000)], "at most 60"),
    (
        [edit("site/ground/terrain", None, {"digest": "ab", "e0": 0, "n0": 0, "step": 1, "rows": 2, "cols": 2})],
        "not here",
    ),
    ([], "1 to"),
]


@pytest.mark.parametrize(("changes", "words"), BAD_EDITS)
def test_bad_edits_are_told_and_leave_nothing_half_saved(planner, job, changes, words):
    if changes and changes[0]["path"] == "site/ground/terrain":
        changes[0]["before"] = job.document["site"]["ground"]["terrain"]
    answer = planner.patch_plan(job.pk, changes, 1)
    assert answer.status_code == 422
    assert words in answer.json()["title"]
    fresh = Job.objects.get(pk=job.pk)
    assert fresh.revision == 1 and current(fresh).hash == small_plan().hash
    assert not fresh.edits.exists()


def test_an_edit_must_say_what_it_is_based_on(planner, job):
    answer = planner.patch(
        f"/api/jobs/{job.pk}/plan", json.dumps({"edits": moved(job)}), content_type="application/json"
    )
    assert answer.status_code == 422 and answer.json()["where"] == "If-Match"


def test_boundary_is_read_and_not_saved(planner, job):
    answer = planner.post(f"/api/jobs/{job.pk}/read/boundary", {"file": SimpleUploadedFile("site.geojson", geojson())})
    assert answer.status_code == 200 and len(answer.json()["ring"]) == 4 and answer.json()["how"]
    crossed = planner.post(
        f"/api/jobs/{job.pk}/read/boundary", {"file": SimpleUploadedFile("x.geojson", geojson(CROSSED))}
    )
    told = crossed.json()
    assert crossed.status_code == 422 and "crosses itself" in told["title"]
    (e, n), outline = told["spot"], told["outline"]
    sides = [LineString(side) for side in pairwise([*outline, outline[0]])]
    assert sum(side.distance(Point(e, n)) < 1e-6 for side in sides) == 2  # where two of its sides meet
    assert Job.objects.get(pk=job.pk).revision == 1


def test_points_are_read(planner, job):
    answer = planner.post(f"/api/jobs/{job.pk}/read/points", {"text": f"A1 {E0} {N0} 3.1 CHK"})
    met = {"same": "", "twice": None, "named": "", "about": True}
    assert answer.json()["points"] == [{"name": "A1", "e": E0, "n": N0, "h": 3.1, "code": "CHK", **met}]


def test_terrain_is_taken_in_two_steps_and_drawn(planner, job):
    file = SimpleUploadedFile("dem.tif", write_terrain(surface(), "EPSG:25828"))
    before = job.document["site"]["ground"]["terrain"]
    read = planner.post(f"/api/jobs/{job.pk}/read/terrain", {"file": file, "heights": "EPSG:5773"})
    assert read.status_code == 200 and read.json()["value"]["heights"] is None
    assert Job.objects.get(pk=job.pk).revision == 1
    assert planner.patch_plan(job.pk, [edit("site/ground/terrain", before, read.json()["value"])], 1).status_code == 200
    drawn = planner.get(f"/api/jobs/{job.pk}/terrain/{read.json()['value']['digest']}")
    assert drawn.json()["lines"] and drawn.json()["shading"].startswith("data:image/png")
    assert planner.get(f"/api/jobs/{job.pk}/terrain/unknown").status_code == 404
    bad = planner.post(f"/api/jobs/{job.pk}/read/terrain", {"file": SimpleUploadedFile("dem.tif", b"no")})
    assert bad.status_code == 422 and "not a GeoTIFF" in bad.json()["title"]


@pytest.mark.parametrize(
    "name", ["points.csv", "control.geojson", "control.kml", "control.gpx", "control.gpkg", "control.dxf", "plan.json"]
)
def test_exports(planner, job, name):
    answer = planner.get(f"/api/jobs/{job.pk}/export/{name}")
    assert answer.status_code == 200 and name in answer["Content-Disposition"] and b"G1" in answer.content


def test_plan_goes_out_and_makes_a_job_of_the_same_hash(planner, job):
    exported = planner.get(f"/api/jobs/{job.pk}/export/plan.json").content
    made = planner.post("/api/jobs/import", {"file": SimpleUploadedFile("plan.json", exported)})
    assert made.status_code == 201
    assert Job.objects.get(pk=made.json()["id"]).plan_hash == plan_from_json(json.loads(exported)).hash == job.plan_hash


@pytest.mark.parametrize(
    ("content", "words"),
    [(b"{", "as JSON"), (b"[1]", "not a Kardo plan"), (b'{"format":"kardo-plan","version":99}', "version 99")],
)
def test_plans_that_cannot_be_read_make_no_job(planner, job, content, words):
    answer = planner.post("/api/jobs/import", {"file": SimpleUploadedFile("plan.json", content)})
    assert answer.status_code == 422 and words in answer.json()["title"]
    assert Job.objects.count() == 1


def test_jobs_are_made_and_listed(planner, job):
    made = planner.post_json("/api/jobs", {"title": "Another"})
    assert made.status_code == 201
    assert {line["title"] for line in planner.get("/api/jobs").json()} == {"Test field", "Another"}


def test_signing_in_and_out(planner, db):
    browser = Client(enforce_csrf_checks=True)
    browser.get("/api/session")
    token = {"X-CSRFToken": browser.cookies["csrftoken"].value}
    wrong = browser.post(
        "/api/session",
        json.dumps({"username": "planner", "password": "no"}),
        content_type="application/json",
        headers=token,
    )
    assert wrong.status_code == 401 and "wrong" in wrong.json()["title"]
    right = browser.post(
        "/api/session",
        json.dumps({"username": "planner", "password": "corvane-test"}),
        content_type="application/json",
        headers=token,
    )
    assert right.json()["organisation"] == "Survey Office"
    assert browser.post("/api/jobs", json.dumps({"title": "x"}), content_type="application/json").status_code == 403
    browser.delete("/api/session", headers={"X-CSRFToken": browser.cookies["csrftoken"].value})
    assert browser.get("/api/jobs").status_code == 401


def test_catalogues(planner):
    assert planner.get("/api/crs?q=etrs89 utm 28n").json()[0]["code"].startswith("EPSG:")
    egm = planner.get("/api/crs?kind=vertical&q=egm").json()
    assert egm[0]["code"] == "EPSG:5773" and not egm[0]["missing"]
    assert next(line for line in egm if line["code"] == "EPSG:3855")["missing"], "its grid file is not shipped"
    shown = planner.get("/api/catalogue").json()
    assert {"cameras", "methods", "standards", "assumptions", "rules"} <= set(shown)
    assert planner.get("/api/plan-schema").json()["title"].startswith("Kardo plan")


def test_two_people_who_change_different_fields_of_one_point_both_win(planner, chief, job):
    assert planner.patch_plan(job.pk, [edit("control/G1/e", E0 + 10, E0 + 12)], 1).status_code == 200
    assert chief.patch_plan(job.pk, [edit("control/G1/width", 0.6, 0.8)], 1).status_code == 200
    assert (point(job)["e"], point(job)["width"]) == (E0 + 12, 0.8)


def test_a_step_sent_twice_is_taken_once(planner, job):
    uid = str(uuid4())
    first = planner.patch_plan(job.pk, [edit("control/G1/e", E0 + 10, E0 + 12)], 1, uid)
    planner.patch_plan(job.pk, [edit("control/G1/e", E0 + 12, E0 + 10)], 2)
    again = planner.patch_plan(job.pk, [edit("control/G1/e", E0 + 10, E0 + 12)], 1, uid)
    assert first.status_code == again.status_code == 200
    assert point(job)["e"] == E0 + 10, "the answer was lost, not the step"
    assert again.json()["revision"] == 3


@pytest.mark.parametrize("revision", [2, 10**12, -1, "now"])
def test_a_revision_that_never_was_is_refused(planner, job, revision):
    answer = planner.patch_plan(job.pk, [edit("control/G1/e", E0 + 10, E0 + 12)], revision)
    assert answer.status_code == 422 and answer.json()["where"] == "If-Match"


def test_a_step_that_somebody_built_on_is_stepped_over(planner, chief, job):
    planner.patch_plan(job.pk, moved(job, 1, "G2"), 1)
    planner.patch_plan(job.pk, moved(job, 5), 2)
    chief.patch_plan(job.pk, moved(job, 2), 3)
    stuck = planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert stuck.status_code == 412 and stuck.json()["conflicts"][0]["theirs"] == E0 + 17
    assert planner.post(f"/api/jobs/{job.pk}/plan/undo?over=true").status_code == 200
    assert point(job)["e"] == E0 + 17
    assert planner.post(f"/api/jobs/{job.pk}/plan/undo").status_code == 200
    assert point(job, "G2")["e"] == E0 + 190


def test_what_is_saved_asks_for_no_more_than_it_needs(planner, job, django_assert_max_num_queries):
    with django_assert_max_num_queries(10):
        assert planner.patch_plan(job.pk, [edit("control/G1/e", E0 + 10, E0 + 12)], 1, str(uuid4())).status_code == 200


def test_five_hundred_points_in_one_step(planner, job, django_assert_max_num_queries):
    many = [
        edit(f"control/P{k}", None, G7 | {"id": f"P{k}", "name": f"P{k}", "e": E0 + k % 190, "n": N0 + k / 5})
        for k in range(500)
    ]
    took = []
    with django_assert_max_num_queries(30):
        started = time.perf_counter()
        assert planner.patch_plan(job.pk, many, 1).status_code == 200
        took.append(time.perf_counter() - started)
    print(f"500 points in one step: {took[0]:.2f} s")
    assert planner.post(f"/api/jobs/{job.pk}/plan/undo").json()["hash"] == small_plan().hash


def test_steps_stored_before_the_model_grew_a_field_are_undone_and_redone(planner, job):
    """A document, and the step that made it, without the field that tells what an occupation rests on."""
    row = G7 | {"occupations": [{"epochs": 60, "after_min": 0}]}
    assert planner.patch_plan(job.pk, [edit("control/G7", None, row)], 1).status_code == 200
    step, stored = job.edits.get(), Job.objects.get(pk=job.pk)
    for document in (step.changes[0]["after"], *stored.document["control"]):
        for occupation in document["occupations"]:
            del occupation["positioned_from"]
    step.save()
    stored.model = "an older one"
    stored.save()
    assert planner.post(f"/api/jobs/{job.pk}/plan/undo").json()["hash"] == small_plan().hash
    answer = planner.post(f"/api/jobs/{job.pk}/plan/redo")
    assert answer.status_code == 200
    assert current(Job.objects.get(pk=job.pk)).control[-1].occupations[0].positioned_from is None
