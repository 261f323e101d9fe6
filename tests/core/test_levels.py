"""The level of the figures: what belongs to a sortie, what all images share, what a point is and what a surface
adds."""

import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.cli import main
from kardo.core.accuracy.change.advice import JobPromise
from kardo.core.accuracy.change.whatif import keep, what_if
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.figures.judged import Places, on_surface
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.prediction import predict
from kardo.core.geodesy.units import small
from kardo.core.plan.assumptions import CURRENT_EDITION, Assumptions, defaults
from kardo.core.plan.brief import Brief
from kardo.core.plan.edits import changed
from kardo.core.plan.library import kit_of
from kardo.core.plan.model import Assumed
from kardo.core.plan.site import Ground, Site, terrain_of
from kardo.core.plan.stands import Mark
from kardo.core.presentation.findings import check_plan
from kardo.core.terrain.surface import Surface
from tests.conftest import E0, N0, small_plan, small_surface

GSD = 80 * 2.41e-3 / 8.8
STATES = {"float": ({"state": "float"}, 0.30, 0.50), "code": ({"corrections": "none"}, 1.5, 3.0)}


@settings(max_examples=12, deadline=None)
@given(
    st.sampled_from(sorted(STATES)), st.sampled_from([40.0, 60.0, 90.0]), st.sampled_from([70.0, 85.0]), st.booleans()
)
def test_without_targets_no_block_is_better_than_its_best_leg_over_the_root_of_the_legs(state, height, overlap, short):
    """However many exposures: most of a satellite error lasts longer than a sortie."""
    flight, leg_h, leg_v = STATES[state]
    kit = kit_of()
    if short:  # a battery that lasts for a few flight lines only
        kit = kit.model_copy(update={"batteries": (kit.batteries[0].model_copy(update={"minutes": 7.0}),)})
    plan = small_plan(control=(), kit=kit, flight={**flight, "height_m": height, "forward_overlap": overlap})
    result, sorties = predict(plan), len(planned_network(plan).flights[0].sorties)
    assert (sorties > 1) == short or not short
    assert result.rmse_h >= 0.7 * math.sqrt(2) * leg_h / math.sqrt(sorties)
    assert result.rmse_v >= 0.7 * leg_v / math.sqrt(sorties)


def test_a_block_by_code_alone_is_as_bad_as_its_leg_and_not_better_when_flown_lower():
    high, low = (predict(small_plan(control=(), flight={"corrections": "none", "height_m": h})) for h in (80.0, 40.0))
    lines = planned_network(small_plan(control=(), flight={"corrections": "none"})).flights[0].strips
    half = 3.0 / math.sqrt(2)
    assert high.rmse_v == pytest.approx(math.hypot(half, half / math.sqrt(len(lines))), rel=0.05)
    assert half < low.rmse_v < high.rmse_v, "more lines average more of the half that each of them has"


@pytest.mark.parametrize("away", [1_000.0, 40_000.0])
def test_a_base_far_away_moves_the_whole_leg(away):
    """1 ppm of the distance: 40 mm at 40 km, that no number of exposures averages, nor of targets from there; a fifth
    of its variance is each sortie's."""
    plan = small_plan(control=(), marks=(Mark(id="A", name="A", e=E0 + away, n=N0, h=4.2),))
    growth = 1e-6 * (away - 100)
    shifts = {s.kind: s.sigma for s in planned_network(plan).network.shifts}
    own = math.sqrt(0.2) * growth
    assert shifts["leg"] == pytest.approx([math.hypot(0.006, own)] * 2 + [math.hypot(0.012, own)], rel=1e-3)
    assert predict(plan).rmse_h >= math.sqrt(2) * math.hypot(0.006, growth)


def test_what_is_noise_from_one_exposure_to_the_next_does_not_grow_with_the_distance():
    near, far = (
        planned_network(small_plan(marks=(Mark(id="A", name="A", e=E0 + away, n=N0, h=4.2),))).network.sigma_c
        for away in (100.0, 40_000.0)
    )
    assert np.allclose(near, far)
    assert far[0, 2] == pytest.approx(math.hypot(0.012, 0.005))


@pytest.mark.parametrize(
    ("camera", "calibration", "sigma"),
    [("mp20", "this_week", 0.15), ("mp20", "earlier", 0.25), ("mp20", "never", 0.35), ("mp12", "this_week", 0.5)],
)
def test_the_pattern_follows_calibration_and_shutter(camera, calibration, sigma):
    plan = small_plan(flight={"camera": camera}, calibration=calibration)
    of = planned_network(plan).network.deformation
    used = plan.kit.cameras.index(plan.camera(camera)) if len(of.terms) > 1 else 0
    assert len(of.terms[used]) == 24 and set(of.sigma[of.terms[used]]) == {sigma}
    assert set(zip(of.i + of.j, of.axis, strict=True)) == {(n, axis) for n in (2, 3, 4) for axis in (0, 1)}


