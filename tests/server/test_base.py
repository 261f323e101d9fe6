"""The base over the API: schemes on the queue, a device's card on paper, what a device shows held against it."""

import gzip
import random

import pypdfium2
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from procrastinate.contrib.django.models import ProcrastinateJob

from kardo.core.gnss.card import cards
from kardo.core.gnss.heights import heights
from kardo.core.plan.stands import CorrectionService, Device
from kardo.core.sky.orbits import nominal
from kardo.formats.yuma import write_yuma
from kardo.outside.line import Address
from kardo.outside.stations import stations_of
from kardo.server.actions.edit_plan import create_job
from kardo.server.api import base as api
from kardo.server.plans.stored import stored_plan
from kardo.server.predictions.models import Computation
from kardo.server.predictions.tasks import PATIENT, run
from kardo.standins.caster import CasterStandIn, bases_of
from kardo.standins.network import NetworkStandIn
from kardo.standins.receiver import receiver_of
from tests.conftest import small_plan
from tests.formats.nav_files import DAY, kepler, nav_file
from tests.formats.rinex_logs import log_3
from tests.formats.test_antex import FILE
from tests.server.test_advice import post
from tests.standins.running import running
from tests.standins.test_network import taken

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.usefixtures("empty_queue")]
DEVICES = (
    Device(id="D1", name="base receiver", point="arp", height="ellipsoidal", position="degrees", unit="m"),
    Device(id="D2", name="controller <2>", point="mark", height="orthometric", position="grid", unit="us-ft"),
)


@pytest.fixture
def with_cards(planner, office):
    return create_job(office, planner.user, small_plan(setup={"devices": DEVICES}))


def shown(client, job):
    return client.get(f"/api/jobs/{job.pk}/schemes").json()


def test_schemes_start_when_asked_and_choosing_one_rewires_the_plan(planner, job):
    assert shown(planner, job)["state"] == "none"
    assert post(planner, job, "schemes/start")["state"] == "queued"
    assert ProcrastinateJob.objects.get().queue_name == PATIENT, "a dozen predictions do not hold up one"
    run(key=str(Computation.objects.get().key))
    told = shown(planner, job)
    assert told["state"] == "done"
    rows = {row["id"]: row for row in told["result"]["rows"]}
    assert rows["own_both"]["chosen"] and rows["own_both"]["on"] == "set-up on A"
    network = rows["network_virtual"]
    assert planner.patch_plan(job.pk, network["edits"], 1).status_code == 200
    plan = stored_plan(job.__class__.objects.get(pk=job.pk))
    assert plan.flights[0].positioned_from.on == "service" and {p.positioned_from.on for p in plan.control} == {
        "service"
    }
    post(planner, job, "prediction/start")
    run(key=str(Computation.objects.get(kind="prediction").key))
    result = planner.get(f"/api/jobs/{job.pk}/prediction").json()["result"]
    assert result["rmse_v"] == pytest.approx(network["promise"]["rmse_v"], rel=1e-9)
    planner.post(f"/api/jobs/{job.pk}/plan/undo")
    assert shown(planner, job)["state"] == "done", "what was computed before is not computed again"


def written(answer):
    """What stands on the one page of a PDF, without its spaces."""
    document = pypdfium2.PdfDocument(answer.content)
    text = "".join(document[0].get_textpage().get_text_range().split())
    assert len(document) == 1
    document.close()
    return text


def test_the_card_on_paper_says_what_the_card_on_the_screen_says(planner, with_cards):
    plan = stored_plan(with_cards)
    for card in cards(plan, heights(plan, "base")):
        answer = planner.get(f"/api/jobs/{with_cards.pk}/card/base/{card.device}.pdf")
        assert answer["Content-Type"] == "application/pdf"
        text = written(answer)
        for box in card.boxes:
            assert box.typed.replace(" ", "") in text and box.name.replace(" ", "") in text
        assert f"together{card.read_back}" in text and card.name.replace(" ", "") in text


def test_the_settings_of_corrections_are_printed_without_any_secret(planner, office):
    link = {"kind": "internet", "address": "caster.example", "port": 2101, "mount": "HERON", "user": "crew"}
    own = {"address": "198.51.100.7", "mount": "VIRTUAL"}
    networks = (CorrectionService(id="N1", name="island service", settings=own),)
    job = create_job(office, planner.user, small_plan(setup={"link": link}, correction_services=networks))
    told = lambda path: written(planner.get(f"/api/jobs/{job.pk}/settings/{path}.pdf"))  # noqa: E731
    assert all(word in told("setups/base") for word in ("caster.example", "2101", "HERON", "crew", "bytheinternet"))
    assert "198.51.100.7" in told("correction_services/N1") and "VIRTUAL" in told("correction_services/N1")
    assert "printedonnothing" in told("setups/base")
    assert planner.get(f"/api/jobs/{job.pk}/settings/setups/none.pdf").status_code == 422
    assert planner.get(f"/api/jobs/{job.pk}/settings/kit/base.pdf").status_code == 422


