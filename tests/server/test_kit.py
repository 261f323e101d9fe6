"""The organisation's kit: kept from a plan, revision by revision, taken into another job, retired; and never another
organisation's."""

import pytest

from tests.server.conftest import edit

pytestmark = pytest.mark.django_db


def keep(planner, job, profile="mp20", kind="cameras"):
    """A profile as the job's plan has it now."""
    rows = planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]["kit"].get(kind, [])
    own = next((row for row in rows if row["id"] == profile), {"id": profile})
    return planner.post(f"/api/jobs/{job.pk}/kit", {"kind": kind, "profile": own}, content_type="application/json")


def test_a_profile_is_kept_and_its_changes_are_revisions(planner, job):
    first = keep(planner, job).json()
    assert first["revision"] == 1 and first["document"]["width_px"] == 5472 and "id" not in first["document"]
    origin = {"id": first["id"], "revision": 1}
    assert (
        planner.patch_plan(
            job.pk, [edit("kit/cameras/mp20/origin", {"id": "mp20", "revision": 1}, origin)], 1
        ).status_code
        == 200
    )
    assert keep(planner, job).json()["revision"] == 1, "what has not changed is not kept again"
    assert planner.patch_plan(job.pk, [edit("kit/cameras/mp20/focal_mm", 8.8, 9.1)], 2).status_code == 200
    second = keep(planner, job).json()
    assert second["id"] == first["id"] and second["revision"] == 2 and second["document"]["focal_mm"] == 9.1
    versions = planner.get(f"/api/jobs/{job.pk}/kit/{first['id']}/versions").json()
    assert [(v["revision"], v["document"]["focal_mm"]) for v in versions] == [(2, 9.1), (1, 8.8)]
    assert [(row["id"], row["revision"]) for row in planner.get(f"/api/jobs/{job.pk}/kit").json()] == [(first["id"], 2)]


def test_the_record_of_a_lens_goes_with_it(planner, job):
    entry = {"date": "2027-03-01", "what": "flight", "frames": 120, "note": "quay"}
    assert planner.patch_plan(job.pk, [edit("kit/cameras/mp20/record", [], [entry])], 1).status_code == 200
    assert keep(planner, job).json()["document"]["record"] == [entry]


def test_a_profile_that_is_retired_is_offered_no_more_and_what_is_not_there_is_said(planner, job):
    made = keep(planner, job, "quad", "aircraft").json()
    assert planner.delete(f"/api/jobs/{job.pk}/kit/{made['id']}").status_code == 204
    assert planner.get(f"/api/jobs/{job.pk}/kit").json() == []
    assert planner.get(f"/api/jobs/{job.pk}/kit/{made['id']}/versions").status_code == 404
    answer = keep(planner, job, "none-such")
    assert answer.status_code == 422 and "kit.cameras" in answer.json()["where"]
    assert keep(planner, job, kind="secrets").status_code == 422


def test_another_organisation_sees_none_of_it(planner, stranger, job):
    keep(planner, job)
    assert stranger.get(f"/api/jobs/{job.pk}/kit").status_code == 404


def test_light_and_a_calibration_flight_come_over_the_api(planner, job):
    light = planner.get(f"/api/jobs/{job.pk}/flight/light?cloud=overcast&date=2027-06-21").json()
    assert light["flight"] == "main" and light["at"] and light["words"]
    assert planner.get(f"/api/jobs/{job.pk}/flight/light?date=2027-06-99").status_code == 422
    assert planner.get(f"/api/jobs/{job.pk}/flight/light?flight=other&date=2027-06-21").status_code == 422
    edits = planner.get(f"/api/jobs/{job.pk}/flight/calibration").json()
    assert [e["path"] for e in edits] == ["site/areas/C1", "flights/C1"]
    assert planner.patch_plan(job.pk, edits, 1).status_code == 200


def test_another_line_and_what_flights_begin_with_come_over_the_api(planner, job):
    strip = {"start": [600000.0, 5000000.0], "end": [600100.0, 5000000.0], "height_m": None}
    laid = planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]["flights"][0]["pattern"]
    refused = planner.get(f"/api/jobs/{job.pk}/flight/strip")
    assert refused.status_code == 422 and "laid, not drawn" in refused.json()["title"]
    own = planner.get("/api/catalogue").json()["flight_parts"]["own"]
    assert planner.patch_plan(job.pk, [edit("flights/main/pattern", laid, own)], 1).status_code == 200
    edits = planner.get(f"/api/jobs/{job.pk}/flight/strip").json()
    assert [e["path"] for e in edits] == ["flights/main/pattern/lines"] and len(edits[0]["after"]) == 1
    assert set(edits[0]["after"][0]) == set(strip)
    told = planner.get("/api/catalogue").json()
    assert told["scanning"] == {"extra_lines": 0, "side_overlap": 50.0}
    assert told["strengthening"]["tilt_deg"] == 30.0 and told["calibration_frames"] == 100


def test_a_line_from_the_side_and_a_take_off_place_come_over_the_api(planner, job):
    side = planner.get(f"/api/jobs/{job.pk}/flight/profile?flight=main&line=1").json()
    assert len(side["along"]) == len(side["flown"]) > 10 and side["words"].startswith("Line 1, ")
    home = planner.get(f"/api/jobs/{job.pk}/flight/profile?sortie=1&home=true").json()
    assert home["words"].startswith("Home from sortie 1") and home["exposures"] == []
    assert planner.get(f"/api/jobs/{job.pk}/flight/profile?line=999").status_code == 422
    (found,) = planner.get(f"/api/jobs/{job.pk}/flight/take-off").json()
    assert found["unseen"] == 0 and [e["path"] for e in found["edits"]] == ["flights/main/take_off"]
    assert planner.patch_plan(job.pk, found["edits"], 1).status_code == 200
    air = planner.get(f"/api/jobs/{job.pk}/flight/air").json()
    assert [1, *air["take_off"]] == found["places"][0] and air["minutes"] == pytest.approx(found["minutes"])


def test_what_is_put_on_record_is_reckoned_with(planner, job):
    """A calibration five days before the visit makes the lens one of this week, by the same edits that put it on
    record."""
    visit = {"id": "V1", "name": "visit", "date": "2027-03-16"}
    assert planner.patch_plan(job.pk, [edit("visits/V1", None, visit)], 1).status_code == 200
    ask = {"camera": "mp20", "record": [{"date": "2027-03-11", "what": "flight", "frames": 140, "note": ""}]}
    url = f"/api/jobs/{job.pk}/flight/lens"
    edits = planner.post(url, ask, content_type="application/json").json()
    assert planner.patch_plan(job.pk, edits, 2).status_code == 200
    camera = planner.get(f"/api/jobs/{job.pk}/plan").json()["plan"]["kit"]["cameras"][0]
    assert camera["calibration"]["state"] == "this_week" and camera["record"] == ask["record"]
    changed = ask | {
        "record": [*ask["record"], {"date": "2027-03-12", "what": "changed", "frames": 0, "note": "dropped"}]
    }
    edits = planner.post(url, changed, content_type="application/json").json()
    assert next(e for e in edits if e["path"].endswith("calibration"))["after"]["state"] == "never"
    assert planner.post(url, ask | {"camera": "none"}, content_type="application/json").status_code == 422
