"""Reference networks: their stations brought to the job by PROJ, nearest first, what distance and outages do, and
answers that are none."""

import datetime
import json

import pytest
from pyproj import Geod, Transformer

from kardo.core.accuracy.images.planned import planned_network
from kardo.core.day.day import day_of
from kardo.core.day.log_cover import log_findings
from kardo.core.day.sessions import hours_of
from kardo.core.errors import GeodesyError, PlanError, ReadError
from kardo.core.flight.air.stations import FIXES, Station, stations_near
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.plan.stands import Mark, OnSetUp, SetUp
from kardo.demo import demo_plan
from kardo.formats.rinex import read_log
from kardo.outside.line import Address
from kardo.outside.stations import log_of, stations_of
from kardo.standins.network import PLACES, NetworkStandIn, stations
from kardo.standins.processing import EPOCH, FRAME
from tests.standins.running import running

PLAN = demo_plan("sallow-bank")


@pytest.fixture(scope="module")
def told():
    with running(NetworkStandIn()) as port:
        return stations_of(Address("127.0.0.1", port))


def test_stations_come_to_the_jobs_grid_where_proj_puts_them(told):
    found = {s.name: s for s in stations_near(PLAN, told)}
    to_grid = Transformer.from_crs("EPSG:4258", PLAN.brief.crs, always_xy=True)
    for name, (lon, lat, up, _) in PLACES.items():
        e, n = to_grid.transform(lon, lat)
        assert (found[name].e, found[name].n) == (pytest.approx(e, abs=0.005), pytest.approx(n, abs=0.005))
        assert found[name].h + float(PLAN.grid.separation(e, n)) == pytest.approx(up, abs=0.01)
        assert "ITRF2014" in found[name].how and found[name].sigma_v == 0.008


def test_the_nearest_comes_first_with_what_its_distance_does(told):
    found = stations_near(PLAN, told)
    assert [s.away for s in found] == sorted(s.away for s in found) and found[0].name == "Corvane North"
    east, north = PLAN.site.boundary[0]
    lon, lat = PLAN.grid.to_geodetic(east, north)
    line = Geod(ellps="GRS80").inv(float(lon), float(lat), *PLACES["Corvane North"][:2])[2]
    assert found[0].away == pytest.approx(line, abs=1500), "of the site's middle, which is a kilometre from its corner"
    assert found[0].growth == pytest.approx(found[0].away * 1e-6)
    assert "too far for live fixes" in found[-1].words and found[-1].away > FIXES


def test_outages_are_told_for_as_long_as_is_flown(told):
    found = {s.name: s for s in stations_near(PLAN, told)}
    flown = sum(f.minutes for f in all_flown(PLAN))
    assert 50 < flown < 70 and found["Corvane South"].down_min == pytest.approx(flown * (1 - 0.952), rel=0.001)
    assert "up 95.2 % of the time" in found["Corvane South"].words and "lately" not in found["Corvane North"].words


def test_a_station_that_is_taken_adds_its_distance_to_the_whole_flight(told):
    """What the words say is what the prediction has."""
    near = stations_near(PLAN, told)[0]
    mark = Mark(id="S", name="S", e=near.e, n=near.n, h=near.h, sigma_h=near.sigma_h, sigma_v=near.sigma_v)
    setup = SetUp(id="S", name="S", mark="S", support="fixed_pole", antenna=PLAN.kit.antennas[0].id)
    flight = PLAN.flights[0].model_copy(update={"positioned_from": OnSetUp(setup="S")})
    more = {"marks": (*PLAN.marks, mark), "setups": (*PLAN.setups, setup), "flights": (flight,)}
    net = planned_network(PLAN.model_copy(update=more)).network
    of_first = slice(net.exposure_shifts.start[0], net.exposure_shifts.start[1])
    held = zip(net.exposure_shifts.values[of_first], net.exposure_shares[of_first], strict=True)
    far = [(net.shifts[k].sigma[2], share[2, 2]) for k, share in held if net.shifts[k].kind.startswith("distance")]
    shared = sum((sigma * km) ** 2 for sigma, km in far) ** 0.5
    sortie = next(s for s in net.shifts if s.kind == "leg").sigma[2]
    anew = (sortie**2 - PLAN.assume["leg_v"] ** 2) ** 0.5
    assert (shared**2 + anew**2) ** 0.5 == pytest.approx(near.growth, rel=0.03)


