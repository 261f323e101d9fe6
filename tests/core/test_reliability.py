"""Reliability of targets against a dense adjustment, and against the promise itself: an error of the size that is said
to be found is found four times in five."""

import numpy as np
import pytest
from scipy.stats import norm

from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.equation.solution import solve
from kardo.core.accuracy.figures.judged import Places
from kardo.core.accuracy.images.budget import OnMap
from kardo.core.accuracy.images.misclosures import block_diagonal, correction, gram, misclosures
from kardo.core.accuracy.images.planned import ControlRays
from kardo.core.accuracy.images.reliability import NON_CENTRALITY, reliability
from kardo.core.arrays import Lists
from tests.conftest import block_json
from tests.core.dense import Dense

NAMES = tuple("abcdefghij")
DATA = block_json(rows=3, columns=4, seed=31, targets=6, checks=2, two_bases=True, deformed_px=0.3)


def control_of(net, which):
    """Targets of a network as control points over it."""
    shifts, shares = net.point_shifts.take(which), net.point_shares[net.point_shifts.places(which)]
    rays = net.rays.take(which)
    noise, one = np.full(len(rays.values), 0.5), np.ones(len(which))
    nowhere = Places(one, np.zeros((len(which), 2)), one, one)
    sigma = net.sigma_x[which]
    nothing = Lists.of([[]] * len(which)), np.zeros((0, 3, 3))
    return ControlRays(net.x[which], rays, noise, sigma, shifts, shares, sigma, one, nowhere, *nothing)


def on_map(with_map, pattern):
    """A map that has these covariances with the targets' misclosures, and is moved so by the pattern."""
    return OnMap(np.ones((1, 3, 3)), [], with_map, pattern, None, None)


def anywhere(targets):
    """A place of the map that rests on no target."""
    return on_map(np.zeros((3, 3 * len(targets))), np.zeros((len(targets.pattern), 3))), np.ones((1, 3))


@pytest.fixture(scope="module")
def solved():
    net = network_from_json(DATA)
    solution = solve(net)
    which = np.flatnonzero(net.surveyed & (np.diff(net.rays.start) >= 2))
    return net, solution, which, misclosures(solution, control_of(net, which))


@pytest.fixture(scope="module")
def dense():
    return Dense(DATA)


def survey_rows(dense, j):
    """The three rows of the dense design in which the survey of target j is observed."""
    at = dense.point_at[j]
    alone = (dense.design[:, at : at + 3] == 1.0).any(axis=1) & (dense.design[:, : dense.io_at] == 0).all(axis=1)
    return np.flatnonzero(alone)


def gain(dense):
    """The adjustment as a matrix: unknowns from observations."""
    root = np.sqrt(dense.weights)[:, None]
    return np.linalg.pinv(root * dense.design) * root.T


def residual_maker(dense):
    """Residuals from observations: I - A (A'WA)^-1 A'W."""
    return np.eye(len(dense.weights)) - dense.design @ gain(dense)


def test_redundancy_numbers_are_those_of_the_full_adjustment(solved, dense):
    """Baarda: r_i is the i-th diagonal element of I - A Q A' W."""
    net, _, which, targets = solved
    found = reliability(NAMES, targets, *anywhere(targets))
    hat = np.einsum("ij,jk,ik->i", dense.design, dense.covariance(), dense.design) * dense.weights
    for k, j in enumerate(which):
        rows = survey_rows(dense, int(j))
        assert len(rows) == 3
        assert found[k].redundancy == pytest.approx(1 - hat[rows], rel=1e-4, abs=1e-6)
        scatter = np.sqrt(
            1 - hat[rows] + ((residual_maker(dense)[rows] @ dense.moved) ** 2).sum(axis=1) / net.sigma_x[j] ** 2
        )
        least = NON_CENTRALITY * net.sigma_x[j] / np.sqrt(1 - hat[rows])
        assert found[k].found == pytest.approx(least * scatter / np.sqrt(1 - hat[rows]), rel=1e-4)
        assert (found[k].found > 1.01 * least).any(), "the pattern hides some of it"


