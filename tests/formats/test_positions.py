"""Photo positions moved by a block shift, from the command line."""

import csv
import json

import numpy as np
import pytest

from kardo.cli import main
from kardo.core.close.closing import BlockShift
from kardo.core.close.shift import preview, shift_by
from kardo.core.errors import PlanError, ReadError
from kardo.core.plan.control import Occupation
from kardo.core.plan.stands import Mark, OnNothing, OnSetUp
from kardo.formats.positions import one_place, shifted_points, shifted_positions
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
        one_place(PLAN, text, "job")


def test_what_cannot_be_shifted_is_refused_in_words(files, capsys):
    words = ["--to", f"{E0}, {N0}, 5", "--out", str(files / "out.csv")]
    known = small_plan()
    (files / "plan.json").write_text(json.dumps(known.to_json()))
    assert main(["shift", str(files / "plan.json"), str(files / "photos.csv"), *words]) == 1
    assert "not clear which mark" in capsys.readouterr().err
    elsewhere = small_plan(
        marks=(HERE,),
        control=tuple(
            p.model_copy(update={"positioned_from": OnNothing()}) if p.id == "G2" else p for p in known.control
        ),
    )
    (files / "plan.json").write_text(json.dumps(elsewhere.to_json()))
    assert main(["shift", str(files / "plan.json"), str(files / "photos.csv"), *words]) == 1
    assert "G2 is not positioned from Quarry 1" in capsys.readouterr().err and not (files / "out.csv").exists()


def test_points_move_by_as_much_as_they_hang_on_the_base():
    """K4 rests on a mark that is known; so does K3 as far as weights go, for its other round is metres off: before and
    after tell it."""
    known = Mark(id="B", name="B", e=E0 + 60, n=N0 + 60, h=3.0)
    elsewhere = OnSetUp(setup="other")
    halves = (Occupation(), Occupation(after_min=60, positioned_from=elsewhere))
    other = {"K3": {"occupations": halves}, "K4": {"positioned_from": elsewhere}}
    plan = small_plan(marks=(HERE, known))
    setups = (*plan.setups, plan.setups[0].model_copy(update={"id": "other", "name": "other", "mark": "B"}))
    control = tuple(p.model_copy(update=other.get(p.id, {})) for p in plan.control)
    plan = plan.model_copy(update={"setups": setups, "control": control})
    shift = BlockShift(mark=HERE.id, e=HERE.e + 1, n=HERE.n, h=HERE.h, sigma_h=0.01, sigma_v=0.02, source="static")
    moved = {
        r["point"]: float(r["E, m"]) - float(r["E before, m"])
        for r in rows(shifted_points(plan, preview(plan, shift, None)))
    }
    assert moved["G1"] == moved["K1"] == pytest.approx(1, abs=1e-6) and moved["K4"] == 0
    assert moved["K3"] < 0.001


def test_the_command_takes_a_shift_back(files):
    plan = small_plan(marks=(HERE,))
    (files / "plan.json").write_text(json.dumps(plan.to_json()))
    to = f"{HERE.e + 1}, {HERE.n}, {HERE.h}"
    for words, moved in (([], 1.0), (["--back"], -1.0)):
        out = ["--to", to, "--out", str(files / "out.csv"), "--json", str(files / "shift.json"), *words]
        assert main(["shift", str(files / "plan.json"), str(files / "photos.csv"), *out]) == 0
        first = rows((files / "out.csv").read_text())[0]
        assert float(first["E, m"]) - float(first["E before, m"]) == pytest.approx(moved, abs=2e-4)
        told = json.loads((files / "shift.json").read_text())
        assert told["by"][0] == pytest.approx(moved) and told["mark"] == HERE.id and told["count"] >= 1


def test_a_height_beside_latitude_and_longitude_is_asked_for_and_brought_into_the_jobs_system(files, capsys):
    """48 m of separation: photos had moved by 50.74 m instead of 2.50."""
    plan = small_plan(marks=(HERE,))
    plan = plan.model_copy(update={"brief": plan.brief.model_copy(update={"heights": "EPSG:5773"})})
    (files / "plan.json").write_text(json.dumps(plan.to_json()))
    lon, lat = (float(v) for v in plan.grid.to_geodetic(HERE.e + 1, HERE.n))
    separation = float(plan.grid.separation(HERE.e, HERE.n))
    assert abs(separation) > 40
    out = ["--out", str(files / "out.csv")]

    def shifted(h, *words):
        to = f"{lat:.9f}, {lon:.9f}, {h:.3f}"
        return main(["shift", str(files / "plan.json"), str(files / "photos.csv"), "--to", to, *out, *words])

    assert shifted(HERE.h + 2.5 + separation) == 1
    assert "ellipsoidal height, or one of the job's" in capsys.readouterr().err
    assert shifted(HERE.h + 2.5 + separation, "--heights", "job") == 1
    said = capsys.readouterr().err
    assert "The separation there is" in said and "ellipsoidal where the job's is meant" in said
    assert shifted(HERE.h + 2.5 + separation, "--heights", "ellipsoidal") == 0
    first, *_ = rows((files / "out.csv").read_text())
    assert float(first["H, m"]) - float(first["H before, m"]) == pytest.approx(2.5, abs=2e-3)


def test_a_shift_beyond_five_sigma_needs_a_reason(files, capsys):
    plan = small_plan(marks=(HERE,))
    (files / "plan.json").write_text(json.dumps(plan.to_json()))
    to = f"{HERE.e - 100_000}, {HERE.n}, {HERE.h}"
    words = ["shift", str(files / "plan.json"), str(files / "photos.csv"), "--to", to, "--out", str(files / "out.csv")]
    assert main(words) == 1 and not (files / "out.csv").exists()
    assert "more than 5 times what a position taken “here” is good to (±1.50 m and ±3.00 m)" in capsys.readouterr().err
    assert main([*words, "--why", "taken in the neighbouring zone"]) == 0
    near = BlockShift(mark="A", e=HERE.e + 7.4, n=HERE.n, h=HERE.h, sigma_h=0.01, sigma_v=0.02, source="static")
    assert shift_by(plan, near)[0] == pytest.approx(7.4)
    with pytest.raises(PlanError, match="more than 5 times"):
        shift_by(plan, near.model_copy(update={"e": HERE.e + 7.6}))
