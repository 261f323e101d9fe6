"""Plans, edits and undo steps of version 2 of the plan are read for ever: a plan of every pattern and of both sensors
as version 2 stored it, with what it came to."""

import gzip
import json
from pathlib import Path

import pytest

from kardo.core.accuracy.prediction import predict
from kardo.core.book.entries import HeightRead
from kardo.core.errors import KardoError, PlanError
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.plan.edits import ConflictError, Edit, apply, invert
from kardo.core.plan.flights import CorridorLines, OwnLines, ParallelLines, Scanning, WallLines
from kardo.core.plan.model import plan_from_json, plan_of
from kardo.core.plan.upgrades.from_2 import edits_from_2

KEPT = json.loads(gzip.decompress((Path(__file__).parents[1] / "data" / "plans-v2.json.gz").read_bytes()))
SESSION = {"on": "session", "hours": 2.0, "logger": None, "setup": "base"}


@pytest.fixture(scope="module")
def images():
    return plan_from_json(KEPT["images"]["plan"])


@pytest.mark.parametrize("name", KEPT)
def test_a_stored_plan_comes_to_the_same_figures(name):
    plan, kept = plan_from_json(KEPT[name]["plan"]), KEPT[name]
    result = predict(plan)
    for key, figure in kept["figures"].items():
        assert getattr(result, key) == pytest.approx(figure, rel=1e-9), key
    flown = all_flown(plan)
    assert [len(f.e) for f in flown] == kept["exposures"]
    assert [f.minutes for f in flown] == pytest.approx(kept["minutes"], rel=1e-12)


def test_each_part_has_what_it_had(images):
    main, corridor, walls, own = (f.pattern for f in images.flights)
    assert isinstance(main, ParallelLines) and main.areas == {"north"} and main.cross_height_m == 90.0
    assert isinstance(corridor, CorridorLines) and corridor.width_m == 40.0 and len(corridor.line) == 3
    assert isinstance(walls, WallLines) and walls.stand_off_m == 20.0
    assert isinstance(own, OwnLines) and [line.height_m for line in own.lines] == [95.0, None]
    first = images.flights[0]
    assert first.sensor.exposure_s == 0.0008 and first.float_sorties == (1,) and first.reserve_percent == 30.0
    assert images.flights[1].positioned_from.service == images.correction_services[0].id
    assert images.control[1].occupations[1].positioned_from.on == "service"
    (scan,) = plan_from_json(KEPT["scan"]["plan"]).flights
    assert isinstance(scan.sensor, Scanning) and scan.sensor.range_gate_m == 200.0 and not scan.sensor.start_up


STEPS = {
    "a name": ("flights/main/height", 80.0, 70.0),
    "a field of the sensor": ("flights/main/tilt", 0.0, 10.0),
    "a field of the pattern": ("flights/main/crossing_strips", 2, 3),
    "a source": ("control/G1/hangs_on", SESSION, {"on": "network", "network": "net"}),
    "of a source": ("control/G1/hangs_on/hours", 2.0, 3.0),
    "occupations": ("control/G3/occupations", [{"epochs": 60}], [{"epochs": 30, "hangs_on": {"on": "nothing"}}]),
    "readings": ("setups/base/readings", [{"metres": 1.8}, {"metres": 1.8}], [{"metres": 1.6, "way": "vertical"}]),
    "a service": ("networks/net/name", "network of the island", "another"),
    "what another pattern ignores": ("flights/wall/margin_strips", 2, 0),
}


@pytest.mark.parametrize("name", STEPS)
def test_an_edit_by_an_old_path_does_what_it_did_and_can_be_taken_back(images, name):
    """As version 2 would have made it: the plan that it edited, upgraded."""
    path, before, after = STEPS[name]
    document, old = images.to_json(), KEPT["images"]["plan"]
    done = apply(document, edits_from_2([Edit(path, before, after)], document))
    assert not done.conflicts
    then = plan_of(done.document)
    assert then == plan_from_json(_edited(old, path.split("/"), after))
    back = apply(done.document, edits_from_2(invert([Edit(path, before, after)]), done.document))
    assert not back.conflicts and plan_of(back.document).hash == images.hash