def test_the_frames_rms_is_as_the_contract_has_it():
    """1.13 times the sigma of a term, over the frame and over both axes taken each."""
    x = np.linspace(-1, 1, 401)
    powers = [np.polynomial.legendre.legval(x, np.eye(5)[k]) ** 2 for k in range(5)]
    mean = sum(powers[i].mean() * powers[n - i].mean() for n in (2, 3, 4) for i in range(n + 1))
    assert math.sqrt(mean) == pytest.approx(1.13, abs=0.02)


def test_a_block_on_few_targets_is_bent_by_the_pattern_and_one_on_fixed_positions_is_not():
    for flight, most in (({}, 1.1), ({"corrections": "none"}, None)):
        figures = [
            predict(small_plan(flight=flight, assumptions=Assumed(edition=e))).rmse_v for e in defaults_editions()
        ]
        ratio = figures[1] / figures[0]
        assert ratio > 1 and (most is None or ratio < most), (flight, ratio)


def defaults_editions():
    """The edition before the pattern was known, and the one in force."""
    return "2026-11", CURRENT_EDITION


def test_a_point_of_the_map_is_as_sharp_as_what_it_is():
    """0.4 of a ground pixel each axis in plan, nothing in height; seen in the budget under a name of its own."""
    sharp = predict(small_plan(overrides={"identify_map_px": 0.01}))
    usual = predict(small_plan())
    assert usual.rmse_h**2 - sharp.rmse_h**2 == pytest.approx(2 * (0.4**2 - 0.01**2) * GSD**2, rel=1e-6)
    assert usual.rmse_v == sharp.rmse_v and usual.seen_rmse_h == sharp.seen_rmse_h
    points = next(s for s in usual.budget if s.kind == "points")
    assert points.sigma_h == pytest.approx(math.sqrt(2) * 0.4 * GSD) and points.share_v == 0
    assert sum(s.share_h for s in usual.budget) == pytest.approx(1) and sum(
        s.share_v for s in usual.budget
    ) == pytest.approx(1)


@pytest.mark.parametrize("width", [0.5, 0.12])
def test_the_centre_of_a_target_is_found_worse_the_narrower_it_is(width):
    plan = small_plan()
    plan = plan.model_copy(update={"control": tuple(p.model_copy(update={"width": width}) for p in plan.control)})
    planned = planned_network(plan)
    blunt = 0.15 * GSD * max(1.0, 8 * GSD / width)
    survey = planned.network.sigma_x[planned.targets[0]]
    alone = planned_network(small_plan(overrides={"identify_target_px": 0.01})).network.sigma_x[planned.targets[0]]
    assert survey[0] ** 2 - alone[0] ** 2 == pytest.approx(blunt**2 - (0.01 * GSD) ** 2, rel=1e-3)
    assert survey[2] == alone[2]


def test_the_survey_error_that_asprs_adds_has_set_up_and_mark_in_it():
    """The same figure that its condition judges control by: a mark ten times worse is not hidden by checks that share
    it."""
    brief = Brief(crs="EPSG:25828", standard="asprs_2023", tolerance_h=0.06, tolerance_v=0.06)
    good, bad = (
        predict(small_plan(brief=brief, marks=(Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2, sigma_v=s),)))
        for s in (0.01, 0.10)
    )
    assert good.chance > 0.99 and bad.chance < 0.01
    assert good.chance_curve[3][1] > 0.9 and bad.chance_curve[3][1] < 0.1


def surface_brief(**more):
    return Brief(crs="EPSG:25828", deliverable="surface", **more)


def test_heights_of_a_surface_carry_the_noise_of_matching():
    """0.4 px of parallax at the best base-to-height ratio, which a 75/70 block has from corner to corner of what sees a
    place."""
    points, surface = predict(small_plan()), predict(small_plan(brief=surface_brief()))
    assert surface.rmse_h == points.rmse_h and surface.rmse_v > points.rmse_v
    noise = next(s.sigma_v for s in surface.budget if s.kind == "surface")
    assert surface.rmse_v**2 - points.rmse_v**2 == pytest.approx(noise**2, rel=1e-6)
    ratio = 0.4 * GSD / noise
    assert 0.5 < ratio < 1.6, "base to height"
    assert surface.seen_rmse_v > points.seen_rmse_v and surface.chance_curve[-1][0] == points.chance_curve[-1][0]
    assert {s.kind for s in points.budget}.isdisjoint({"surface"})


def test_a_standard_of_contours_is_held_against_the_surface_whatever_the_deliverable():
    brief = Brief(crs="EPSG:25828", deliverable="orthophoto", standard="contour")
    assert any(s.kind == "surface" for s in predict(small_plan(brief=brief)).budget)


def test_a_slope_turns_errors_in_plan_into_errors_in_height():
    """On a slope of one in one, the height read at a place takes the error in plan whole."""
    at = Places(np.ones(2), np.array([[1.0, 0.0], [0.0, 0.0]]), np.zeros(2), np.zeros(2))
    joint = np.diag([4.0, 1.0, 9.0, 4.0, 1.0, 9.0])
    seen = on_surface(joint, at)
    assert np.diag(seen) == pytest.approx([4, 1, 13, 4, 1, 9])
    assert seen[0, 2] == -4.0


