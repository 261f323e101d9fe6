"""What trees and walls leave of the satellites to a rover: by hand, as invariants, and where it reaches."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.accuracy.prediction import predict
from kardo.core.control.survey import skies_over, survey
from kardo.core.day.observing import observation_plan
from kardo.core.day.tasks import tasks_of
from kardo.core.plan.control import Occupation
from kardo.core.plan.edits import changed
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Assumed
from kardo.core.plan.site import Feature, Ground, terrain_of
from kardo.core.plan.stands import OnInstrument, OwnSession
from kardo.core.plan.visits import Visit
from kardo.core.practice.catalogue import View, findings
from kardo.core.terrain.surface import Surface
from tests.conftest import E0, N0, ON_BASE, canopy, point, scan_plan, small_plan

WOOD = canopy("dense", E0 + 60, N0 + 20, 80.0).model_copy(update={"height": 18.0})
UNDER, OPEN = point("G1", 100, 60), point("G2", 5, 5)


def hall(away, height, point_=OPEN):
    """A hall so many metres south of a point."""
    n = point_.n - away
    ring = ((point_.e - 40, n - 9), (point_.e + 40, n - 9), (point_.e + 40, n), (point_.e - 40, n))
    return Feature(id="hall", name="hall", kind="obstacle", shape="area", height=height, vertices=ring, top="level")


def having(*features, plan=None, **more):
    plan = plan or small_plan(**more)
    return plan.model_copy(update={"site": plan.site.model_copy(update={"features": features})})


def over(plan, *points):
    return skies_over(plan, points, heights_of(plan, points))


def test_under_trees_three_of_ten_come_through_three_times_as_noisy():
    """By hand: every direction keeps 0.3 of its satellites, each with a ninth of its weight, so a position is 3 /
    sqrt(0.3) times as noisy."""
    (under,) = over(having(WOOD), UNDER)
    assert under.satellites == pytest.approx(0.3 * under.in_the_open) and under.behind == WOOD.id
    assert [under.noise_h, under.noise_v] == pytest.approx([3 / math.sqrt(0.3)] * 2, rel=1e-6)
    (bare,) = over(having(WOOD.model_copy(update={"in_leaf": False})), UNDER)
    assert bare.satellites == pytest.approx(0.6 * bare.in_the_open) and bare.noise_v == pytest.approx(
        3 / math.sqrt(0.6)
    )
    (open_,) = over(having(WOOD), OPEN.model_copy(update={"e": E0 - 150.0}))
    assert (open_.noise_h, open_.noise_v, open_.fixed, open_.behind) == (1.0, 1.0, True, "") and open_.pdop < 1.5


def test_a_wall_takes_what_lies_behind_it_whole():
    """Against a count of the satellites themselves: those lower than the wall's edge, on its side."""
    plan = having(hall(4.0, 40.0))
    (beside,) = over(plan, OPEN)
    assert beside.satellites < 0.75 * beside.in_the_open and beside.noise_h > 1.1
    seen = predict_free_of_walls(plan)
    assert beside.satellites == pytest.approx(seen, rel=0.1)


def predict_free_of_walls(plan):
    """Satellites of a day over the point that its horizon leaves, by the day's own view of the sky."""
    from kardo.core.site.overhead import day_sky

    (visit,) = (Visit(id="V", name="v", date="2027-03-16"),)
    looked = plan.model_copy(update={"visits": (visit,), "control": (OPEN,)})
    found = day_sky(looked, "control/G2", "2027-03-16")
    return float(np.mean(found.count))


def test_past_the_bound_fixed_counts_as_float_and_a_total_station_does_not_care():
    plan = having(WOOD, hall(2.0, 60.0, UNDER))
    (left,) = over(plan, UNDER)
    assert left.satellites < 7 and not left.fixed
    sigma = survey(plan, (UNDER,)).sigma[0]
    assume = plan.assume
    assert sigma == pytest.approx(
        [math.hypot(assume["float_leg_h"], assume["float_h"])] * 2
        + [math.hypot(assume["float_leg_v"], assume["float_v"])]
    )
    polar = UNDER.model_copy(update={"positioned_from": OnInstrument(setup="base")})
    assert survey(plan, (polar,)).sigma[0] == pytest.approx(survey(having(), (polar,)).sigma[0])
    assert skies_over(plan, (polar,), np.array([4.0])) == [None]


@settings(max_examples=20, deadline=None)
@given(st.floats(2, 60), st.floats(1, 40), st.floats(0, 20))
def test_less_sky_is_never_better(away, height, taller):
    near, far, higher = (
        over(having(hall(a, h)), OPEN)[0] for a, h in ((away, height), (away + 10, height), (away, height + taller))
    )
    assert near.satellites <= far.satellites + 1e-9 and higher.satellites <= near.satellites + 1e-9
    assert near.noise_v >= 1 and near.fixing >= 1 and higher.pdop >= near.pdop - 1e-9
    leafy, bare = (over(having(WOOD.model_copy(update={"in_leaf": leaf})), UNDER)[0] for leaf in (True, False))
    assert leafy.satellites < bare.satellites and leafy.noise_h > bare.noise_h


