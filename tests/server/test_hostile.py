"""Whatever a browser sends, the answer is a clear refusal or a plan that holds together: never a crash, never half an
edit."""

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from kardo.core.errors import KardoError
from kardo.core.plan.edits import value_at
from kardo.core.plan.model import plan_from_json
from kardo.server.jobs.models import Job
from kardo.server.plans.stored import stored_plan
from tests.conftest import E0
from tests.server.conftest import edit

pytestmark = pytest.mark.django_db(transaction=True)
QUIET = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])

SCALARS = st.none() | st.booleans() | st.integers(-(10**12), 10**12) | st.floats(allow_nan=False) | st.text(max_size=20)
VALUES = st.recursive(
    SCALARS, lambda x: st.lists(x, max_size=4) | st.dictionaries(st.text(max_size=8), x, max_size=4), max_leaves=8
)
FIELDS = st.sampled_from(["e", "n", "h", "width", "role", "occupations", "positioned_from", "name", "id", "unknown"])
OBJECTS = st.sampled_from(
    [
        "control/G1",
        "control/G1/e",
        "control/new",
        "marks/A",
        "marks/../x",
        "site/areas/A1",
        "site/boundary",
        "site/ground/terrain",
        "kit/cameras/mp20/calibration",
        "assumptions/overrides/tie_ray_px",
        "assumptions/overrides",
        "flights/main/positioned_from",
        "brief",
        "flights",
        "site",
        "setups/base",
        "version",
        "",
        "/",
        "control/",
        "x" * 90,
    ]
)


def send(client, job, changes):
    return client.patch_plan(job.pk, changes, Job.objects.get(pk=job.pk).revision)


def sound(answer, job, before):
    """Refused in words and nothing changed, or taken and the plan still one that can be read again."""
    assert answer.status_code in {200, 412, 422}, answer.content[:300]
    after = Job.objects.get(pk=job.pk)
    if answer.status_code == 200:
        again = plan_from_json(json.loads(json.dumps(stored_plan(after).to_json())))
        assert again.hash == after.plan_hash
    else:
        assert answer.json()["title"]
        assert (after.plan_hash, after.revision) == before


def standing(job, path):
    """What stands at a path, so that an edit of it is no conflict."""
    try:
        return value_at(Job.objects.get(pk=job.pk).document, path)
    except KardoError:
        return None


@QUIET
@given(OBJECTS, VALUES)
def test_any_value_for_any_path(planner, job, path, value):
    before = Job.objects.get(pk=job.pk)
    answer = send(planner, job, [edit(path, standing(job, path), value)])
    sound(answer, job, (before.plan_hash, before.revision))


@QUIET
@given(FIELDS, SCALARS)
def test_any_field_of_a_control_point(planner, job, field, value):
    start, path = Job.objects.get(pk=job.pk), f"control/G1/{field}"
    answer = send(planner, job, [edit(path, standing(job, path), value)])
    sound(answer, job, (start.plan_hash, start.revision))


@QUIET
@given(st.lists(st.lists(st.floats(600_000, 650_000), min_size=2, max_size=2), max_size=9))
def test_any_ring_for_an_area(planner, job, ring):
    start = Job.objects.get(pk=job.pk)
    shifted = [[e, n + 4_500_000] for e, n in ring]
    answer = send(
        planner,
        job,
        [edit("site/areas/A1", standing(job, "site/areas/A1"), {"id": "A1", "name": "heap", "ring": shifted})],
    )
    sound(answer, job, (start.plan_hash, start.revision))
    if len(ring) < 3:
        assert answer.status_code == 422


@QUIET
@given(VALUES)
def test_any_question_to_the_live_answers(planner, job, value):
    for body in (value, {"edits": value}, {"edits": [edit("control/G1/e", E0 + 10, value)]}):
        answer = planner.post_json(f"/api/jobs/{job.pk}/live", body)
        assert answer.status_code in {200, 400, 412, 422}, answer.content[:300]


@pytest.mark.parametrize("kind", ["prediction", "advice"])
@pytest.mark.parametrize("what", ["start", "stop", "burn"])
def test_only_known_computations_are_started_and_stopped(planner, job, kind, what):
    answer = planner.post(f"/api/jobs/{job.pk}/{kind}/{what}")
    assert answer.status_code == (404 if what == "burn" else 200)
    assert planner.post(f"/api/jobs/{job.pk}/everything/{what}").status_code in {404, 422}
