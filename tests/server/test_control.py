"""Control over the API: points from files, what they meet; rules of the house and waivers; observing, rounds and what
goes on paper."""

import csv
import io

import pypdfium2
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kardo.core.close.closing import with_waivers
from kardo.core.policy.policy import catalogue
from kardo.core.presentation.findings import check_plan
from kardo.server.actions.edit_plan import create_job
from kardo.server.plans.stored import stored_plan
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import request_computation
from kardo.server.questions.closing import closing_of
from tests.conftest import E0, N0, point, small_plan
from tests.formats.fuzz import picture
from tests.formats.test_map import dxf
from tests.server.conftest import edit
from tests.server.test_close import signer  # noqa: F401 - a fixture

pytestmark = pytest.mark.django_db


@pytest.fixture
def crowded(office, planner):
    """A check beside a target, and a target too narrow by the house's measure."""
    plan = small_plan(control=(point("G1", 50, 50), point("K1", 52, 50), point("G2", 150, 90)))
    return create_job(office, planner.user, plan)


def findings(client, job):
    return client.get(f"/api/jobs/{job.pk}/prediction").json()["findings"]


def test_points_of_a_file_are_told_with_what_they_meet(planner, job):
    g1 = small_plan().control[0]
    text = f"name;E;N\nnew;{g1.e + 30};{g1.n}\nG1;{g1.e};{g1.n}\nfar;{E0 + 5000};{N0}\n"
    told = planner.post(f"/api/jobs/{job.pk}/read/points", {"text": text}).json()
    assert [(p["same"], p["about"]) for p in told["points"]] == [("", True), ("G1", True), ("", False)]
    file = SimpleUploadedFile("a.dxf", dxf())
    drawn = planner.post(f"/api/jobs/{job.pk}/read/points", {"file": file}).json()
    assert [p["name"] for p in drawn["points"]] == ["peg"] and "names no coordinate system" in drawn["how"][-1]


def test_five_thousand_points_are_told_in_a_second(planner, job):
    import time

    rows = "".join(f"P{k};{E0 + k % 100};{N0 + k // 100};4.5\n" for k in range(5000))
    planner.post(f"/api/jobs/{job.pk}/read/points", {"text": f"name;E;N;H\n{rows[:200]}".rpartition("\n")[0]})  # warm
    began = time.process_time()
    told = planner.post(f"/api/jobs/{job.pk}/read/points", {"text": f"name;E;N;H\n{rows}"}).json()
    took = time.process_time() - began
    assert len(told["points"]) == 5000 and took < 1.5, took


def test_a_finding_is_accepted_with_a_reason_and_by_whom_and_opened_again(planner, crowded):
    beside = next(f for f in findings(planner, crowded) if f["rule"] == "check-beside-target")
    assert beside["waived"] == "" and beside["waives"] == "anybody"
    body = {"revision": 0, "rule": beside["rule"], "object": beside["object"], "reason": "only rock about"}
    assert planner.post_json(f"/api/jobs/{crowded.pk}/close/waiver", body).status_code == 200
    beside = next(f for f in findings(planner, crowded) if f["rule"] == "check-beside-target")
    assert beside["waived"] == "only rock about" and beside["waived_by"].startswith("planner, 20")
    planner.post_json(f"/api/jobs/{crowded.pk}/close/waiver", body | {"revision": 1, "reason": ""})
    assert next(f for f in findings(planner, crowded) if f["rule"] == "check-beside-target")["waived"] == ""


def test_what_is_accepted_of_no_object_is_that_and_not_all_that_its_rule_may_say(planner, office):
    """A check near another, and then a quadrant without any: the same rule, and two findings."""
    near = [point(f"K{k}", x, y) for k, (x, y) in enumerate([(20, 20), (25, 20), (180, 20), (20, 100), (180, 100)], 1)]
    job = create_job(office, planner.user, small_plan(control=tuple(near)))
    (close,) = [f for f in findings(planner, job) if f["rule"] == "check-places"]
    body = {"revision": 0, "rule": close["rule"], "object": "", "reason": "rock between them", "words": close["words"]}
    assert planner.post_json(f"/api/jobs/{job.pk}/close/waiver", body).status_code == 200
    assert [f["waived"] for f in findings(planner, job) if f["rule"] == "check-places"] == ["rock between them"]
    held = closing_of(job)[0]
    corner = [point(f"K{k}", x, y) for k, (x, y) in enumerate([(120, 70), (190, 70), (150, 110), (20, 20)], 1)]
    elsewhere = check_plan(small_plan(control=tuple(corner)), None)
    other = next(f for f in elsewhere if f.rule == "check-places" and "quadrant" in f.words)
    assert [f.waived for f in with_waivers([other], held)] == [""]


