"""What hides a place from a scanner, and slopes: a wall's shadow by hand, all pulses on whatever ground, lines on both
sides of a building."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.scan.equation import attitude, partials_of
from kardo.core.accuracy.scan.planned import scan_to_json, scanned_plan
from kardo.core.flight.ground.coverage import coverage
from kardo.core.flight.ground.density import density, told_density
from kardo.core.flight.ground.shade import Shade, shade_of
from kardo.core.flight.ground.sight import Sight
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.plan.flights import OwnLine, OwnLines
from kardo.core.plan.site import Feature, Ground, LevelGround, terrain_of
from kardo.core.practice.catalogue import View, findings
from kardo.core.terrain.surface import Surface
from tests.conftest import E0, N0, scan_plan, small_plan


def line(x=100.0, **more):
    """One line to the north over the site, so many metres from its west side, 60 m above the ground."""
    strip = OwnLine(start=(E0 + x, N0 - 20.0), end=(E0 + x, N0 + 140.0))
    return {"pattern": OwnLines(lines=(strip, *more.pop("beside", ()))), **more}


def block(west, east, height, kind="obstacle", shape="area"):
    ring = tuple((E0 + x, N0 + y) for x, y in ((west, -30), (east, -30), (east, 150), (west, 150)))
    return Feature(id=f"{kind}{west:.0f}", name="the shed", kind=kind, shape=shape, height=height, vertices=ring)


def on(heights, plan):
    """A plan on a terrain of its own: heights of metres east (k,) of the site's corner."""
    step = 2.0
    east, north = np.meshgrid(-200 + step * np.arange(301), -200 + step * np.arange(271))
    ground = Ground(
        terrain=terrain_of(Surface(E0 - 200, N0 - 200, step, np.round(heights(east) + 0 * north, 6)), "test")
    )
    return plan.model_copy(update={"site": plan.site.model_copy(update={"ground": ground})})


def test_the_shadow_of_a_wall_by_hand():
    """From 60 m up the top of a wall of 20 m, 22 m away, hides the ground as far as 33 m: 22 x 60 / 40."""
    plan = scan_plan(features=(block(20, 22, 20.0),))
    shade = shade_of(plan)
    x = np.array([10.0, 17.0, 21.0, 24.5, 28.0, 32.0, 34.5, 60.0])
    places = np.column_stack([E0 + x, np.full(len(x), N0 + 50), np.full(len(x), 10.0)])
    eyes = np.tile([E0, N0 + 50, 70.0], (len(x), 1))
    assert shade.hides(places, eyes).tolist() == [False, False, False, True, True, True, False, False]
    assert not shade.hides(places, eyes + np.array([0, 0, 1000.0])).any(), "from high above hardly anything is hidden"


@given(st.floats(5, 60), st.floats(40, 150), st.floats(1, 35))
def test_on_a_plane_nothing_hides_anything(far, up, slope):
    rise = slope / 50
    tops = rise * np.arange(200)[None, :] * 0.5 + np.zeros((200, 1))
    shade = Shade(0.0, 0.0, 0.5, tops)
    places = np.array([[50 + far / 2, 50.0, rise * (50 + far / 2)], [50 - far / 2, 50.0, rise * (50 - far / 2)]])
    assert not shade.hides(places, np.tile([50.0, 50.0, 50 * rise + up], (2, 1))).any()


def test_only_what_is_solid_hides():
    for kind in ("canopy", "power_line", "water"):
        assert shade_of(scan_plan(features=(block(20, 22, 20.0, kind),))) is None
    assert shade_of(scan_plan()) is None, "on level ground without things nothing hides anything"