def test_the_summary_holds_cards_and_blunders_of_set_ups_that_have_heights(planner, with_cards):
    told = planner.get(f"/api/jobs/{with_cards.pk}/summary").json()
    assert [c["device"] for c in told["cards"]] == ["D1", "D2"]
    assert {"orthometric", "twice", "dms_as_degrees"} <= {r["id"] for r in told["blunders"][0]["rows"]}


def test_what_a_device_shows_is_held_against_its_card(planner, with_cards):
    chain = heights(stored_plan(with_cards), "base")
    path = f"/api/jobs/{with_cards.pk}/card/base/D1/read-back"
    lat, lon = f"{chain.latitude:.9f}", f"{chain.longitude:.9f}"
    good = planner.post_json(path, {"first": lat, "second": lon, "height": f"{chain.arp_ellipsoidal:.4f}"}).json()
    assert good["words"].startswith("As planned")
    twice = {"first": lat, "second": lon, "height": f"{chain.arp_ellipsoidal + chain.arp_above_mark:.4f}"}
    assert planner.post_json(path, twice).json()["blunder"] == "twice"
    refused = planner.post_json(path, {"first": "up north", "second": lon, "height": "1"})
    assert refused.status_code == 422 and "not an angle" in refused.json()["title"]


@pytest.mark.parametrize("place", ["base/D9", "nowhere/D1"])
def test_a_card_that_is_none_is_refused(planner, with_cards, place):
    answer = planner.get(f"/api/jobs/{with_cards.pk}/card/{place}.pdf")
    assert answer.status_code == 422 and "no such device" in answer.json()["title"]


def test_the_sky_is_told_for_a_date_and_refused_without_one(planner, job):
    told = planner.get(f"/api/jobs/{job.pk}/sky?about=setups/base&date=2027-03-16").json()
    assert told["name"] == "base · A" and len(told["count"]) == len(told["minutes"]) == 145
    assert len(told["horizon"]) == 360 and told["utc_offset_h"] == -1
    lacking = planner.get(f"/api/jobs/{job.pk}/sky?about=setups/base")
    assert lacking.status_code == 422 and "No visit has a date" in lacking.json()["title"]
    assert planner.get(f"/api/jobs/{job.pk}/sky?about=x&date=2027-03-16").status_code == 422


def test_the_sky_by_an_almanac_that_is_sent(planner, job):
    path, words = f"/api/jobs/{job.pk}/sky", {"about": "setups/base", "date": "2026-01-10"}
    file = SimpleUploadedFile("current.alm", write_yuma(nominal()).encode())
    told = planner.post(path, {"file": file, **words}).json()
    assert told["source"] == "almanac" and told["caution"] == ""
    by_nominal = planner.get(f"{path}?about=setups/base&date=2026-01-10").json()
    assert told["count"] == by_nominal["count"], "the file holds the nominal ones"
    dice = random.Random(1)
    records = [kepler(f"G{k:02d}", DAY, dice)[1] for k in range(1, 30)]
    sent = {"about": "setups/base", "date": "2026-11-26", "file": SimpleUploadedFile("day.rnx", nav_file(records))}
    by_ephemerides = planner.post(path, sent).json()
    assert by_ephemerides["source"] == "ephemeris" and max(by_ephemerides["count"]) > 0
    assert by_ephemerides["count"][-1] == 0 and "of the rest nothing is known" in by_ephemerides["caution"]
    refused = planner.post(path, {"file": SimpleUploadedFile("a.alm", b"ID: G01\nEccentricity: much\n"), **words})
    assert refused.status_code == 422 and refused.json()["where"] == "line 2"


def test_sessions_are_told_and_a_log_is_read_against_the_plan(planner, job):
    told = planner.get(f"/api/jobs/{job.pk}/sessions?wanted_up=0.012").json()
    assert told["rows"] == [] and told["wanted"]["hours"] == pytest.approx(9.25, abs=0.01)
    assert planner.get(f"/api/jobs/{job.pk}/sessions?wanted_up=0").status_code == 422
    path = f"/api/jobs/{job.pk}/log"
    file = SimpleUploadedFile("base.rnx.gz", gzip.compress(log_3(60, height=0.0).encode()))
    read = planner.post(path, {"file": file}).json()
    assert (read["marker"], read["epochs"], read["first"]) == ("A", 60, "2027-03-16T10:00:00")
    assert any("not typed into the receiver" in f["words"] for f in read["findings"])
    refused = planner.post(path, {"file": SimpleUploadedFile("base.rnx", b"\x89PNG" * 100)})
    assert refused.status_code == 422 and "no RINEX file" in refused.json()["title"]
    assert refused.json()["where"] == "line 1"


def test_a_log_that_is_too_large_is_not_taken(planner, job, monkeypatch):
    monkeypatch.setattr(api, "MOST_LOG", 1000)
    file = SimpleUploadedFile("base.rnx", log_3(60).encode())
    assert planner.post(f"/api/jobs/{job.pk}/log", {"file": file}).status_code == 422


