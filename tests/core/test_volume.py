"""Volume over an area: the one-solve figure against the joint covariance of all its points, and what it depends on."""

import math

import numpy as np
import pytest

from kardo.core.accuracy.equation.solution import solve
from kardo.core.accuracy.equation.volume import mean_height_sigma
from kardo.core.accuracy.figures.heaps import allowed_volumes, content, tolerance_by_volume
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.prediction import predict
from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import ground_scale
from kardo.core.plan.brief import Brief
from kardo.core.plan.edits import changed
from kardo.core.plan.site import Area, Ground, terrain_of
from kardo.core.plan.stands import Mark
from kardo.core.practice.catalogue import View, findings
from kardo.core.terrain.surface import Surface
from tests.conftest import E0, N0, scan_plan, small_plan

HEAP = Area(
    id="heap", name="Heap 3", ring=((E0 + 20, N0 + 20), (E0 + 80, N0 + 20), (E0 + 80, N0 + 70), (E0 + 20, N0 + 70))
)


@pytest.fixture(scope="module")
def solved():
    planned = planned_network(small_plan(areas=(HEAP,)))
    return planned, solve(planned.network)


def test_mean_height_is_the_mean_of_the_joint_covariance(solved):
    planned, solution = solved
    which = planned.area_points[0]
    assert 50 <= len(which) <= 150
    joint = solution.columns(which).joint()
    height = joint[2::3, 2::3]
    level = np.tile([0.0, 0.0, 1.0], (len(which), 1))
    assert mean_height_sigma(solution, which, level) == pytest.approx(math.sqrt(height.mean()), rel=1e-9)
    slope = np.tile([-0.3, 0.1, 1.0], (len(which), 1))
    read = slope.ravel() / len(which)
    assert mean_height_sigma(solution, which, slope) == pytest.approx(math.sqrt(read @ joint @ read), rel=1e-9)
    assert height.mean() < np.diag(height).mean(), "what points do not share averages out"
    assert mean_height_sigma(solution, np.array([], dtype=int), np.zeros((0, 3))) is None


def test_volume_is_mean_height_times_area_and_rests_on_what_is_shared():
    plan = small_plan(areas=(HEAP,))
    whole, heap = predict(plan).volumes
    assert (whole.id, heap.id) == ("", "heap")
    metre = ground_scale(plan) ** 2
    assert heap.area == pytest.approx(60 * 50 / metre) and whole.area == pytest.approx(200 * 120 / metre)
    assert heap.sigma_volume == pytest.approx(heap.sigma * heap.area)
    mark = plan.marks[0]
    assert heap.sigma > mark.sigma_v, "the mark's own error stays in every mean"
    better = plan.model_copy(update={"marks": (mark.model_copy(update={"sigma_v": 0.003}),)})
    assert predict(better).volumes[1].sigma < heap.sigma / 1.5


@pytest.mark.parametrize("scan", [False, True])
def test_on_a_slope_the_error_in_plan_is_in_the_volume_for_images_as_for_a_scan(scan):
    """30 % and a base "here" that is off by 1.5 m each axis: 0.45 m in the mean height; 21 mm were told."""
    e, _ = np.meshgrid(E0 - 200 + 10.0 * np.arange(65), N0 - 200 + 10.0 * np.arange(55))
    hill = Ground(terrain=terrain_of(Surface(E0 - 200, N0 - 200, 10.0, np.round(50 + 0.3 * (e - E0), 3)), "hill"))
    make = scan_plan if scan else small_plan
    plan = make(areas=(HEAP,))
    plan = plan.model_copy(update={"site": plan.site.model_copy(update={"ground": hill})})
    mark = plan.marks[0].model_copy(update={"known": "here", "h": 44.0})
    heap = predict(plan.model_copy(update={"marks": (mark,)})).volumes[1]
    assert heap.sigma == pytest.approx(math.hypot(3.0, 0.3 * 1.5), rel=0.02)
    known = mark.model_copy(update={"known": "published", "sigma_h": 1.5, "sigma_v": 0.005})
    assert predict(plan.model_copy(update={"marks": (known,)})).volumes[1].sigma == pytest.approx(0.45, rel=0.03)


def test_volume_standard_sets_no_limit_on_single_heights():
    plan = small_plan(brief=Brief(crs="EPSG:25828", standard="volume", tolerance_v=0.05))
    result = predict(plan)
    assert result.limit_v is None and result.limit_h == 0.03
    assert 0 < result.chance <= 1


