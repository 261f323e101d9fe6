"""Ways over the site and rounds along them: round what nobody enters, through gates, over slopes, shared among
people."""

import math
from itertools import pairwise, permutations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.control.round import shared
from kardo.core.day.rounds import rounds_of, walked
from kardo.core.errors import PlanError
from kardo.core.plan.control import Occupation
from kardo.core.plan.site import Feature, Ground, LevelGround, terrain_of
from kardo.core.site.ways import PATH, ways
from kardo.core.terrain.surface import Surface
from tests.conftest import E0, N0, point, small_plan

LEVEL = Ground(level=LevelGround(height=5.0))


def thing(kind, *places, shape="line", key="F"):
    return Feature(id=key, name=key, kind=kind, shape=shape, vertices=tuple((E0 + x, N0 + y) for x, y in places))


def site(*features, ground=LEVEL, **more):
    plan = small_plan(**more)
    return plan.model_copy(update={"site": plan.site.model_copy(update={"features": features, "ground": ground})})


def between(plan, a=(20, 60), b=(180, 60), **more):
    return ways(plan, [(E0 + x, N0 + y) for x, y in (a, b)], 50.0, **more)


WALL = thing("obstacle", (100, -40), (100, 140))
POND = thing("water", (80, 20), (120, 20), (120, 100), (80, 100), shape="area", key="pond")


def test_nothing_between_is_walked_straight():
    found = between(site())
    assert found.metres[0, 1] == pytest.approx(160.0) and found.minutes[0, 1] == pytest.approx(3.2)
    assert found.line(0, 1) == [(E0 + 20, N0 + 60), (E0 + 180, N0 + 60)]


def test_a_wall_is_walked_round_or_through_its_gate():
    """Round its nearer end, as the two straight sorties there; a gate in it lets straight through."""
    round_it = between(site(WALL))
    by_the_end = 2 * math.hypot(80, 80)
    assert by_the_end < round_it.metres[0, 1] < 1.06 * by_the_end
    gate = thing("gate", (100, 60), shape="place", key="gate")
    assert between(site(WALL, gate)).metres[0, 1] == pytest.approx(160.0, rel=0.03)


def test_the_way_shown_crosses_nothing_that_nobody_enters():
    from shapely import LineString, Polygon

    found = between(site(POND))
    line = LineString(found.line(0, 1))
    assert not line.crosses(Polygon(POND.vertices).buffer(-3.0)) and line.length > 170


def test_what_is_closed_off_is_not_reached():
    ring = thing("keep_out", (150, 30), (210, 30), (210, 90), (150, 90), shape="area", key="ring")
    inner = between(site(ring), b=(180, 60))
    closed = [thing("obstacle", (140, 20), (220, 20), (220, 100), (140, 100), (140, 20), key="fence")]
    assert not np.isfinite(between(site(*closed)).minutes[0, 1])
    assert inner.minutes[0, 1] > 2.0  # to its edge: that it lies inside is told by the rules


def test_a_path_is_quicker_and_trees_are_slower():
    path = thing("access", (10, 60), (190, 60), key="path")
    assert between(site(path)).minutes[0, 1] == pytest.approx(3.2 * PATH, rel=0.05)
    wood = thing("canopy", (60, -200), (140, -200), (140, 320), (60, 320), shape="area", key="wood")
    assert between(site(wood)).minutes[0, 1] == pytest.approx(3.2 * 1.5, rel=0.05)


def test_up_a_slope_is_slower_than_down_it_as_tobler_has_it():
    e, _ = np.meshgrid(E0 - 200 + 10.0 * np.arange(65), N0 - 200 + 10.0 * np.arange(55))
    hill = Ground(terrain=terrain_of(Surface(E0 - 200, N0 - 200, 10.0, 0.2 * (e - E0 + 200)), "slope"))
    found = between(site(ground=hill))
    up, down = (math.exp(-3.5 * 0.05) / math.exp(-3.5 * abs(s + 0.05)) for s in (0.2, -0.2))
    assert found.minutes[0, 1] == pytest.approx(3.2 * up, rel=0.03)
    assert found.minutes[1, 0] == pytest.approx(3.2 * down, rel=0.03)


