"""RTCM 3: the standard's own example, what goes out comes back, and streams in any pieces."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kardo.core.sky.orbits import WEEK
from kardo.formats.rtcm import Listener, description_message, frames_of, observation_message, position_message

# The example of a 1005 in RTCM 10403, section 4: station 2003, x, y, z in metres.
PUBLISHED = bytes.fromhex("D300133ED7D30202980EDEEF34B4BD62AC0941986F33360B98")
PLACE = (1114104.5999, -4850729.7108, 3975521.4643)
SYSTEMS = {"G": (1, 5, 32), "R": (2, 3), "E": (4, 36), "C": (7, 8, 30, 63)}
NOW = 1_400_000_000.0


def heard(data, pieces=64, clock=lambda: NOW):
    listener = Listener(clock)
    for at in range(0, len(data), pieces):
        listener.take(data[at : at + pieces])
    return listener.result(3.0)


def test_the_standards_own_example_is_read():
    told = heard(PUBLISHED)
    assert told.station == 2003 and told.positions[0] == pytest.approx(PLACE, abs=5e-5)
    assert told.messages == {"1005": 1} and told.faulty == told.skipped == 0


@given(
    st.tuples(*[st.floats(-6.5e6, 6.5e6)] * 3),
    st.one_of(st.none(), st.floats(0, 6.5)),
    st.integers(0, 4095),
    st.integers(1, 40),
)
def test_a_position_that_goes_out_comes_back(place, height, station, pieces):
    told = heard(position_message(station, place, height), pieces)
    assert told.positions[0] == pytest.approx(place, abs=5.1e-5) and told.station == station
    assert told.antenna_height == (None if height is None else pytest.approx(height, abs=5.1e-5))


@given(st.floats(0, 3 * WEEK), st.floats(-60, 600))
def test_the_age_of_observations_is_that_of_their_systems_clocks(moment, age):
    """Over the turn of the week too; BeiDou's clock is fourteen seconds behind that of GPS, and a whole number of
    milliseconds is sent."""
    for system in "GEC":
        data = observation_message(system, 1, NOW + moment - age, (3, 4), more=False)
        assert heard(data, clock=lambda: NOW + moment).age == pytest.approx(age, abs=1.1e-3)


def test_what_is_sent_of_a_base_is_all_heard():
    data = position_message(7, PLACE, 1.5) + description_message(7, "GEODETIC DISC", "BASE", "1.0")
    data += b"".join(frames_of(NOW - 2, 7, SYSTEMS))
    for pieces in (1, 7, 4096):
        told = heard(data, pieces)
        assert (told.antenna, told.receiver, told.firmware) == ("GEODETIC DISC", "BASE", "1.0")
        assert told.systems == {system: len(seen) for system, seen in SYSTEMS.items()}
        assert told.messages == {"1006": 1, "1033": 1, "1074": 1, "1084": 1, "1094": 1, "1124": 1}


def test_a_message_that_came_damaged_costs_only_itself():
    spoilt = bytearray(position_message(7, PLACE))
    spoilt[9] ^= 1
    sound = position_message(7, PLACE)
    told = heard(sound + bytes(spoilt) + b"rubbish\xd3\x00" + sound * 10)  # which looks like a message of 217 bytes
    assert told.messages == {"1005": 11} and told.faulty >= 1 and len(told.positions) == 1


def test_rubbish_is_no_message_whatever_it_holds():
    told = heard(random.Random(3).randbytes(60_000) + b"\xd3" * 3000)
    assert told.messages == {} and told.faulty == 0 and told.skipped > 60_000