def test_it_reaches_the_map_the_checks_the_day_and_the_plan_of_observations():
    control = (*small_plan().control[:5], point("K1", 100, 70), point("K2", 20, 60), point("K3", 180, 30))
    plan = having(WOOD, control=control)
    visit = Visit(id="V1", name="v", date="2027-03-16", people=())
    plan = plan.model_copy(update={"visits": (visit,)})
    clear = plan.model_copy(update={"site": plan.site.model_copy(update={"features": ()})})
    assert predict(plan).rmse_v >= predict(clear).rmse_v and predict(plan).seen_rmse_v > predict(clear).seen_rmse_v
    minutes = [{t.id: t.minutes for t in tasks_of(p, visit)}["observe-checks-1"] for p in (plan, clear)]
    assert minutes[0] > minutes[1] + 5, "fixing takes longer"
    told = {p.id: p for p in observation_plan(plan).points}
    assert told["K1"].own_v > 3 * told["K2"].own_v


def test_a_plan_on_older_defaults_takes_nothing_away_and_is_warned():
    old = having(WOOD, assumptions=Assumed(edition="2026-11-30"))
    (left,) = over(old, UNDER)
    assert (left.noise_h, left.noise_v) == pytest.approx((1.0, 1.0)) and left.fixed


def test_what_would_do_is_offered_with_its_price_and_can_be_taken():
    plan = having(WOOD, hall(2.0, 60.0, UNDER), control=(UNDER,))
    (found,) = [f for f in findings(View(plan, (), None)) if f.rule == "control-fixed"]
    assert found.severity == "warn" and "not to be trusted" in found.words and "predicted as float" in found.words
    assert "A total station from two points outside" in found.mend and "static session of 1 h" in found.mend
    after = changed(plan, found.edits)
    assert after.control[0].positioned_from == OwnSession(hours=1.0, setup=ON_BASE.setup)
    assert not any(f.rule == "control-fixed" for f in findings(View(after, (), None)))
    assert survey(after, after.control).sigma[0][2] < 0.1 * survey(plan, plan.control).sigma[0][2]


def test_a_scans_checks_under_trees_are_wanted_there():
    control = (point("G1", 20, 20), point("K1", 100, 60), point("K2", 110, 70))
    for plan, stops in ((scan_plan(features=(WOOD,), control=control), 0), (having(WOOD, control=control), 2)):
        told = [f for f in findings(View(plan, (), None)) if f.rule in ("control-forbidden", "control-sky")]
        assert sum(f.rule == "control-forbidden" for f in told) == stops
        assert stops or not told
    lake = Feature(id="lake", name="lake", kind="water", shape="area", vertices=WOOD.vertices)
    wet = scan_plan(features=(WOOD, lake), control=control)
    assert any(f.rule == "control-forbidden" for f in findings(View(wet, (), None))), "water under the trees is water"


def test_two_bases_under_one_wood_still_mean():
    plan = having(WOOD)
    twice = UNDER.model_copy(update={"occupations": (Occupation(), Occupation(after_min=60.0))})
    once, both = (survey(plan, (p,)).sigma[0] for p in (UNDER, twice))
    assert (both < once).all() and (both > once / 2).all()


def test_a_place_that_the_grid_does_not_reach_breaks_nothing():
    """What is wrong with it is told by the grid's own rules."""
    far = point("G1", 9e7, -9e7)
    (left,) = over(having(WOOD), far)
    assert left.fixed and left.noise_v == 1.0 and math.isfinite(left.pdop)


def test_a_pit_alone_is_told_where_nothing_stands_on_the_site():
    """Ground takes satellites whole, too: at the foot of two walls of rock, and nothing drawn."""
    step = 5.0
    e, _ = np.meshgrid(E0 - 300 + step * np.arange(140), N0 - 300 + step * np.arange(120))
    cleft = Surface(E0 - 300, N0 - 300, step, np.round(5 + 4.0 * np.clip(np.abs(e - E0 - 100) - 6, 0, 60), 3))
    plan = small_plan(control=(point("G1", 100, 60),))
    plan = plan.model_copy(
        update={"site": plan.site.model_copy(update={"ground": Ground(terrain=terrain_of(cleft, "t"))})}
    )
    (left,) = over(plan, *plan.control)
    told = [f for f in findings(View(plan, (), None)) if f.rule == "control-fixed"]
    assert not left.fixed and len(told) == 1 and "the ground leaves" in told[0].words
