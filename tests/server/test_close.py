"""Close over the API: from residuals to a signed report under which nothing changes any more."""

import json
from dataclasses import replace

import numpy as np
import pypdfium2
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kardo.core.accuracy import jointly
from kardo.core.accuracy.jointly import checks_jointly
from kardo.core.close.record import faults, record_from_json
from kardo.core.geodesy.units import small
from kardo.core.gnss.heights import frame_of_chain, heights
from kardo.core.plan.library import kit_of
from kardo.core.plan.stands import Mark
from kardo.formats.report import _IN_HTML, read_report
from kardo.server.actions.edit_plan import create_job
from kardo.server.closeout.models import JobClosing, SignedReport
from kardo.standins.processing import ProcessingStandIn
from tests.conftest import E0, N0, small_plan
from tests.core.test_book import occupied
from tests.core.test_day import visited
from tests.formats.rinex_logs import log_3
from tests.server.conftest import edit, person
from tests.server.test_book import compute, send
from tests.standins.running import running

pytestmark = pytest.mark.django_db
CERTIFIED = "The surface of the test field, as delivered on this day."


@pytest.fixture
def planned(office, planner):
    return create_job(office, planner.user, visited()[0])


@pytest.fixture
def signer(chief):
    chief.user.member.roles = ["surveyor"]
    chief.user.member.save()
    return chief


def csv(plan, seed=2):
    """Residuals as predicted at the checks, and none at the targets, in millimetres."""
    joint = checks_jointly(plan)
    rng = np.random.default_rng(seed)
    d = (np.linalg.cholesky(joint.covariance) @ rng.standard_normal(len(joint.covariance))).reshape(-1, 3) * 1000
    rows = [f"{p.name},0.1,-0.1,0.2,30" for p in plan.targets]
    rows += [f"{key},{e:.4f},{n:.4f},{u:.4f},12" for key, (e, n, u) in zip(joint.points, d, strict=True)]
    return "\n".join(["point,dE (mm),dN (mm),dU (mm),images", *rows])


def show(client, job):
    return client.get(f"/api/jobs/{job.pk}/close").json()


def post(client, job, step, **body):
    return client.post_json(f"/api/jobs/{job.pk}/close/{step}", body)


def taken_of(reading, **more):
    outcomes = [{k: r[k] for k in ("point", "used", "d", "images")} for r in reading["outcomes"]]
    return {"file": "residuals.csv", "how": reading["how"], "outcomes": outcomes} | more


def read_html(client, job):
    """The record of the draft as it would be signed now."""
    draft = client.get(f"/api/jobs/{job.pk}/close/report.html").content
    return record_from_json(json.loads(_IN_HTML.search(draft)[1]))


def bring_in(client, job, plan, seed=2, revision=0):
    reading = client.post(f"/api/jobs/{job.pk}/close/read", {"text": csv(plan, seed)}).json()
    answer = post(client, job, "residuals", revision=revision, taken=taken_of(reading))
    assert answer.status_code == 200, answer.json()
    compute(job)
    return show(client, job)


def test_residuals_in_verdict_and_comparison_out(planner, planned):
    plan = visited()[0]
    empty = show(planner, planned)
    assert empty["state"] == "lacking" and empty["verdict"] is None and "residuals" in empty["words"]
    told = bring_in(planner, planned, plan)
    assert told["state"] == "done" and told["revision"] == 1 and told["verdict"]["passed"]
    assert told["against"]["test"]["degrees"] == 12 and len(told["against"]["checks"]) == 4
    assert [c["axis"] for c in told["verdict"]["checks"]] == ["E", "N", "H", "V"]
    assert [p["name"] for p in told["promised"]] == ["planned", "as done"]
    assert told["blind"] and told["budget"]


def test_another_edit_of_plan_or_book_holds_the_residuals_against_what_is_then(planner, planned):
    plan = visited()[0]
    before = bring_in(planner, planned, plan)
    planner.patch_plan(planned.pk, [edit("marks/A/sigma_v", 0.015, 0.08)], 1)
    assert show(planner, planned)["state"] == "queued"
    compute(planned)
    after = show(planner, planned)
    assert after["promised"][-1]["rmse_v"] > before["promised"][-1]["rmse_v"]
    send(planner, planned, [occupied(1, "K1", state="float")])
    compute(planned)
    worse = show(planner, planned)
    assert worse["against"]["predicted_v"] > 2 * before["against"]["predicted_v"] and worse["book_kept"]


