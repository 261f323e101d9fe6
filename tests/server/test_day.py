"""A visit on the clock over the API, its sheet as PDF and its calendar."""

import time
from datetime import UTC, datetime

import icalendar
import pypdfium2
import pytest

from kardo.core.day.day import day_of
from kardo.core.errors import ReadError
from kardo.core.plan.site import Feature
from kardo.formats.day_sheet import person_html
from kardo.formats.documents import page, pdf
from kardo.server.actions.edit_plan import create_job
from tests.core.test_day import CREW, visited
from tests.server.conftest import edit

pytestmark = pytest.mark.django_db


@pytest.fixture
def planned(office, planner):
    return create_job(office, planner.user, visited()[0])


def test_a_day_is_solved_and_follows_a_pin_within_two_seconds(planner, planned):
    day = planner.get(f"/api/jobs/{planned.pk}/day/V1").json()
    assert day["told"].startswith("Out ") and not day["reasons"] and day["utc_offset_h"] == -1
    sortie = next(t for t in day["tasks"] if t["id"] == "leg-main-1")
    later = f"{(sortie['start'] + 60) // 60:02d}:{(sortie['start'] + 60) % 60:02d}"
    started = time.perf_counter()
    answer = planner.patch_plan(planned.pk, [edit("visits/V1/pins/leg-main-1", None, later)], 1)
    assert answer.status_code == 200
    moved = planner.get(f"/api/jobs/{planned.pk}/day/V1").json()
    assert time.perf_counter() - started < 2
    now = next(t for t in moved["tasks"] if t["id"] == "leg-main-1")
    assert now["pinned"] and now["start"] == sortie["start"] + 60
    assert moved["tasks"][-1]["end"] >= day["tasks"][-1]["end"]
    planner.post_json(f"/api/jobs/{planned.pk}/plan/undo", {})
    again = planner.get(f"/api/jobs/{planned.pk}/day/V1").json()
    assert [t["start"] for t in again["tasks"]] == [t["start"] for t in day["tasks"]]


def test_what_a_day_rests_on_is_not_what_accuracy_rests_on(planner, planned):
    before = planned.plan_hash
    planner.patch_plan(planned.pk, [edit("visits/V1/batteries", 4, 1)], 1)
    planned.refresh_from_db()
    assert planned.plan_hash == before


def test_a_day_that_cannot_be_or_is_not_there_is_told(planner, planned, job):
    planner.patch_plan(planned.pk, [edit("visits/V1/batteries", 4, 0)], 1)
    told = planner.get(f"/api/jobs/{planned.pk}/day/V1").json()
    assert "batteries" in told["reasons"][0]["words"] and all(t["start"] is None for t in told["tasks"])
    assert planner.get(f"/api/jobs/{planned.pk}/day/V1/a.pdf").status_code == 422
    assert planner.get(f"/api/jobs/{job.pk}/day/V1").status_code == 422


def text_of(data):
    return "\n".join(p.get_textpage().get_text_range() for p in pypdfium2.PdfDocument(data)).replace("\u202f", " ")


def test_a_persons_sheet_says_what_to_do_where_and_when(planner, planned):
    answer = planner.get(f"/api/jobs/{planned.pk}/day/V1/a.pdf")
    assert answer["Content-Type"] == "application/pdf"
    text = text_of(answer.content)
    day = planner.get(f"/api/jobs/{planned.pk}/day/V1").json()
    own = [t for t in day["tasks"] if "a" in t["people"]]
    for task in own:
        assert f"{task['start'] // 60:02d}:{task['start'] % 60:02d}" in text
    assert "622 910.00" in text and "Aviation law" in text and "EGM96" in text
    assert day["told"][:20] in text


def test_names_are_text_on_paper_and_nothing_is_fetched():
    plan, _ = visited(people=(CREW[0].model_copy(update={"name": "<img src=http://x/y>"}), CREW[1]))
    place = Feature(id="f", name="<b>pit</b>", kind="hazard", vertices=((622_950, 5_128_350),))
    plan = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (place,)})})
    html = person_html(plan, day_of(plan, "V1"), plan.visits[0].people[0])
    assert "<img" not in html and "Hazard &lt;b&gt;pit" in html
    for outside in ('<img src="http://127.0.0.1:1/x.png">', '<img src="file:///etc/hostname">'):
        with pytest.raises(ReadError, match="from outside"):
            pdf(page("t", "f", outside))


def test_the_calendar_is_in_utc(planner, planned):
    logs = planner.get(f"/api/jobs/{planned.pk}/sessions.ics")
    assert logs["Content-Type"].startswith("text/calendar")
    (event,) = icalendar.Calendar.from_ical(logs.content).walk("VEVENT")
    assert event["summary"].endswith("the set-up on A logs") and event["dtend"].dt > event["dtstart"].dt
    answer = planner.get(f"/api/jobs/{planned.pk}/day/V1/b.ics")
    events = icalendar.Calendar.from_ical(answer.content).walk("VEVENT")
    day = planner.get(f"/api/jobs/{planned.pk}/day/V1").json()
    sortie = next(t for t in day["tasks"] if t["id"] == "leg-main-1")
    (event,) = [e for e in events if "main flight" in e["SUMMARY"]]
    hour, rest = divmod(sortie["start"] + 60, 60)  # the site's clock is an hour behind
    assert event["DTSTART"].dt == datetime(2027, 3, 16, hour, rest, tzinfo=UTC)
    assert len(events) == sum("b" in t["people"] for t in day["tasks"])


def test_somebody_who_does_not_come_has_no_sheet(planner, planned):
    assert planner.get(f"/api/jobs/{planned.pk}/day/V1/z.pdf").status_code == 422
