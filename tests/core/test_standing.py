"""Rules of where control lies: each with a case that passes and one that does not, and what its threshold does."""

import numpy as np
import pytest

from kardo.core.plan.edits import Edit, changed
from kardo.core.plan.model import plan_from_json
from kardo.core.plan.site import Feature, Ground, terrain_of
from kardo.core.policy.policy import catalogue
from kardo.core.practice.catalogue import View, findings
from kardo.core.terrain.surface import Surface
from scripts.rules import PAGE, page
from tests.conftest import E0, N0, point, small_plan


def feature(kind, x, y, size=10.0, height=0.0):
    corners = ((x, y), (x + size, y), (x + size, y + size), (x, y + size))
    return Feature(
        id="F", name="thing", kind=kind, shape="area", height=height,
        vertices=tuple((E0 + a, N0 + b) for a, b in corners),
    )  # fmt: skip


def with_features(*features, control):
    plan = small_plan(control=control)
    return plan.model_copy(update={"site": plan.site.model_copy(update={"features": features})})


def found(plan, rule):
    return [f for f in findings(View(plan, (), None)) if f.rule == rule]


@pytest.mark.parametrize("kind", ["keep_out", "no_permission", "water", "canopy", "obstacle", "hazard"])
def test_control_lies_where_nobody_should_stand(kind):
    inside, beside = point("G1", 55, 55), point("G2", 90, 55)
    (finding,) = found(with_features(feature(kind, 50, 50), control=(inside, beside)), "control-forbidden")
    assert finding.severity == "stop" and finding.object == "control/G1" and "thing" in finding.words


def test_a_hazard_keeps_ten_metres_and_access_forbids_nothing():
    near = point("G1", 67, 55)
    assert found(with_features(feature("hazard", 50, 50), control=(near,)), "control-forbidden")
    assert not found(with_features(feature("water", 50, 50), control=(near,)), "control-forbidden")
    assert not found(with_features(feature("access", 60, 50), control=(near,)), "control-forbidden")


@pytest.mark.parametrize(("degrees", "steep"), [(19.0, False), (21.0, True)])
def test_a_slope_of_more_than_twenty_degrees_is_told(degrees, steep):
    x = np.arange(0, 260, 5.0)
    heights = np.tile(np.tan(np.radians(degrees)) * x, (40, 1))
    ground = Ground(terrain=terrain_of(Surface(E0 - 30, N0 - 30, 5.0, heights), "slope"))
    plan = small_plan(control=(point("G1", 50, 50),))
    plan = plan.model_copy(update={"site": plan.site.model_copy(update={"ground": ground})})
    told = found(plan, "control-slope")
    assert bool(told) == steep and (not steep or told[0].measured == pytest.approx(degrees, abs=0.1))


@pytest.mark.parametrize(("away", "near"), [(15.9, True), (16.1, False)])
def test_control_keeps_twice_its_height_from_what_stands_there(away, near):
    plan = with_features(feature("obstacle", 50, 50, height=8.0), control=(point("G1", 60 + away, 55),))
    told = found(plan, "control-clearance")
    assert bool(told) == near and (not near or told[0].measured == pytest.approx(away, abs=0.01))


def test_numbers_depend_on_what_stands_there_and_so_does_the_hash():
    """Corrections do not reach through it: a wall moved, or grown, is another plan."""
    plan = with_features(feature("obstacle", 50, 50, height=8.0), control=(point("G1", 10, 10),))
    taller = with_features(feature("obstacle", 50, 50, height=9.0), control=(point("G1", 10, 10),))
    named = plan.site.features[0].model_copy(update={"name": "wall", "note": "of brick"})
    renamed = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (named,)})})
    assert plan.hash != taller.hash and plan.hash == renamed.hash != small_plan(control=plan.control).hash


def test_names_say_the_role():
    usual = [point(f"G{k}", 20 * k, 20) for k in range(1, 4)] + [point(f"K{k}", 20 * k, 90) for k in range(1, 4)]
    assert not found(small_plan(control=tuple(usual)), "control-names")
    odd = point("K9", 100, 60).model_copy(update={"role": "target"})
    (finding,) = found(small_plan(control=(*usual, odd)), "control-names")
    assert finding.object == "control/K9" and "like a check" in finding.words
    numbers = [point(f"{role}{k}", 20 * k, y).model_copy(update={"name": str(k + y)}) for role, y in (("G", 20), ("K", 90)) for k in range(3)]  # fmt: skip
    assert not found(small_plan(control=tuple(numbers)), "control-names"), "numbers say no role, and lie about none"


@pytest.mark.parametrize("rule", ["control-forbidden", "control-slope", "control-clearance", "control-names"])
def test_every_rule_says_why_and_from_where(rule):
    entry = catalogue()[rule]
    assert entry.why and entry.source and entry.asks.endswith("?")


def test_the_page_of_rules_is_what_the_catalogue_has():
    assert PAGE.read_text() == page(), "run python -m scripts.rules"


@pytest.mark.parametrize(
    ("said", "count", "shape"),
    [
        ("place", 1, "place"),
        ("place", 2, "line"),
        ("place", 4, "line"),
        ("line", 1, "place"),
        ("area", 2, "line"),
        ("area", 3, "area"),
        ("line", 5, "line"),
    ],
)
def test_a_feature_has_the_shape_that_its_vertices_have_in_files_as_in_edits(said, count, shape):
    """Of two vertices and still called a place, it was one to the rules and a line to the exports."""
    vertices = [[E0 + 10 * k, N0 + 5 * k * k] for k in range(count)]
    row = {"id": "x", "name": "x", "kind": "obstacle", "shape": said, "vertices": vertices}
    document = small_plan().to_json()
    document["site"]["features"] = [row]
    assert plan_from_json(document).site.features[0].shape == shape
    edited = changed(small_plan(), (Edit("site/features/x", None, row),))
    assert edited.site.features[0].shape == shape
