"""A base's raw log held against the plan: each thing that goes wrong with one, put into it and found."""

import json
import math
from dataclasses import replace

import pytest
from pyproj import Transformer

from kardo.cli import main
from kardo.core.day.day import day_of
from kardo.core.day.log_cover import log_findings
from kardo.core.gnss.heights import heights
from kardo.core.gnss.log import Gap, RawLog
from kardo.core.plan.stands import Log, OnSetUp
from kardo.core.plan.visits import Person, Visit
from kardo.core.site.overhead import midnight
from tests.conftest import small_plan
from tests.formats.rinex_logs import log_3

TO_EARTH = Transformer.from_pipeline(
    "+proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=cart +ellps=GRS80"
)
VISIT = Visit(id="V1", name="first", date="2027-03-16", people=(Person(id="a", name="Ann"), Person(id="b", name="Ben")))
PLAN = small_plan(visits=(VISIT,))
CHAIN = heights(PLAN, "base")
DAY = day_of(PLAN, "V1")
SORTIES = [t for t in DAY.tasks if t.kind == "leg"]


def at(minutes):
    """A minute of the site's clock on the day, in seconds of GPS time."""
    return midnight("2027-03-16") - 3600 * DAY.utc_offset_h + 60 * minutes


def good(**changes) -> RawLog:
    """A log that has everything: on the mark, the planned height, twenty minutes beyond the flights."""
    position = TO_EARTH.transform(CHAIN.longitude, CHAIN.latitude, CHAIN.mark_ellipsoidal)
    first, last = at(min(t.start for t in SORTIES) - 20), at(max(t.end for t in SORTIES) + 20)
    log = RawLog(
        version=3.04,
        marker="a",
        receiver="",
        antenna="",
        antenna_height=round(CHAIN.arp_above_mark, 4),
        approx=position,
        interval=1.0,
        first=first,
        last=last,
        epochs=int(last - first) + 1,
        gaps=[],
        systems={"G": 9, "E": 8},
        slips=0,
        markers=["a"],
        remarks=[],
    )
    return replace(log, **changes)


def moved(east=0.0, north=0.0, up=0.0):
    """The mark's position, moved so many metres."""
    scale = 111_200.0
    lon = CHAIN.longitude + east / scale / math.cos(math.radians(CHAIN.latitude))
    return TO_EARTH.transform(lon, CHAIN.latitude + north / scale, CHAIN.mark_ellipsoidal + up)


def test_nothing_is_said_of_a_log_that_is_as_planned():
    assert log_findings(good(), PLAN) == []


@pytest.mark.parametrize(
    ("change", "severity", "words"),
    [
        ({"approx": moved(up=CHAIN.arp_above_mark)}, "warn", "Antenna height in twice"),
        ({"approx": moved(up=-CHAIN.separation)}, "stop", "typed where the device wants the ellipsoidal height"),
        ({"approx": moved(east=900)}, "stop", "like none of the usual blunders"),
        ({"approx": moved(east=2, north=1, up=3)}, "note", "as near as a position by code is"),
        ({"approx": None}, "note", "no approximate position"),
        ({"antenna_height": 0.0}, "warn", "it was not typed into the receiver"),
        ({"antenna_height": 1.8}, "warn", "that is the slant height"),
        ({"antenna_height": round(2 * CHAIN.arp_above_mark, 4)}, "warn", "it is in twice"),
        ({"antenna_height": round(CHAIN.arp_above_mark + 0.091, 4)}, "warn", "that leads to the phase centre"),
        ({"antenna_height": round(CHAIN.arp_above_mark / 0.3048, 4)}, "warn", "that is in feet"),
        ({"antenna_height": 1.7}, "warn", "57.4 mm apart"),
        ({"antenna_height": None}, "warn", "says no antenna height"),
        ({"interval": 5.0}, "warn", "logged every 5 s, the plan asks for 1 s"),
        ({"first": at(min(t.start for t in SORTIES) - 5)}, "warn", "begins 5 min before the first take-off"),
        ({"first": at(min(t.start for t in SORTIES) + 7)}, "stop", "begins 7 min after the first take-off"),
        ({"last": at(max(t.end for t in SORTIES) + 3)}, "warn", "ends 3 min after the last landing"),
        ({"last": at(max(t.end for t in SORTIES) - 9)}, "stop", "ends 9 min before the last landing"),
        ({"first": at(-3 * 1440), "last": at(-2 * 1440)}, "note", "no flight from this base on the clock"),
        ({"gaps": [Gap(at(600), at(602))]}, "warn", "Nothing was logged for 120 s"),
        ({"gaps": [Gap(at(600 + k), at(600.5 + k)) for k in range(9)]}, "warn", "4 more gaps"),
        ({"systems": {"G": 9}}, "warn", "Only one system"),
        ({"slips": 10**6}, "warn", "the sky was not free"),
        ({"marker": "B", "markers": ["B"]}, "note", "The marker is “B”, the plan's mark A"),
        ({"markers": ["A", "B"]}, "warn", "The marker changes its name"),
        ({"remarks": ["line 5: an epoch cannot be read"]}, "warn", "Line 5: an epoch cannot be read."),
    ],
)
def test_each_thing_that_goes_wrong_is_found(change, severity, words):
    found = log_findings(good(**change), PLAN)
    assert any(f.severity == severity and words in f.words and f.mend for f in found), found


