"""A local grid over the API: pasted, read from its text, offered in ground lengths; edited by field; told, written,
refused."""

import json

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kardo.core.parts import to_json
from kardo.formats.local_grid import local_text
from tests.conftest import E0
from tests.core.test_local import local_grid, pairs
from tests.formats.test_local_grid import delivered_in
from tests.server.conftest import edit

pytestmark = pytest.mark.django_db(transaction=True)
ROWS = "\n".join(
    f"L{k} " + " ".join(f"{v:.4f}" for v in (*a, *b)) for k, (a, b) in enumerate(zip(*pairs(1), strict=True))
)


def stored(client, job):
    return client.get(f"/api/jobs/{job.pk}/plan").json()


def given(client, job, local):
    answer = stored(client, job)
    before = answer["plan"]["brief"]["local"]
    return client.patch_plan(job.pk, [edit("brief/local", before, local)], answer["revision"])


def test_pasted_points_become_a_local_grid_that_tells_how_they_fit(planner, job):
    url = f"/api/jobs/{job.pk}/local"
    assert planner.get(url).status_code == 422, "there is none yet"
    points = planner.post(f"{url}/points", json.dumps({"text": ROWS}), content_type="application/json").json()
    assert given(planner, job, {"points": points}).status_code == 200
    told = planner.get(url).json()
    assert len(told["points"]) == 5 and told["scale"] == pytest.approx(0.9997, abs=3e-4)
    assert {p["role"] for p in told["places"]} == {"target", "check", "mark"}
    answer = stored(planner, job)
    assert answer["plan"]["brief"]["local"]["sigma_h"] == 0.012, "what was not said is the usual"
    done = planner.patch_plan(job.pk, [edit("brief/local/points/L1/plane", True, False)], answer["revision"])
    assert done.status_code == 200
    assert planner.get(url).json()["points"][0]["east"] is None
    assert planner.get(f"{url}.csv").content.decode().splitlines()[0] == "point,N,E,Z,code"


def test_its_text_is_read_again(planner, job):
    assert given(planner, job, to_json(local_grid())).status_code == 200
    text = planner.get(f"/api/jobs/{job.pk}/local.txt")
    assert text["Content-Disposition"] == 'attachment; filename="local-grid.txt"'
    assert text.content.decode() == local_text(delivered_in(local_grid()))
    again = planner.post(f"/api/jobs/{job.pk}/local/read", {"file": SimpleUploadedFile("a.txt", text.content)}).json()
    assert [p["name"] for p in again["points"]] == ["L0", "L1", "L2", "L3", "L4"]
    broken = planner.post(f"/api/jobs/{job.pk}/local/read", {"file": SimpleUploadedFile("a.txt", b"local grid: a\nx")})
    assert broken.status_code == 422 and "line 2" in broken.json()["where"]


def test_ground_lengths_are_offered(planner, job):
    offered = planner.get(f"/api/jobs/{job.pk}/local/ground").json()
    assert offered["kind"] == "stated" and offered["factor"] == pytest.approx(1.0002, abs=3e-4)
    assert given(planner, job, offered).status_code == 200
    told = planner.get(f"/api/jobs/{job.pk}/local").json()
    assert told["scale"] * told["ground_scale"] == pytest.approx(1, abs=1e-8)
    first = told["places"][0]
    assert abs(first["e"] - (E0 + 10)) < 0.05, "about the site's middle, coordinates hardly change"


def test_a_set_up_that_it_hangs_on_cannot_go(planner, job):
    local = to_json(local_grid()) | {"positioned_from": {"on": "setup", "setup": "nobody"}}
    refused = given(planner, job, local)
    assert refused.status_code == 422 and "nobody" in str(refused.json())
