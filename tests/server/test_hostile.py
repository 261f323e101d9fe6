"""Whatever a browser sends, the answer is a clear refusal or a plan that holds together: never a crash, never half an edit."""

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from kardo.core.plan.model import plan_from_json
from kardo.server.jobs.models import Job
from kardo.server.plans.editing import assemble

pytestmark = pytest.mark.django_db(transaction=True)
QUIET = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])

SCALARS = st.none() | st.booleans() | st.integers(-(10**12), 10**12) | st.floats(allow_nan=False) | st.text(max_size=20)
VALUES = st.recursive(
    SCALARS, lambda x: st.lists(x, max_size=4) | st.dictionaries(st.text(max_size=8), x, max_size=4), max_leaves=8
)
FIELDS = st.sampled_from(["e", "n", "h", "width", "role", "method", "mark", "name", "id", "unknown"])
OBJECTS = st.sampled_from(
    [
        "control/G1",
        "control/new",
        "mark/A",
        "mark/../x",
        "area/A1",
        "brief",
        "flight",
        "site",
        "base",
        "terrain",
        "assumptions",
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
        again = plan_from_json(json.loads(json.dumps(assemble(after).to_json())))
        assert again.hash == after.plan_hash
    else:
        assert answer.json()["title"]
        assert (after.plan_hash, after.revision) == before


@QUIET
@given(OBJECTS, VALUES)
def test_any_value_for_any_object(planner, job, name, value):
    before = Job.objects.get(pk=job.pk)
    body = value if isinstance(value, dict) or value is None else {"value": value}
    sound(send(planner, job, [{"object": name, "value": body}]), job, (before.plan_hash, before.revision))


@QUIET
@given(st.dictionaries(FIELDS, SCALARS, max_size=4))
def test_any_field_of_a_control_point(planner, job, change):
    start = Job.objects.get(pk=job.pk)
    value = assemble(start).control[0].model_dump(mode="json") | change
    sound(send(planner, job, [{"object": "control/G1", "value": value}]), job, (start.plan_hash, start.revision))


@QUIET
@given(st.lists(st.lists(st.floats(600_000, 650_000), min_size=2, max_size=2), max_size=9))
def test_any_ring_for_an_area(planner, job, ring):
    start = Job.objects.get(pk=job.pk)
    shifted = [[e, n + 4_500_000] for e, n in ring]
    answer = send(planner, job, [{"object": "area/A1", "value": {"id": "A1", "name": "heap", "ring": shifted}}])
    sound(answer, job, (start.plan_hash, start.revision))
    if len(ring) < 3:
        assert answer.status_code == 422


@QUIET
@given(VALUES)
def test_any_question_to_the_live_answers(planner, job, value):
    for body in (value, {"changes": value}, {"changes": [{"object": "control/G1", "value": value}]}):
        answer = planner.post_json(f"/api/jobs/{job.pk}/live", body)
        assert answer.status_code in {200, 400, 422}, answer.content[:300]


@pytest.mark.parametrize("kind", ["prediction", "advice"])
@pytest.mark.parametrize("what", ["start", "stop", "burn"])
def test_only_known_computations_are_started_and_stopped(planner, job, kind, what):
    answer = planner.post(f"/api/jobs/{job.pk}/{kind}/{what}")
    assert answer.status_code == (404 if what == "burn" else 200)
    assert planner.post(f"/api/jobs/{job.pk}/everything/{what}").status_code in {404, 422}
