"""The flights over the API: coverage as figures and cells, the card, and their files."""

import base64

import numpy as np
import pypdfium2
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL.TiffImagePlugin import IFDRational

from kardo.core.flight.ground.coverage import coverage
from kardo.core.flight.lines.pattern import all_flown
from tests.conftest import small_plan
from tests.formats.test_camera import image
from tests.server.conftest import edit

pytestmark = pytest.mark.django_db


def test_coverage_is_told_and_drawn_cell_by_cell(planner, job):
    answer = planner.get(f"/api/jobs/{job.pk}/flight/coverage")
    told, found = answer.json(), coverage(small_plan())
    drawn = told["drawing"]
    cells = np.frombuffer(base64.b64decode(drawn["layers"]["images"]["cells"]), np.uint8).reshape(
        drawn["rows"], drawn["cols"]
    )
    assert np.array_equal(cells[found.seen], found.images[found.seen]) and (cells[~found.seen] == 255).all()
    finest = drawn["layers"]["pixels"]
    pixels = np.frombuffer(base64.b64decode(finest["cells"]), np.uint8).reshape(cells.shape)
    close = pixels[found.seen] * finest["worth"]
    assert np.abs(close - found.gsd[found.seen]).max() <= finest["worth"] / 2 + 1e-9
    assert told["figures"]["images"]["least"] == found.images[found.seen].min() and told["figures"]["holes_m2"] == 0
    again = planner.get(f"/api/jobs/{job.pk}/flight/coverage", headers={"If-None-Match": answer["ETag"]})
    assert again.status_code == 304


def test_a_job_without_a_flight_says_what_is_missing(planner, job):
    assert (
        planner.patch_plan(job.pk, [edit("flights/main", small_plan().to_json()["flights"][0], None)], 1).status_code
        == 200
    )
    assert "no flight" in planner.get(f"/api/jobs/{job.pk}/flight/coverage").json()["title"]
    assert planner.get(f"/api/jobs/{job.pk}/flight/card.pdf").status_code == 422
    assert planner.get(f"/api/jobs/{job.pk}/export/flight.csv").status_code == 422


def test_the_card_and_the_files_come_as_files(planner, job):
    card = planner.get(f"/api/jobs/{job.pk}/flight/card.pdf?flight=main")
    assert len(pypdfium2.PdfDocument(card.content)) == 1 and "attachment" in card["Content-Disposition"]
    for name, start in (
        ("flight.csv", b"flight,sortie,line"),
        ("flight.kml", b"<?xml"),
        ("flight.geojson", b'{"type"'),
        ("flight.gpkg", b"SQLite"),
        ("flight.dxf", b"  0\nSECTION"),
    ):
        assert planner.get(f"/api/jobs/{job.pk}/export/{name}").content.startswith(start)


def test_a_flight_in_the_wind_is_told_line_by_line(planner, job):
    planner.patch_plan(job.pk, [edit("flights/main/speed_m_per_s", 6.0, 12.0)], 1)
    still = planner.get(f"/api/jobs/{job.pk}/flight/air").json()
    wind = [edit("flights/main/wind_m_per_s", 0.0, 12.0), edit("flights/main/wind_from_deg", 270.0, 0.0)]
    assert planner.patch_plan(job.pk, wind, 2).status_code == 200
    windy = planner.get(f"/api/jobs/{job.pk}/flight/air?flight=main").json()
    assert (
        still["flight"] == "main" and len(still["lines"]) == len(windy["lines"]) and windy["minutes"] > still["minutes"]
    )
    assert windy["slowest"] < windy["fastest"] == 12.0 and windy["across"] > 0
    assert planner.get(f"/api/jobs/{job.pk}/flight/air?flight=nobody").status_code == 422
    planner.patch_plan(job.pk, [edit("flights/main/wind_m_per_s", 12.0, 40.0)], 3)
    assert "does not come forward" in planner.get(f"/api/jobs/{job.pk}/flight/air").json()["title"]


def test_photo_positions_are_held_against_the_plan_and_nothing_is_saved(planner, job):
    (f,) = all_flown(small_plan())
    rows = "".join(
        f"p{k},{e:.3f},{n:.3f},{h:.3f}\n" for k, (e, n, h) in enumerate(zip(f.e, f.n, f.h, strict=True)) if k != 11
    )
    file = SimpleUploadedFile("positions.csv", f"name,E,N,H\n{rows}".encode())
    told = planner.post(f"/api/jobs/{job.pk}/flight/flown", {"file": file}).json()
    assert told["photos"] and told["count"] == len(f.e) - 1 and told["held"]["missed"] == [[f.e[11], f.n[11]]]
    bad = planner.post(f"/api/jobs/{job.pk}/flight/flown", {"file": SimpleUploadedFile("x.csv", b"no places here")})
    assert bad.status_code == 422 and planner.get(f"/api/jobs/{job.pk}/plan").json()["revision"] == 1


def test_a_camera_is_read_from_its_image(planner, job):
    sent = {"file": SimpleUploadedFile("a.jpg", image(focal=IFDRational(88, 10), focal_35=24))}
    told = planner.post(f"/api/jobs/{job.pk}/flight/camera", sent).json()
    assert (
        told["value"]["focal_mm"] == 8.8 and told["value"]["calibration"]["state"] == "never" and len(told["how"]) >= 2
    )
    plan = planner.get(f"/api/jobs/{job.pk}/plan").json()
    taken = told["value"] | {"id": "own"}
    edits = [edit("kit/cameras/own", None, taken), edit("flights/main/sensor/camera", "mp20", "own")]
    assert planner.patch_plan(job.pk, edits, plan["revision"]).status_code == 200