def test_a_place_that_is_none_is_told(told):
    assert len(stations_near(PLAN, told, most=2)) == 2
    nowhere = Station("Nowhere", FRAME, EPOCH, (0.0, 0.0, 1.0), (0.01, 0.01))
    with pytest.raises(GeodesyError):
        stations_near(PLAN, [nowhere])


def taken(told, **visit):
    """The plan on its nearest station, flown from it on its day."""
    near = stations_near(PLAN, told)[0]
    mark = Mark(id="S", name=near.name, e=near.e, n=near.n, h=near.h, sigma_h=near.sigma_h, sigma_v=near.sigma_v)
    setup = SetUp(
        id="S", name="S", mark="S", support="fixed_pole", antenna=PLAN.kit.antennas[0].id, readings=({"metres": 0},)
    )
    flight = PLAN.flights[0].model_copy(update={"positioned_from": OnSetUp(setup="S")})
    visits = (PLAN.visits[0].model_copy(update=visit), *PLAN.visits[1:])
    more = {"marks": (*PLAN.marks, mark), "setups": (*PLAN.setups, setup), "flights": (flight,), "visits": visits}
    return PLAN.model_copy(update=more)


def log_from(network, plan, tmp_path):
    with running(network) as port:
        data = log_of(Address("127.0.0.1", port), plan.mark("S").name, *hours_of(plan, "S"))
    (tmp_path / "log.gz").write_bytes(data)
    return read_log(tmp_path / "log.gz")


def test_the_log_of_a_station_covers_the_flights_that_hang_on_it(told, tmp_path):
    plan = taken(told)
    log = log_from(NetworkStandIn(), plan, tmp_path)
    assert log.marker == plan.mark("S").name and log.interval == 1.0 and not log.gaps
    assert not log_findings(log, plan), "its place, its height, its interval and both its ends"
    first, last = hours_of(plan, "S")
    assert log.last - log.first == (last - first).total_seconds() and first.tzinfo is not None
    moved = taken(told, utc_offset_h=1.0)
    assert hours_of(moved, "S")[0] - first == -datetime.timedelta(
        hours=1 - day_of(plan, plan.visits[0].id).utc_offset_h
    )


def test_an_outage_of_a_station_is_told_from_its_log(told, tmp_path):
    plan = taken(told)
    found = log_findings(log_from(NetworkStandIn(down=(20, 29)), plan, tmp_path), plan)
    assert [f.severity for f in found] == ["warn"] and "Nothing was logged for 541 s" in found[0].words


def test_a_log_that_there_is_none_of_or_that_breaks_off_is_told(told):
    with running(NetworkStandIn()) as port, pytest.raises(ReadError, match="does not take"):
        log_of(Address("127.0.0.1", port), "No such / station", *hours_of(taken(told), "S"))
    with pytest.raises(PlanError, match="with a date"):
        hours_of(taken(told, date=""), "S")
    with running(Cut()) as port, pytest.raises(ReadError, match="broke off after 7 of 99"):
        log_of(Address("127.0.0.1", port), "Corvane North", *hours_of(taken(told), "S"))


class Cut(NetworkStandIn):
    """Hangs up in the middle of its answer."""

    async def _answer(self, head, reader, writer):
        writer.write(b"HTTP/1.1 200 OK\r\nContent-Length: 99\r\nConnection: close\r\n\r\n7 bytes")
        await writer.drain()


@pytest.mark.parametrize(
    "answer",
    [
        b"[]",
        b"{}",
        b"nonsense",
        b'{"crs": "EPSG:7789", "epoch": 2026.9, "stations": [{"name": "A", "xyz": [1, 2]}]}',
        b'{"crs": "file:///etc/passwd", "epoch": 2026.9, "stations": []}',
        json.dumps({**stations(), "epoch": 1e9}).encode(),
        json.dumps({**stations(), "stations": [{"name": "A", "xyz": [1e400, 0, 0]}]}).encode(),
    ],
)
def test_what_is_no_answer_is_told(answer):
    with running(NetworkStandIn(answer)) as port, pytest.raises(ReadError):
        stations_of(Address("127.0.0.1", port))