def test_matching_noise_averages_over_an_area_and_what_the_block_shares_does_not():
    many = Places(np.full(9, 0.02), np.zeros((9, 2)), np.zeros(9), np.full(9, 0.03))
    assert many.mean_noise(100.0, 5.0) == pytest.approx(0.03**2 * (5 * 0.02) ** 2 / 100)
    assert many.mean_noise(1e-6, 5.0) == pytest.approx(0.03**2), "never less than one height"
    rough, fine = (predict(small_plan(overrides={"surface_px": px})).volumes[0].sigma for px in (20.0, 0.4))
    assert fine < rough < 1.2 * fine


def test_a_figure_that_only_a_later_edition_knows_is_as_it_was_taken_before():
    old, new = defaults("2026-11"), defaults()
    assert set(old) == set(new)
    assert old["pattern_earlier"].value == 0 and new["pattern_earlier"].value == 0.25
    assert old["code_h"].value == 1.5 and old["code_leg_h"].value == 0.006
    assert Assumptions({"pattern_earlier": 0.3}, "2026-11")["pattern_earlier"] == 0.3


def test_a_plan_on_older_defaults_keeps_them_and_is_offered_the_newer():
    plan = small_plan(assumptions=Assumed(edition="2026-11"))
    assert not len(planned_network(plan).network.deformation)
    offer = next(f for f in check_plan(plan, None) if f.rule == "assumptions-newer")
    assert changed(plan, tuple(offer.edits)).assumptions.edition == CURRENT_EDITION
    assert all(f.rule != "assumptions-newer" for f in check_plan(small_plan(), None))


def test_a_plan_on_older_defaults_is_told_by_how_much_they_are_too_good(tmp_path, capsys):
    """By code alone on the first edition: 0.13 m was promised where 3 m is right, and said in a note."""
    plan = small_plan(assumptions=Assumed(edition="2026-11"), control=(), flight={"corrections": "none"})
    result = predict(plan)
    assert result.newer.edition == CURRENT_EDITION and result.newer.rmse_v > 5 * result.rmse_v
    newest = small_plan(control=(), flight={"corrections": "none"})
    assert result.newer.rmse_v == pytest.approx(predict(newest).rmse_v) and predict(newest).newer is None
    told = next(f for f in check_plan(plan, result) if f.rule == "assumptions-newer")
    assert told.severity == "warn" and small(result.newer.rmse_v) in told.words and small(result.rmse_v) in told.words
    assert JobPromise.of_result(result, 0.9).newer == result.newer
    (tmp_path / "plan.json").write_text(json.dumps(plan.to_json()))
    assert main(["predict", str(tmp_path / "plan.json")]) == 0
    assert "warning: the plan rests on the defaults of 2026-11" in capsys.readouterr().err


def steep_plan():
    """The small site on a slope of one in four."""
    flat = small_surface()
    e = flat.e0 + flat.step * np.arange(flat.heights.shape[1])
    slope = Surface(flat.e0, flat.n0, flat.step, np.round(flat.heights + 0.25 * (e - E0), 3))
    site = Site(boundary=small_plan().site.boundary, ground=Ground(terrain=terrain_of(slope, "test")))
    return small_plan(site=site, brief=surface_brief(tolerance_h=0.05))


def test_on_a_slope_the_surface_is_worse_than_on_the_level():
    level, steep = predict(small_plan(brief=surface_brief())), predict(steep_plan())
    by = [next(s.sigma_v for s in r.budget if s.kind == "surface") for r in (level, steep)]
    assert by[1] ** 2 - by[0] ** 2 == pytest.approx((0.25 * steep.rmse_h) ** 2 / 2, rel=0.7)


def test_a_point_seen_by_two_flights_is_as_sharp_as_in_the_lower():
    plan = small_plan()
    low = plan.flights[0].model_copy(update={"id": "low", "name": "low", "height_m": 40.0})
    both = planned_network(plan.model_copy(update={"flights": (*plan.flights, low)}))
    assert both.map_places.identify == pytest.approx(np.full(len(both.map_e), 0.4 * GSD / 2))


def test_checks_of_another_brief_are_judged_live_as_in_full():
    """The kept network answers for points and surface alike."""
    kept = keep(small_plan())
    for brief in (Brief(crs="EPSG:25828"), surface_brief(), surface_brief(standard="asprs_2023")):
        plan = small_plan(brief=brief)
        live, full = figures(plan, what_if(kept, plan.control)), predict(plan)
        for key in ("rmse_h", "rmse_v", "seen_rmse_h", "seen_rmse_v"):
            assert getattr(live, key) == pytest.approx(getattr(full, key), rel=1e-3), key
        assert live.chance == pytest.approx(full.chance, abs=0.005)