def test_a_set_that_names_a_strange_point_or_an_older_closing_is_refused_and_nothing_kept(planner, planned):
    strange = {"file": "a.csv", "outcomes": [{"point": "K9", "used": "unused"}]}
    refused = post(planner, planned, "residuals", revision=0, taken=strange)
    assert refused.status_code == 422 and "no point K9" in refused.json()["title"]
    assert not JobClosing.objects.exists()
    bring_in(planner, planned, visited()[0])
    late = post(planner, planned, "waiver", revision=0, rule="target-width", object="", reason="because")
    assert late.status_code == 422 and "meanwhile" in late.json()["title"]
    assert show(planner, planned)["closing"]["waivers"] == []


def test_a_waiver_stands_with_its_reason_and_can_be_taken_back(planner, planned):
    told = bring_in(planner, planned, visited()[0])
    finding = told["findings"][0]
    about = {"rule": finding["rule"], "object": finding["object"]}
    waived = post(planner, planned, "waiver", revision=1, **about, reason="fixed pole, calibrated").json()
    assert next(f for f in waived["findings"] if f["rule"] == finding["rule"])["waived"] == "fixed pole, calibrated"
    back = post(planner, planned, "waiver", revision=2, **about, reason="").json()
    assert all(not f["waived"] for f in back["findings"]) and back["revision"] == 3


def test_sign_off_freezes_plan_book_and_closing(planner, signer, planned):
    plan = visited()[0]
    bring_in(planner, planned, plan)
    assert post(planner, planned, "sign", certified=CERTIFIED).status_code == 403
    refused = post(signer, planned, "sign", certified="all good")
    assert refused.status_code == 422 and "What is certified is not said" in refused.json()["title"]
    told = post(signer, planned, "sign", certified=CERTIFIED).json()
    assert told["frozen"].startswith("frozen ") and told["frozen"].endswith("revision 1")
    assert planner.get(f"/api/jobs/{planned.pk}/plan").json()["frozen"] == told["frozen"]

    changes = [
        planner.patch_plan(planned.pk, [edit("control/G1/width", 0.6, 0.7)], 1),
        planner.post(f"/api/jobs/{planned.pk}/plan/undo"),
        send(planner, planned, [occupied(1, "G1")]),
        post(planner, planned, "waiver", revision=1, rule="target-width", object="", reason="because"),
        post(planner, planned, "shift", revision=1, shift=None),
        post(signer, planned, "sign", certified=CERTIFIED),
    ]
    assert [c.status_code for c in changes] == [422] * 6
    frozen = [c.json()["title"] for c in changes if "nothing to undo" not in c.json()["title"]]
    assert len(frozen) == 5 and all("is signed and frozen" in title for title in frozen)
    assert show(planner, planned)["revision"] == 1 and planned.book_entries.count() == 0


def test_the_signed_report_is_the_one_that_was_signed_and_is_found_out_when_altered(planner, signer, planned):
    told = bring_in(planner, planned, visited()[0])
    signed = post(signer, planned, "sign", certified=CERTIFIED).json()["reports"][0]
    base = f"/api/jobs/{planned.pk}/close/reports/{signed['id']}"
    files = {kind: planner.get(f"{base}.{kind}").content for kind in ("pdf", "html")}
    for data in files.values():
        record, key = read_report(data)
        assert key == signed["fingerprint"] == told["key"]
        assert record.signed.certified == CERTIFIED and record.revision == 1
        assert [c.rmse for c in record.verdict.checks] == [c["rmse"] for c in told["verdict"]["checks"]]
    document = pypdfium2.PdfDocument(files["pdf"])
    first = document[0].get_textpage().get_text_range()
    document.close()
    for c in told["verdict"]["checks"]:
        assert small(c["rmse"]) in first
    good = planner.post("/api/verify", {"file": SimpleUploadedFile("report.pdf", files["pdf"])}).json()
    assert good["own"] and good["title"] == "Test field" and good["certified"] == CERTIFIED
    bad = files["html"].replace(b"KEEPS ITS", b"KEEPS IT ")
    refused = planner.post("/api/verify", {"file": SimpleUploadedFile("report.html", bad)})
    assert refused.status_code == 422 and "altered" in refused.json()["title"]


