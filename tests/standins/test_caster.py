"""The caster's stand-in and the client that listens to it: right, wrong, away, stalling, lying."""

import json
import socket
import threading
import time

import pytest
from pyproj import Transformer

from kardo.cli import main
from kardo.core.errors import ReadError
from kardo.core.gnss.broadcast import held_against, told
from kardo.core.gnss.heights import heights
from kardo.formats.rtcm import heard
from kardo.outside import line
from kardo.outside.line import Address
from kardo.outside.ntrip import Caster, listen, mounts
from kardo.standins.caster import CasterStandIn, bases_of
from tests.conftest import small_plan
from tests.standins.running import running

PLAN = small_plan()
CHAIN = heights(PLAN, "base")
BASES = bases_of(PLAN, CHAIN, "A")
TO_EARTH = Transformer.from_crs(
    "EPSG:4937", "EPSG:4936", always_xy=True
)  # ETRS89: longitude, latitude, ellipsoidal height
FROM_GLOBAL = Transformer.from_crs("EPSG:7912", "EPSG:4937", always_xy=True)
FOOT = 0.3048


@pytest.fixture(scope="module", params=[1, 2])
def caster(request):
    with running(CasterStandIn(BASES, "corvane", "secret", pace=0.05, version=request.param)) as port:
        yield Caster(Address("127.0.0.1", port), "corvane", "secret")


def held(caster, mount, seconds=1.0):
    return held_against(PLAN, CHAIN, heard(listen(caster, mount, seconds), seconds))


def test_the_table_names_the_mount_points_and_where_they_are(caster):
    rows = mounts(caster)
    assert [row.name for row in rows] == [base.mount for base in BASES]
    assert rows[0].latitude == pytest.approx(CHAIN.latitude, abs=0.006) and rows[0].format == "RTCM 3.3"


def test_a_base_as_planned_is_told_so(caster):
    found = held(caster, "A")
    assert found.difference.as_planned and found.remarks == []
    assert told(PLAN, found) == "The set-up on A broadcasts the position that was planned, 0.0 mm from it in height."


@pytest.mark.parametrize(
    ("mount", "words"),
    [
        ("A_TWICE", "higher than planned. Antenna height in twice"),
        ("A_SEA", "typed where the device wants the ellipsoidal height?"),
        ("A_NO_POLE", "antenna height left out?"),
        ("A_STALE", "The newest observation is 90 s old"),
        ("A_DROPS", "The caster hung up after"),
        ("A_STALLS", "Nothing was sent in 1 s."),
        ("A_RUBBISH", "no RTCM 3 corrections"),
        ("A_WANDERS", "The position changed"),
        ("A_DAMAGED", "messages came damaged"),
    ],
)
def test_a_base_that_is_wrong_is_told_how(caster, mount, words):
    began = time.monotonic()
    found = held(caster, mount)
    assert any(words in said for said in (told(PLAN, found), *(r.words for r in found.remarks))), found.remarks
    assert time.monotonic() - began < 4.0


def test_what_is_not_there_and_who_may_not_are_told(caster):
    with pytest.raises(ReadError, match="no mount point “B”"):
        list(listen(caster, "B"))
    with pytest.raises(ReadError, match="another name or password"):
        list(listen(Caster(caster.address, "corvane", "guess"), "A"))
    with pytest.raises(ReadError, match="no name of a mount point"):
        list(listen(caster, "A HTTP/1.1\r\nX: y"))
    with pytest.raises(ReadError, match="letters that no caster takes"):
        Caster(caster.address, "a\r\nb")
    assert "secret" not in repr(caster)


def typed(**other):
    """What a base sends that was told something else: longitude, latitude, ellipsoidal height of its ARP."""
    place = {"lon": CHAIN.longitude, "lat": CHAIN.latitude, "up": CHAIN.mark_ellipsoidal + CHAIN.arp_above_mark} | other
    return place["lon"], place["lat"], place["up"]


def run_together(degrees):
    """46 18 14.8 read as 46.18148, by the figures themselves."""
    minutes, seconds = divmod(abs(degrees) * 3600, 60)
    whole, minutes = divmod(minutes, 60)
    return (1 if degrees > 0 else -1) * float(f"{whole:.0f}.{minutes:02.0f}{seconds * 1000:05.0f}")


VERTICAL, MARK = CHAIN.arp_above_mark, CHAIN.mark_ellipsoidal
INJECTED = {
    "orthometric": typed(up=PLAN.marks[0].h + VERTICAL),
    "no_antenna": typed(up=MARK),
    "twice": typed(up=MARK + 2 * VERTICAL),
    "slant": typed(up=MARK + sum(CHAIN.slants) / len(CHAIN.slants)),
    "apc_as_arp": typed(up=MARK + VERTICAL + PLAN.kit.antennas[0].apc_above_arp),
    "feet_as_metres": typed(up=MARK + VERTICAL / FOOT),
    "metres_as_feet": typed(up=MARK + VERTICAL * FOOT),
    "dms_as_degrees": typed(lon=run_together(CHAIN.longitude), lat=run_together(CHAIN.latitude)),
    "east_for_west": typed(lon=-CHAIN.longitude),
    "south_for_north": typed(lat=-CHAIN.latitude),
    "swapped": typed(lon=CHAIN.latitude, lat=CHAIN.longitude),
    "zone_eastern": typed(lon=CHAIN.longitude + 6),
    "zone_western": typed(lon=CHAIN.longitude - 6),
    "realisation": FROM_GLOBAL.transform(*typed(), float(PLAN.brief.epoch or 2026.5), direction="INVERSE")[:3],
}


