"""What must hold for any plan and any network: found by random search, not by example."""

import json

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from kardo.core.accuracy.change.whatif import keep, what_if
from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.figures.acceptance import chance_to_pass
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.figures.standards import standards
from kardo.core.accuracy.prediction import predict, predict_network
from kardo.core.arrays import Lists
from kardo.core.gnss.occupations import METHODS, mark_sigma, rover_sigma
from kardo.core.plan.assumptions import CURRENT_EDITION, Assumptions
from kardo.core.plan.brief import Terms
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Assumed, plan_from_json
from kardo.core.plan.stands import Mark
from tests.conftest import E0, N0, ON_BASE, block_json, small_plan

SLOW = settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.too_slow])
KEPT = {}


def kept(edition=CURRENT_EDITION):
    if edition not in KEPT:
        KEPT[edition] = keep(small_plan(assumptions=Assumed(edition=edition)))
    return KEPT[edition]


POINTS = st.builds(
    lambda k, x, y, role, method, width: ControlPoint(
        id=f"P{k}",
        name=f"P{k}",
        role=role,
        e=E0 + x,
        n=N0 + y,
        occupations=METHODS[method].occupations,
        width=width,
        positioned_from=ON_BASE,
    ),
    st.integers(0, 10**6),
    st.floats(5, 195),
    st.floats(5, 115),
    st.sampled_from(["target", "check"]),
    st.sampled_from(sorted(METHODS)),
    st.floats(0.3, 1.0),
)


@SLOW
@given(st.lists(POINTS, max_size=5, unique_by=lambda p: p.id), st.sets(st.integers(0, 8), max_size=4))
def test_any_change_of_control_is_answered_within_three_per_cent(more, dropped):
    plan = small_plan()
    control = tuple(p for k, p in enumerate(plan.control) if k not in dropped) + tuple(more)
    after = plan.model_copy(update={"control": control})
    answer = what_if(kept(), control)
    live = figures(after, answer)
    full = predict(after)
    for key in ("rmse_h", "rmse_v", "seen_rmse_h", "seen_rmse_v"):
        if getattr(full, key) is None:
            assert getattr(live, key) is None
        else:
            assert getattr(live, key) == pytest.approx(getattr(full, key), rel=0.03), key


@SLOW
@given(st.lists(POINTS.filter(lambda p: p.role == "target"), min_size=1, max_size=4, unique_by=lambda p: p.id))
def test_more_targets_never_make_the_map_worse(more):
    """Information only adds: every point's variance falls or stays; as long as the images share nothing that the
    adjustment does not know of, which it may take for more than it is."""
    before = what_if(kept("2026-11"), small_plan().control)
    after = what_if(kept("2026-11"), (*small_plan().control, *more))
    worse = np.einsum("kaa->ka", after.covariances) - np.einsum("kaa->ka", before.covariances)
    assert np.nanmax(worse) < 1e-9


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10_000), st.floats(1.1, 4.0))
def test_all_sigmas_together_scale_the_answer(seed, factor):
    """Twice as bad observations, priors and shifts: twice the error everywhere, and the same correlations."""
    data = block_json(seed=seed % 50)
    worse = json.loads(json.dumps(data))
    worse["camera"]["sigma_io"] = [s * factor for s in worse["camera"]["sigma_io"]]
    for shift in worse["shifts"]:
        shift["sigma"] = [s * factor for s in shift["sigma"]]
    for e in worse["exposures"]:
        e["sigma_c"] = [s * factor for s in e["sigma_c"]]
    for p in worse["points"]:
        p["sigma_px"] *= factor
        if p.get("sigma_x"):
            p["sigma_x"] = [s * factor for s in p["sigma_x"]]
    for c in worse["checks"]:
        c["sigma_x"] = [s * factor for s in c["sigma_x"]]
    one, other = (predict_network(network_from_json(d)) for d in (data, worse))
    assert np.allclose(np.array(other["seen"]), factor**2 * np.array(one["seen"]), rtol=1e-7)
    assert np.allclose(other["sigma_io"], factor * np.array(one["sigma_io"]), rtol=1e-7)