def test_a_signed_job_is_opened_again_with_a_reason_and_keeps_its_report(planner, signer, planned):
    bring_in(planner, planned, visited()[0])
    post(signer, planned, "sign", certified=CERTIFIED)
    kept = SignedReport.objects.get()
    assert post(planner, planned, "reopen", reason="another visit").status_code == 403
    assert post(signer, planned, "reopen", reason=" ").status_code == 422
    told = post(signer, planned, "reopen", reason="another visit").json()
    assert told["frozen"] == "" and "another visit" in told["reports"][0]["reopened"]
    assert planner.patch_plan(planned.pk, [edit("control/G1/width", 0.6, 0.7)], 1).status_code == 200
    again = SignedReport.objects.get()
    assert bytes(again.pdf) == bytes(kept.pdf) and again.record == kept.record
    planner.post_json(f"/api/jobs/{planned.pk}/archive", {"archived": True})
    keeper = person("keeper", planned.organisation, "administrator")
    refused = keeper.delete(f"/api/jobs/{planned.pk}?title={planned.title}")
    assert refused.status_code == 422 and "signed reports" in refused.json()["title"]


def test_a_job_that_is_not_computed_is_not_signed(planner, signer, planned):
    assert "residuals" in post(signer, planned, "sign", certified=CERTIFIED).json()["title"]
    reading = planner.post(f"/api/jobs/{planned.pk}/close/read", {"text": csv(visited()[0])}).json()
    post(planner, planned, "residuals", revision=0, taken=taken_of(reading))
    early = post(signer, planned, "sign", certified=CERTIFIED)
    assert early.status_code == 422 and "still being computed" in early.json()["title"]
    assert planner.get(f"/api/jobs/{planned.pk}/close/report.pdf").status_code == 422
    compute(planned)
    draft = planner.get(f"/api/jobs/{planned.pk}/close/report.html")
    assert draft.status_code == 200 and b"DRAFT, not signed" in draft.content and b"kardo-seal" not in draft.content


def test_a_block_shift_is_shown_applied_and_taken_back(planner, office):
    mark = Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2, known="here")
    plan = visited(small_plan(marks=(mark,)))[0]
    job = create_job(office, planner.user, plan)
    before = bring_in(planner, job, plan)
    assert [m["id"] for m in before["marks_here"]] == ["A"] and before["promised"][-1]["rmse_v"] > 2
    shift = {"mark": "A", "e": mark.e + 1, "n": mark.n, "h": 6.2, "sigma_h": 0.01, "sigma_v": 0.02, "source": "static"}
    shown = planner.post_json(f"/api/jobs/{job.pk}/close/shift/preview", shift).json()
    assert shown["by"] == pytest.approx([1, 0, 2]) and len(shown["points"]) == 9
    assert show(planner, job)["shift"] is None
    post(planner, job, "shift", revision=1, shift=shift)
    compute(job)
    after = show(planner, job)
    assert after["shift"]["by"] == pytest.approx([1, 0, 2]) and after["promised"][-1]["rmse_v"] < 0.05
    assert (
        after["verdict"]["checks"] == before["verdict"]["checks"]
    )  # every check rests on the same mark: it never saw it
    report = read_html(planner, job)
    assert faults(report) == [] and report.shift.by == pytest.approx((1, 0, 2))
    moved = report.residuals[-1]
    other_way = replace(moved, d=(moved.d[0] + 0.001, *moved.d[1:]))
    assert faults(replace(report, residuals=[*report.residuals[:-1], other_way]))
    sent = {"file": SimpleUploadedFile("photos.csv", f"photo,E,N,H\nP1,{mark.e},{mark.n},84\n".encode())}
    moved = planner.post(f"/api/jobs/{job.pk}/close/shift/positions", sent).json()
    assert (moved["name"], moved["count"]) == ("photos-shifted.csv", 1)
    assert f"{mark.e + 1:.4f},{mark.n:.4f},86.0000" in moved["text"]
    listed = planner.get(f"/api/jobs/{job.pk}/close/shift/points.csv").content.decode().splitlines()
    assert listed[0].startswith('point,"E before, m"') and len(listed) == 1 + len(plan.control)
    back = post(planner, job, "shift", revision=2, shift=None).json()
    sent = {"file": SimpleUploadedFile("photos.csv", b"photo,E,N,H\nP1,1,2,3\n"), "back": "true"}
    refused = planner.post(f"/api/jobs/{job.pk}/close/shift/positions", sent)
    assert refused.status_code == 422 and "No shift is applied" in refused.json()["title"]
    assert back["shift"] is None and back["promised"][-1] == before["promised"][-1]
    other = post(planner, job, "shift", revision=3, shift=shift | {"mark": "nowhere"})
    assert other.status_code == 422 and "no such mark" in other.json()["title"]


