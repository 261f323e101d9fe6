"""Ground that is not known, level ground, and how near a flight comes to what stands on it."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.accuracy.prediction import predict
from kardo.core.errors import PlanError
from kardo.core.flight.air.clearance import Path, least_over, of_lines, of_ways, steepest
from kardo.core.flight.lines.pattern import flown
from kardo.core.plan.edits import changed
from kardo.core.plan.site import Feature, Ground, LevelGround, Site, terrain_of
from kardo.core.plan.stands import Mark
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.summary import summary
from kardo.core.site.things import tops_of
from kardo.core.terrain.surface import Level, Surface
from kardo.formats.lists import point_list_csv
from kardo.formats.map.geojson import control_geojson
from kardo.formats.map.kml import control_kml
from tests.conftest import E0, N0, small_plan, small_surface

RING = small_plan().site.boundary


def plan_on(surface, features=(), level=None, **more):
    ground = Ground(terrain=terrain_of(surface, "test") if surface else None, level=level)
    return small_plan(site=Site(boundary=RING, ground=ground, features=features), **more)


def rules_of(plan):
    return {f.rule: f for f in check_plan(plan, None)}


def part_of(east):
    """The small surface as far as so many metres east of the site's corner."""
    whole = small_surface()
    cols = int((E0 + east - whole.e0) / whole.step) + 1
    return Surface(whole.e0, whole.n0, whole.step, whole.heights[:, :cols])


def hill(height, wide=40.0, step=5.0):
    """A hill in the middle of the site on level ground at 5 m."""
    e, n = np.meshgrid(E0 - 200 + step * np.arange(130), N0 - 200 + step * np.arange(110))
    away = np.hypot(e - E0 - 100, n - N0 - 60)
    return Surface(E0 - 200, N0 - 200, step, np.round(5 + height * np.exp(-((away / wide) ** 2)), 3))


def test_a_terrain_that_ends_inside_the_site_is_told_with_place_and_size_and_predicts_nothing_there():
    plan = plan_on(part_of(150.0), control=tuple(p for p in small_plan().control if p.e < E0 + 150))
    finding = rules_of(plan)["ground-gap"]
    assert finding.severity == "stop" and finding.measured == pytest.approx(45 / 200, abs=0.02)
    assert "0.56 ha" in finding.words and f"{E0 + 177:.0f}"[:4] in finding.words
    result, whole = predict(plan), predict(small_plan())
    assert max(result.map.e) < E0 + 156 and max(whole.map.e) > E0 + 190
    assert 0.6 < len(result.map.e) / len(whole.map.e) < 0.9
    lost = rules_of(plan)["flight-gap"]
    assert lost.measured == len(planned_all(plan)) - result.size.exposures > 0


def planned_all(plan):
    return flown(plan, plan.flights[0]).e


def test_the_sheet_is_told_where_the_ground_is_not_known():
    gap = summary(plan_on(part_of(150.0))).gaps
    assert all(e > E0 + 150 for e, _ in gap.cells) and gap.side > 0
    assert summary(small_plan()).gaps is None


def test_no_height_is_made_up_for_control_over_a_gap():
    control = tuple(p for p in small_plan().control if p.e < E0 + 150)
    assert predict(plan_on(part_of(150.0), control=control)).rmse_v > 0
    with pytest.raises(PlanError, match="has no height"):
        planned_network(plan_on(part_of(150.0)).model_copy(update={"control": tuple(c for c in small_plan().control)}))


def test_a_terrain_beside_the_site_is_no_ground():
    with pytest.raises(PlanError, match="no heights"):
        planned_network(plan_on(part_of(-150.0)))


def test_level_ground_predicts_before_a_terrain_is_at_hand_and_says_so():
    plan = plan_on(None, level=LevelGround(height=5.0))
    assert not missing(plan)
    flat = plan_on(Surface(E0 - 300, N0 - 300, 10.0, np.full((80, 90), 5.0)))
    level, terrain = predict(plan), predict(flat)
    assert level.rmse_v == pytest.approx(terrain.rmse_v, rel=1e-9)
    assert "level ground at 5.0 m" in rules_of(plan)["ground-level"].words
    assert "ground-level" not in rules_of(flat)
    assert missing(plan_on(None)) == [
        ("site", "Bring in the terrain as a GeoTIFF, or type the height of level ground.")
    ]


def test_a_terrain_takes_the_place_of_level_ground():
    plan = plan_on(small_surface(), level=LevelGround(height=500.0))
    assert predict(plan).rmse_v == predict(small_plan()).rmse_v and "ground-level" not in rules_of(plan)


def test_the_relief_of_level_ground_goes_off_the_clearance_and_the_overlap():
    plans = [
        plan_on(None, level=LevelGround(height=5.0, relief=r), flight={"terrain_following": False}) for r in (0.0, 30.0)
    ]
    clear = [of_lines(p, flown(p, p.flights[0])).least for p in plans]
    assert clear == pytest.approx([80.0, 65.0])
    assert "flight-relief" in rules_of(plans[1]) and "flight-relief" not in rules_of(plans[0])


