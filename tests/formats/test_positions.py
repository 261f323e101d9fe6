"""Photo positions moved by a block shift, from the command line."""

import csv
import json

import numpy as np
import pytest

from kardo.cli import main
from kardo.core.errors import ReadError
from kardo.core.plan.stands import Mark, OnNothing
from kardo.formats.positions import one_place, shifted_positions
from tests.conftest import E0, N0, small_plan

HERE = Mark(id="A", name="Quarry 1", e=E0 - 20, n=N0 - 20, h=4.2, known="here")
PLAN = small_plan(marks=(HERE,))
PHOTOS = f"photo,E,N,H\nP1,{E0 + 5:.3f},{N0 + 5:.3f},84.5\nP2,{E0 + 25:.3f},{N0 + 5:.3f},84.25\n"


def rows(text):
    return list(csv.DictReader(text.splitlines()))


@pytest.fixture
def files(tmp_path):
    (tmp_path / "plan.json").write_text(json.dumps(PLAN.to_json()))
    (tmp_path / "photos.csv").write_text(PHOTOS)
    return tmp_path


def test_every_position_moves_by_the_difference_of_the_mark(files, capsys):
    final = f"{E0 - 18.75}, {N0 - 20.5}, 6.325"
    words = [
        "shift",
        str(files / "plan.json"),
        str(files / "photos.csv"),
        "--to",
        final,
        "--out",
        str(files / "out.csv"),
    ]
    assert main(words) == 0
    first, second = rows((files / "out.csv").read_text())
    assert (first["photo"], first["E before, m"], first["H before, m"]) == ("P1", f"{E0 + 5:.4f}", "84.5000")
    assert (first["E, m"], first["N, m"], first["H, m"]) == (f"{E0 + 6.25:.4f}", f"{N0 + 4.5:.4f}", "86.6250")
    assert second["E, m"] == f"{E0 + 26.25:.4f}"
    assert "2 photo positions moved by E 1.2500 m, N -0.5000 m, H 2.1250 m" in capsys.readouterr().out
    assert (files / "photos.csv").read_text() == PHOTOS, "what was given is left alone"


def test_there_and_back_is_where_it_was():
    out, count = shifted_positions(PLAN, PHOTOS, (1.2345, -2.5, 0.75))
    again, _ = shifted_positions(
        PLAN,
        "photo,E,N,H\n" + "".join(f"{r['photo']},{r['E, m']},{r['N, m']},{r['H, m']}\n" for r in rows(out)),
        (-1.2345, 2.5, -0.75),
    )
    assert count == 2
    for before, after in zip(rows(out), rows(again), strict=True):
        for axis in "ENH":
            assert float(after[f"{axis}, m"]) == pytest.approx(float(before[f"{axis} before, m"]), abs=1.1e-4)


def test_geographic_positions_are_told_in_the_grid():
    lon, lat = PLAN.grid.to_geodetic(np.array([E0 + 5.0]), np.array([N0 + 5.0]))
    out, _ = shifted_positions(
        PLAN, f"photo,latitude,longitude,height\nP1,{lat[0]:.10f},{lon[0]:.10f},84.5\n", (1, 0, 0)
    )
    (row,) = rows(out)
    assert float(row["E before, m"]) == pytest.approx(E0 + 5, abs=2e-4)
    assert float(row["E, m"]) - float(row["E before, m"]) == pytest.approx(1, abs=1e-9)


def test_feet_stay_feet():
    plan = PLAN.model_copy(update={"brief": PLAN.brief.model_copy(update={"unit": "ft"})})
    text = f"photo,E,N,H\nP1,{(E0 + 5) / 0.3048:.4f},{(N0 + 5) / 0.3048:.4f},250\n"
    (row,) = rows(shifted_positions(plan, text, (0.3048, 0, 0))[0])
    assert (
        float(row["E, ft"]) - float(row["E before, ft"]) == pytest.approx(1, abs=1e-6)
        and row["H before, ft"] == "250.0000"
    )


@pytest.mark.parametrize("text", ["", f"{E0}, {N0}", f"1 {E0} {N0} 4\n2 {E0} {N0} 4", "up the hill"])
def test_final_coordinates_are_one_place_with_a_height(text):
    with pytest.raises(ReadError):
        one_place(PLAN, text)


def test_what_cannot_be_shifted_is_refused_in_words(files, capsys):
    words = ["--to", f"{E0}, {N0}, 5", "--out", str(files / "out.csv")]
    known = small_plan()
    (files / "plan.json").write_text(json.dumps(known.to_json()))
    assert main(["shift", str(files / "plan.json"), str(files / "photos.csv"), *words]) == 1
    assert "not clear which mark" in capsys.readouterr().err
    elsewhere = small_plan(
        marks=(HERE,),
        control=tuple(p.model_copy(update={"hangs_on": OnNothing()}) if p.id == "G2" else p for p in known.control),
    )
    (files / "plan.json").write_text(json.dumps(elsewhere.to_json()))
    assert main(["shift", str(files / "plan.json"), str(files / "photos.csv"), *words]) == 1
    assert "G2 does not hang on Quarry 1" in capsys.readouterr().err and not (files / "out.csv").exists()