def test_in_feet_on_another_grid_with_two_flights_and_two_cameras(planner, signer, office):
    first = small_plan().flights[0]
    second = first.having(id="second", name="second flight", camera="mp45", course_deg=90.0)
    kit = kit_of(cameras=("mp20", "mp45"), calibration="earlier")
    plan = visited(small_plan(flights=(first, second), kit=kit))[0]
    brief = plan.brief.model_copy(update={"unit": "us-ft", "crs": "EPSG:32628"})
    plan = plan.model_copy(update={"brief": brief})
    job = create_job(office, planner.user, plan)
    told = bring_in(planner, job, plan)
    assert told["state"] == "done" and told["verdict"]["passed"] and told["against"]["test"]["says"] == "as predicted"
    assert any("ftUS (" in line and " mm)" in line for line in told["against"]["words"])
    assert {"camera position noise of 20 MP, mechanical shutter", "positioning per sortie of second flight"} <= {
        b["name"] for b in told["budget"]
    }
    signed = post(signer, job, "sign", certified=CERTIFIED).json()["reports"][0]
    record, _ = read_report(planner.get(f"/api/jobs/{job.pk}/close/reports/{signed['id']}.pdf").content)
    assert faults(record) == [] and record.plan["brief"]["crs"] == "EPSG:32628"


def test_a_job_of_more_checks_than_are_compared_is_still_judged_and_signed(planner, signer, planned, monkeypatch):
    reading = planner.post(f"/api/jobs/{planned.pk}/close/read", {"text": csv(visited()[0])}).json()
    monkeypatch.setattr(jointly, "MOST_CHECKS", 3)
    post(planner, planned, "residuals", revision=0, taken=taken_of(reading))
    compute(planned)
    told = show(planner, planned)
    assert told["state"] == "done" and told["verdict"]["passed"] and told["against"] is None
    assert any("up to 3 are held against the prediction" in line for line in told["contradictions"])
    assert post(signer, planned, "sign", certified=CERTIFIED).status_code == 200


def test_a_log_is_processed_by_a_service_of_the_installation_and_no_other(planner, office, settings):
    plan = small_plan()
    chain = heights(plan, "base")
    at = chain.latitude, chain.longitude, chain.mark_ellipsoidal
    truth = tuple(frame_of_chain(plan, chain).earth_centred(at).tolist())
    job = create_job(office, planner.user, plan)
    path = f"/api/jobs/{job.pk}/close/processing"
    with running(ProcessingStandIn(delay=0.0, truth=truth)) as port:
        settings.PROCESSING = (f"127.0.0.1:{port}",)
        service = planner.get(path).json()[0]
        log = SimpleUploadedFile("base.rnx", log_3(7201, 60, interval=60.0).encode())
        handed = planner.post(path, {"file": log, "service": service}).json()
        told = planner.get(f"{path}/{handed['id']}", {"service": service}).json()
        mark = plan.marks[0]
        assert told["state"] == "done" and told["final"]["e"] == pytest.approx(mark.e, abs=0.1)
        assert told["final"]["h"] == pytest.approx(mark.h, abs=0.2) and "2 h against" in told["source"]
    other = planner.get(f"{path}/{handed['id']}", {"service": "127.0.0.1:5432"})
    assert other.status_code == 422 and "not among those" in other.json()["title"]
    gone = planner.get(f"{path}/{handed['id']}", {"service": service})
    assert gone.status_code == 422 and "Nobody answers" in gone.json()["title"]
