"""Every route of the OpenAPI document answers 404 to a user of another organisation, and 401 to nobody."""

import json

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from kardo.server.urls import api
from tests.conftest import small_plan
from tests.server.conftest import edit

SCHEMA = api.get_openapi_schema()
SCOPED = [(method, path) for path, methods in SCHEMA["paths"].items() for method in methods if "{job_id}" in path]
OPEN = {("get", "/api/session"), ("post", "/api/session"), ("get", "/api/plan-schema")}
ALL = [(method, path) for path, methods in SCHEMA["paths"].items() for method in methods]
EDITS = json.dumps({"edits": [edit("control/G1/width", 0.6, 0.7)]})
SHIFT = '{"mark": "A", "e": 0, "n": 0, "h": 0, "sigma_h": 0.01, "sigma_v": 0.01, "source": "static"}'
PUBLISHED = '{"crs": "EPSG:25828", "heights": "EPSG:5773", "e": 1, "n": 2, "circle_95": 0.01, "height_95": 0.01}'
BODIES = {
    "/api/jobs/{job_id}/plan": EDITS,
    "/api/jobs/{job_id}/live": EDITS,
    "/api/jobs/{job_id}/like": '{"title": "Mine"}',
    "/api/jobs/{job_id}/archive": '{"archived": true}',
    "/api/jobs/{job_id}/book": '{"now": "2027-03-16T09:00:00Z", "entries": []}',
    "/api/jobs/{job_id}/card/{setup}/{device}/read-back": '{"first": "1", "second": "2", "height": "3"}',
    "/api/jobs/{job_id}/casters/mounts": '{"caster": "127.0.0.1:2101"}',
    "/api/jobs/{job_id}/casters/heard": '{"caster": "127.0.0.1:2101", "mount": "A", "setup": "base"}',
    "/api/jobs/{job_id}/receivers/heard": '{"receiver": "127.0.0.1:2103", "setup": "base"}',
    "/api/jobs/{job_id}/stations/log": '{"network": "127.0.0.1:2104", "setup": "base"}',
    "/api/jobs/{job_id}/airspace/ask": (
        '{"feature": "Z1", "height": 80, "date": "2027-03-16", "first": "08:00", "last": "16:00"}'
    ),
    "/api/jobs/{job_id}/control/names": "{}",
    "/api/rules": '{"rule": "target-width", "threshold": 9, "reason": "because"}',
    "/api/jobs/{job_id}/local/marks": '{"text": "x"}',
    "/api/jobs/{job_id}/local/points": '{"text": "x"}',
    "/api/jobs/{job_id}/library": f'{{"marks": [{{"about": {{"designation": "A"}}, "coordinates": {PUBLISHED}}}]}}',
    "/api/jobs/{job_id}/kit": '{"kind": "poles", "profile": {"id": "p", "name": "p", "height": 1.8}}',
    "/api/jobs/{job_id}/flight/lens": '{"camera": "mp20", "record": []}',
    "/api/jobs/{job_id}/library/of-plan": '{"mark": "A"}',
    "/api/jobs/{job_id}/library/{mark_id}": '{"designation": "A"}',
    "/api/jobs/{job_id}/library/{mark_id}/versions": PUBLISHED,
    "/api/jobs/{job_id}/close/residuals": '{"revision": 0, "taken": {"file": "a", "outcomes": []}}',
    "/api/jobs/{job_id}/close/shift/preview": SHIFT,
    "/api/jobs/{job_id}/close/shift": '{"revision": 0, "shift": null}',
    "/api/jobs/{job_id}/close/waiver": '{"revision": 0, "rule": "a", "object": "", "reason": "because"}',
    "/api/jobs/{job_id}/close/sign": '{"certified": "All of it, as it was delivered."}',
    "/api/jobs/{job_id}/close/reopen": '{"reason": "because"}',
}
FORMS = {
    "/api/jobs/{job_id}/read/boundary": {"text": "x"},
    "/api/jobs/{job_id}/read/points": {"text": "x"},
    "/api/jobs/{job_id}/close/read": {"text": "x"},
    "/api/jobs/{job_id}/pictures": {"file": SimpleUploadedFile("p.jpg", b"\xff\xd8")},
    "/api/verify": {"file": SimpleUploadedFile("r.pdf", b"%PDF")},
    "/api/jobs/{job_id}/sky": {"file": SimpleUploadedFile("a.alm", b"x")},
    "/api/jobs/{job_id}/log": {"file": SimpleUploadedFile("b.rnx", b"x")},
    "/api/jobs/{job_id}/close/processing": {"file": SimpleUploadedFile("b.rnx", b"x"), "service": "127.0.0.1:2102"},
    "/api/jobs/{job_id}/close/shift/positions": {"file": SimpleUploadedFile("p.csv", b"x")},
    "/api/jobs/{job_id}/antennas/read": {"file": SimpleUploadedFile("a.atx", b"x")},
    "/api/jobs/{job_id}/local/read": {"file": SimpleUploadedFile("l.txt", b"x")},
    "/api/jobs/{job_id}/geoids": {"name": "own", "file": SimpleUploadedFile("g.gtx", b"x")},
    "/api/jobs/{job_id}/library/read": {"file": SimpleUploadedFile("m.csv", b"x")},
    "/api/jobs/{job_id}/library/{mark_id}/photo": {"file": SimpleUploadedFile("p.jpg", b"\xff\xd8")},
    "/api/jobs/{job_id}/flight/camera": {"file": SimpleUploadedFile("p.jpg", b"\xff\xd8")},
    "/api/jobs/{job_id}/flight/flown": {"file": SimpleUploadedFile("p.csv", b"E,N\n1,2\n")},
    "/api/jobs/{job_id}/read/features": {"file": SimpleUploadedFile("f.kml", b"<kml/>")},
    "/api/jobs/{job_id}/read/risen": {"file": SimpleUploadedFile("t.tif", b"II*\0")},
    "/api/jobs/{job_id}/read/backdrop": {"file": SimpleUploadedFile("t.tif", b"II*\0")},
    "/api/jobs/{job_id}/read/terrain": {"file": SimpleUploadedFile("t.tif", b"II*\0")},
}


