"""Draw all observations, adjust, compare with the truth: the prediction must be what comes out."""

import numpy as np
import pytest

from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.equation.solution import as_seen, solve
from kardo.core.accuracy.figures.acceptance import chance_to_pass
from kardo.core.accuracy.figures.standards import SurveyError, Terms, standards
from tests.conftest import block_json
from tests.core.dense import Dense

DRAWS = 6000
NETWORKS = {
    "nadir block, one base": {"seed": 11},
    "oblique line, lens never calibrated": {
        "seed": 12,
        "oblique": True,
        "sigma_io": (30, 30, 30, 5e-2, 5e-2, 1e-3, 1e-3),
        "relief": 15.0,
    },
    "no camera positions, five targets": {"seed": 13, "sigma_c": None, "targets": 6},
    "float positions, corridor": {"seed": 14, "rows": 2, "columns": 7, "sigma_c": (0.3, 0.3, 0.5), "targets": 5},
    "images that share a pattern": {"seed": 15, "targets": 5, "sigma_c": None, "deformed_px": 0.4},
}


def simulate(data, rng):
    """Errors of the adjusted unknowns, and check differences d = map - surveyed, over many drawn worlds.

    The shifts are drawn as part of the world; their priors are observations of zero, whose error is minus the shift. So
    is the lens and shutter pattern: in the images of its world, not adjusted."""
    dense = Dense(data)
    root_w = np.sqrt(dense.weights)[:, None]
    gain = np.linalg.pinv(root_w * dense.design) * root_w.T
    noise = rng.standard_normal((DRAWS, len(dense.weights))) / np.sqrt(dense.weights)
    shifts = -noise[:, dense.prior_rows].reshape(DRAWS, -1, 3)
    pattern = rng.standard_normal((DRAWS, len(dense.terms)))
    errors = (noise + pattern @ dense.moved.T) @ gain.T
    differences = []
    for check in data["checks"]:
        g, own = dense.intersection(data["points"][check["point"]])
        fresh = rng.standard_normal((DRAWS, 3)) @ np.linalg.cholesky(own).T
        on_map = errors @ g.T + fresh + pattern @ dense.own_effect(data["points"][check["point"]]).T
        survey = shifts[:, check["shifts"]].sum(axis=1) + rng.standard_normal((DRAWS, 3)) * check["sigma_x"]
        differences.append((on_map, on_map - survey))
    return dense, errors, np.array([d[0] for d in differences]), np.array([d[1] for d in differences])


def within_sampling_error(sample, predicted):
    """Ratio of variances within four of its own standard errors."""
    return np.abs(sample / predicted - 1) < 4 * np.sqrt(2 / DRAWS)


@pytest.mark.parametrize("name", NETWORKS)
def test_simulation_agrees(name):
    data = block_json(checks=4, **NETWORKS[name])
    net = network_from_json(data)
    solution = solve(net)
    seen = as_seen(solution)
    dense, errors, on_map, d = simulate(data, np.random.default_rng(2026))

    absolute = np.einsum("kaa->ka", seen.absolute)
    assert within_sampling_error(on_map.var(axis=1, mean=0), absolute).all()

    predicted = np.diag(seen.joint).reshape(-1, 3)
    assert within_sampling_error(d.var(axis=1, mean=0), predicted).all()

    flat = np.moveaxis(d, 0, 1).reshape(DRAWS, -1)
    correlation = (flat.T @ flat / DRAWS) / np.sqrt(np.outer(np.diag(seen.joint), np.diag(seen.joint)))
    expected = seen.joint / np.sqrt(np.outer(np.diag(seen.joint), np.diag(seen.joint)))
    assert np.abs(correlation - expected).max() < 5 / np.sqrt(DRAWS)

    j = next(iter(dense.point_at))
    tie = errors[:, dense.point_at[j] : dense.point_at[j] + 3].var(axis=0, mean=0)
    assert within_sampling_error(tie, np.diag(solution.point_covariances(np.array([j]))[0])).all()


@pytest.mark.parametrize("name", NETWORKS)
@pytest.mark.parametrize("standard", ["user_rmse", "nssda", "asprs_2023", "per_point", "volume"])
def test_chance_agrees(name, standard):
    """The simulated worlds, judged by the standard, pass as often as predicted."""
    data = block_json(checks=4, **NETWORKS[name])
    net = network_from_json(data)
    seen = as_seen(solve(net))
    _, _, _, d = simulate(data, np.random.default_rng(7))
    rule = standards()[standard]
    worlds = np.moveaxis(d, 0, 1)
    h, v = rule.statistics(worlds, SurveyError.of(net.check_sigma), Terms(1, 1))
    terms = Terms(float(np.quantile(h, 0.8)), float(np.quantile(v, 0.7)))
    chance = chance_to_pass(seen.joint, net.check_sigma, rule, terms)
    passing = ((h <= terms.h) & (v <= terms.v)).mean()
    assert chance.passing == pytest.approx(passing, abs=4 * np.sqrt(0.25 / DRAWS))
    assert 0 < chance.uncertainty < 0.005