def test_an_aircraft_inside_a_hill_is_stopped():
    """Level flight 60 m above the middle ground of the site, and a hill of 78 m between two exposures' feet."""
    plan = plan_on(hill(78.0, wide=18.0), flight={"terrain_following": False, "height_m": 60.0})
    finding = rules_of(plan)["flight-clearance"]
    assert finding.severity == "stop" and finding.measured < 0
    assert "inside the ground" in finding.words
    assert of_lines(plan, flown(plan, plan.flights[0])).e == pytest.approx(E0 + 100, abs=15)


def test_lines_are_looked_at_between_their_exposures():
    """A mast of rock that no exposure stands over."""
    plan = plan_on(hill(0.0), flight={"forward_overlap": 20.0, "terrain_following": True, "height_m": 40.0})
    flight = flown(plan, plan.flights[0])
    k = 3
    e, n = (flight.e[k] + flight.e[k + 1]) / 2, (flight.n[k] + flight.n[k + 1]) / 2
    ee, nn = np.meshgrid(E0 - 200 + 2.0 * np.arange(325), N0 - 200 + 2.0 * np.arange(275))
    spike = Surface(E0 - 200, N0 - 200, 2.0, np.where(np.hypot(ee - e, nn - n) < 6, 40.0, 5.0))
    clear = of_lines(
        plan_on(spike), flown(plan_on(spike, flight={"forward_overlap": 20.0, "height_m": 40.0}), flight.flight)
    )
    assert clear.least < 10 and np.hypot(clear.e - e, clear.n - n) < 12


def test_an_obstacle_is_cleared_by_its_top():
    mast = Feature(id="m", name="the mast", kind="obstacle", vertices=((E0 + 100, N0 + 60),), height=74.0)
    level = Surface(E0 - 300, N0 - 300, 10.0, np.full((80, 90), 5.0))
    finding = rules_of(plan_on(level, (mast,)))["flight-clearance"]
    assert "the mast" in finding.words and finding.measured == pytest.approx(6.0, abs=0.5)
    low = mast.model_copy(update={"height": 60.0})
    assert "flight-clearance" not in rules_of(plan_on(level, (low,)))
    line = Feature(
        id="l", name="the line", kind="power_line", shape="line", vertices=((E0, N0 - 500), (E0, N0 + 500)), height=90.0
    )
    assert "below the top of the line" in rules_of(plan_on(level, (line,)))["flight-clearance"].words


def test_the_way_home_crosses_the_hill_between():
    """Taken off beyond a ridge that is higher than the return height; the finding's own figure mends it."""
    e, _ = np.meshgrid(E0 - 400 + 5.0 * np.arange(180), N0 - 300 + 5.0 * np.arange(150))
    ridge = Surface(E0 - 400, N0 - 300, 5.0, np.round(5 + 95 * np.exp(-(((e - E0 + 200) / 30) ** 2)), 3))
    plan = plan_on(ridge, flight={"take_off": (E0 - 320.0, N0 + 60.0)})
    finding = rules_of(plan)["flight-way-home"]
    assert finding.severity == "stop" and finding.measured < 0
    assert "flight-way-home" not in rules_of(changed(plan, tuple(finding.edits)))
    assert of_ways(plan, flown(plan, plan.flights[0])).e == pytest.approx(E0 - 200, abs=10)


def test_a_slope_that_the_aircraft_cannot_climb_is_stopped_and_mended_by_flying_slower():
    e, _ = np.meshgrid(E0 - 300 + 5.0 * np.arange(160), N0 - 300 + 5.0 * np.arange(150))
    steep = Surface(E0 - 300, N0 - 300, 5.0, np.round(5 + 0.8 * np.abs(e - E0 - 100), 3))
    plan = plan_on(steep, flight={"course_deg": 90.0, "speed_m_per_s": 8.0})
    up, down = (one.rate for one in steepest(flown(plan, plan.flights[0])))
    assert up == pytest.approx(0.8 * 8, rel=0.02) and down == pytest.approx(0.8 * 8, rel=0.02)
    finding = rules_of(plan)["flight-climb"]
    assert (finding.severity == "stop" and "climb" in finding.words) or "descent" in finding.words
    for _ in range(2):
        if "flight-climb" in rules_of(plan):
            plan = changed(plan, tuple(rules_of(plan)["flight-climb"].edits))
    assert "flight-climb" not in rules_of(plan)


@settings(max_examples=30, deadline=None)
@given(st.floats(0, 100), st.floats(15, 120), st.booleans(), st.floats(0, 359))
def test_no_place_along_a_line_is_nearer_than_the_clearance_says(height, above, following, course):
    flight = {"height_m": above, "terrain_following": following, "course_deg": course}
    plan = plan_on(hill(height), flight=flight)
    laid = flown(plan, plan.flights[0])
    clear = of_lines(plan, laid)
    own = laid.h - plan.surface.at(laid.e, laid.n)
    assert clear.least <= np.nanmin(own) + 1e-9
    assert clear.least >= above - height - 1e-6 if not following else clear.least > above - height - 1e-6


