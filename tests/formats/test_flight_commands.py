"""The commands of the flight: figures as JSON, files by their ending."""

import json

import pytest

from kardo.cli import main
from kardo.core.flight.ground.coverage import coverage
from tests.conftest import small_plan


@pytest.fixture
def plan_file(tmp_path):
    path = tmp_path / "plan.json"
    path.write_text(json.dumps(small_plan().to_json()))
    return path


def test_coverage_is_told_and_written(plan_file, tmp_path, capsys):
    out = tmp_path / "c.json"
    assert main(["coverage", str(plan_file), "--json", str(out)]) == 0
    told, found = json.loads(out.read_text()), coverage(small_plan())
    assert {"images", "gsd", "forward", "side", "holes_m2", "clearance", "seconds"} <= set(told)
    assert told["images"] == {"least": 12.0, "median": 12.0, "most": 16.0}
    assert told["forward"] == pytest.approx(found.overlaps[0].forward) and told["holes_m2"] == 0
    assert 70 < told["clearance"] < 85 and "Nothing is left out" in capsys.readouterr().out


@pytest.mark.parametrize("ending", ["geojson", "kml", "gpkg", "dxf", "csv", "pdf"])
def test_a_flight_is_written_by_the_files_ending(plan_file, tmp_path, ending):
    out = tmp_path / f"flight.{ending}"
    assert main(["flight", str(plan_file), "--out", str(out)]) == 0 and out.stat().st_size > 500


def test_an_ending_that_nobody_knows_is_refused_and_nothing_is_written(plan_file, tmp_path, capsys):
    out = tmp_path / "flight.xyz"
    assert main(["flight", str(plan_file), "--out", str(out)]) == 1 and not out.exists()
    assert "One of .geojson" in capsys.readouterr().err
