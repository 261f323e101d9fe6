"""Every rule of a station with views is mended in one of them, so that a view's state tells of it."""

import re
from pathlib import Path

import pytest

from kardo.core.policy.policy import usual

STATIONS = Path(__file__).parents[2] / "web" / "src" / "stations"


@pytest.mark.parametrize("station", ["site", "flight", "base", "control"])
def test_each_rule_of_a_station_belongs_to_one_view(station):
    named = re.findall(r'"([a-z]+(?:-[a-z]+)+)"', (STATIONS / station / "views.ts").read_text())
    rules = [r.id for r in usual().rules if r.station == station]
    assert sorted(name for name in named if name in {r.id for r in usual().rules}) == sorted(rules)