def test_a_log_has_to_cover_only_the_flights_of_its_own_base():
    """Two flights from two bases: the second base's late flight does not shorten the first one's log."""
    second = PLAN.setups[0].model_copy(update={"id": "second", "name": "second", "mark": "B"})
    other = PLAN.marks[0].model_copy(update={"id": "B", "name": "B", "e": PLAN.marks[0].e + 60})
    late = PLAN.flights[0].model_copy(update={"id": "late", "name": "late", "positioned_from": OnSetUp(setup="second")})
    plan = PLAN.model_copy(
        update={"setups": (*PLAN.setups, second), "marks": (*PLAN.marks, other), "flights": (*PLAN.flights, late)}
    )
    sorties = {path: t for t in day_of(plan, "V1").tasks if t.kind == "leg" for path in t.about}
    own = sorties["flights/main"]
    log = good(first=at(own.start - 20), last=at(own.end + 12))
    assert log_findings(log, plan) == []
    assert any(f.severity == "stop" for f in log_findings(replace(log, marker="B", markers=["B"]), plan))


def test_the_worst_comes_first():
    found = log_findings(good(approx=None, antenna_height=0.0, last=at(max(t.end for t in SORTIES) - 9)), PLAN)
    assert [f.severity for f in found] == ["stop", "warn", "note"]


def test_the_interval_is_what_the_set_up_asks_for():
    plan = small_plan(visits=(VISIT,), setup={"log": Log(interval_s=5.0)})
    assert log_findings(good(interval=5.0), plan) == []


def test_a_plan_without_heights_says_that_there_is_nothing_to_hold_it_against():
    (found,) = log_findings(good(), small_plan(setup={"readings": ()}))
    assert "No set-up of the plan has heights" in found.words


def test_a_log_on_the_command_line(tmp_path, capsys):
    file, plan, out = tmp_path / "base.rnx", tmp_path / "plan.json", tmp_path / "log.json"
    file.write_text(log_3(120, missing=range(50, 60), height=3.5148))
    plan.write_text(json.dumps(PLAN.to_json()))
    assert main(["log", str(file), "--plan", str(plan), "--json", str(out)]) == 0
    told = json.loads(out.read_text())
    assert told["first"] == "2027-03-16T10:00:00" and told["gaps"] == [["2027-03-16T10:00:49", "2027-03-16T10:01:00"]]
    assert told["epochs"] == 110 and told["systems"]["GPS"] == 9 and told["approx"] == [4.0e6, -1.0e6, 4.6e6]
    assert any("it is in twice" in f["words"] for f in told["findings"])
    assert "stop: " in capsys.readouterr().out
    assert main(["log", str(plan)]) == 1
