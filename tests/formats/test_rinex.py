"""Raw logs in RINEX: as the book has them, as receivers write them, broken, and large."""

import datetime
import gzip
import time
import tracemalloc

import hatanaka
import pytest

from kardo.core.day.log_cover import log_findings
from kardo.core.errors import ReadError
from kardo.core.sky.orbits import EPOCH
from kardo.formats import rinex
from kardo.formats.rinex import read_log
from kardo.standins.raw_log import SATELLITES
from tests.formats.rinex_logs import START, epoch_3, header_3, label, log_2, log_3


def gps(moment):
    return (moment.replace(tzinfo=datetime.UTC) - EPOCH).total_seconds()


@pytest.fixture
def read(tmp_path):
    """Read a log from its text or bytes."""

    def from_text(data):
        file = tmp_path / "base.rnx"
        file.write_bytes(data if isinstance(data, bytes) else data.encode())
        return read_log(file)

    return from_text


def test_a_log_as_the_book_has_it(read):
    log = read(log_3(120))
    assert (log.version, log.marker, log.receiver, log.antenna) == (3.04, "A", "GENERIC RX", "GENERIC DISC")
    assert log.antenna_height == 1.7574 and log.approx == (4.0e6, -1.0e6, 4.6e6)
    assert (log.epochs, log.interval, log.gaps, log.slips, log.remarks) == (120, 1.0, [], 0, [])
    assert (log.first, log.last) == (gps(START), gps(START) + 119)
    assert log.systems == {"BeiDou": 10, "Galileo": 8, "GPS": 9, "GLONASS": 8}


def test_a_log_of_version_2_with_lines_that_go_on(read):
    log = read(log_2(30, slips=(7, 8)))
    assert (log.version, log.epochs, log.systems) == (2.11, 30, {"GPS": 14}), "a blank before the number is GPS"
    assert log.slips == 0 and len(log.restarts) == 2 and log.interval == 1.0 and log.antenna_height == 1.5
    assert log.first == gps(START)


def test_packed_and_compact_forms_hold_the_same(read):
    plain = log_3(90, missing=range(30, 40), slips=(50,)).encode()
    compact = hatanaka.rnx2crx(plain)
    wanted = read(plain)
    assert wanted.gaps and wanted.restarts == [gps(START) + 50]
    for packed in (gzip.compress(plain), compact, gzip.compress(compact)):
        assert read(packed) == wanted
    old = log_2(40).encode()
    assert read(hatanaka.rnx2crx(old)) == read(old)


def test_gaps_are_told_by_the_epochs_about_them(read):
    (gap,) = read(log_3(100, missing=range(40, 55))).gaps
    assert (gap.first, gap.last) == (gps(START) + 39, gps(START) + 55)
    assert read(log_3(300, step=5)).gaps == [], "five seconds are this log's interval"


def test_the_interval_is_that_of_the_epochs_where_the_header_has_none(read):
    assert read(log_3(300, step=5, interval=None)).interval == 5.0


def test_the_interval_is_that_of_the_epochs_also_where_the_header_says_another(read):
    """A log every 5 s under a header that says 1: it has no gaps, and says the contradiction."""
    log = read(log_3(300, step=5, interval=1.0))
    assert (log.interval, log.said_interval, log.gaps) == (5.0, 1.0, [])
    assert any("The header says every 1 s, the epochs come every 5 s." in f.words for f in log_findings(log))
    assert not [f for f in log_findings(read(log_3(60))) if "header says every" in f.words]


def test_slips_are_counted_by_satellite_and_epoch_and_a_restart_is_no_bad_sky(read):
    rows = [epoch_3(START + datetime.timedelta(seconds=k), SATELLITES) for k in range(20)]
    rows[12] = epoch_3(START + datetime.timedelta(seconds=12), SATELLITES, slip=True)
    rows[0] = epoch_3(START, SATELLITES, slip=True)  # nothing was counted before
    two = rows[5].split("\n")
    two[1:3] = epoch_3(START, SATELLITES[:2], slip=True).split("\n")[1:3]
    rows[5] = "\n".join(two)
    log = read(header_3() + "".join(rows))
    assert log.slips == 2 and log.restarts == [gps(START) + 12]
    told = " ".join(f.words for f in log_findings(log))
    assert "All satellites' counts begin anew at" in told and "the sky was not free" not in told


def test_an_antenna_beside_the_mark_and_every_system_are_told(read):
    text = (
        log_3(5)
        .replace(f"{1.7574:14.4f}{0:14.4f}{0:14.4f}", f"{1.7574:14.4f}{0.012:14.4f}{-0.5:14.4f}")
        .replace("G05", "J05")
    )
    log = read(text)
    assert log.eccentric == (0.012, -0.5) and log.systems["QZSS"] == 1
    assert any("0.012 m east and 0.500 m south of the mark" in f.words for f in log_findings(log))


def test_headers_in_any_order(read):
    assert read(header_3(order=[9, 8, 10, 3, 7, 6, 5, 4, 2, 1, 0]) + epoch_3(START)) == read(
        header_3() + epoch_3(START)
    )


def test_what_the_header_has_not_is_none(read):
    log = read(log_3(5, approx=None, height=None))
    assert log.approx is None and log.antenna_height is None
    assert read(log_3(5, approx=(0.0, 0.0, 0.0))).approx is None, "zeros are no position"