def test_an_area_that_crosses_itself_is_refused():
    bow = Area(id="x", name="bow", ring=((E0, N0), (E0 + 50, N0 + 50), (E0 + 50, N0), (E0, N0 + 50)))
    with pytest.raises(PlanError, match="bow crosses itself"):
        predict(small_plan(areas=(bow,)))


@pytest.mark.parametrize(
    ("known", "hours", "expected"), [("static", 4, 36.5 / 2), ("static", 16, 36.5 / 4), ("here", 4, 3000)]
)
def test_height_of_a_mark_by_how_it_is_known(known, hours, expected):
    """Eckl and others 2001: 36.5 mm over the root of the hours; an autonomous position to metres."""
    mark = Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2, known=known, hours=hours)
    net = planned_network(small_plan(marks=(mark,))).network
    assert net.shift_sigma[0, 2] * 1000 == pytest.approx(expected)


def test_short_static_sessions_do_worse_than_the_law_carried_on():
    mark = Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2, known="static", hours=1)
    sigma = planned_network(small_plan(marks=(mark,))).network.shift_sigma[0]
    assert sigma[2] == pytest.approx(2 * 0.0365) and sigma[0] != sigma[1]


# What lies there, and what a tolerance is of it


def heaped(peak, slope=0.1, **brief):
    """A pyramid of so many metres on a slope, over the heap's area."""
    step = 2.0
    e, n = np.meshgrid(E0 - 200 + step * np.arange(330), N0 - 200 + step * np.arange(280))
    inward = np.minimum(np.minimum(e - E0 - 20, E0 + 80 - e) / 30, np.minimum(n - N0 - 20, N0 + 70 - n) / 25)
    ground = Surface(E0 - 200, N0 - 200, step, np.round(5 + slope * (e - E0) + peak * np.clip(inward, 0, None), 3))
    plan = small_plan(
        areas=(HEAP,), brief=Brief(title="t", crs="EPSG:25828", standard="volume", tolerance_v=0.05, **brief)
    )
    return plan.model_copy(
        update={"site": plan.site.model_copy(update={"ground": Ground(terrain=terrain_of(ground, "t"))})}
    )


@pytest.mark.parametrize("peak", [12.0, -8.0])
def test_what_lies_on_an_area_is_a_pyramids_whatever_slope_it_stands_on(peak):
    """A third of the base times the height: heap or pit, on level ground or on a slope."""
    for slope in (0.0, 0.3):
        plan = heaped(peak, slope)
        metre = ground_scale(plan) ** 2
        assert content(plan, HEAP) == pytest.approx(60 * 50 * abs(peak) / 3 / metre, rel=0.02)
    assert content(heaped(0.0), HEAP) is None, "nothing lies there"


def test_a_volume_is_asked_and_told_in_cubic_metres_and_per_cent_at_the_level_of_the_tolerance():
    plan = heaped(12.0)
    (allowed,) = allowed_volumes(plan)
    assert allowed.m3 == pytest.approx(0.05 * allowed.area) and allowed.percent == pytest.approx(
        100 * 0.05 / 4, rel=0.02
    )
    for asked in ({"m3": 90.0}, {"percent": 100 * 90.0 / allowed.content}):
        after = changed(plan, tolerance_by_volume(plan, "heap", **asked))
        assert after.brief.tolerance_v == pytest.approx(90.0 / allowed.area, abs=1e-5)
    _, heap = predict(plan).volumes
    assert heap.volume_95 == pytest.approx(1.96 * heap.sigma_volume)
    assert heap.percent_95 == pytest.approx(100 * heap.volume_95 / heap.content)
    tight = changed(plan, tolerance_by_volume(plan, "heap", m3=1.0))
    (found,) = [
        f for f in findings(View(tight, (), predict(tight))) if f.rule == "verdict-volume" and "Heap 3" in f.words
    ]
    assert f"{heap.volume_95:.1f} m³ or {heap.percent_95:.2g} %" in found.words and "which is 1.0 m³" in found.words
    feet = heaped(12.0, unit="us-ft")
    tight = changed(feet, tolerance_by_volume(feet, "heap", m3=1.0))
    words = " ".join(f.words for f in findings(View(tight, (), predict(tight))) if f.rule == "verdict-volume")
    assert "yd³" in words and "m³" not in words


def test_a_volume_that_means_nothing_is_refused():
    plan = heaped(0.0)
    for key, asked, words in (
        ("heap", {"percent": 1.0}, "not known"),
        ("none", {"m3": 1.0}, "no such area"),
        ("heap", {"m3": 0.0}, "more than nothing"),
    ):
        with pytest.raises(PlanError, match=words):
            tolerance_by_volume(plan, key, **asked)
    assert allowed_volumes(small_plan(areas=(HEAP,))) == [], "another standard"