def test_a_rule_that_is_no_longer_there_keeps_nobody_from_a_job(planner, job):
    firm = job.organisation
    gone = {"rule": "no-longer-asked", "severity": "note", "reason": "of an older Kardo", "since": "2026-01-01"}
    firm.rules = {"format": "kardo-house", "changes": [gone]}
    firm.save()
    assert findings(planner, job) is not None and planner.get("/api/rules").status_code == 200


def test_a_stop_is_accepted_by_who_may_sign(planner, signer, office):  # noqa: F811
    job = create_job(office, planner.user, small_plan(setup={"readings": (1.8, 1.9)}))
    stop = next(f for f in findings(planner, job) if f["rule"] == "base-readings")
    body = {"revision": 0, "rule": stop["rule"], "object": stop["object"], "reason": "the second is of the tripod"}
    refused = planner.post_json(f"/api/jobs/{job.pk}/close/waiver", body)
    assert refused.status_code == 422 and "may not sign" in refused.json()["title"]
    assert signer.post_json(f"/api/jobs/{job.pk}/close/waiver", body).status_code == 200


def test_the_organisation_asks_otherwise_in_all_its_jobs_and_in_nobody_elses(planner, signer, stranger, job):  # noqa: F811
    asked = {"rule": "target-width", "threshold": 80, "reason": "an old lens"}
    refused = planner.post_json("/api/rules", asked)
    assert refused.status_code == 403 and "surveyor in charge" in refused.json()["mend"]
    assert not any(f["rule"] == "target-width" for f in findings(planner, job))
    told = signer.post_json("/api/rules", asked).json()
    own = next(r for r in told["rules"] if r["id"] == "target-width")["own"]
    assert own["threshold"] == 80 and own["by"] == "chief" and len(own["since"]) == 10
    found = next(f for f in findings(planner, job) if f["rule"] == "target-width")
    assert found["threshold"] == 80 and "an old lens" in found["own"]
    theirs = create_job(stranger.user.member.organisation, stranger.user, small_plan())
    assert not any(f["rule"] == "target-width" for f in findings(stranger, theirs))
    back = signer.post_json("/api/rules", {"rule": "target-width"}).json()
    assert next(r for r in back["rules"] if r["id"] == "target-width")["own"] is None
    assert not any(f["rule"] == "target-width" for f in findings(planner, job))


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"rule": "no-such", "severity": "note", "reason": "because"}, "no rule"),
        ({"rule": "target-width", "threshold": 9, "reason": ""}, "at least 3"),
        ({"rule": "control-forbidden", "severity": "off", "reason": "because"}, "always asked"),
    ],
)
def test_what_an_organisation_cannot_ask_changes_nothing(signer, asked, words):  # noqa: F811
    refused = signer.post_json("/api/rules", asked)
    assert refused.status_code == 422 and words in refused.json()["title"]
    told = signer.get("/api/rules").json()
    assert all(r["own"] is None for r in told["rules"]) and len(told["rules"]) == len(catalogue())


def test_a_point_is_told_where_it_is_dragged_to_what_stands_against_it(planner, job):
    g2 = small_plan().control[1]
    edits = [
        edit("control/G1/e", small_plan().control[0].e, g2.e + 1),
        edit("control/G1/n", small_plan().control[0].n, g2.n),
    ]
    told = planner.post_json(f"/api/jobs/{job.pk}/live", {"edits": edits}).json()
    assert any(f["rule"] == "targets-crowded" for f in told["findings"]) is False, "told of the second of two"
    away = [edit("control/G1/n", small_plan().control[0].n, N0 - 60)]
    told = planner.post_json(f"/api/jobs/{job.pk}/live", {"edits": away}).json()
    assert {"control-outside"} <= {f["rule"] for f in told["findings"]}
    assert {f["object"] for f in told["findings"]} == {"control/G1"}


def test_how_points_are_observed_and_the_rounds_past_them(planner, job):
    told = planner.get(f"/api/jobs/{job.pk}/control/observed").json()
    assert [p["name"] for p in told["points"]] == [p.name for p in small_plan().control]
    assert told["points"][0]["total_v"] > told["points"][0]["own_v"] > 0
    alone, two = (planner.get(f"/api/jobs/{job.pk}/control/rounds?people={k}").json() for k in (1, 2))
    assert [r["key"] for r in alone["rounds"]] == ["out", "in"] and len(two["rounds"]) == 4


def test_a_points_pictures_are_on_its_sheet(planner, job):
    def shown():
        page = pypdfium2.PdfDocument(planner.get(f"/api/jobs/{job.pk}/control/targets.pdf?point=G1").content)[0]
        return [o for o in page.get_objects() if o.type == pypdfium2.raw.FPDF_PAGEOBJ_IMAGE]

    assert not shown()
    photo = planner.post(f"/api/jobs/{job.pk}/pictures", {"file": SimpleUploadedFile("p.png", picture("PNG"))}).json()
    assert planner.patch_plan(job.pk, [edit("control/G1/pictures", [], [photo["digest"]])], 1).status_code == 200
    (image,) = shown()
    assert image.get_bounds()[2] > 0


