"""Progress that is honest: shares of work that hold against the clock, whatever the clock's pace."""

import time
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from benchmarks.prediction import block_plan
from kardo.core.accuracy.figures import effort
from kardo.core.accuracy.prediction import predict

SIZES = st.builds(
    effort.Effort,
    st.integers(100, 10**6),
    st.integers(60, 60_000),
    st.integers(35, 3000),
    st.integers(1, 600),
    st.integers(0, 40),
)


@given(SIZES, st.floats(0, 1))
def test_shares_rise_from_nothing_to_all(work, part):
    stages = list(work.stages())
    shares = [work.share(stage) for stage in stages]
    assert shares[0] == 0 and shares == sorted(shares)
    assert work.share(stages[-1], 1.0) == pytest.approx(1)
    for before, after in pairwise(stages):
        assert work.share(before) <= work.share(before, part) <= work.share(after) + 1e-12


@given(SIZES)
def test_a_wider_band_gives_the_factor_a_larger_share(work):
    wide = effort.Effort(work.rays, work.order, 2 * work.half_band, work.map_points, work.checks)
    factor, whole = wide.stages()[effort.FACTORING], work.stages()[effort.FACTORING]
    assert factor == pytest.approx(4 * whole)
    assert wide.share(effort.MAP) - wide.share(effort.FACTORING) > work.share(effort.MAP) - work.share(effort.FACTORING)


def test_time_left_holds_against_the_clock():
    """The time left, told from share and time spent at each report, against what it then takes; the middle one of all,
    and the best of several runs, for the machine is shared."""
    predict(block_plan(200))  # everything loaded
    off = []
    for _ in range(3):
        ratios = told_over_true()
        print(f"time left, told over true: {np.round(ratios, 2)}")
        off.append(abs(np.log(np.median(ratios))))
        if off[-1] < np.log(2):
            break
    assert min(off) < np.log(2.5)


def told_over_true():
    reports, started = [], time.perf_counter()
    predict(block_plan(2000), lambda stage, share: reports.append((stage, share, time.perf_counter() - started)))
    end = reports[-1][2]
    told = [(t * (1 - s) / s, end - t) for stage, s, t in reports if stage not in effort.GUESSED and 0.08 < s < 0.95]
    assert len(told) >= 2
    return np.array([guess / left for guess, left in told])
