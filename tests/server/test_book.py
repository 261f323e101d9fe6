"""The book over the API: taken once in any order from several devices, and the third answer."""

import random
from datetime import UTC, datetime, timedelta

import pytest

from kardo.core.book.done import as_done
from kardo.core.book.entries import book_of
from kardo.server.actions.edit_plan import create_job
from kardo.server.book.models import BookEntry
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import run
from tests.core.test_book import entry, flown, occupied
from tests.core.test_day import visited
from tests.server.conftest import edit

pytestmark = pytest.mark.django_db


@pytest.fixture
def planned(office, planner):
    return create_job(office, planner.user, visited()[0])


def send(client, job, entries, now=None):
    body = {"now": (now or datetime.now(UTC)).isoformat(), "entries": [e.model_dump(mode="json") for e in entries]}
    return client.post_json(f"/api/jobs/{job.pk}/book", body)


def read(client, job):
    return client.get(f"/api/jobs/{job.pk}/book").json()


def day(plan):
    """All that was planned, done."""
    return [*(occupied(k, p.id, 2 * k) for k, p in enumerate(plan.control, 1)), flown(40, 1, 90)]


@pytest.mark.parametrize("seed", range(6))
def test_shuffled_repeated_and_lost_requests_end_in_the_same_book(planner, planned, seed):
    """Two devices send what they have until each has heard that it is kept; answers get lost, and so do requests."""
    chance = random.Random(seed)
    entries = [
        occupied(k, f"G{k % 5 + 1}", k, corrects=chance.choice([None, max(1, k - 3)]) if k > 4 else None)
        for k in range(1, 15)
    ]
    waiting = {"tablet": entries[::2], "phone": entries[1::2]}
    while any(waiting.values()):
        device = chance.choice([d for d, some in waiting.items() if some])
        some = chance.sample(waiting[device], chance.randint(1, len(waiting[device])))
        if chance.random() < 0.3:
            continue  # the request is lost
        answer = send(planner, planned, some)
        assert answer.status_code == 200
        if chance.random() < 0.3:
            continue  # the answer is lost: it will be sent again
        kept = set(answer.json()["kept"])
        waiting[device] = [e for e in waiting[device] if e.id not in kept]
    assert BookEntry.objects.count() == len(entries)
    told = read(planner, planned)["entries"]
    whole = book_of(entries)
    assert [k["entry"]["id"] for k in told] == [e.id for e in whole.entries]
    assert {k["entry"]["id"] for k in told if k["stands"]} == {e.id for e in whole.valid_entries}


def test_an_id_that_says_something_else_is_refused_and_nothing_of_its_request_kept(planner, planned):
    send(planner, planned, [occupied(1, "G1")])
    answer = send(planner, planned, [occupied(2, "G2"), occupied(1, "G3")])
    assert answer.status_code == 422 and "taken before" in answer.json()["title"]
    assert BookEntry.objects.count() == 1
    broken = planner.post_json(
        f"/api/jobs/{planned.pk}/book", {"now": datetime.now(UTC).isoformat(), "entries": [{"id": "x"}]}
    )
    assert broken.status_code == 422 and broken.json()["where"] == "entry.id"


def test_a_clock_that_is_off_is_told_and_kept(planner, planned):
    answer = send(planner, planned, [occupied(1, "G1")], datetime.now(UTC) + timedelta(minutes=7))
    assert "7 min fast" in answer.json()["clock"]
    assert BookEntry.objects.get().clock_off_s == pytest.approx(420, abs=5)
    assert send(planner, planned, [occupied(2, "G2")]).json()["clock"] == ""
    bare = {"now": "2027-03-16T09:00:00", "entries": []}
    assert planner.post_json(f"/api/jobs/{planned.pk}/book", bare).status_code == 422


def compute(job):
    for row in Computation.objects.filter(job=job, state=Computation.State.QUEUED):
        run(str(row.key))


def test_the_third_answer_follows_what_was_done(planner, planned):
    plan = visited()[0]
    assert read(planner, planned)["entries"] == []
    send(planner, planned, day(plan)[:3])
    assert "being computed" in read(planner, planned)["enough"]
    compute(planned)
    told = read(planner, planned)
    assert told["done"] is not None and "Not enough to leave" in told["enough"] and "Still to do: " in told["enough"]
    assert len(told["left"]["points"]) == len(plan.control) - 3 and told["left"]["sorties"] == ["flights/main/1"]

    send(planner, planned, day(plan))
    compute(planned)
    told = read(planner, planned)
    expected = as_done(plan, book_of(day(plan)))
    assert Computation.objects.get(plan_hash=expected.hash).promise == told["done"] | {"newer": None}
    assert told["enough"].startswith("Enough to leave: H ") and told["left"]["points"] == []

    send(planner, planned, [flown(41, 1, 95, not_fixed=0.9, corrects=40)])
    compute(planned)
    worse = read(planner, planned)
    assert worse["done"]["rmse_v"] > told["done"]["rmse_v"]


def test_an_edit_of_the_plan_asks_for_the_third_answer_anew(planner, planned):
    plan = visited()[0]
    send(planner, planned, day(plan))
    compute(planned)
    before = read(planner, planned)["done"]
    planner.patch_plan(planned.pk, [edit("marks/A/sigma_v", 0.015, 0.08)], 1)
    compute(planned)
    assert read(planner, planned)["done"]["rmse_v"] > before["rmse_v"]


def test_the_crew_that_left_with_nothing_flown_is_told(planner, planned):
    send(planner, planned, [occupied(1, "G1"), entry(9, 30, kind="departure")])
    compute(planned)
    told = read(planner, planned)
    assert (
        told["enough"].startswith("Not enough to leave: No sortie of main flight was flown.")
        and told["leaving"] is None
    )


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"at": "9999-12-31T23:59:59+00:00"}, "9999"),
        ({"at": "0001-01-01T00:00:00+00:00"}, "year 1 "),
        ({"attachments": ("ab" * 32,)}, "picture"),
    ],
)
def test_an_entry_of_no_time_or_with_a_picture_that_did_not_come_is_refused_whole(planner, planned, change, words):
    good, bad = occupied(1, "G1", 1), occupied(2, "G2", 2).model_copy(update=change)
    answer = send(planner, planned, [good, bad])
    assert answer.status_code == 422 and words in answer.json()["title"]
    assert BookEntry.objects.count() == 0


def test_a_device_whose_clock_is_of_no_time_is_told_so(planner, planned):
    answer = send(planner, planned, [occupied(1, "G1", 1)], datetime(9999, 12, 31, 23, tzinfo=UTC))
    assert answer.status_code == 422 and answer.json()["where"] == "now"
