"""The order of exposures, the band, and the bordered factor, against dense algebra and against plainer orders."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.accuracy.equation import normals
from kardo.core.accuracy.equation.banded import NotPositive, factor
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.prediction import predict
from tests.conftest import E0, N0, small_plan

BEND = ((0, 0), (150, 0), (200, 60), (160, 110), (130, 105), (155, 65), (130, 40), (0, 40))
PATTERNS = {
    "block": small_plan(),
    "crossing": small_plan(flight={"cross_lines": 3}),
    "oblique": small_plan(flight={"oblique_lines": 2}),
    "corridor at an angle": small_plan(
        boundary=tuple((E0 + x, N0 + y) for x, y in ((0, 0), (200, 100), (195, 112), (-5, 12))),
        flight={"course_deg": 63.0},
    ),
    "corridor that bends": small_plan(boundary=tuple((E0 + x, N0 + y) for x, y in BEND)),
}


@pytest.mark.parametrize("name", PATTERNS)
def test_no_plain_order_gives_a_narrower_band(name):
    net = planned_network(PATTERNS[name]).network
    formed = normals.form(net)
    oriented, points = normals.participants(net)
    exposures = np.flatnonzero(oriented)
    plain = [exposures, *(exposures[np.argsort(net.c[exposures, axis], kind="stable")] for axis in (0, 1))]
    spreads = [normals._spread(net, order, points) for order in plain]
    assert formed.half_band <= 6 * min(spreads) + 5
    assert sorted(formed.order) == exposures.tolist()


def test_the_order_flown_does_not_matter_to_the_figures():
    """A crossing block turned by a right angle: the same ground, another order, the same errors."""
    square = tuple((E0 + x, N0 + y) for x, y in ((20, 0), (140, 0), (140, 120), (20, 120)))
    results = [
        predict(small_plan(boundary=square, flight={"terrain_following": False, "course_deg": course}))
        for course in (0.0, 90.0)
    ]
    assert results[0].rmse_v == pytest.approx(results[1].rmse_v, rel=0.05)


def bordered(n, half, b, seed):
    """A random positive definite bordered band and the same as a dense matrix."""
    rng = np.random.default_rng(seed)
    dense = np.zeros((n + b, n + b))
    for j in range(n):
        for i in range(j, min(n, j + half + 1)):
            dense[i, j] = dense[j, i] = rng.normal()
    dense[n:, :] = rng.normal(size=(b, n + b))
    dense[:, n:] = dense[n:, :].T
    dense[n:, n:] = (dense[n:, n:] + dense[n:, n:].T) / 2
    dense += np.eye(n + b) * 4 * (half + b + 1)
    band = np.zeros((n, half + 1))
    for k in range(half + 1):
        band[: max(n - k, 0), k] = np.diag(dense[:n, :n], -k)
    return dense, band, dense[:n, n:].copy(order="C"), dense[n:, n:].copy()


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 120), st.integers(0, 30), st.integers(1, 9), st.integers(1, 12), st.integers(0, 1000))
def test_bordered_factor_inverts(n, blocks, b, columns, seed):
    half = min(6 * blocks + 5, max(n - 1, 1))
    dense, band, border, corner = bordered(n, half, b, seed)
    solved = factor(band, border, corner, np.diag(dense))
    rhs = np.random.default_rng(seed).normal(size=(n + b, columns))
    top, bottom, _ = solved.forward(rhs[:n].copy(), rhs[n:].copy())
    y = np.vstack([top, bottom])
    assert np.allclose(y.T @ y, rhs.T @ np.linalg.solve(dense, rhs), rtol=1e-8, atol=1e-10)
    x = np.vstack(solved.backward(top.copy(), bottom))
    assert np.allclose(dense @ x, rhs, rtol=1e-7, atol=1e-8)
    single = np.vstack(solved.backward(top.astype(np.float32), bottom))
    assert np.allclose(single, x, rtol=1e-3, atol=1e-4 * np.abs(x).max())


@pytest.mark.parametrize("row", [0, 17, 39])
def test_the_row_that_is_not_positive_is_named(row):
    dense, band, border, corner = bordered(40, 5, 3, 1)
    band[row, 0] = -1.0
    with pytest.raises(NotPositive) as caught:
        factor(band, border, corner, np.abs(np.diag(dense)))
    assert caught.value.row == row


def test_columns_may_say_where_they_begin():
    dense, band, border, corner = bordered(90, 11, 2, 5)
    solved = factor(band, border, corner, np.diag(dense))
    first = np.repeat([0, 40, 70], 4)
    rhs = np.random.default_rng(0).normal(size=(90, 12)) * (np.arange(90)[:, None] >= first)
    told, *_ = solved.forward(rhs.copy(), np.zeros((2, 12)), first)
    untold, *_ = solved.forward(rhs.copy(), np.zeros((2, 12)))
    assert np.allclose(told, untold)