@pytest.mark.parametrize("axis", [0, 2])
def test_an_error_of_the_size_told_is_found_four_times_in_five(solved, dense, axis):
    """The test of one coordinate, at a risk of 0.1 %, over many drawn worlds with the error put in."""
    _, _, which, targets = solved
    found = reliability(NAMES, targets, *anywhere(targets))[0]
    row = survey_rows(dense, int(which[0]))[axis]
    rng = np.random.default_rng(4)
    draws = 4000
    noise = rng.standard_normal((draws, len(dense.weights))) / np.sqrt(dense.weights)
    noise += rng.standard_normal((draws, 24)) @ dense.moved.T
    worlds = noise.copy()
    worlds[:, row] += found.found[axis]
    residual = residual_maker(dense)[row]
    spread = (residual**2 / dense.weights).sum() + ((residual @ dense.moved) ** 2).sum()
    critical = norm.ppf(1 - 0.0005)
    power = (np.abs(worlds @ residual) / np.sqrt(spread) > critical).mean()
    risk = (np.abs(noise @ residual) / np.sqrt(spread) > critical).mean()
    assert power == pytest.approx(0.8, abs=4 * np.sqrt(0.16 / draws))
    assert risk < 0.004


def test_an_error_moves_the_map_as_told(solved, dense):
    net, solution, which, targets = solved
    tie = int(next(j for j in dense.point_at if not net.surveyed[j]))
    columns = solution.columns(np.array([tie]))
    with_map = columns.band.T @ targets.y_band + columns.border.T @ targets.h_border
    found = reliability(NAMES, targets, on_map(with_map, columns.pattern), np.ones((1, 3)))
    moves = gain(dense)
    at = dense.point_at[tie]
    for k, j in enumerate(which):
        rows = survey_rows(dense, int(j))
        up = abs(moves[at + 2, rows[2]]) * found[k].found[2]
        plan = max(np.hypot(moves[at, rows[a]], moves[at + 1, rows[a]]) * found[k].found[a] for a in (0, 1))
        assert found[k].effect_v == pytest.approx(up, rel=1e-3)
        assert found[k].effect_h == pytest.approx(plan, rel=1e-3)


def test_a_target_lost_is_the_adjustment_without_it(solved):
    net, solution, which, targets = solved
    ties = np.flatnonzero(~net.surveyed & ~net.check & (np.diff(net.rays.start) >= 3))[:8]
    columns = solution.columns(ties)
    order = np.argsort(columns.asked)
    at = (3 * order[:, None] + np.arange(3)).ravel()
    with_map = (columns.band.T @ targets.y_band + columns.border.T @ targets.h_border)[at]
    before = solution.point_covariances(ties)
    variances = np.einsum("kaa->ka", before)
    found = reliability(NAMES, targets, on_map(with_map, columns.pattern[:, at]), variances)
    lost = net.without_points(np.arange(len(net.x)) == which[0])
    after = np.einsum("kaa->ka", solve(lost).point_covariances(ties)).mean(axis=0)
    # its rays stay tied in the live correction and go in the other: one point among many
    assert found[0].lost_v == pytest.approx(np.sqrt(after[2]), rel=0.03)
    assert found[0].lost_v > np.sqrt(variances.mean(axis=0)[2])


def test_corrections_of_rank_three_add_up(solved):
    """Dropping two targets at once is dropping one after the other."""
    _, _, _, targets = solved
    both = targets.take(np.arange(len(targets)) < 2)
    inside = gram(both, both)
    weight = block_diagonal(-np.linalg.inv(both.noise))
    at_once = inside - inside @ correction(weight, inside) @ inside
    first, second = slice(0, 3), slice(3, 6)
    k1 = correction(weight[first, first], inside[first, first])
    step = inside - inside[:, first] @ k1 @ inside[first, :]
    k2 = correction(weight[second, second], step[second, second])
    assert np.allclose(step - step[:, second] @ k2 @ step[second, :], at_once, rtol=1e-9)


def test_a_target_that_the_network_needs_cannot_be_dropped_from_it():
    """Three targets and no camera positions: each is what holds the datum."""
    net = network_from_json(block_json(seed=13, sigma_c=None, targets=3))
    solution = solve(net)
    which = np.flatnonzero(net.surveyed & (np.diff(net.rays.start) >= 2))
    targets = misclosures(solution, control_of(net, which))
    found = reliability(NAMES, targets, *anywhere(targets))
    assert any(r.lost_h is None for r in found)
    one = targets.take(np.arange(len(which)) == next(k for k, r in enumerate(found) if r.lost_h is None))
    with pytest.raises(np.linalg.LinAlgError, match="needs"):
        correction(block_diagonal(-np.linalg.inv(one.noise)), gram(one, one))
