"""What is found on a site, guessed of it, and how its airspace changes."""

import numpy as np
import pytest
import shapely

from kardo.core.plan.site import Feature, Zone
from kardo.core.site.airspace import compared
from kardo.core.site.derived import risen
from kardo.core.site.guesses import WORDS, kind_of
from kardo.core.site.occupiable import open_sky
from kardo.core.terrain.surface import Level, Surface
from tests.conftest import E0, N0, small_plan

SITE = shapely.box(E0, N0, E0 + 200, N0 + 120)


def surface_model(step=1.0):
    """Level ground at 5 m with a gabled house of 12 by 20 m, a crown of 14 m across, and a fence too low to count."""
    x, y = np.meshgrid(np.arange(0, 200, step), np.arange(0, 120, step))
    rng = np.random.default_rng(3)
    up = np.zeros(x.shape)
    house = (x >= 30) & (x < 42) & (y >= 40) & (y < 60)
    up = np.where(house, 7.0 - 0.4 * np.abs(x - 36), up)
    away = np.hypot(x - 120, y - 70)
    up = np.where(away < 7, 9.0 - 0.08 * away**2 + rng.normal(0, 1.2, x.shape), up)
    up = np.where(np.abs(y - 100) < 1, 1.2, up)
    return Surface(E0, N0, step, 5.0 + up)


def test_a_house_and_a_tree_are_found_where_a_surface_model_rises_over_the_ground():
    house, tree = risen(Level(5.0), surface_model(), SITE)
    assert (house.kind, tree.kind) == ("obstacle", "canopy")
    assert house.area == pytest.approx(240, rel=0.02) and house.height == pytest.approx(7.0, abs=0.3)
    outline = shapely.Polygon(house.ring)
    true = shapely.box(E0 + 29.5, N0 + 39.5, E0 + 41.5, N0 + 59.5)
    assert outline.symmetric_difference(true).area < 0.05 * true.area
    assert 8 < tree.height < 11.5 and shapely.Polygon(tree.ring).contains(shapely.Point(E0 + 120, N0 + 70))


def test_bare_ground_has_nothing_on_it_and_what_is_far_off_is_left_out():
    flat = Surface(E0, N0, 1.0, np.full((120, 200), 5.0))
    assert risen(Level(5.0), flat, SITE) == []
    away = shapely.box(E0 + 900, N0 + 900, E0 + 950, N0 + 950)
    assert risen(Level(5.0), surface_model(), away) == []


@pytest.mark.parametrize(
    ("words", "kind"),
    [
        (("Old hedge", ""), "canopy"), (("33 kV overhead line",), "power_line"), (("GATES",), "gate"),
        (("haul_road",), "access"), (("A-road",), "traffic"), (("layer 7",), "hazard"), (("no-fly zone",), "airspace"),
        (("Foreshore",), "tide"), (("mill pond",), "water"), (("site office building",), "obstacle"),
    ],
)  # fmt: skip
def test_what_a_thing_is_is_guessed_by_its_words(words, kind):
    assert kind_of(*words) == kind and len({k for k, _ in WORDS}) == len(WORDS)


def zone(number, ceiling=60.0, x=0.0, **more):
    ring = tuple((E0 + x + a, N0 + b) for a, b in ((0, 0), (50, 0), (50, 50)))
    said = Zone(number=number, ceiling=ceiling, **more)
    return Feature(id="Z", name=number, kind="airspace", shape="area", vertices=ring, zone=said)


def test_a_zone_that_is_the_same_keeps_what_was_asked_and_one_that_changed_does_not():
    held = [
        zone("A", asked="granted", reference="R-1").model_copy(update={"id": "Z1"}),
        zone("B", asked="granted", reference="R-2").model_copy(update={"id": "Z2"}),
        zone("C").model_copy(update={"id": "Z3"}),
    ]
    plan = small_plan()
    plan = plan.model_copy(update={"site": plan.site.model_copy(update={"features": tuple(held)})})
    met = compared(plan, [zone("A", looked_up="2027-03-16"), zone("B", ceiling=30.0), zone("D", x=90)])
    assert [(m.feature.id, m.change) for m in met] == [("Z1", "same"), ("Z2", "changed"), ("Z4", "new"), ("Z3", "gone")]
    same, changed, *_ = met
    assert same.feature.zone.asked == "granted" and same.feature.zone.looked_up == "2027-03-16"
    assert changed.feature.zone.asked == "not" and "ceiling 30 m, was 60 m" in changed.words


def test_the_sky_over_a_place_beside_a_long_wall_is_half_hidden():
    """A wall without end, so high that it covers all of one side: half the sky is left."""
    plan = small_plan()
    wall = Feature(
        id="W", name="wall", kind="obstacle", shape="line", height=500.0, vertices=((E0 - 3000, N0), (E0 + 3000, N0))
    )
    walled = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (wall,)})})
    at, eye = np.array([(E0 + 50, N0 + 2.0)]), np.array([8.0])
    assert open_sky(walled, at, eye)[0] == pytest.approx(0.5, abs=0.06)
    assert open_sky(plan, at, eye)[0] > 0.99