def call(client, method, path, job):
    kind = (
        "pdf"
        if "{person}" in path or "/close/" in path or "stake-out" in path
        else "setups"
        if "/settings/" in path
        else "advice"
    )
    url = path.format(
        job_id=job.pk,
        direction="undo",
        kind=kind,
        name="points.csv",
        digest=_digest(job),
        visit="V1",
        person="a",
        report_id=job.pk,
        setup="base",
        device="D1",
        key="base",
        mark_id=job.pk,
        profile_id=job.pk,
        geoid_id=job.pk,
        flight="main",
        handed="a",
        reference="R-1",
    )
    if path in FORMS and method == "post":
        return client.post(url, FORMS[path])
    if method == "get":
        return client.get(url, {"station": "A"} if "stake-out" in path else {})
    return getattr(client, method)(
        url, BODIES.get(path, "{}"), content_type="application/json", headers={"If-Match": '"1"'}
    )


def _digest(job):
    return job.terrains.get().digest


def test_the_list_is_not_empty():
    assert len(SCOPED) >= 10


def test_another_organisation_gets_404(stranger, job):
    """Of each route in turn; whatever was let through would show in the job afterwards."""
    before = job.plan_hash, job.revision
    told = {(method, path): call(stranger, method, path, job).status_code for method, path in SCOPED}
    assert {route: status for route, status in told.items() if status != 404} == {}
    job.refresh_from_db()
    assert (job.plan_hash, job.revision) == before


def test_nobody_gets_401(job):
    told = {(method, path): call(Client(), method, path, job).status_code for method, path in ALL}
    assert {route for route, status in told.items() if status not in {401, 403}} == OPEN


def test_lists_hold_only_ones_own(stranger, planner, job):
    assert stranger.get("/api/jobs").json() == []
    assert len(planner.get("/api/jobs").json()) == 1


def test_the_same_plan_in_two_organisations_is_computed_for_each(stranger, planner, job, office):
    """Results are found by hash, but never across organisations."""
    from kardo.server.actions.edit_plan import create_job
    from kardo.server.predictions.models import Computation

    other = create_job(stranger.user.member.organisation, stranger.user, small_plan())
    planner.post(f"/api/jobs/{job.pk}/prediction/start")
    stranger.post(f"/api/jobs/{other.pk}/prediction/start")
    assert Computation.objects.filter(plan_hash=job.plan_hash).count() == 2
