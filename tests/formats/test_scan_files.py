"""A scanning flight on paper, in files and by the command; and what was flown of it."""

import csv
import io
import json

import ezdxf
import numpy as np
import pypdfium2
import pytest

from kardo.cli import main
from kardo.core.accuracy.prediction import predict
from kardo.core.flight.ground.as_flown import FlownTrack, held_against
from kardo.core.flight.lines.pattern import all_flown
from kardo.formats.documents import pdf
from kardo.formats.flight_card import flight_card_html
from kardo.formats.lists import waypoints_csv
from kardo.formats.map.dxf import flight_dxf
from kardo.formats.map.geojson import flight_geojson
from kardo.formats.map.geopackage import flight_geopackage
from kardo.formats.map.kml import flight_kml
from kardo.formats.report import _plan_part
from tests.conftest import scan_plan, small_plan


def test_the_card_has_the_scanners_settings_and_what_is_trimmed():
    html = flight_card_html(scan_plan(scan_angle_deg=80.0))
    for said in (
        "angle used",
        "80°",
        "returns up to",
        "2 figures of eight",
        "Trim the first 180 s and the last 180 s",
        "pulses on a m²",
        "overlap, side",
    ):
        assert said in html, said
    for left in ("image every", "exposure at most", "blur"):
        assert left not in html, left
    assert len(pypdfium2.PdfDocument(pdf(html))) == 1
    assert "Trim" not in flight_card_html(scan_plan(start_up=False))


def test_files_hold_lines_and_no_exposures():
    plan = scan_plan()
    lines = len(all_flown(plan)[0].strips)
    kinds = [f["properties"]["kind"] for f in json.loads(flight_geojson(plan))["features"]]
    assert kinds == ["flight_line"] * lines
    assert flight_kml(plan).count("<Placemark>") == lines and "scanning 120 m" in flight_kml(plan)
    drawing = ezdxf.read(io.StringIO(flight_dxf(plan)))
    assert not drawing.modelspace().query("POINT") and len(drawing.modelspace().query("POLYLINE")) == lines
    assert flight_geopackage(plan).startswith(b"SQLite")
    rows = list(csv.DictReader(io.StringIO(waypoints_csv(plan))))
    assert len({row["line"] for row in rows}) == lines


def test_a_flight_of_each_kind_goes_into_one_file():
    plan = scan_plan()
    images = small_plan().flights[0].model_copy(update={"id": "images", "name": "images"})
    both = plan.model_copy(update={"flights": (*plan.flights, images)})
    kinds = [f["properties"]["kind"] for f in json.loads(flight_geojson(both))["features"]]
    assert "exposure" in kinds and kinds.count("flight_line") == sum(len(f.strips) for f in all_flown(both))


def test_a_line_that_was_not_flown_is_missed_and_what_no_other_sees_is_told():
    plan = scan_plan(side_overlap=20.0)
    (f,) = all_flown(plan)
    middle = len(f.strips) // 2
    flown = f.strip != middle
    track = FlownTrack(f.e[flown], f.n[flown], f.h[flown], photos=True)
    held = held_against(plan, track)
    assert [s.strip for s in held.strips] == [middle + 1] and held.lost_m2 > 500
    assert "places of the lines were missed" in held.told and "not mapped for it" in held.told
    whole = held_against(plan, FlownTrack(f.e, f.n, f.h, photos=True))
    assert whole.lost_m2 == 0 and "All places of the lines were taken" in whole.told


def test_the_command_predicts_a_scan_and_its_network_gives_the_same(tmp_path, capsys):
    plan = scan_plan(adjustment="matched")
    (tmp_path / "p.json").write_text(json.dumps(plan.to_json()))
    args = [
        "predict",
        str(tmp_path / "p.json"),
        "--json",
        str(tmp_path / "r.json"),
        "--network",
        str(tmp_path / "n.json"),
    ]
    assert main(args) == 0
    told = capsys.readouterr().out
    assert "boresight of the scanner" in told and "probability of passing" in told
    network = json.loads((tmp_path / "n.json").read_text())
    assert network["laser"]["adjustment"] == "matched" and network["laser"]["ties"]
    assert main(["predict", "--network-in", str(tmp_path / "n.json"), "--json", str(tmp_path / "again.json")]) == 0
    result, again = (json.loads((tmp_path / name).read_text()) for name in ("r.json", "again.json"))
    by_id = {row["id"]: row for row in result["control"]}
    for k, check in enumerate(network["laser"]["checks"]):
        cov = np.array(again["cov"][check["place"]])
        assert cov[2, 2] ** 0.5 == pytest.approx(by_id[plan.checks[k].id]["map_v"], rel=1e-9)
    seen = np.array(again["seen"], dtype=float)
    assert (np.diag(seen)[2::3].mean()) ** 0.5 == pytest.approx(result["seen_rmse_v"], rel=1e-9)


def test_the_command_counts_density(tmp_path, capsys):
    (tmp_path / "p.json").write_text(json.dumps(scan_plan().to_json()))
    assert main(["coverage", str(tmp_path / "p.json"), "--json", str(tmp_path / "c.json")]) == 0
    found = json.loads((tmp_path / "c.json").read_text())
    assert found["density"]["least"] > 100 and found["gaps_m2"] == 0 and found["clearance"] == pytest.approx(60, abs=1)
    assert "pulses on a square metre" in capsys.readouterr().out


def test_a_report_says_what_was_scanned_with_and_how_it_was_adjusted():
    plan = scan_plan(adjustment="matched")
    predict(plan)
    words = _plan_part(plan)
    assert "tactical inertial unit" in words and "by matching of flight lines" in words
