"""A scanning flight: swath, density by hand, what lines see, the day's sequence, and the prediction against what is
drawn."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.accuracy.change.advice import advise
from kardo.core.accuracy.jointly import checks_jointly
from kardo.core.accuracy.prediction import figures_of, predict
from kardo.core.accuracy.scan.network import adjusted
from kardo.core.accuracy.scan.planned import scanned_plan
from kardo.core.day.tasks import tasks_of
from kardo.core.errors import PlanError
from kardo.core.flight.air.airtime import air_time
from kardo.core.flight.ground.density import density, reaches_ground, told_density
from kardo.core.flight.lines.pattern import all_flown, flown
from kardo.core.flight.lines.swath import mean_density, over_angle, swath
from kardo.core.plan.brief import Brief
from kardo.core.plan.library import library
from kardo.core.plan.model import plan_from_json
from kardo.core.plan.naming import named
from kardo.core.plan.site import Area, Ground, terrain_of
from kardo.core.plan.visits import Visit
from kardo.core.practice.catalogue import View
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.summary import summary
from kardo.core.presentation.words import named_advice, result_text
from kardo.core.terrain.surface import Surface
from kardo.demo import demo_plan
from tests.conftest import E0, N0, canopy, scan_plan, small_plan

SCANNERS = library().scanners


def test_a_swath_and_its_density_by_hand():
    """90° from 60 m see 120 m; 200,000 pulses a second over 120 m at 5 m/s are 333 on a square metre."""
    (f,) = all_flown(scan_plan())
    assert f.footprint_across == pytest.approx(120.0) and f.spacing == pytest.approx(60.0)
    assert mean_density(SCANNERS["tactical"], f.scanning, 60, 5) == pytest.approx(200_000 / (120 * 5))
    assert f.gsd == pytest.approx(math.sqrt(120 * 5 / 200_000)) and f.images == 0
    narrow = f.scanning.model_copy(update={"scan_angle_deg": 60.0})
    assert swath(SCANNERS["tactical"], narrow, 60) == pytest.approx(2 * 60 * math.tan(math.radians(30)))
    assert mean_density(SCANNERS["tactical"], narrow, 60, 5) == pytest.approx(
        200_000 * 60 / 90 / (swath(SCANNERS["tactical"], narrow, 60) * 5)
    )
    gated = f.scanning.model_copy(update={"range_gate_m": 75.0})
    assert swath(SCANNERS["tactical"], gated, 60) == pytest.approx(2 * math.sqrt(75**2 - 60**2))


@pytest.mark.parametrize("pattern", ["lines", "zigzag", "rosette"])
def test_a_pattern_keeps_all_pulses(pattern):
    """Whatever the shape over the angle, in a second all pulses fall into the field of view."""
    scanner = SCANNERS["tactical"].model_copy(update={"pattern": pattern})
    half = math.radians(45)
    middles = half * np.sin((np.arange(200_001) + 0.5) / 200_001 * math.pi - math.pi / 2)  # fine at the edges
    edges = np.concatenate([[-half], (middles[1:] + middles[:-1]) / 2, [half]])
    assert (over_angle(scanner, middles) * np.diff(edges)).sum() == pytest.approx(200_000, rel=0.01)
    assert over_angle(scanner, np.array([half * 1.01]))[0] == 0


def test_the_pattern_says_where_pulses_are_thin():
    by = {
        p: over_angle(SCANNERS["tactical"].model_copy(update={"pattern": p}), np.radians([0.0, 40.0]))
        for p in ("lines", "zigzag", "rosette")
    }
    assert (
        by["lines"][0] == by["lines"][1] and by["zigzag"][1] > by["zigzag"][0] and by["rosette"][1] < by["rosette"][0]
    )


def test_density_over_level_ground_is_what_falls_there():
    """Summed over a cross-section inside the lines' length, pulses to a metre of flight are those of all lines that
    pass."""
    plan = scan_plan()
    found = density(plan)
    (f,) = all_flown(plan)
    assert not found.holes.any() and told_density(plan, found).gaps_m2 == 0
    assert found.pulses[found.seen].mean() > mean_density(SCANNERS["tactical"], f.scanning, 60, 5)
    assert found.strips[found.seen].min() >= 1
    # straight below one line and beside no other: cos / range of the angle's share
    alone = density(scan_plan(side_overlap=10.0, scan_angle_deg=40.0))
    assert alone.gaps.sum() == 0
    lone = float(alone.pulses[alone.seen & (alone.strips == 1)].max())
    assert lone == pytest.approx(200_000 / math.radians(90) / 60 / 5, rel=0.01)


@settings(max_examples=15, deadline=None)
@given(
    st.sampled_from(["tactical", "small"]), st.floats(30, 100), st.floats(20, 70), st.floats(2, 9), st.floats(0, 179)
)
def test_over_level_ground_no_gap_opens_between_lines_that_overlap(scanner, height, overlap, speed, course):
    found = density(
        scan_plan(scanner=scanner, height_m=height, side_overlap=overlap, speed_m_per_s=speed, course_deg=course)
    )
    assert not found.gaps.any()


def test_trees_let_through_what_the_assumptions_say_and_leave_holes():
    wood = canopy("very_dense")
    plan = scan_plan(features=(wood, canopy("open", e=E0 + 100)))
    e, n = np.array([E0 + 5, E0 + 105, E0 + 90]), np.full(3, N0 + 5)
    assert reaches_ground(plan, e, n).tolist() == [0.03, 0.3, 1.0]
    fast = scan_plan(features=(wood,), speed_m_per_s=12.0, overrides={"penetration_very_dense": 0.005})
    figures = told_density(fast, density(fast))
    assert figures.holes_m2 > 0 and "Too few returns from the ground" in figures.words
    view = View(fast, all_flown(fast), None, covers=True)
    assert {"scan-ground"} <= {r.rule for r in _rules(view)}


def _rules(view):
    from kardo.core.practice.catalogue import findings

    return findings(view)


def test_the_sequence_is_flown_on_every_leg_and_told_to_who_flies_it():
    plan = scan_plan()
    (f,) = all_flown(plan)
    assert f.sequence_minutes == pytest.approx((3.0, 3.0))
    bare = flown(plan, f.flight.having(start_up=False))
    assert f.minutes - bare.minutes == pytest.approx(6.0 * len(f.sorties))
    air = air_time(plan, f.flight)
    assert air.minutes == pytest.approx(f.minutes) and air.images == 0 and air.scan_gb > 0
    tasks = tasks_of(plan.model_copy(update={"visits": (Visit(id="V", name="v", date="2027-05-01"),)}), Visit(id="V", name="v", date="2027-05-01"))  # fmt: skip
    words = " ".join(t.words for t in tasks)
    assert "before the first line: stand still 120 s, fly straight 10 s, 2 figures of eight" in words
    flying = sum(t.minutes for t in tasks if "main" in t.id)
    assert flying >= f.minutes and flying < f.minutes + 3 * len(f.sorties)


def test_a_flight_carries_a_camera_or_a_scanner():
    document = scan_plan().to_json()
    document["flights"][0]["sensor"]["camera"] = "mp20"
    with pytest.raises(PlanError, match="no field “camera”"):
        plan_from_json(document)
    document["flights"][0]["sensor"] = {"kind": "scan", "scanner": "none-such"}
    with pytest.raises(PlanError, match="scanners"):
        plan_from_json(document)


def test_attitude_before_the_start_up_is_five_times_as_bad_and_shows():
    good, bad = figures_of(scan_plan()), figures_of(scan_plan(start_up=False))
    assert bad.rmse_h > good.rmse_h and bad.rmse_v > good.rmse_v


def test_a_target_takes_the_height_out_and_matching_more():
    by = {a: figures_of(scan_plan(adjustment=a)) for a in ("none", "height", "position", "matched")}
    assert by["height"].rmse_v < by["none"].rmse_v and by["matched"].rmse_v < by["height"].rmse_v
    assert by["height"].rmse_h == pytest.approx(by["none"].rmse_h), "heights settle nothing in plan"
    assert by["matched"].rmse_h < by["none"].rmse_h


def test_lower_and_steeper_beams_are_better():
    assert figures_of(scan_plan(height_m=40.0)).rmse_h < figures_of(scan_plan(height_m=90.0)).rmse_h
    wide, narrow = (
        figures_of(scan_plan(adjustment="none")),
        figures_of(scan_plan(adjustment="none", scan_angle_deg=50.0)),
    )
    assert narrow.rmse_h < wide.rmse_h


def test_grass_stays_however_many_strips():
    """Low growth adds its 30 mm to every height, and the mean of flight lines does not lessen it."""
    whole = canopy("dense", E0 - 50, N0 - 50, 400.0, kind="low_growth")
    plan, grown = (
        scan_plan(brief=_surface(), adjustment="none"),
        scan_plan(brief=_surface(), adjustment="none", features=(whole,)),
    )
    before, after = figures_of(plan).rmse_v, figures_of(grown).rmse_v
    assert math.sqrt(after**2 - before**2) == pytest.approx(0.030, rel=0.01)


def _surface():
    return small_plan().brief.model_copy(update={"deliverable": "surface"})


def test_a_single_return_is_worse_than_the_surface_about_it():
    point, surface = figures_of(scan_plan()), figures_of(scan_plan(brief=_surface()))
    assert surface.rmse_v < point.rmse_v


def test_the_budget_adds_up_and_the_base_is_named_to_the_checks():
    plan = scan_plan(adjustment="matched")
    result = predict(plan)
    assert sum(s.share_h for s in result.budget) == pytest.approx(1.0) and sum(
        s.share_v for s in result.budget
    ) == pytest.approx(1.0)
    whole = math.sqrt(sum(s.sigma_v**2 for s in result.budget))
    assert whole == pytest.approx(result.rmse_v, rel=1e-9)
    assert {"mark", "legs", "boresight", "returns", "targets"} <= {s.kind for s in result.budget}
    assert any("mark A" in s for s in result_text(plan, result).blind)


def test_without_shared_things_the_prediction_is_its_dense_self():
    """What ties settle first, and targets then, is what all of them settle at once."""
    plan = scan_plan(adjustment="matched", side_overlap=30.0, level=False)
    scan = scanned_plan(plan)
    assert scan.network.ties and scan.network.apart.all()
    q = len(scan.looked_at.places)
    one = scan.result.cov
    # the same, with every tie where a place is shared, so that none stands apart
    from dataclasses import replace

    tie = scan.network.ties[0]
    joined = replace(scan.network, ties=(*scan.network.ties, replace(tie, sigma=1e6)))
    assert not joined.apart[0]
    other = adjusted(joined).cov[:q]
    assert other == pytest.approx(one, rel=1e-6, abs=1e-12)


def test_the_plan_agrees_with_scans_that_are_drawn():
    """Parameters, shifts and noise drawn 3,000 times, and the height taken off by the mean over the targets: the map's
    figures within the sampling error."""
    plan = scan_plan(brief=_surface(), level=False)
    scan, rng, count = scanned_plan(plan), np.random.default_rng(27), 3000
    net = scan.looked_at
    causes = rng.normal(0, 1, (count, len(net.prior))) * net.prior
    noise = rng.normal(0, 1, (count, *net.returns.sigma.shape)) * net.returns.sigma
    errors = causes @ net.jacobian.T
    own = np.stack([net.shares @ one for one in noise]).reshape(count, -1)
    errors += own
    told_by, weights = [], []
    m = len(net.sigma)
    for t in net.targets:
        at = slice(3 * t.place, 3 * t.place + 3)
        survey = sum(causes[:, m + 3 * s + 2] * share[2] for s, share in zip(t.shifts, t.shares, strict=True))
        told_by.append(errors[:, at] @ t.read - survey + rng.normal(0, t.sigma[2], count))
        spread = (net.shares[[t.place]].power(2) @ net.returns.sigma**2)[0]
        weights.append(1 / (t.sigma[2] ** 2 + float(spread @ t.read**2)))
    errors[:, 2::3] -= (np.array(weights) @ np.array(told_by) / sum(weights))[:, None]
    cov = scan.result.cov
    ratio = errors.reshape(count, -1, 3).var(axis=0) / np.einsum("kaa->ka", cov)
    assert np.abs(ratio - 1).max() < 5 * math.sqrt(2 / count)
    assert np.abs(ratio.mean(axis=0) - 1).max() < 0.1


def test_a_lost_target_and_one_that_is_wrong_are_told():
    result = predict(scan_plan())
    row = result.reliability[0]
    assert row.lost_v > result.rmse_v and 0.3 < row.redundancy[2] < 0.9
    assert row.found[2] > 0 and 0 < row.effect_v < row.found[2]
    alone = predict(scan_plan(control=small_plan().control[:1] + small_plan().control[5:]))
    assert alone.reliability[0].found[2] is None and alone.reliability[0].redundancy[2] == pytest.approx(0, abs=1e-9)


def test_a_scan_is_advised_judged_and_held_against_its_checks():
    plan = scan_plan(adjustment="height", start_up=False)
    kinds = {o.kind for o in advise(plan).offers}
    assert "start" in kinds or "match" in kinds
    joint = checks_jointly(plan)
    assert joint.points == [p.id for p in plan.checks] and (np.linalg.eigvalsh(joint.covariance) > 0).all()


def test_rules_of_a_scan_speak_of_scans():
    plan = scan_plan(start_up=False, side_overlap=20.0, adjustment="none", scan_angle_deg=None)
    rules = {f.rule for f in check_plan(plan, predict(plan))}
    assert {"scan-start", "scan-overlap", "scan-unused"} <= rules
    assert not rules & {
        "flight-overlap",
        "flight-forward",
        "flight-strength",
        "control-images",
        "target-width",
        "map-uncovered",
    }
    bare = scan_plan(control=())
    assert "scan-target" in {f.rule for f in check_plan(bare, predict(bare))}


def test_the_wood_is_planned_from_end_to_end():
    plan = demo_plan("tarn-wood")
    result = predict(plan)
    assert result.rmse_v < plan.brief.tolerance_v and result.chance > 0.9 and result.map.uncovered == 0
    shown = summary(plan)
    assert not shown.faults and shown.flights[0].scan.swath == pytest.approx(160) and not shown.flights[0].e
    assert not any(f.severity == "stop" for f in check_plan(plan, result)), "a scan's check under trees is wanted there"
    assert len(plan.targets) == 1 and len(plan.checks) >= 10
    blind = result_text(plan, result).blind
    assert "8 of 10 checks" in blind[0] and "network" in blind[0]


def test_a_local_grid_or_two_ways_of_adjusting_are_refused_in_words():
    plan = scan_plan()
    other = plan.flights[0].having(id="second", name="second", adjustment="matched")
    with pytest.raises(PlanError, match="different ways"):
        predict(plan.model_copy(update={"flights": (plan.flights[0], other)}))


def test_many_areas_are_each_known_by_fewer_points():
    ring = lambda k: tuple((E0 + 5 * k + x, N0 + y) for x, y in ((0, 0), (4, 0), (4, 100), (0, 100)))  # noqa: E731
    areas = tuple(Area(id=f"A{k}", name=f"heap {k}", ring=ring(k)) for k in range(38))
    result = predict(scan_plan(areas=areas))
    assert len(result.volumes) == 39 and all(0 < v.sigma < 0.05 for v in result.volumes)


def test_a_job_in_feet_is_advised_and_told_in_feet():
    in_feet = small_plan().brief.model_copy(update={"unit": "ft"})
    plan = scan_plan(brief=in_feet, speed_m_per_s=14.0)
    words = " ".join(o.words for o in named_advice(plan, advise(plan)).offers) + air_time(plan, plan.flights[0]).told
    craft = plan.aircraft("quad").model_copy(update={"accelerate_m_per_s2": 0.5})
    slow = plan.model_copy(update={"kit": plan.kit.model_copy(update={"aircraft": (craft,)})})
    assert "too short to reach 45.9 ft/s" in air_time(slow, slow.flights[0]).told
    assert " m/s" not in words and "{" not in words
    assert named("{speed/6.0}", plan) == "19.7 ft/s"


@pytest.mark.parametrize("adjustment", ["height", "position", "matched"])
@pytest.mark.parametrize("scan", [True, False])
def test_what_checks_from_the_same_base_see_does_not_depend_on_how_well_that_base_is_known(scan, adjustment):
    """On a slope, with control and checks from one base: the error that map, control and checks share cancels, slope
    and all. V 59 mm had been told of a base "here", 25 of a known one."""
    e, _ = np.meshgrid(E0 - 200 + 10.0 * np.arange(65), N0 - 200 + 10.0 * np.arange(55))
    hill = Ground(terrain=terrain_of(Surface(E0 - 200, N0 - 200, 10.0, np.round(20 + 0.2 * (e - E0), 3)), "hill"))
    plan = scan_plan(adjustment=adjustment) if scan else small_plan()
    plan = plan.model_copy(update={"site": plan.site.model_copy(update={"ground": hill}), "brief": surface_brief()})
    seen = []
    for known in ("here", "published"):
        mark = plan.marks[0].model_copy(update={"known": known, "h": 16.0})
        seen.append(predict(plan.model_copy(update={"marks": (mark,)})))
    assert seen[0].rmse_h > 1.5, "the base is good to metres"
    assert seen[0].seen_rmse_v == pytest.approx(seen[1].seen_rmse_v, rel=0.01)
    assert seen[0].seen_rmse_h == pytest.approx(seen[1].seen_rmse_h, rel=0.01)


def surface_brief():
    return Brief(crs="EPSG:25828", deliverable="surface", tolerance_h=0.05, tolerance_v=0.05)