def test_what_goes_on_paper_and_into_instruments(planner, job):
    base = f"/api/jobs/{job.pk}"
    for path, words in (
        ("control/sketch.pdf?scale=1000", "1:1"),
        ("control/targets.pdf?point=G1", "G1"),
        ("control/stake-out.pdf?station=A", "Stake-out from A"),
    ):
        page = pypdfium2.PdfDocument(planner.get(f"{base}/{path}").content)[0].get_textpage().get_text_bounded()
        assert words in page
    rows = list(csv.DictReader(io.StringIO(planner.get(f"{base}/control/stake-out.csv?station=A").content.decode())))
    assert [r["point"] for r in rows] == [p.name for p in small_plan().control]
    assert planner.get(f"{base}/control/stake-out?station=nobody").status_code == 422
    assert planner.get(f"{base}/control/sketch.pdf?scale=77").status_code == 422
    text = planner.get(
        f"{base}/export/points.csv?columns=P,E,N&separator=semicolon&decimals=comma&header=false"
    ).content.decode()
    assert text.splitlines()[0].startswith("G1;") and "," in text
    for name, start in (("control.gpx", b"<?xml"), ("control.gpkg", b"SQLite"), ("control.dxf", b"  0\nSECTION")):
        assert planner.get(f"{base}/export/{name}").content.startswith(start)


def test_the_paper_is_chosen_once_for_the_organisation(planner, signer, job):  # noqa: F811
    refused = planner.post_json("/api/rules/paper", {"paper": "Letter"})
    assert refused.status_code == 403 and "surveyor in charge" in refused.json()["mend"]
    assert signer.post_json("/api/rules/paper", {"paper": "A5"}).status_code == 422
    assert planner.get("/api/session").json()["papers"] == ["A4", "A3"]
    assert signer.post_json("/api/rules/paper", {"paper": "Letter"}).json()["paper"] == "Letter"
    assert planner.get("/api/session").json()["papers"] == ["Letter", "Tabloid"]
    base = f"/api/jobs/{job.pk}"
    for path, size in (
        ("control/sketch.pdf", (792, 612)),
        ("control/targets.pdf", (612, 792)),
        ("flight/card.pdf", (612, 792)),
    ):
        page = pypdfium2.PdfDocument(planner.get(f"{base}/{path}").content)[0]
        assert page.get_size() == pytest.approx(size, abs=0.5), path
    tabloid = pypdfium2.PdfDocument(planner.get(f"{base}/control/sketch.pdf?paper=Tabloid").content)[0]
    assert tabloid.get_size() == pytest.approx((1224, 792), abs=0.5)


def test_every_threshold_has_its_unit(planner):
    lines = planner.get("/api/rules").json()["rules"]
    assert all(bool(line["unit"]) == (line["threshold"] is not None) for line in lines)


def test_a_figure_that_the_prediction_acts_on_has_it_made_anew_and_no_other_does(planner, signer, job):  # noqa: F811
    """The reach of the controller decides which exposures have corrections; the age of a picture decides nothing of the
    kind."""

    def kept():
        return planner.get(f"/api/jobs/{job.pk}/prediction").json()["state"]

    request_computation(job, stored_plan(job))
    assert kept() == "queued"
    signer.post_json("/api/rules", {"rule": "backdrop-old", "threshold": 20, "reason": "much is built here"})
    assert kept() == "queued"
    signer.post_json("/api/rules", {"rule": "flight-link", "threshold": 400, "reason": "woods all round"})
    assert kept() == "none", "another figure is another computation"
    job.refresh_from_db()
    planner.post(f"/api/jobs/{job.pk}/prediction/start")
    made = Computation.objects.filter(job=job, kind="prediction").values_list("plan_hash", "policy")
    assert len({hash for hash, _ in made}) == 1 and len({policy for _, policy in made}) == 2
    signer.post_json("/api/rules", {"rule": "flight-link"})
    assert kept() == "queued", "what was asked before is there again"


def test_the_browser_is_told_the_organisations_figures(planner, signer):  # noqa: F811
    def told():
        found = planner.get("/api/catalogue").json()
        apart = next(r["threshold"] for r in found["rules"] if r["id"] == "base-readings")
        return apart, found["calibration_frames"], found["new_point"]["occupations"][0]["epochs"]

    assert told() == (0.003, 100, 60)
    for rule, figure in (("base-readings", 0.005), ("calibration-frames", 150), ("control-epochs", 180)):
        signer.post_json("/api/rules", {"rule": rule, "threshold": figure, "reason": "of our own"})
    assert told() == (0.005, 150, 180)