@settings(max_examples=10, deadline=None)
@given(st.integers(0, 50), st.floats(-3.1, 3.1))
def test_turning_the_whole_block_turns_the_errors_with_it(seed, angle):
    """Heights and radial errors do not know where north is."""
    data = block_json(seed=seed)
    for group in ("exposures", "points", "checks"):
        for row in data[group]:
            for key in ("sigma_c", "sigma_x"):
                if row.get(key):
                    row[key] = [row[key][0], row[key][0], row[key][2]]  # the same east and north
    turned = json.loads(json.dumps(data))
    c, s = np.cos(angle), np.sin(angle)
    for row, key in ((r, k) for g, k in (("exposures", "c"), ("points", "x")) for r in turned[g]):
        e, n, u = row[key]
        row[key] = [c * e + s * n, -s * e + c * n, u]
    for e in turned["exposures"]:
        e["ypr"][0] += float(np.degrees(angle))
    one, other = (
        np.array([k for k in predict_network(network_from_json(d))["cov"] if k is not None]) for d in (data, turned)
    )
    assert np.allclose(one[:, 2, 2], other[:, 2, 2], rtol=1e-6)
    assert np.allclose(one[:, 0, 0] + one[:, 1, 1], other[:, 0, 0] + other[:, 1, 1], rtol=1e-6)


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 1000), st.booleans())
def test_a_network_survives_its_file(seed, oblique):
    net = network_from_json(block_json(seed=seed, oblique=oblique))
    again = network_from_json(json.loads(json.dumps(net.to_json())))
    for name in ("c", "ypr", "sigma_c", "x", "sigma_px", "sigma_x", "shift_sigma", "sigma_io", "check_sigma"):
        assert np.allclose(getattr(net, name), getattr(again, name), equal_nan=True), name
    assert net.rays.values.tolist() == again.rays.values.tolist()
    assert net.names == again.names


@given(st.lists(st.lists(st.integers(0, 9), max_size=5), max_size=8), st.integers(0, 9))
def test_lists_keep_and_take(lists, unwanted):
    packed = Lists.of(lists)
    assert [packed[j].tolist() for j in range(len(packed))] == lists
    kept_ = packed.keep(packed.values != unwanted)
    assert [kept_[j].tolist() for j in range(len(kept_))] == [[v for v in one if v != unwanted] for one in lists]
    which = np.arange(len(lists))[::-2]
    assert [packed.take(which)[k].tolist() for k in range(len(which))] == [lists[j] for j in which]


@given(st.floats(0.2, 75), st.floats(1.05, 3))
def test_longer_static_sessions_are_never_worse(hours, more):
    assume = Assumptions({})
    short, long = (
        mark_sigma(Mark(id="a", name="a", e=0, n=0, h=0, known="static", hours=h), assume)
        for h in (hours, hours * more)
    )
    assert all(after < before for before, after in zip(short, long, strict=True))
    if hours >= 4:
        assert short[2] / long[2] == pytest.approx(np.sqrt(more))


@given(st.sampled_from(sorted(METHODS)), st.floats(0, 20_000), st.floats(1, 20_000))
def test_a_rover_farther_from_its_base_is_never_better(method, distance, more):
    assume = Assumptions({})
    near, far = (rover_sigma(METHODS[method].occupations, d, assume) for d in (distance, distance + more))
    assert far[0] >= near[0] > 0 and far[1] >= near[1] > 0


@settings(max_examples=15, deadline=None)
@given(st.sampled_from(["user_rmse", "per_point", "nssda", "contour"]), st.floats(0.005, 0.2), st.floats(1.01, 3))
def test_a_wider_tolerance_never_lowers_the_chance(name, tolerance, factor):
    rng = np.random.default_rng(3)
    a = rng.normal(size=(18, 18)) * 0.02
    joint, survey = a @ a.T, np.full((6, 3), 0.01)
    narrow, wide = (
        chance_to_pass(joint, survey, standards()[name], Terms(t, t, 0.9, t)).passing
        for t in (tolerance, tolerance * factor)
    )
    assert wide >= narrow


@settings(max_examples=20, deadline=None)
@given(st.lists(POINTS, max_size=4, unique_by=lambda p: p.id))
def test_equal_plans_have_equal_hashes_and_others_do_not(more):
    plan = small_plan()
    after = plan.model_copy(update={"control": (*plan.control, *more)})
    again = plan_from_json(json.loads(json.dumps(after.to_json())))
    assert again.hash == after.hash
    assert (after.hash == plan.hash) == (not more)
