"""Satellites: orbits against a numerical integration, the sky against dense algebra and PROJ, horizons by hand."""

import datetime
import json
import math
import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Transformer
from scipy.integrate import solve_ivp

from kardo.cli import main
from kardo.core.errors import PlanError
from kardo.core.plan.site import Feature, Ground, terrain_of
from kardo.core.site.overhead import LEAST, day_sky, midnight, parts_of_horizon, sky_at, stand_of
from kardo.core.sky.orbits import GRAVITY, ROTATION, WEEK, Almanac, gps_seconds, nominal, positions
from kardo.core.sky.visibility import sky, windows
from kardo.core.terrain.horizon import ground_horizon, things_horizon, turned, typed_horizon
from kardo.core.terrain.surface import Surface
from kardo.formats.yuma import read_yuma, write_yuma
from tests.conftest import E0, N0, small_plan, small_surface

HERE = np.array([[-13.42, 46.3, 60.0]])
DAY = gps_seconds(datetime.datetime(2027, 3, 16, tzinfo=datetime.UTC))
FLAT = np.zeros((1, 360))


def one(name="G01", **changes) -> Almanac:
    """A satellite of its own."""
    values = {
        "reference": 100 * WEEK + 319_488.0,
        "eccentricity": 0.02,
        "inclination": 0.96,
        "root_a": 5153.6,
        "node": 1.1,
        "node_rate": 0.0,
        "perigee": 0.7,
        "anomaly": -2.0,
        "healthy": 1.0,
    } | changes
    return Almanac((name,), **{key: np.array([value]) for key, value in values.items()})


@pytest.mark.parametrize("system", ["G", "E", "C"])
def test_an_orbit_against_its_numerical_integration(system):
    """Newton's law in a frame that does not turn, from the elements at the reference time, twelve hours on; then turned
    with the earth. Centimetres, for the almanac's model is that law."""
    orbit = one(f"{system}01")
    mu, turn = GRAVITY[system], ROTATION[system]
    a, e, i, w = 5153.6**2, 0.02, 0.96, 0.7
    eccentric = -2.0
    for _ in range(50):
        eccentric = -2.0 + e * math.sin(eccentric)
    rate = math.sqrt(mu / a**3) / (1 - e * math.cos(eccentric))
    flat = np.array(
        [
            [a * (math.cos(eccentric) - e), a * math.sqrt(1 - e * e) * math.sin(eccentric), 0],
            [-a * math.sin(eccentric) * rate, a * math.sqrt(1 - e * e) * math.cos(eccentric) * rate, 0],
        ]
    )

    def about(axis, angle):
        c, s = math.cos(angle), math.sin(angle)
        return np.array([[1, 0, 0], [0, c, -s], [0, s, c]] if axis == "x" else [[c, -s, 0], [s, c, 0], [0, 0, 1]])

    # node counted from Greenwich at the start of the week, so the frame is Greenwich's of that moment
    to_space = about("z", 1.1) @ about("x", i) @ about("z", w)
    state = (to_space @ flat.T).T.ravel()
    span = np.arange(0.0, 43_201.0, 3600.0)
    flown = (
        solve_ivp(
            lambda _, y: np.concatenate([y[3:], -mu * y[:3] / np.linalg.norm(y[:3]) ** 3]),
            (0, span[-1]),
            state,
            method="DOP853",
            t_eval=span,
            rtol=1e-13,
            atol=1e-6,
        )
        .y[:3]
        .T
    )
    wanted = [about("z", -turn * (319_488.0 + t)) @ x for t, x in zip(span, flown, strict=True)]
    assert np.abs(positions(orbit, orbit.reference[0] + span)[:, 0] - wanted).max() < 0.01