@settings(max_examples=15)
@given(st.lists(st.tuples(st.integers(0, 200), st.integers(0, 120)), min_size=2, max_size=5, unique=True))
def test_no_way_is_shorter_than_straight_and_none_longer_by_a_detour_over_a_third_place(spots):
    found = ways(site(POND, WALL), [(E0 + x, N0 + y) for x, y in spots], 50.0)
    at = np.array(spots, dtype=float)
    straight = np.linalg.norm(at[:, None] - at, axis=2)
    assert (found.metres >= straight - 12.0).all()  # a place in the pond starts from its edge
    for a, b, c in permutations(range(len(spots)), 3):
        assert found.minutes[a, c] <= found.minutes[a, b] + found.minutes[b, c] + 0.3


def test_one_persons_round_is_the_best_of_all_orders():
    rng = np.random.default_rng(4)
    at = rng.uniform(0, 100, (7, 2))
    minutes = np.linalg.norm(at[:, None] - at, axis=2)
    (order,) = shared(minutes, np.zeros(6), 1)

    def length(some):
        stops = [0, *(k + 1 for k in some), 0]
        return sum(minutes[a, b] for a, b in pairwise(stops))

    assert length(order) <= 1.01 * min(length(p) for p in permutations(range(6)))


@pytest.mark.parametrize("people", [2, 3])
def test_several_people_share_the_points_and_are_back_sooner(people):
    alone, together = rounds_of(site()), rounds_of(site(), people)
    out = [r for r in together.rounds if r.key == "out"]
    assert sorted(s.about for r in out for s in r.stops) == sorted(f"control/{p.id}" for p in small_plan().control)
    assert len(out) == people and max(r.minutes for r in out) < 0.75 * alone.rounds[0].minutes


def test_targets_go_out_before_and_come_in_after_and_second_occupations_wait_for_their_sky():
    twice = (Occupation(), Occupation(after_min=45.0))
    plan = site(
        control=(point("G1", 50, 50, occupations=twice), point("G2", 90, 50), point("K1", 20, 90, returns=True))
    )
    found = rounds_of(plan)
    assert [(r.key, len(r.stops), r.not_before) for r in found.rounds] == [
        ("out", 3, 0.0),
        ("again-2", 1, 45.0),
        ("in", 2, 0.0),
    ]
    first = found.rounds[0].stops[0]
    assert first.left - first.reached == pytest.approx(2 + 1.5 + 1.0) and "before the first take-off" in found.told


def test_a_vehicle_goes_along_the_paths():
    path = thing("access", (-20, -20), (600, -20), key="path")
    far = (point("G1", 590, -15), point("G2", 560, -25))
    foot, driven = (rounds_of(site(path, control=far), by=by) for by in ("foot", "vehicle"))
    assert driven.rounds[0].minutes < foot.rounds[0].minutes - 10
    way = driven.rounds[0].stops[0].way
    assert all(abs(n - (N0 - 20)) < 12 for _, n in way)


def test_points_that_no_way_leads_to_are_named():
    fence = thing("obstacle", (140, 20), (220, 20), (220, 100), (140, 100), (140, 20), key="fence")
    found = rounds_of(site(fence, control=(point("G1", 50, 50), point("G2", 180, 60))))
    assert found.unreached == ["G2"] and "No way leads to G2" in found.told
    assert {s.about for r in found.rounds for s in r.stops} == {"control/G1"}
    order, minutes, _ = walked(site(fence), (point("G2", 180, 60),))
    assert order == [0] and minutes > 0


def test_more_points_than_a_round_has_are_refused():
    many = tuple(point(f"K{k}", k % 20 * 9, k // 20 * 7) for k in range(301))
    with pytest.raises(PlanError, match="up to 300"):
        rounds_of(site(control=many))
    assert len(walked(site(), many)[0]) == 301


@pytest.mark.parametrize("count", [1, 30, 120])
@pytest.mark.parametrize("people", [2, 5])
def test_a_round_is_shared_evenly_and_everything_is_done_once(count, people):
    """The last is back within a fifth of what an even share of one round, and the way out and home, would be."""
    at = np.vstack(([0.0, 0.0], np.random.default_rng(count).uniform(0, 600, (count, 2))))
    off = np.hypot(*(at[:, None] - at[None]).transpose(2, 0, 1)) / 60
    found = shared(off, np.full(count, 3.0), people)
    assert sorted(k for one in found for k in one) == list(range(count)) and len(found) == people

    def lasts(order):
        stops = [0, *(k + 1 for k in order), 0]
        return sum(off[a, b] for a, b in pairwise(stops)) + 3.0 * len(order)

    alone = lasts(shared(off, np.full(count, 3.0), 1)[0])
    assert max(map(lasts, found)) < 1.2 * (alone / people + 2 * off[0].max())
