"""Receivers on the network: each manner of the stand-in heard and told, wrong positions named, rubbish survived in the
time given."""

import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kardo.core.errors import ReadError
from kardo.core.gnss.heights import heights
from kardo.core.gnss.receiver import receiver_against
from kardo.demo import demo_plan
from kardo.formats.nmea import ENOUGH, receiver_said, sentence_of
from kardo.formats.rinex import read_log
from kardo.outside.line import Address
from kardo.outside.receiver import receiver_pieces
from kardo.standins.__main__ import hask_log
from kardo.standins.receiver import ReceiverStandIn, receiver_of
from tests.standins.running import running

PLAN = demo_plan("sallow-bank")
CHAIN = heights(PLAN, "base")
TIME = 3.0


def asked(receiver: ReceiverStandIn, point="arp"):
    receiver.pace = 0.02
    with running(receiver) as port:
        said = receiver_said(receiver_pieces(Address("127.0.0.1", port), TIME), TIME)
    return receiver_against(PLAN, CHAIN, said, point)


def words(heard):
    return " ".join(r.words for r in heard.remarks)


def test_a_fixed_receiver_stands_where_it_was_planned():
    heard = asked(receiver_of(CHAIN))
    assert heard.quality == "fixed" and heard.difference.as_planned and not heard.remarks
    assert heard.satellites == 17 and heard.told.startswith("Fixed: ") and "on Heron 4" in heard.told


@pytest.mark.parametrize(
    ("manner", "quality", "expected"),
    [
        ("converging", "fixed", ""),
        ("float", "float", "has not converged"),
        ("code", "code", ""),
        ("blocked", "none", "has no position"),
        ("damaged", "fixed", "came damaged"),
        ("rubbish", "none", "no NMEA sentences"),
        ("silent", "none", "Nothing was sent"),
    ],
)
def test_each_manner_is_told_in_its_time(manner, quality, expected):
    began = time.monotonic()
    heard = asked(receiver_of(CHAIN, manner))
    assert time.monotonic() - began < TIME + 4.0
    assert heard.quality == quality and expected in words(heard)


def test_a_base_told_the_wrong_position_is_named():
    """The antenna's height in twice, and the height above the sea typed as ellipsoidal: what the receiver then says it
    is at."""
    twice, sea = receiver_of(CHAIN), receiver_of(CHAIN)
    twice.ellipsoidal += CHAIN.arp_above_mark
    sea.ellipsoidal -= CHAIN.separation
    for receiver, blunder in ((twice, "height_twice"), (sea, "sea_level")):
        heard = asked(receiver)
        assert not heard.difference.as_planned and heard.remarks[0].severity == "stop"
        assert heard.difference.blunder, blunder
    assert "from where the plan has it" in heard.told


def test_a_position_by_code_is_not_blamed_for_being_one():
    off = receiver_of(CHAIN, "code")
    off.ellipsoidal += 2.0
    assert asked(off).difference.as_planned
    fixed = receiver_of(CHAIN)
    fixed.ellipsoidal += 2.0
    assert not asked(fixed).difference.as_planned


def test_another_geoid_in_the_receiver_is_said():
    other = receiver_of(CHAIN)
    other.separation += 0.4
    heard = asked(other)
    assert heard.difference.as_planned, "ellipsoidal heights are the same"
    assert "Its geoid is another" in words(heard)


def test_its_position_may_be_of_the_mark():
    mark = receiver_of(CHAIN)
    mark.ellipsoidal = CHAIN.mark_ellipsoidal
    assert asked(mark, "mark").difference.as_planned and not asked(mark, "arp").difference.as_planned


def test_nobody_there_is_said_at_once():
    with pytest.raises(ReadError, match="Nobody answers"):
        list(receiver_pieces(Address("127.0.0.1", 9), 1.0))


def test_few_satellites_old_corrections_and_bad_geometry_are_said():
    place = "4618.00000000,N,01324.00000000,W"
    few = sentence_of(f"GPGGA,102030.00,{place},4,07,2.6,5.0,M,55.11,M,31.0,0001")
    heard = receiver_against(PLAN, CHAIN, receiver_said([few]))
    assert all(said in words(heard) for said in ("7 satellites used", "HDOP 2.6", "31 s old"))
    assert "hung up" in words(heard), "it ended before its time"
    lost = receiver_against(PLAN, CHAIN, receiver_said([few, few.replace(b",4,07", b",5,07").replace(few[-4:-2], b"")]))
    assert "damaged" in words(lost)


@given(st.lists(st.binary(max_size=200), max_size=20))
def test_any_rubbish_is_survived(pieces):
    said = receiver_said(pieces)
    assert receiver_against(PLAN, CHAIN, said).told


@given(st.text(alphabet="0123456789,.-NSEWMA", max_size=70), st.sampled_from(["GNGGA", "GNGST", "GPRMC", "PXYZ"]))
def test_sentences_that_make_no_sense_are_counted_not_believed(body, kind):
    said = receiver_said([sentence_of(f"{kind},{body}")])
    assert said.damaged + sum(said.sentences.values()) + said.skipped == 1
    assert all(abs(f.latitude) <= 90 and abs(f.longitude) <= 180 for f in said.fixes)


def test_pieces_of_any_size_say_the_same():
    place = "4618.00000000,N,01324.00000000,W"
    row = sentence_of(f"GNGGA,102030.00,{place},4,17,0.7,5.0,M,55.11,M,1.0,0001") + sentence_of(
        "GNGST,102030.00,,,,,0.01,0.01,0.02"
    )
    stream = row * ENOUGH
    whole = receiver_said([stream])
    for size in (1, 7, 64):
        cut = receiver_said([stream[k : k + size] for k in range(0, len(stream), size)])
        assert (cut.fixes, cut.sigma, cut.damaged) == (whole.fixes, whole.sigma, 0)
    assert whole.fixes[0].ellipsoidal == pytest.approx(60.11)


def test_its_raw_log_is_one_that_kardo_reads(tmp_path):
    (tmp_path / "hask.rnx").write_text(hask_log(0.5))
    log = read_log(tmp_path / "hask.rnx")
    assert log.marker == "Hask 1" and log.interval == 30.0 and log.epochs == 61