def test_directions_against_proj():
    """Azimuth and elevation by PROJ's topocentric operation (IOGP Guidance Note 7-2, method 9836)."""
    moments = DAY + 1800.0 * np.arange(8)
    found = sky(nominal(), moments, HERE, FLAT)
    enu = Transformer.from_pipeline("+proj=topocentric +ellps=GRS80 +lon_0=-13.42 +lat_0=46.3 +h_0=60").transform(
        *np.moveaxis(positions(nominal(), moments), -1, 0)
    )
    east, north, up = enu
    assert found.elevation[0] == pytest.approx(np.degrees(np.arctan2(up, np.hypot(east, north))), abs=1e-6)
    assert found.azimuth[0] == pytest.approx(np.degrees(np.arctan2(east, north)) % 360, abs=1e-6)


def test_dilution_against_dense_algebra():
    """The inverse of A'A with a column for each system's clock; GDOP² = PDOP² + TDOP², PDOP² = HDOP² + VDOP²."""
    found = sky(nominal(), DAY + 3600.0 * np.arange(24), HERE, typed_horizon([(0, 50), (180, 10)])[None])
    for t in range(24):
        seen = found.seen[0, t]
        a, h = np.radians(found.azimuth[0, t][seen]), np.radians(found.elevation[0, t][seen])
        systems = sorted({name[0] for name, on in zip(found.names, seen, strict=True) if on})
        clocks = [[name[0] == s for s in systems] for name, on in zip(found.names, seen, strict=True) if on]
        rows = np.column_stack([np.sin(a) * np.cos(h), np.cos(a) * np.cos(h), np.sin(h), np.array(clocks, dtype=float)])
        q = np.diag(np.linalg.inv(rows.T @ rows))
        assert found.pdop[0, t] == pytest.approx(math.sqrt(q[:3].sum()), rel=1e-9)
        assert found.hdop[0, t] == pytest.approx(math.sqrt(q[:2].sum()), rel=1e-9)
        assert found.vdop[0, t] == pytest.approx(math.sqrt(q[2]), rel=1e-9)
        assert found.gdop[0, t] ** 2 == pytest.approx(found.pdop[0, t] ** 2 + found.tdop[0, t] ** 2, rel=1e-9)
        assert found.counts[0, t] == seen.sum()


def test_too_few_satellites_fix_nothing():
    found = sky(one(), DAY + np.arange(3.0), HERE, FLAT, mask=-90.0)
    assert found.counts.tolist() == [[1, 1, 1]] and np.isnan(found.gdop).all()


@given(st.lists(st.floats(0, 89), min_size=4, max_size=4), st.integers(0, 3), st.floats(0, 60))
def test_a_higher_horizon_never_shows_more(elevations, where, more):
    low = typed_horizon([(90 * k, h) for k, h in enumerate(elevations)])
    raised = [min(90.0, h + (more if k == where else 0)) for k, h in enumerate(elevations)]
    high = typed_horizon([(90 * k, h) for k, h in enumerate(raised)])
    found = sky(nominal(), DAY + 7200.0 * np.arange(12), np.repeat(HERE, 2, axis=0), np.array([low, high]))
    assert not (found.seen[1] & ~found.seen[0]).any()
    both = np.isfinite(found.pdop).all(axis=0)
    for dop in (found.pdop, found.hdop, found.vdop):  # GDOP may fall: with a system's last satellite its clock goes too
        assert (dop[1][both] >= dop[0][both] * (1 - 1e-9)).all(), "and never a better position"


def test_what_is_not_healthy_is_not_used():
    own = nominal()
    ill = Almanac(**(vars(own) | {"healthy": np.where([n.startswith("R") for n in own.names], 0.0, 1.0)}))
    assert not any(name.startswith("R") for name in sky(ill, np.array([DAY]), HERE, FLAT).names)


def test_the_nominal_constellations_are_as_meant():
    """Six planes of GPS whose satellites return after a sidereal day; BeiDou's inclined ones cross the equator at their
    longitudes."""
    own = nominal()
    assert {s: own.systems.count(s) for s in "GREC"} == {"G": 30, "R": 24, "E": 24, "C": 27}
    gps = [k for k, name in enumerate(own.names) if name[0] == "G"]
    then = positions(own, DAY + np.array([0.0, 86_164.1]))[:, gps]
    assert np.linalg.norm(then[1] - then[0], axis=1).max() < 60_000, "but for the slow turn of the planes"
    t = DAY + 60.0 * np.arange(1440)
    for name, longitude in (("C38", 95.0), ("C39", 112.0), ("C40", 118.0)):
        x, y, z = positions(own, t)[:, own.names.index(name)].T
        k = int(np.flatnonzero((z[:-1] < 0) & (z[1:] >= 0))[0])
        assert math.degrees(math.atan2(y[k], x[k])) == pytest.approx(longitude, abs=8), "a year's drift of the plane"


