"""Static post-processing by its stand-in: a log in, a position out, in its own frame and brought to the job."""

import time

import numpy as np
import pytest
from pyproj import Transformer

from kardo.core.close.final import final_place, local_covariance
from kardo.core.errors import GeodesyError, ReadError
from kardo.core.gnss.occupations import static_sigma
from kardo.core.plan.assumptions import Assumptions
from kardo.outside.line import Address
from kardo.outside.processing import Answer, answer_of, hand_in
from kardo.standins.processing import EPOCH, FRAME, ProcessingStandIn
from tests.conftest import E0, N0, small_plan
from tests.formats.rinex_logs import log_3
from tests.standins.running import running
from tests.standins.test_caster import answering

PLAN = small_plan()
UP = 5.0 + float(PLAN.grid.separation(E0, N0))
LON, LAT = (float(v) for v in PLAN.grid.to_geodetic(E0, N0))
TRUTH = Transformer.from_crs("EPSG:4937", "EPSG:4936", always_xy=True).transform(LON, LAT, UP)


def done(port, log):
    service = Address("127.0.0.1", port)
    job = hand_in(service, log)
    while (answer := answer_of(service, job)).state == "waiting":
        time.sleep(0.05)
    return answer


def test_a_log_comes_back_as_a_position_good_to_the_law_of_its_hours():
    with running(ProcessingStandIn(delay=2.0, truth=TRUTH)) as port:
        service = Address("127.0.0.1", port)
        job = hand_in(service, log_3(7201, 60, interval=60.0).encode())
        assert answer_of(service, job).state == "waiting"
        answer = done(port, log_3(7201, 60, interval=60.0).encode())
    assert answer.state == "done" and answer.crs == FRAME and answer.hours == 2.0
    final = final_place(PLAN, answer.crs, answer.epoch, answer.xyz, np.array(answer.covariance))
    east, north, up = static_sigma(2.0, Assumptions({}))
    assert final.sigma_v == pytest.approx(up, rel=1e-6) and final.sigma_h == pytest.approx(
        np.hypot(east, north) / 2**0.5, rel=1e-6
    )
    assert abs(final.e - E0) < 4 * east + 1e-3 and abs(final.n - N0) < 4 * north + 1e-3 and abs(final.h - 5.0) < 4 * up
    assert "ITRF2014" in final.words[0] or FRAME in final.words[0]


def test_the_global_frame_is_brought_to_the_jobs_datum_by_proj():
    """Decimetres lie between the two at this epoch: taken for one another they would be a blunder."""
    xyz = Transformer.from_crs("EPSG:4936", FRAME).transform(*TRUTH, EPOCH)[:3]
    assert np.linalg.norm(np.subtract(xyz, TRUTH)) > 0.3
    final = final_place(PLAN, FRAME, EPOCH, xyz, np.eye(3) * 1e-4)
    assert (final.e, final.n, final.h) == pytest.approx((E0, N0, 5.0), abs=2e-3)
    for crs, place in (("EPSG:9999999", xyz), (FRAME, (0.0, 0.0, 0.0)), ("nothing", xyz)):
        with pytest.raises(GeodesyError):
            final_place(PLAN, crs, EPOCH, place, np.eye(3))


def test_a_covariance_turned_keeps_its_size_and_finds_the_height():
    lon, lat = 30.0, 60.0
    a, b = np.radians(lon), np.radians(lat)
    plumb = np.array([np.cos(b) * np.cos(a), np.cos(b) * np.sin(a), np.sin(b)])
    local = local_covariance(lon, lat, 4.0 * np.outer(plumb, plumb))
    assert local == pytest.approx(np.diag([0.0, 0.0, 4.0]), abs=1e-12)


@pytest.mark.parametrize(
    ("log", "words"),
    [
        (b"not a log", "no RINEX"),
        (log_3(5).encode(), "too short"),
        (log_3(2401, 60, interval=60.0, approx=None).encode(), "approximate"),
    ],
)
def test_what_cannot_be_processed_is_told(log, words):
    with running(ProcessingStandIn(delay=0.0)) as port:
        answer = done(port, log)
    assert answer.state == "failed" and words in answer.words


OK = b"HTTP/1.1 200 OK\r\nConnection: close\r\n\r\n"


@pytest.mark.parametrize(
    "said",
    [
        b"",
        OK,
        OK + b"[]",
        OK + b"[" * 50_000,
        OK + b'{"id": 7}',
        OK + b'{"id": "../x"}',
        b"HTTP/1.1 500 Busy\r\n\r\n",
        b"x" * 50_000,
    ],
)
def test_a_service_that_answers_otherwise_is_no_more_than_an_error(said):
    began = time.monotonic()
    with pytest.raises(ReadError) as told:
        hand_in(answering(said).address, b"log")
    assert told.value.mend and time.monotonic() - began < 6


def test_an_answer_that_is_none_is_refused():
    for said in (b'{"state": "lost"}', b'{"state": "done", "xyz": [1, 2]}', b'{"state": "done", "xyz": [1e99, 0, 0]}'):
        with pytest.raises(ReadError, match="no answer"):
            answer_of(answering(OK + said).address, "a")
    with pytest.raises(ReadError, match="no job"):
        answer_of(Address("127.0.0.1", 1), "a b")
    assert Answer(state="waiting").stations == []
