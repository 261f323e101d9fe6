"""Broadcast orbits against an independent library, against the almanac, and what a file of them may hold."""

import datetime
import gzip
import json
import random

import numpy as np
import pyrtklib
import pytest

from kardo.cli import main
from kardo.core.errors import ReadError
from kardo.core.site.overhead import day_sky
from kardo.core.sky.orbits import LEAP, Almanac, gps_seconds, positions
from kardo.core.sky.visibility import sky
from kardo.formats.rinex_nav import read_navigation
from tests.conftest import small_plan
from tests.formats.nav_files import DAY, glonass, kepler, nav_file

NOON = DAY.replace(hour=12)
SYSTEMS = {
    "G": pyrtklib.SYS_GPS,
    "E": pyrtklib.SYS_GAL,
    "C": pyrtklib.SYS_CMP,
    "J": pyrtklib.SYS_QZS,
    "R": pyrtklib.SYS_GLO,
}
AHEAD = {"C": 14.0}
SENT = ["G07", "G32", "E11", "E36", "C03", "C20", "C45", "C60", "J02", "J04"]


def in_gps_time(moment):
    """A moment of GPS time in the other library's count."""
    parts = pyrtklib.Arr1Ddouble(6)
    for k, value in enumerate((moment.year, moment.month, moment.day, moment.hour, moment.minute, moment.second)):
        parts[k] = value
    return pyrtklib.epoch2time(parts)


def later(time, seconds):
    return pyrtklib.timeadd(time, seconds)


def by_library(name, v, toe, time):
    """Position by the independent library: elements of a satellite whose reference time, in GPS time, is toe."""
    eph = pyrtklib.eph_t()
    prn = int(name[1:]) + (192 if name[0] == "J" else 0)
    eph.sat = pyrtklib.satno(SYSTEMS[name[0]], prn)
    eph.A, eph.e, eph.i0, eph.OMG0, eph.omg, eph.M0 = (
        v["root_a"] ** 2,
        v["e"],
        v["i0"],
        v["node"],
        v["perigee"],
        v["m0"],
    )
    eph.deln, eph.OMGd, eph.idot, eph.toes = v["dn"], v["node_rate"], v["idot"], v["toe"]
    for key in ("cuc", "cus", "cic", "cis", "crc", "crs"):
        setattr(eph, key, v[key])
    eph.toe = eph.toc = toe
    place, clock, variance = (pyrtklib.Arr1Ddouble(k) for k in (3, 1, 1))
    pyrtklib.eph2pos(time, eph, place, clock, variance)
    return np.array([place[k] for k in range(3)])


@pytest.mark.parametrize("name", SENT)
def test_positions_by_elements_are_those_of_an_independent_library(name):
    """GPS, Galileo, BeiDou (also geostationary), QZSS by their own constants and clocks: to the millimetre that the
    printed digits of the file leave."""
    v, record = kepler(name, NOON, random.Random(name))
    eph = read_navigation(nav_file([record]))
    assert eph.names == (name,)
    ahead = AHEAD.get(name[0], 0.0)
    toe = gps_seconds(NOON.replace(tzinfo=datetime.UTC)) - LEAP + ahead
    shifts = np.array([-7000.0, -60.0, 0.0, 1234.5, 7199.0])
    own = eph.at(toe + shifts)[:, 0]
    start = later(in_gps_time(NOON), ahead)
    for place, shift in zip(own, shifts, strict=True):
        assert place == pytest.approx(by_library(name, v, start, later(start, float(shift))), abs=0.02)
    assert np.linalg.norm(own[0]) > 2.5e7


def test_a_glonass_motion_is_integrated_as_an_independent_library_does():
    motion, record = glonass("R07", NOON, random.Random(1))
    eph = read_navigation(nav_file([record]))
    start = gps_seconds(NOON.replace(tzinfo=datetime.UTC))  # its clock is UTC
    geph = pyrtklib.geph_t()
    geph.sat = pyrtklib.satno(SYSTEMS["R"], 7)
    geph.toe = geph.tof = in_gps_time(NOON)
    for k in range(3):
        geph.pos[k], geph.vel[k], geph.acc[k] = (1000.0 * motion[k + 3 * kind] for kind in range(3))
    for shift in (-900.0, -30.0, 0.0, 450.0, 1700.0):
        place, clock, variance = (pyrtklib.Arr1Ddouble(n) for n in (3, 1, 1))
        pyrtklib.geph2pos(later(in_gps_time(NOON), shift), geph, place, clock, variance)
        assert eph.at(np.array([start + shift]))[0, 0] == pytest.approx([place[k] for k in range(3)], abs=0.05)


def test_an_almanac_is_within_the_kilometres_that_it_promises():
    """The same orbit told by an almanac's few elements: the corrections left out are some kilometres at most."""
    v, record = kepler("G12", NOON, random.Random(5))
    toe = gps_seconds(NOON.replace(tzinfo=datetime.UTC)) - LEAP
    one = np.ones(1)
    almanac = Almanac(
        ("G12",), one * toe, one * v["e"], one * v["i0"], one * v["root_a"], one * v["node"], one * v["node_rate"],
        one * v["perigee"], one * v["m0"], one,
    )  # fmt: skip
    moments = toe + np.arange(-7200.0, 7201.0, 600.0)
    away = np.linalg.norm(
        positions(almanac, moments)[:, 0] - read_navigation(nav_file([record])).at(moments)[:, 0], axis=1
    )
    assert 1.0 < away.max() < 5000.0


