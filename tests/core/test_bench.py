"""The bench through its command: what it prints, what it writes, and that its figures hang together."""

import json

import pytest

from benchmarks.prediction import block_plan, main
from kardo.core.flight.lines.pattern import all_flown


@pytest.fixture(scope="module")
def rows(tmp_path_factory):
    out = tmp_path_factory.mktemp("bench") / "figures.json"
    main(["--exposures", "150", "--json", str(out)])
    return json.loads(out.read_text())


def test_the_file_has_the_published_keys(rows):
    row = rows[0]
    assert {"exposures", "order", "half_band", "seconds", "ratio", "memory_ratio"} <= set(row)
    assert row["exposures"] == pytest.approx(150, rel=0.2)
    assert row["order"] > 6 * row["exposures"] > row["half_band"]


def test_stages_add_up_to_the_ratio(rows):
    seconds = dict(rows[0]["seconds"])
    reference = seconds.pop("cholesky_banded")
    assert rows[0]["ratio"] == pytest.approx(sum(seconds.values()) / reference, rel=0.01)
    assert all(s > 0 for s in seconds.values())
    assert set(rows[0]["operations"]) <= set(seconds)


@pytest.mark.parametrize("wanted", [150, 500, 2000])
def test_the_block_has_about_as_many_exposures_as_asked(wanted):
    plan = block_plan(wanted)
    assert len(all_flown(plan)[0].e) == pytest.approx(wanted, rel=0.1)
    assert (len(plan.targets), len(plan.checks)) == (5, 30)