def test_fifty_points_through_a_day():
    """120 satellites, 1,440 moments, 50 points with their horizons: under two seconds on two free cores."""
    own = nominal()
    fields = {k: np.tile(v, 2)[:120] for k, v in vars(own).items() if isinstance(v, np.ndarray)}
    many = Almanac(names=(own.names * 2)[:120], **fields)
    places = HERE + np.outer(np.arange(50), [1e-4, 1e-4, 0])
    horizons = np.tile(typed_horizon([(0, 40), (120, 10)]), (50, 1))
    sky(many, np.array([DAY]), places, horizons)
    started = time.perf_counter()
    found = sky(many, DAY + 60.0 * np.arange(1440), places, horizons)
    took = time.perf_counter() - started
    print(f"{took:.2f} s")
    assert found.counts.shape == (50, 1440)
    assert took < 6, "three times what a free machine takes"


# Horizons


def test_a_ridge_by_hand():
    """A wall of ground 100 m high, 500 m north of an eye at 2 m: atan(98 / 500) = 11.09 degrees, less the earth's
    curve; to the north-east it lies 707 m away."""
    heights = np.zeros((300, 300))
    heights[205:, :] = 100.0  # its foot begins a step before
    plain = Surface(0.0, 0.0, 10.0, heights)
    found = ground_horizon(plain, 1500.0, 1550.0, 2.0)
    assert found[0] == pytest.approx(math.degrees(math.atan2(98, 500)), abs=0.35)
    assert found[45] == pytest.approx(math.degrees(math.atan2(98, 500 * math.sqrt(2))), abs=0.35)
    assert found[180] == 0.0


def test_ground_that_is_not_known_hides_nothing():
    heights = np.zeros((50, 50))
    heights[30:, :] = np.nan
    assert not ground_horizon(Surface(0.0, 0.0, 10.0, heights), 250.0, 250.0, 2.0).any()


def test_a_pole_and_a_roof_by_hand():
    from shapely import Point, Polygon

    pole = things_horizon([(Point(20.0, 0.0), 12.0)], 0, 0, 2.0)
    assert pole[90] == pytest.approx(math.degrees(math.atan2(10, 19.5)), abs=1e-6) and pole[80] == 0
    roof = Polygon([(-10, 10), (10, 10), (10, 20), (-10, 20)])
    assert things_horizon([(roof, 12.0)], 0, 0, 2.0)[0] == pytest.approx(45.0)
    assert not things_horizon([(roof, 12.0)], 0, 15, 2.0).any(), "under the roof itself"
    assert not things_horizon([(roof, 1.0)], 0, 0, 2.0).any(), "it does not reach the eye"


def test_a_profile_is_turned_from_grid_to_true_north():
    grid = typed_horizon([(89, 0), (90, 40), (91, 0)])
    assert turned(grid, 2.0)[92] == pytest.approx(40.0), (
        "grid north two degrees east of true: what the grid has at 90 is at 92"
    )


# A plan's points


def quarry(**changes):
    """The small site with a wall of 60 m north of it."""
    surface = small_surface()
    heights = surface.heights.copy()
    heights[35:, :] += 60.0
    plan = small_plan(**changes)
    ground = Ground(terrain=terrain_of(Surface(surface.e0, surface.n0, surface.step, heights), "wall"))
    return plan.model_copy(update={"site": plan.site.model_copy(update={"ground": ground})})