def test_what_the_header_says_wrongly_is_remarked(read):
    text = log_3(5).replace(f"{1.7574:14.4f}", f"{'tall':>14}")
    log = read(text)
    assert log.antenna_height is None and "DELTA H/E/N cannot be read" in log.remarks[0] and log.epochs == 5


def test_comments_and_events_between_epochs(read):
    """A comment where it should not be; a new marker by an event; an external event; a header line again."""
    second = START + datetime.timedelta(seconds=1)
    comment = label("rain", "COMMENT")
    renamed = "> 2027 03 16 10 00  0.5000000  3  2\n" + label("B", "MARKER NAME") + comment
    body = epoch_3(START).split("\n", 5)
    torn = "\n".join([*body[:4], comment.rstrip("\n"), *body[4:]])
    log = read(header_3() + comment + torn + renamed + ">                              5  0\n" + epoch_3(second))
    assert log.epochs == 2 and log.markers == ["A", "B"] and log.remarks == []
    assert log.systems == {"BeiDou": 10, "Galileo": 8, "GPS": 9, "GLONASS": 8}


def test_a_log_that_is_cut_off_says_where(read):
    whole = log_3(10)
    cut = whole[: whole.rindex(">") + 400]
    log = read(cut)
    assert log.epochs == 10 and "cut off" in log.remarks[0]
    assert log.remarks[0].startswith(f"line {cut.count(chr(10)) + 2}")
    packed = read(gzip.compress(log_3(400, slips=range(0, 400, 7)).encode())[:-200])
    assert packed.epochs and any("broken or cut off" in remark for remark in packed.remarks)


def test_a_compact_form_that_breaks_off_says_so(read):
    compact = hatanaka.rnx2crx(log_3(200, missing=(70,)).encode())
    log = read(compact[: len(compact) // 2] + b"\xff\x00" * 400)
    assert 0 < log.epochs < 199 and any("breaks off" in remark for remark in log.remarks)


def test_epochs_that_cannot_be_read_do_not_take_the_others_along(read):
    lines = log_3(6).split("\n")
    starts = [k for k, line in enumerate(lines) if line.startswith(">")]
    lines[starts[2]] = "> 2027 13 45 10 00  2.0000000  0 35"
    log = read("\n".join(lines))
    assert log.epochs == 5 and "an epoch cannot be read" in log.remarks[0] and f"line {starts[2] + 1}" in log.remarks[0]
    assert "belong to no epoch" in log.remarks[1]


def test_a_log_out_of_time_order_is_put_in_order(read):
    later = START + datetime.timedelta(seconds=9)
    log = read(header_3() + epoch_3(later) + epoch_3(START))
    assert (log.first, log.last) == (gps(START), gps(later)) and "order of time" in log.remarks[0]


def test_times_of_other_systems_are_told_as_gps_time(read):
    text = log_3(3)
    assert read(text.replace("     GPS  ", "     GLO  ")).first == gps(START) + 18
    assert read(text.replace("     GPS  ", "     BDT  ")).first == gps(START) + 14


@pytest.mark.parametrize(
    ("data", "words", "where"),
    [
        (b"", "header has no end", "line 1"),
        (b"\x89PNG\r\n" + b"\0" * 300, "no RINEX file", "line 1"),
        (b"x" * 10_000, "longer than a RINEX file has any", "line 1"),
        (header_3().encode(), "no epoch", "line 14"),
        (header_3().replace("END OF HEADER", "COMMENT      ").encode(), "header has no end", ""),
        (log_3(2).replace("OBSERVATION DATA", "NAVIGATION DATA ").encode(), "none of observations", "line 1"),
        (log_3(2).replace("     3.04", "     4.01").encode(), "RINEX 4.01 is not read", "line 1"),
        (b"\x1f\x8b" + b"\0" * 50, "packed file is broken", ""),
        (
            label("1.0                 COMPACT RINEX FORMAT", "CRINEX VERS   / TYPE").encode() + b"junk\n" * 9,
            "RINEX",
            "",
        ),
    ],
)
def test_what_is_no_log_is_refused_with_its_line(read, data, words, where):
    with pytest.raises(ReadError, match=words) as fault:
        read(data)
    if where:
        assert fault.value.where == where


def test_a_log_that_is_too_large_is_refused_and_not_unpacked(read, monkeypatch):
    monkeypatch.setattr(rinex, "MAX_BYTES", 100_000)
    with pytest.raises(ReadError, match="too large"):
        read(gzip.compress(log_3(3000).encode()))


def test_an_hour_at_a_second_is_read_as_fast_as_a_day_asks_for(tmp_path):
    """A day of four systems at a second in under 20 s and 300 MB: an hour in a twenty-fourth of the time, and in as
    little room."""
    file = tmp_path / "hour.rnx"
    file.write_text(log_3(3600))
    started = time.perf_counter()
    log = read_log(file)
    took = time.perf_counter() - started
    print(f"{took:.2f} s for an hour")
    assert log.epochs == 3600 and took < 20 / 24 * 2, "twice the time on a machine that others use too"
    tracemalloc.start()
    file.write_text(log_3(600))
    tracemalloc.reset_peak()
    before = tracemalloc.get_traced_memory()[0]
    read_log(file)
    assert tracemalloc.get_traced_memory()[1] - before < 5_000_000
    tracemalloc.stop()