def test_the_record_nearest_in_time_holds_and_beyond_its_hours_nothing_does():
    rows = [kepler("G01", DAY.replace(hour=h), random.Random(h)) for h in (0, 2)]
    eph = read_navigation(nav_file([record for _, record in rows]))
    start = gps_seconds(DAY.replace(tzinfo=datetime.UTC)) - LEAP
    alone = [read_navigation(nav_file([record])) for _, record in rows]
    for minutes, which in ((10, 0), (59, 0), (61, 1), (150, 1)):
        moment = np.array([start + 60.0 * minutes])
        assert (eph.at(moment) == alone[which].at(moment)).all()
    assert (eph.at(np.array([start + 7 * 3600.0])) == 0).all()
    seen = sky(eph, np.array([start + 7 * 3600.0]), np.array([[-13.4, 46.3, 60.0]]), np.zeros((1, 360)))
    assert seen.counts[0, 0] == 0, "what is not known is not seen"


def test_what_is_not_healthy_is_not_used_and_what_makes_no_sense_is_left_out():
    good, sick = kepler("G01", NOON, random.Random(1))[1], kepler("G02", NOON, random.Random(2), health=1.0)[1]
    wild = kepler("G03", NOON, random.Random(3), e=0.9)[1]
    cut = kepler("G04", NOON, random.Random(4))[1].split("\n")[:4]
    sbas = good.replace("G01", "S20")
    eph = read_navigation(
        nav_file([sick, good, wild, "\n".join(cut), sbas, good.replace("G01", "G05").replace("D", "x")])
    )
    assert set(eph.names) == {"G01", "G02"} and eph.usable().names == ("G01",)
    toe = np.array([gps_seconds(NOON.replace(tzinfo=datetime.UTC))])
    assert (eph.usable().at(toe)[:, 0] == eph.at(toe)[:, eph.names.index("G01")]).all()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "no RINEX navigation file"),
        (b"ID: 1\n", "no RINEX navigation file"),
        (nav_file([], "2.11"), "2.11 is not read"),
        (nav_file([]).replace(b"END OF HEADER", b"COMMENT"), "header has no end"),
        (nav_file([]), "No ephemeris in it"),
        (gzip.compress(nav_file([]))[:-9], "packed file is broken"),
        (gzip.compress(bytes(21_000_000)), "too large"),
    ],
)
def test_what_is_none_is_told(data, words):
    with pytest.raises(ReadError, match=words):
        read_navigation(data)


def test_the_command_takes_ephemerides(tmp_path):
    dice = random.Random(9)
    records = [
        kepler(f"{s}{k:02d}", DAY.replace(hour=h), dice)[1] for s in "GE" for k in range(6, 20) for h in range(0, 24, 6)
    ]
    (tmp_path / "day.nav.gz").write_bytes(gzip.compress(nav_file(records)))
    (tmp_path / "plan.json").write_text(json.dumps(small_plan().to_json()))
    words = [
        "--at",
        "base",
        "--date",
        "2026-11-26",
        "--nav",
        str(tmp_path / "day.nav.gz"),
        "--json",
        str(tmp_path / "sky.json"),
    ]
    assert main(["visibility", str(tmp_path / "plan.json"), *words]) == 0
    told = json.loads((tmp_path / "sky.json").read_text())
    assert len(told["times"]) == 22 * 60 and {name[0] for name in told["visible"]} == {"G", "E"}


def test_hours_after_the_last_record_are_unknown_and_not_without_satellites(tmp_path, capsys):
    """Elements for 0 and 6 h, which hold for four: the file says nothing from ten on."""
    dice = np.random.default_rng(3)
    records = [kepler(f"{s}{k:02d}", DAY.replace(hour=h), dice)[1] for s in "GE" for k in range(1, 25) for h in (0, 6)]
    (tmp_path / "half.nav").write_bytes(nav_file(records))
    (tmp_path / "plan.json").write_text(json.dumps(small_plan().to_json()))
    words = ["--at", "base", "--nav", str(tmp_path / "half.nav"), "--json", str(tmp_path / "sky.json")]
    assert main(["visibility", str(tmp_path / "plan.json"), "--date", f"{DAY:%Y-%m-%d}", *words]) == 0
    said = capsys.readouterr().out
    assert "The file reaches over 00:00 to 09:59 UTC of this day" in said and ": 0 to" not in said
    assert len(json.loads((tmp_path / "sky.json").read_text())["times"]) == 600
    sky = day_sky(small_plan(), "base", f"{DAY:%Y-%m-%d}", 0.0, read_navigation(nav_file(records)))
    assert (
        590 <= max(w.last for w in sky.windows) <= 600
        and "00:00 to " in sky.caution
        and "of this day: of the rest" in sky.caution
    )
    assert main(["visibility", str(tmp_path / "plan.json"), "--date", "2026-01-10", *words]) == 1
    assert "says nothing of 2026-01-10" in capsys.readouterr().err