def test_a_quarry_wall_costs_satellites_and_is_named():
    open_, walled = (day_sky(p, "K2", "2027-03-16") for p in (small_plan(), quarry()))
    assert sum(walled.count) < sum(open_.count)
    assert walled.open_count == open_.open_count
    assert walled.costs[0].words == "the ground" and walled.costs[0].mean > 1
    assert max(walled.horizon[315:] + walled.horizon[:45]) > 25 > max(walled.horizon[135:225])
    assert all(len(p.azimuth) == len(p.elevation) == len(p.seen) for p in walled.passes)
    assert min(min(p.elevation) for p in walled.passes) >= walled.mask
    for window in walled.windows:
        if window.kind == "few":
            assert walled.count[window.first // 10] < LEAST


def test_what_stands_about_counts_and_a_typed_horizon_too():
    tree = Feature(id="T", name="Old ash", kind="canopy", vertices=((E0 - 20, N0 - 12),), height=18.0)
    plan = small_plan(setup={"horizon": ((180.0, 30.0), (200.0, 0.0), (160.0, 0.0))})
    plan = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (tree,)})})
    found = dict(parts_of_horizon(plan, stand_of(plan, "base")))
    assert {"Old ash", "the horizon as typed"} <= set(found)
    assert found["Old ash"].argmax() in {358, 359, 0, 1, 2}, "eight metres north on the grid"
    assert found["the horizon as typed"].max() == 30.0
    assert {"Old ash", "the horizon as typed"} <= {c.words for c in day_sky(plan, "base", "2027-03-16").costs}


def test_in_a_job_in_feet_the_van_stands_feet_away():
    plan = small_plan()
    feet = plan.model_copy(update={"brief": plan.brief.model_copy(update={"unit": "ft"})})
    assert any("a van 8.2 ft from" in c.words for c in day_sky(feet, "base", "2027-03-16").costs)


def test_an_almanac_says_how_old_it_is_and_the_nominal_one_what_it_is():
    plan = small_plan()
    assert "typical numbers" in day_sky(plan, "base", "2027-03-16").caution
    fresh = read_yuma(write_yuma(nominal()).encode(), DAY)
    assert day_sky(plan, "base", "2026-01-10", almanac=fresh).caution == ""
    assert "days from this date" in day_sky(plan, "base", "2027-03-16", almanac=fresh).caution


def test_places_and_dates_that_are_none_are_refused():
    with pytest.raises(PlanError, match="No antenna stands"):
        day_sky(small_plan(), "nowhere", "2027-03-16")
    with pytest.raises(PlanError, match="not a date"):
        day_sky(small_plan(), "base", "tomorrow")
    assert stand_of(small_plan(), "A").path == "setups/base", "by the name of its mark"


def test_windows_are_runs():
    assert windows(np.array([False, True, True, False, True])) == [(1, 2), (4, 4)]
    assert windows(np.zeros(3, dtype=bool)) == []


def test_visibility_on_the_command_line(tmp_path, capsys):
    plan, file, out, almanac = small_plan(), tmp_path / "p.json", tmp_path / "v.json", tmp_path / "a.alm"
    file.write_text(json.dumps(plan.to_json()))
    almanac.write_text(write_yuma(nominal()))
    words = ["visibility", str(file), "--at", "G1", "--date", "2026-01-10", "--json", str(out)]
    assert main(words) == 0 and "typical numbers" in capsys.readouterr().out
    assert main([*words, "--almanac", str(almanac)]) == 0 and "typical" not in capsys.readouterr().out
    told = json.loads(out.read_text())
    assert len(told["times"]) == 1440 and told["times"][0] == "2026-01-10T00:00:00Z"
    moments = midnight("2026-01-10") + 60.0 * np.arange(1440)
    found, _ = sky_at(plan, stand_of(plan, "G1"), nominal(), moments)
    assert told["pdop"] == pytest.approx(found.pdop[0].tolist(), rel=1e-3)
    seen = sum(
        told["times"].index(b) - told["times"].index(a) + 1 for runs in told["visible"].values() for a, b in runs
    )
    assert seen == pytest.approx(found.counts.sum(), rel=1e-3)
    assert main([*words[:2], "--at", "nobody", "--date", "2026-01-10"]) == 1
