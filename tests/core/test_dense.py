"""Random small networks against a plain dense adjustment in the test's own code."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.equation.solution import as_seen, solve
from kardo.core.accuracy.images.budget import propagate_to_map
from kardo.core.accuracy.prediction import predict_network
from tests.conftest import block_json
from tests.core.dense import Dense

NETWORKS = st.fixed_dictionaries(
    {
        "rows": st.integers(2, 4),
        "columns": st.integers(3, 5),
        "seed": st.integers(0, 10_000),
        "targets": st.integers(0, 4),
        "checks": st.integers(1, 4),
        "oblique": st.booleans(),
        "two_bases": st.booleans(),
        "deformed_px": st.sampled_from([0.0, 0.25]),
        "local": st.booleans(),
        "sigma_io": st.sampled_from([(2, 2, 2, 3e-4, 3e-4, 2e-5, 2e-5), (30, 30, 30, 5e-2, 5e-2, 1e-3, 1e-3)]),
    }
)


@settings(max_examples=25, deadline=None)
@given(NETWORKS)
def test_absolute_and_seen_agree_with_a_dense_adjustment(options):
    data = block_json(**options)
    result, dense = predict_network(network_from_json(data)), Dense(data)
    q, effect = dense.covariance(), dense.effect()
    rows, noise = [], []
    for j, p in enumerate(data["points"]):
        if j in dense.point_at:
            row = dense.delivered(p)
            row[:, dense.point_at[j] : dense.point_at[j] + 3] += np.eye(3)
            want = row @ q @ row.T + row @ effect @ effect.T @ row.T
        elif len(dense.rays(p)) >= 2:
            g, own = dense.intersection(p)
            g = g + dense.delivered(p)
            moved = dense.own_effect(p) + g @ effect
            want = g @ q @ g.T + own + moved @ moved.T
        else:
            assert result["cov"][j] is None
            continue
        assert np.allclose(result["cov"][j], want, rtol=2e-5, atol=2e-6 * np.abs(want).max())
    for check in data["checks"]:
        g, own = dense.intersection(data["points"][check["point"]])
        if check.get("delivered"):
            g = g + dense.delivered(data["points"][check["point"]])
        hang = dense.over_unknowns(check)
        rows.append((g, hang, dense.own_effect(data["points"][check["point"]]) + g @ effect))
        noise.append(own + np.diag(np.square(check["sigma_x"])))
    prior = np.zeros((dense.size, dense.size))
    for s, shift in enumerate(data["shifts"]):
        k = dense.shift_at[s]
        prior[k : k + 3, k : k + 3] = np.diag(np.square(shift["sigma"]))
    g, h, moved = (np.vstack([r[k] for r in rows]) for k in (0, 1, 2))
    want = g @ q @ g.T + g @ q @ h.T + h @ q @ g.T + h @ prior @ h.T + moved @ moved.T
    for k, own in enumerate(noise):
        want[3 * k : 3 * k + 3, 3 * k : 3 * k + 3] += own
    assert np.allclose(result["seen"], want, rtol=2e-5, atol=2e-6 * np.abs(want).max())


@settings(max_examples=10, deadline=None)
@given(NETWORKS)
def test_budget_is_the_quadratic_form_of_the_full_inverse(options):
    """q_j N_g q_j' with the point's row of the full dense inverse, group by group: of a tie, and of a point as it is
    delivered."""
    data = block_json(**options)
    net = network_from_json(data)
    solution, dense = solve(net), Dense(data)
    targets = np.flatnonzero(net.surveyed)
    tie = int(np.flatnonzero(solution.in_network & ~net.surveyed)[0])
    check = int(net.check_point[0])
    of_tie = np.eye(dense.size)[dense.point_at[tie] : dense.point_at[tie] + 3]
    of_check = dense.intersection(data["points"][check])[0] + dense.delivered(data["points"][check])
    q, effect = dense.covariance(), dense.effect()
    for point, row in ((tie, of_tie), (check, of_check)):
        found = propagate_to_map(solution, np.array([point]), solution.columns(targets, delivered=False))
        shares = {(s.kind, s.id): s for s in found.shares}
        own = dense.own_effect(data["points"][check]) if point == check else 0.0
        if options["deformed_px"]:
            want = np.linalg.norm((row @ effect + own)[2])
            assert shares["pattern", "1"].sigma_v == pytest.approx(want, rel=1e-6)
        for name, picked in _groups(dense).items():
            normal = dense.design[picked].T @ (dense.weights[picked, None] * dense.design[picked])
            share = np.diag(row @ q @ normal @ q @ row.T)
            assert shares[name].sigma_v ** 2 == pytest.approx(share[2], rel=1e-4, abs=1e-12)
            assert shares[name].sigma_h ** 2 == pytest.approx(share[0] + share[1], rel=1e-4, abs=1e-12)
        assert sum(s.share_v for s in shares.values()) == pytest.approx(1, abs=1e-9)
        assert sum(s.share_h for s in shares.values()) == pytest.approx(1, abs=1e-9)


def _groups(dense):
    """Rows of the dense design by what they observe, read from which unknowns they touch."""
    touches = {
        "exposure": range(0, 6 * len(dense.exposure_at)),
        "shift": range(dense.shift_at[0], dense.shift_at[-1] + 3),
        "point": range(dense.shift_at[-1] + 3, dense.size),
    }
    has = {name: (dense.design[:, list(cols)] != 0).any(axis=1) for name, cols in touches.items()}
    io = (dense.design[:, dense.io_at : dense.io_at + 7] != 0).any(axis=1)
    groups = {
        ("positions", "1"): has["exposure"] & ~has["point"],
        ("targets", ""): has["point"] & ~has["exposure"],
        ("calibration", "1"): io & ~has["exposure"],
    }
    mark = np.zeros(len(dense.weights), dtype=bool)
    mark[dense.prior_rows[:3]] = True
    of_local = [3 * k + a for k, s in enumerate(dense.data["shifts"]) if s.get("kind") == "local" for a in range(3)]
    local = np.zeros(len(dense.weights), dtype=bool)
    local[dense.prior_rows[of_local]] = True
    if of_local:
        groups["local", ""] = local
    return {name: np.flatnonzero(rows) for name, rows in (groups | {("shift", "mark A"): mark}).items()}


def test_checks_on_the_base_see_less_than_checks_on_their_own_mark():
    data = block_json(seed=5, checks=3)
    for check in data["checks"]:
        check["shifts"] = [0, 1]
    same = as_seen(solve(network_from_json(data)))
    for check in data["checks"]:
        check["shifts"] = [4]
    other = as_seen(solve(network_from_json(data)))
    assert np.allclose(same.absolute, other.absolute)
    assert np.trace(same.joint) < np.trace(other.joint)


def test_a_mark_of_any_error_leaves_the_checks_on_it_as_they_are():
    """Everything rests on the base: its error moves the map and is invisible."""
    figures = []
    for sigma in (0.001, 1.5):
        data = block_json(seed=8)
        data["shifts"][0]["sigma"] = [sigma] * 3
        for check in data["checks"]:
            check["shifts"] = [0, 1]
        seen = as_seen(solve(network_from_json(data)))
        figures.append((np.sqrt(np.trace(seen.joint)), np.sqrt(seen.absolute[0, 2, 2])))
    assert figures[1][0] == pytest.approx(figures[0][0], rel=0.01)
    assert figures[1][1] > 1.4


def test_order_of_exposures_does_not_matter():
    data = block_json(rows=4, columns=5, seed=3)
    expected = np.array(predict_network(network_from_json(data))["seen"])
    turn = np.random.default_rng(0).permutation(len(data["exposures"]))
    back = np.argsort(turn)
    data["exposures"] = [data["exposures"][i] for i in turn]
    for p in data["points"]:
        p["rays"] = sorted(int(back[i]) for i in p["rays"])
    assert np.allclose(predict_network(network_from_json(data))["seen"], expected, rtol=1e-8)


def test_exposure_with_five_rays_is_left_out_and_reported():
    data = block_json(seed=2)
    lonely = {"c": [30, 30, 80], "ypr": [0, -90, 0], "sigma_c": [0.01, 0.01, 0.015], "shifts": [0, 1, 2]}
    data["exposures"].append(lonely)
    for p in [p for p in data["points"] if p["name"].startswith("t")][:5]:
        p["rays"].append(len(data["exposures"]) - 1)
    result = predict_network(network_from_json(data))
    assert result["left_out"] == [len(data["exposures"]) - 1]
    for p in data["points"]:
        p["rays"] = [i for i in p["rays"] if i < len(data["exposures"]) - 1]
    data["exposures"].pop()
    assert np.allclose(result["seen"], predict_network(network_from_json(data))["seen"], rtol=1e-9)