@pytest.mark.parametrize("blunder", INJECTED)
def test_each_blunder_of_a_base_that_is_on_the_air_is_named(blunder):
    plan = PLAN.model_copy(update={"brief": PLAN.brief.model_copy(update={"epoch": PLAN.brief.epoch or "2026.5"})})
    base = BASES[0].moved("X", "wrong", TO_EARTH.transform(*INJECTED[blunder]))
    with running(CasterStandIn([base], pace=0.02)) as port:
        found = held_against(plan, CHAIN, heard(listen(Caster(Address("127.0.0.1", port)), "X", 2.0), 2.0))
    assert found.difference.blunder == blunder, found.difference.words
    assert found.remarks[0].severity == "stop"


def answering(*pieces, pause=0.0, stay=False):
    """A server that answers everybody with these bytes: its port."""
    server = socket.create_server(("127.0.0.1", 0))

    def serve():
        while True:
            connected, _ = server.accept()
            with connected:
                try:
                    for piece in pieces:
                        connected.sendall(piece)
                        time.sleep(pause)
                    if stay:
                        time.sleep(5)
                except OSError:
                    pass

    threading.Thread(target=serve, daemon=True).start()
    return Caster(Address("127.0.0.1", server.getsockname()[1]))


OK = b"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n"


@pytest.mark.parametrize(
    ("pieces", "options", "words"),
    [
        ((b"\x00" * 100_000,), {"stay": True}, "does not answer as it should"),
        ((), {"stay": True}, "then said nothing"),
        ((), {}, "then said nothing"),
        ((b"HTTP/1.1 200 OK\r\nX: " + b"y" * 40_000,), {}, "does not answer as it should"),
        ((b"HTTP/1.1 503 Busy \x1b[2J\r\n\r\n",), {}, "answered “HTTP/1.1 503 Busy [2J”"),
        ((b"\r\n\r\n",), {}, "answered “”"),
        ((OK, b"FFFFFFFF\r\n"), {"stay": True}, "not in pieces"),
        ((OK, b"much\r\nmore"), {"stay": True}, "not in pieces"),
    ],
)
def test_whatever_answers_ends_in_one_clear_error_in_time(pieces, options, words):
    began = time.monotonic()
    with pytest.raises(ReadError) as told:
        list(listen(answering(*pieces, **options), "A", 1.0))
    assert words in told.value.what and told.value.mend
    assert time.monotonic() - began < 4.0


@pytest.mark.parametrize("drip", [b"A", b"\xd3\x03", b"1\r\nA\r\n"])
def test_a_caster_that_drips_is_left_in_time(drip):
    began = time.monotonic()
    found = heard(listen(answering(OK, *[drip] * 500, pause=0.02), "A", 1.0), 1.0)
    assert found.messages == {} and time.monotonic() - began < 4.0


def test_no_more_is_taken_than_a_limit(monkeypatch):
    monkeypatch.setattr("kardo.outside.line.MOST", 50_000)
    taken = sum(map(len, listen(answering(b"ICY 200 OK\r\n", *[b"x" * 10_000] * 100), "A", 5.0)))
    assert taken <= 50_000 + line.MOST_CHUNK // 100


def test_a_name_that_is_not_looked_up_in_time_is_nobody(monkeypatch):
    """The system's look-up has no deadline of its own."""
    monkeypatch.setattr("socket.getaddrinfo", lambda *_, **__: time.sleep(30))
    monkeypatch.setattr("kardo.outside.line.CONNECTING", 0.3)
    started = time.monotonic()
    with pytest.raises(ReadError, match="Nobody answers there"):
        mounts(Caster(Address("caster.example", 2101)))
    assert time.monotonic() - started < 5


def test_nobody_there_is_told():
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    with pytest.raises(ReadError, match="Nobody answers there"):
        mounts(Caster(Address("127.0.0.1", port)))
    for bad in ("here", "a b:80", "a:99999", "http://x:80"):
        with pytest.raises(ReadError, match="no address"):
            Address.of(bad)


def test_the_command_writes_what_it_heard(tmp_path, capsys, monkeypatch):
    (tmp_path / "plan.json").write_text(json.dumps(PLAN.to_json()))
    monkeypatch.setenv("KARDO_CASTER_PASSWORD", "secret")
    with running(CasterStandIn(BASES, "corvane", "secret", pace=0.05)) as port:
        words = ["broadcast", "127.0.0.1", str(port), "A_TWICE", "--user", "corvane", "--seconds", "2"]
        out = ["--plan", str(tmp_path / "plan.json"), "--json", str(tmp_path / "heard.json")]
        assert main([*words, *out]) == 0
        assert main([*words[:3], "B", *words[4:]]) == 1
    told = json.loads((tmp_path / "heard.json").read_text())
    assert told["setup"] == "base" and told["difference"]["blunder"] == "twice"
    assert told["antenna"] == "GEODETIC DISC" and told["systems"]["G"] == 9
    said = capsys.readouterr()
    assert "Antenna height in twice" in said.out and "no mount point" in said.err and "secret" not in said.out
