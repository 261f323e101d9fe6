"""Where the base may stand: what hides, what is too near, what is forbidden, what is reached and known, each made up
alone."""

import numpy as np
import pytest

from kardo.core.errors import PlanError
from kardo.core.layout.base_places import CLOSED, OPEN, WEIGHTS, KnownPlace, base_places
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature, Ground, terrain_of
from kardo.core.plan.stands import Link
from kardo.core.terrain.surface import Surface
from tests.conftest import E0, N0, small_plan


def with_features(*features: Feature, **more) -> Plan:
    plan = small_plan(**more)
    return plan.model_copy(update={"site": plan.site.model_copy(update={"features": features})})


def square(kind, x, y, size, height=0.0, name="thing"):
    ring = [(E0 + x, N0 + y), (E0 + x + size, N0 + y), (E0 + x + size, N0 + y + size), (E0 + x, N0 + y + size)]
    return Feature(id=f"f{x}", name=name, kind=kind, shape="area", vertices=tuple(ring), height=height)


def near(found, x, y):
    """The free place of the site that is nearest to a spot."""
    return min((p for p in found.ranked if not p.name), key=lambda p: np.hypot(p.e - E0 - x, p.n - N0 - y))


def test_open_ground_is_as_good_everywhere_and_a_known_mark_better():
    found = base_places(small_plan())
    assert (
        found.ranked[0].name == "A" and found.ranked[0].here and found.ranked[0].score == pytest.approx(1.0, abs=0.01)
    )
    assert found.told == "The base stands on the best of them."
    assert not found.left_out and all(p.parts["sky"] > 0.95 for p in found.ranked)
    assert "known coordinates" in found.ranked[0].reasons
    of_marks = [p.parts["mark"] for p in found.ranked[1:]]
    assert min(of_marks) > 0.4 and max(of_marks) == 0.5, "near a mark it is checked with a short walk"


def test_what_stands_tall_costs_sky_and_clearance_where_it_is():
    found = base_places(with_features(square("obstacle", 80, 40, 30, height=25.0, name="silo")))
    beside, away = near(found, 70, 55), near(found, 195, 5)
    assert beside.parts["sky"] < 0.8 < away.parts["sky"] and beside.parts["clear"] < 0.4 and away.parts["clear"] > 0.99
    assert beside.score < away.score
    assert any("silo" in words and "hidden" in words for words in beside.reasons)
    assert any("from silo, 50 m asked" in words for words in beside.reasons)
    assert all("built on, silo" in why for _, _, why in found.left_out) and found.left_out


@pytest.mark.parametrize(
    ("kind", "words"),
    [
        ("keep_out", "keep-out"),
        ("no_permission", "no permission"),
        ("water", "water"),
        ("canopy", "trees"),
        ("hazard", "hazard"),
    ],
)
def test_nobody_is_sent_where_nobody_should_stand(kind, words):
    found = base_places(with_features(square(kind, 0, 0, 100, name="there")))
    inside = [p for p in found.ranked if E0 < p.e < E0 + 100 and N0 < p.n < N0 + 100]
    assert not inside and any(why == f"{words}, there" for _, _, why in found.left_out)


def test_a_ridge_hides_and_a_face_is_too_steep():
    step = 5.0
    _, n = np.meshgrid(E0 - 200 + step * np.arange(130), N0 - 200 + step * np.arange(110))
    wall = np.clip((n - (N0 + 90)) * 1.5, 0, 60)  # a quarry face along the north side
    terrain = terrain_of(Surface(E0 - 200, N0 - 200, step, 4 + wall), "face")
    plan = small_plan()
    plan = plan.model_copy(update={"site": plan.site.model_copy(update={"ground": Ground(terrain=terrain)})})
    found = base_places(plan)
    below, away = near(found, 100, 85), near(found, 100, 5)
    assert below.parts["sky"] < away.parts["sky"]
    assert any("the ground" in words and "north" in words for words in below.reasons)
    assert any(why == "steeper than 20°" for _, _, why in found.left_out)


def test_reach_counts_where_a_link_is_known():
    assert "reach" not in base_places(small_plan()).ranked[0].parts
    plan = small_plan(
        setup={"link": Link(kind="wireless", reach=30.0)}, flight={"corrections": "live", "take_off": (E0, N0)}
    )
    found = base_places(plan)
    assert near(found, 5, 5).parts["reach"] == 1.0 and near(found, 190, 110).parts["reach"] == 0.0
    assert "100 % of the exposures not reached" in near(found, 190, 110).reasons
    by_log = plan.flights[0].model_copy(update={"corrections": "post_processed"})
    assert "reach" not in base_places(plan.model_copy(update={"flights": (by_log,)})).ranked[0].parts


def test_access_counts_where_it_is_drawn():
    gate = Feature(id="gate", name="gate", kind="gate", vertices=((E0, N0),))
    found = base_places(with_features(gate))
    assert near(found, 5, 5).parts["access"] > near(found, 195, 115).parts["access"]


def test_a_mark_of_the_library_is_tried_and_one_taken_here_is_not_known():
    found = base_places(
        small_plan(), [KnownPlace("", "Far 1", E0 + 300, N0 + 60), KnownPlace("", "Gone", E0 + 9e3, N0)]
    )
    assert {p.name for p in found.ranked if p.name} == {"A", "Far 1"}
    plan = small_plan()
    again = base_places(plan, [KnownPlace("", "A of the library", plan.marks[0].e + 0.1, plan.marks[0].n)])
    assert [p.name for p in again.ranked if p.name] == ["A"], "one mark is tried once"
    as_good = base_places(plan, [KnownPlace("", "B", E0 + 100, N0 + 60)])
    assert as_good.ranked[0].here and as_good.told == "The base stands on the best of them.", (
        "nobody moves it for nothing"
    )
    here = plan.marks[0].model_copy(update={"known": "here"})
    found = base_places(plan.model_copy(update={"marks": (here,)}))
    assert "no known mark about" in next(p for p in found.ranked if p.here).reasons


def test_a_score_is_the_weighted_mean_of_its_parts():
    for place in base_places(with_features(square("obstacle", 80, 40, 30, height=25.0))).ranked:
        weight = sum(WEIGHTS[name] for name in place.parts)
        assert place.score == pytest.approx(sum(WEIGHTS[k] * v for k, v in place.parts.items()) / weight)
    assert 0 < CLOSED < OPEN < 1 and sum(WEIGHTS.values()) == pytest.approx(1.0)


def test_nowhere_is_said_and_no_site_is_asked_for():
    found = base_places(with_features(square("keep_out", -200, -200, 800)))
    assert not found.ranked and found.told.startswith("Nowhere on this site")
    with pytest.raises(PlanError):
        base_places(small_plan(site=small_plan().site.model_copy(update={"boundary": ()})))