@settings(max_examples=12, deadline=None)
@given(st.floats(-0.5, 0.5))
def test_a_slope_gets_the_same_pulses_only_elsewhere(slope):
    """Summed across the line, what falls to a metre of flight is what the angle holds, whatever way the ground leans:
    200,000 a second into 90 degrees, of which 60 are used, at 5 m/s."""
    found = density(on(lambda x: 50 + slope * (x - 100), scan_plan(level=False, **line(scan_angle_deg=60.0))))
    row = found.pulses[found.pulses.shape[0] // 2]
    assert row.sum() * found.step == pytest.approx(200_000 * 60 / 90 / 5, rel=0.03)


def test_ground_that_turns_away_is_hidden_and_a_line_on_its_own_side_sees_it():
    """A bank of 20 m that falls 2:1 away from the line is seen from the other side alone."""
    bank = lambda x: 30 - np.clip((x - 140) * 2, 0, 20)  # noqa: E731
    one = density(on(bank, scan_plan(level=False, **line(100.0))))
    told = told_density(scan_plan(), one)
    assert told.hidden_m2 > 1000 and "behind what stands there or on slopes that turn away" in told.words
    column = one.hidden[60, :]
    east = one.e0 + one.step * np.flatnonzero(column) - E0
    assert 139 < east.min() < 142 and east.max() > 150
    strip = OwnLine(start=(E0 + 180.0, N0 + 140.0), end=(E0 + 180.0, N0 - 20.0))
    both = density(on(bank, scan_plan(level=False, **line(100.0, beside=(strip,)))))
    assert not both.hidden[60, int(150 - (both.e0 - E0)) :].any()


def test_lines_on_both_sides_of_a_building_see_what_each_alone_does_not():
    shed = block(95, 105, 15.0)
    west, east = (density(scan_plan(features=(shed,), **line(x))) for x in (70.0, 130.0))
    strip = OwnLine(start=(E0 + 130.0, N0 + 140.0), end=(E0 + 130.0, N0 - 20.0))
    both = density(scan_plan(features=(shed,), **line(70.0, beside=(strip,))))
    assert west.hidden.any() and east.hidden.any() and both.hidden.sum() < 0.2 * west.hidden.sum()
    assert both.strips.max() == 2 and np.array_equal(both.strips, west.strips + east.strips)


def test_what_is_hidden_is_a_finding_and_is_not_promised():
    plan = scan_plan(features=(block(120, 130, 30.0),), **line(100.0))
    words = [f.words for f in findings(View(plan, all_flown(plan), None, covers=True)) if f.rule == "scan-gaps"]
    assert words and "hidden" in words[0]
    scan = scanned_plan(plan)
    behind = (scan.map_e > E0 + 132) & (scan.map_e < E0 + 140)
    assert behind.any() and (scan.map_at[behind] < 0).all()


def test_from_the_geometry_in_the_file_the_partials_come_out_again():
    data = scan_to_json(scan_plan(level=False))["laser"]
    names = [p["name"] for p in data["parameters"]]
    for one in data["returns"][:: max(1, len(data["returns"]) // 40)]:
        x, scanner, ypr = (np.array(one[key]) for key in ("x", "scanner", "ypr"))
        nav = attitude(np.radians(ypr)[None])
        assert np.linalg.norm(x - scanner) == pytest.approx(one["range"])
        beam = np.einsum("nji,nj->ni", nav, (x - scanner)[None] / one["range"])
        own = partials_of(np.radians(ypr)[None], beam, np.array([one["range"]]), np.zeros(3))
        for key, partial in one["partials"].items():
            name = names[int(key)]
            turn = next((k for k, axis in enumerate(("roll", "pitch", "heading")) if name.endswith(axis)), None)
            if turn is not None:
                what = own["boresight" if "boresight" in name else "attitude"][0][:, turn]
            elif name.endswith("range"):
                what = own["range"][0][:, 0]
            elif "lever arm" in name:
                what = own["lever"][0][:, ("forward", "right", "down").index(name.split()[-1])]
            else:
                what = np.eye(3)[("east", "north", "up").index(name.split()[-1])]
            assert partial == pytest.approx(what, abs=1e-9), name
    strips = {s for s in (one["strip"] for one in data["returns"])}
    assert strips == set(range(len([n for n in names if " flight line " in n and n.endswith("roll")])))
    assert all(len(place["x"]) == 3 for place in data["places"])


def test_water_is_neither_promised_nor_a_hole():
    """Half the site under water: figures and the map are those of the land."""
    lake = Feature(id="lake", name="the lake", kind="water", shape="area", vertices=((E0, N0), (E0 + 100, N0), (E0 + 100, N0 + 120), (E0, N0 + 120)))  # fmt: skip
    plan = scan_plan(features=(lake,))
    found = density(plan)
    told = told_density(plan, found)
    assert found.area(found.water) == pytest.approx(12_000, rel=0.02) and told.holes_m2 == told.gaps_m2 == 0
    assert "of water are not counted" in told.words
    scan = scanned_plan(plan)
    assert scan.map_e.min() >= E0 + 100 and (scan.map_at >= 0).all()


@settings(max_examples=60, deadline=None)
@given(
    st.integers(0, 10**6), st.floats(0.3, 4), st.floats(0, 2 * np.pi), st.floats(4, 25), st.floats(0.2, 30),
    st.floats(-0.49, 0.49), st.floats(-0.49, 0.49),
)  # fmt: skip
def test_a_line_that_leaves_more_steeply_than_anything_rises_is_never_hidden(seed, step, way, far, tall, east, north):
    """What lets most lines go unlooked at: of a place about a node no top demands more than the node's steepest."""
    rng = np.random.default_rng(seed)
    tops = gaussian_filter(rng.normal(0, 1, (60, 60)), 1.5) * tall
    tops[rng.integers(0, 60, 8), rng.integers(0, 60, 8)] += tall
    shade = Shade(0.0, 0.0, step, tops)
    x, y = (30 + east) * step, (30 + north) * step
    ((z,),), ((steepest,),) = shade.under(np.array([x]), np.array([y]))
    assert steepest == shade.steepest[30, 30]
    eye = np.array([[x + far * step * np.cos(way), y + far * step * np.sin(way), z + steepest * far * step + 1e-6]])
    assert not shade.hides(np.array([[x, y, z]]), eye).any()


def test_images_do_not_see_behind_a_shed_and_from_high_up_little_is_lost():
    """A shed of 25 m: beside it fewer images see the ground than without it, far from it as many; no image is lost on
    its roof."""
    shed = block(95, 105, 25.0)
    plan = small_plan(flight={"height_m": 60.0})
    level = Ground(level=LevelGround(height=10.0))
    bare = plan.model_copy(update={"site": plan.site.model_copy(update={"ground": level})})
    built = bare.model_copy(update={"site": bare.site.model_copy(update={"features": (shed,)})})
    without, behind = coverage(bare), coverage(built)
    east = without.e0 + without.step * np.arange(without.images.shape[1]) - E0
    lost = np.where(without.seen, without.images - behind.images, 0)
    assert (lost >= 0).all() and lost[:, (east > 85) & (east < 94)].max() >= 4
    assert lost[:, (east < 50) | (east > 150)].max() == 0 and lost[:, (east > 96) & (east < 104)].max() == 0


def test_the_prediction_has_the_rays_that_the_coverage_counts():
    """Beside a shed of 25 m, cell by cell: what hides a place hides it from both."""
    plan = small_plan(flight={"height_m": 60.0})
    site = plan.site.model_copy(
        update={"ground": Ground(level=LevelGround(height=10.0)), "features": (block(95, 105, 25.0),)}
    )
    plan = plan.model_copy(update={"site": site})
    found, planned = coverage(plan), planned_network(plan)
    rows, cols = np.nonzero(found.seen)
    some = np.random.default_rng(5).choice(len(rows), 400, replace=False)
    e, n = found.e0 + found.step * cols[some], found.n0 + found.step * rows[some]
    x = planned.frame.to_enu(e, n, np.full(len(e), 10.0))
    rays = np.diff(planned.sights[0].rays(x).start)
    bare = np.diff(Sight(planned.flights[0], planned.frame).rays(x).start)
    counted = found.images[rows[some], cols[some]]
    assert (rays == counted).mean() > 0.98 and np.abs(rays - counted).max() <= 1
    assert (bare - rays).max() >= 4 and (bare >= rays).all()