def test_level_ground_is_the_same_everywhere():
    level = Level(12.0, 6.0)
    assert level.at(np.zeros(3), np.zeros(3)).tolist() == [12.0] * 3 and level.slack == 3.0
    assert level.gradient(np.zeros(2), np.zeros(2)).tolist() == [[0, 0], [0, 0]] and level.contains(
        np.zeros(1), np.zeros(1)
    )


def test_a_mark_without_a_height_beside_the_terrain_is_told_and_not_put_at_zero():
    plan = small_plan(marks=(Mark(id="A", name="A", e=E0 + 9000, n=N0),))
    assert "has no height" in summary(plan).faults["setup/base"].what
    assert ",,MARK" in point_list_csv(plan) and '"height_m": null' in control_geojson(plan)
    assert "height unknown" in control_kml(plan)


def test_a_take_off_place_without_known_ground_does_not_silence_the_way_home():
    """The way is then taken at the sortie's own height, which is the less."""
    wires = ((E0 - 90, N0 - 150), (E0 - 90, N0 + 300))
    line = Feature(id="l", name="the line", kind="power_line", shape="line", vertices=wires, height=90.0)
    plan = plan_on(small_surface(), (line,), flight={"take_off": (E0 - 5000.0, N0 + 60.0)})
    assert of_ways(plan, flown(plan, plan.flights[0])).over == "the line"
    assert "flight-way-home" in rules_of(plan)


def test_gaps_under_the_flights_are_told_where_they_fly_and_not_in_the_box_about_them():
    ring = tuple((E0 + x, N0 + y) for x, y in ((0, 0), (30, 0), (230, 200), (200, 200)))
    plan = small_plan(boundary=ring, flight={"course_deg": 45.0}, control=())
    whole = plan.surface
    corner = whole.heights.copy()
    rows = int((N0 + 150 - whole.n0) / whole.step)
    corner[rows:, : int((E0 + 60 - whole.e0) / whole.step)] = np.nan
    ground = Ground(terrain=terrain_of(Surface(whole.e0, whole.n0, whole.step, corner), "test"))
    holed = plan.model_copy(update={"site": plan.site.model_copy(update={"ground": ground})})
    assert summary(holed).gaps is None


def test_images_that_are_smeared_are_told_once():
    for exposure, told in ((0.0012, "flight-blur"), (0.002, "flight-smeared")):
        plan = small_plan(flight={"speed_m_per_s": 14.0, "exposure_s": exposure})
        assert {"flight-blur", "flight-smeared"} & set(rules_of(plan)) == {told}


def wooded_slope(top="rides"):
    """A wood 20 m tall on a slope of one in four that falls away under a flight line."""
    slope = Surface(E0 - 200, N0 - 200, 10.0, np.array([[100 - 0.25 * (10.0 * k) for k in range(65)]] * 55))
    ring = ((E0, N0), (E0 + 200, N0), (E0 + 200, N0 + 120), (E0, N0 + 120))
    wood = Feature(id="wood", name="wood", kind="canopy", shape="area", vertices=ring, height=20.0, top=top)
    return plan_on(slope, (wood,)), slope


@pytest.mark.parametrize(("x", "above_ground"), [(10.0, 58.0), (100.0, 58.0), (190.0, 58.0)])
def test_the_top_of_a_wood_rides_on_its_ground(x, above_ground):
    """38 m clear of the trees anywhere along the slope: a flat top over the highest corner had it 12 m under the trees
    at the lower end."""
    plan, slope = wooded_slope()
    ground = float(slope.at(np.array([E0 + x]), np.array([N0 + 60.0]))[0])
    path = Path(np.array([E0 + x]), np.array([N0 + 60.0]), np.array([ground + above_ground]))
    found = least_over(plan, path)
    assert found.over == "wood" and found.least == pytest.approx(38.0 - slope.slack, abs=0.01)
    level, _ = wooded_slope("level")
    flat = least_over(level, path)
    assert flat.least == pytest.approx(38.0 - (100 - 0.25 * 200 - ground) - slope.slack, abs=0.01)


def test_beside_a_wood_its_edge_counts_and_its_pieces_are_no_lower_than_it():
    plan, slope = wooded_slope()
    wood = plan.site.features[0]
    pieces = tops_of(plan, wood)
    assert len(pieces) > 4 and sum(piece.area for piece, _ in pieces) == pytest.approx(200 * 120)
    for piece, top in pieces:
        e, n = (np.array(v) for v in piece.exterior.coords.xy)
        assert (slope.at(e, n) + 20 <= top + 1e-9).all() and top <= slope.at(e, n).min() + 20 + 0.25 * 200 / 8 + 1e-6
    beside = Path(np.array([E0 + 210.0]), np.array([N0 + 60.0]), np.array([90.0]))
    edge = float(slope.at(np.array([E0 + 200.0]), np.array([N0 + 60.0]))[0])
    assert least_over(plan, beside).least == pytest.approx(90 - edge - 20 - slope.slack, abs=0.01)
    whole, _ = wooded_slope("level")
    assert [top for _, top in tops_of(whole, whole.site.features[0])] == [100 - 0.25 * 200 + 20]
