"""An airspace authority: its zones, leave that is granted or refused, and answers that are none."""

import json
import time

import pytest

from kardo.core.errors import ReadError
from kardo.outside.airspace import FlightAsked, ask_leave, leave_now, zones_about
from kardo.outside.line import Address
from kardo.standins.airspace import ZONES, AirspaceStandIn
from tests.standins.running import running

BANK = (-13.41, 46.29, -13.39, 46.30)


def wanted(zone):
    return FlightAsked(zone, -13.40, 46.298, 70.0, "2027-03-16", ("09:00", "12:00"))


def settled(authority, reference):
    until = time.monotonic() + 5
    while (answer := leave_now(authority, reference)).state == "requested":
        assert time.monotonic() < until
        time.sleep(0.05)
    return answer


def test_zones_that_meet_the_place_are_told_and_no_others():
    with running(AirspaceStandIn()) as port:
        found = zones_about(Address("127.0.0.1", port), BANK)
        everything = zones_about(Address("127.0.0.1", port), (-14.0, 46.0, -12.0, 47.0))
    assert [z.properties.number for z in found] == ["CV-1"] and found[0].properties.ceiling_m == 60.0
    assert len(everything) == len(ZONES) and everything[2].properties.hours == ("06:00", "20:00")


def test_leave_is_waited_for_and_then_granted_or_refused():
    with running(AirspaceStandIn(delay=0.2)) as port:
        authority = Address("127.0.0.1", port)
        asked = ask_leave(authority, wanted("CV-1"))
        assert asked.state == "requested" and asked.reference.startswith("ASC-")
        assert settled(authority, asked.reference).state == "granted"
        never = ask_leave(authority, wanted("CV-2"))
        assert settled(authority, never.reference).state == "refused"
        with pytest.raises(ReadError, match="does not take"):
            leave_now(authority, "nobody-asked")


@pytest.mark.parametrize(
    "answer",
    [
        b"[]",
        b"not json",
        json.dumps({"type": "FeatureCollection", "features": [{"type": "Feature"}]}).encode(),
        json.dumps({"type": "FeatureCollection", "features": [
            {"type": "Feature", "properties": {"number": "A", "name": "x", "ceiling_m": -5}, "geometry":
             {"type": "Polygon", "coordinates": [[[0, 0], [1, 0], [1, 1], [0, 0]]]}}]}).encode(),
        json.dumps({"reference": "", "state": "granted"}).encode(),
    ],
)  # fmt: skip
def test_an_answer_that_is_none_is_said_to_be_none(answer):
    with running(AirspaceStandIn(told=answer)) as port:
        authority = Address("127.0.0.1", port)
        with pytest.raises(ReadError, match="no answer"):
            zones_about(authority, BANK)
        with pytest.raises(ReadError, match="no answer"):
            leave_now(authority, "a")