def test_a_caster_is_listened_to_and_held_against_a_set_up(planner, job, settings):
    plan = stored_plan(job)
    bases = bases_of(plan, heights(plan, "base"), "A")
    path = f"/api/jobs/{job.pk}/casters"
    with running(CasterStandIn(bases, "corvane", "secret", pace=0.05)) as port:
        settings.CASTERS = (f"127.0.0.1:{port}",)
        assert planner.get(path).json() == list(settings.CASTERS)
        asked = {"caster": settings.CASTERS[0], "user": "corvane", "password": "secret"}
        assert [m["name"] for m in planner.post_json(f"{path}/mounts", asked).json()][:2] == ["A", "A_TWICE"]
        heard = planner.post_json(f"{path}/heard", {**asked, "mount": "A_SEA", "setup": "base"}).json()
        assert heard["held"]["difference"]["blunder"] == "orthometric" and "lower than planned" in heard["told"]
        guess = planner.post_json(f"{path}/mounts", {**asked, "password": "guess"})
        assert guess.status_code == 200, "a table is for everybody"
        refused = planner.post_json(f"{path}/heard", {**asked, "password": "guess", "mount": "A", "setup": "base"})
        assert refused.status_code == 422 and "name or password" in refused.json()["title"]
        assert "secret" not in refused.content.decode()
        assert planner.post_json(f"{path}/heard", {**asked, "mount": "A", "setup": "x"}).status_code == 422


def test_a_receiver_is_listened_to_and_held_against_a_set_up(planner, job, settings):
    chain = heights(stored_plan(job), "base")
    twice = receiver_of(chain)
    twice.pace, twice.ellipsoidal = 0.02, twice.ellipsoidal + chain.arp_above_mark
    path = f"/api/jobs/{job.pk}/receivers"
    with running(twice) as port:
        settings.RECEIVERS = (f"127.0.0.1:{port}",)
        assert planner.get(path).json() == list(settings.RECEIVERS)
        asked = {"receiver": settings.RECEIVERS[0], "setup": "base"}
        heard = planner.post_json(f"{path}/heard", asked).json()
        assert heard["quality"] == "fixed" and heard["difference"]["blunder"] == "twice"
        assert planner.post_json(f"{path}/heard", asked | {"setup": "x"}).status_code == 422


def test_no_other_address_is_talked_to(planner, job, settings):
    settings.CASTERS = settings.RECEIVERS = ("127.0.0.1:1",)
    for other in ("127.0.0.1:5432", "localhost:1", "10.0.0.1:80"):
        asked = {"receiver": other, "setup": "base"}
        assert "not among those" in planner.post_json(f"/api/jobs/{job.pk}/receivers/heard", asked).json()["title"]
        refused = planner.post_json(f"/api/jobs/{job.pk}/casters/mounts", {"caster": other})
        assert refused.status_code == 422 and "not among those" in refused.json()["title"]


def test_antennas_are_read_from_an_antex_file(planner, job):
    path = f"/api/jobs/{job.pk}/antennas/read"
    file = SimpleUploadedFile("all.atx", b"".join(FILE))
    (helix,) = planner.post(path, {"file": file, "query": "helix"}).json()
    assert helix["offsets"]["G01"][2] == pytest.approx(0.042)
    refused = planner.post(path, {"file": SimpleUploadedFile("a.atx", b"antennas"), "query": ""})
    assert refused.status_code == 422 and refused.json()["where"] == "line 1"


def test_a_reference_network_tells_its_stations_as_seen_from_the_site(planner, job, settings):
    path = f"/api/jobs/{job.pk}"
    with running(NetworkStandIn()) as port:
        settings.NETWORKS = (f"127.0.0.1:{port}",)
        assert planner.get(f"{path}/networks").json() == list(settings.NETWORKS)
        found = planner.get(f"{path}/stations").json()
        assert found[0]["name"] == "Corvane North" and found[0]["away"] < found[-1]["away"]
        refused = planner.get(f"{path}/stations", {"network": "127.0.0.1:5432"})
        assert refused.status_code == 422 and "not among those" in refused.json()["title"]


def test_the_log_of_a_station_comes_from_its_network_and_is_held_against_the_plan(planner, office, settings):
    with running(NetworkStandIn()) as port:
        settings.NETWORKS = (f"127.0.0.1:{port}",)
        plan = taken(stations_of(Address("127.0.0.1", port)))
        path = f"/api/jobs/{create_job(office, planner.user, plan).pk}/stations/log"
        asked = {"network": f"127.0.0.1:{port}", "setup": "S"}
        told = planner.post_json(path, asked).json()
        assert told["marker"] == "Corvane North" and told["interval"] == 1.0 and told["findings"] == []
        other = planner.post_json(path, {**asked, "network": "127.0.0.1:5432"})
        assert other.status_code == 422 and "not among those" in other.json()["title"]
        nothing = planner.post_json(path, {**asked, "setup": "base"})
        assert nothing.status_code == 422