def _edited(document, keys, value):
    if not keys:
        return value
    if isinstance(document, list):
        return [_edited(row, keys[1:], value) if row["id"] == keys[0] else row for row in document]
    return document | {keys[0]: _edited(document[keys[0]], keys[1:], value)}


def test_a_pattern_and_a_sensor_are_taken_up_as_version_2_told_it(images):
    document = images.to_json()
    line = [[1.0, 2.0], [300.0, 4.0]]
    edits = edits_from_2([Edit("flights/own/pattern", "own", "corridor"), Edit("flights/own/line", [], line)], document)
    then = plan_of(apply(document, edits).document).flights[3]
    assert isinstance(then.pattern, CorridorLines) and then.pattern.line == ((1.0, 2.0), (300.0, 4.0))
    row = KEPT["scan"]["plan"]["flights"][0]
    added = edits_from_2([Edit("flights/scan", None, row)], document)
    assert added[0].after["sensor"]["kind"] == "scan" and added[0].after["pattern"]["cross_lines"] == 1


def test_a_field_that_somebody_changed_since_is_a_conflict(images):
    document = images.to_json()
    with pytest.raises(ConflictError, match="tilt"):
        edits_from_2([Edit("flights/main/tilt", 5.0, 10.0)], document)
    with pytest.raises(ConflictError):
        edits_from_2([Edit("flights/gone/tilt", 0.0, 10.0)], document)


def test_what_is_by_this_versions_paths_already_stays(images):
    edits = [
        Edit("flights/main/height_m", 80.0, 70.0),
        Edit("flights/main/sensor/tilt_deg", 0.0, 10.0),
        Edit("control/G9", None, images.to_json()["control"][0] | {"id": "G9"}),
    ]
    assert edits_from_2(edits, images.to_json()) == edits


def test_an_old_entry_of_the_book_says_how_a_height_was_measured():
    read = HeightRead.model_validate({"setup": "base", "way": "pole", "typed": "2 m", "metres": 2.0})
    assert read.measured_to == "pole"


def test_a_plan_that_is_not_laid_out_as_version_2_has_it_is_refused():
    with pytest.raises(PlanError, match="version 2"):
        plan_from_json({"format": "kardo-plan", "version": 2, "flights": [{"pattern": "spiral"}]})
    with pytest.raises(PlanError, match="version 2"):
        plan_from_json({"format": "kardo-plan", "version": 2, "control": 7})


@pytest.mark.parametrize(
    ("path", "after"),
    [
        ("flights/main/pattern", "spiral"),
        ("flights/own/own_strips", 7),
        ("flights/own/own_strips", [{"begin": [1, 2]}]),
        ("flights/F9", {"pattern": [], "camera": "mp20"}),
        ("flights/F9", {"pattern": "own", "own_strips": "none"}),
        ("control/G1/hangs_on", {"on": "network"}),
        ("control/G1/occupations", [1, "two"]),
        ("control/G9", {"occupations": 3}),
        ("setups/base/readings", [[]]),
        ("brief/local", {"hangs_on": {"on": "network"}}),
    ],
)
def test_an_edit_that_is_no_edit_of_version_2_ends_in_words(images, path, after):
    """Refused, or left for the plan's model to refuse; nothing else comes of it."""
    document = images.to_json()
    stands = {"flights/main/pattern": "block", "control/G1/hangs_on": SESSION}
    if path == "flights/own/own_strips":
        stands[path] = KEPT["images"]["plan"]["flights"][3]["own_strips"]
    with pytest.raises(KardoError):
        edits = edits_from_2([Edit(path, stands.get(path), after)], document)
        applied = apply(document, edits)
        if applied.conflicts:
            raise ConflictError(applied.conflicts)
        plan_of(applied.document)
