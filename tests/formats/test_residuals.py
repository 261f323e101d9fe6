"""Residuals as programs write them: whatever columns, units, signs and habits; read rightly or asked about."""

import random

import numpy as np
import pytest

from kardo.core.control.local import local_system
from kardo.core.errors import ReadError
from kardo.core.plan.local import LocalGrid
from kardo.formats.residuals import read_residuals
from tests.conftest import E0, N0, small_plan
from tests.core.test_local import local_grid
from tests.formats.test_local_grid import delivered_in

PLAN = small_plan()
NAMES = [p.name for p in PLAN.control]


def read(text, **said):
    return read_residuals(text.encode(), PLAN, **said)


def told(found):
    return {r.name: r for r in found.outcomes}


def test_plain_columns_in_millimetres():
    found = read("Point,dE (mm),dN (mm),dU (mm),images\nK1,4,-3,12.5,14\nG2,1,2,3,9\ntotal,1,2,3,9\n")
    k1, g2 = told(found)["K1"], told(found)["G2"]
    assert k1.d == pytest.approx((0.004, -0.003, 0.0125)) and k1.images == 14
    assert (k1.used, g2.used, k1.known) == ("checked", "adjusted", "as planned")
    assert found.unknown == ["total"] and found.asks == ""
    assert (told(found)["K2"].used, told(found)["K2"].known) == ("unused", "not in the file")
    assert [r.name for r in found.outcomes] == NAMES


def test_sections_comma_decimals_and_a_column_in_pixels():
    text = (
        "# written by a program\nControl points\nLabel;X error (m);Y error (m);Z error (m);Error (pix);Projections\n"
        "G1;0,004;-0,003;0,012;0,31;14\nCheck points\nG2;0,001;0,002;-0,003;0,2;9\nK2;;;;;\n"
    )
    found = read_residuals(text.encode("cp1252"), PLAN)
    assert [(told(found)[n].used, told(found)[n].known) for n in ("G1", "G2", "K2")] == [
        ("adjusted", "as the file says"),
        ("checked", "as the file says"),
        ("unused", "not measured"),
    ]
    assert told(found)["G1"].d == pytest.approx((0.004, -0.003, 0.012)) and told(found)["K2"].d is None


@pytest.mark.parametrize("head", ["Punkt", "Pkt-Nr", "Nr.", "Nom", "Punto", "Marker"])
def test_names_of_points_are_known_in_other_languages_too(head):
    assert told(read(f"{head},dE (mm),dN (mm),dU (mm)\nK1,4,-3,12\n"))["K1"].d == pytest.approx((0.004, -0.003, 0.012))


def test_a_heading_that_names_both_says_neither():
    found = read("Control and check points\npoint;dE (mm);dN (mm);dU (mm)\nG1;1;1;1\nK1;1;1;1\n")
    assert [(told(found)[n].used, told(found)[n].known) for n in ("G1", "K1")] == [
        ("adjusted", "as planned"),
        ("checked", "as planned"),
    ]


def test_coordinates_beside_the_residuals_tell_their_sign():
    head = "name\tX\tY\tZ\tEst X\tEst Y\tEst Z\terror x (mm)\terror y (mm)\terror z (mm)\trole\n"
    row = "K1\t622950.010\t5128330.020\t12.000\t622950.014\t5128330.018\t12.011\t{}\tverification\n"
    turned = read(head + row.format("-4\t2\t-11"))
    plain = read(head + row.format("4\t-2\t11"))
    assert told(turned)["K1"].d == told(plain)["K1"].d == pytest.approx((0.004, -0.002, 0.011))
    assert any("were turned" in line for line in turned.how) and not any("were turned" in line for line in plain.how)
    with pytest.raises(ReadError, match="not the difference of the coordinates") as refused:
        read(head + row.format("5\t2\t-11"))
    assert refused.value.where == "line 2"


def test_the_sign_is_that_of_the_whole_file():
    """A residual below a millimetre fits both signs; it has the one that the others show. A line of the other sign is
    refused."""
    head = "name,X,Y,Z,Est X,Est Y,Est Z,error x (m),error y (m),error z (m)\n"
    row = "{},622950.010,5128330.020,12.000,{:.4f},5128330.020,12.000,{:.4f},0,0\n"
    small, large = row.format("K1", 622950.0106, -0.0006), row.format("K2", 622950.030, -0.020)
    found = read(head + small + large, unit="m")
    assert told(found)["K1"].d[0] == pytest.approx(0.0006) and told(found)["K2"].d[0] == pytest.approx(0.02)
    with pytest.raises(ReadError, match="not the difference") as refused:
        read(head + small + large + row.format("K3", 622950.030, 0.020) + row.format("K4", 622950.05, -0.04), unit="m")
    assert refused.value.where == "line 4"


def test_coordinates_alone_are_subtracted():
    text = (
        "id,surveyed east,surveyed north,surveyed h,computed east,computed north,computed"
        " h\nK1,10,20,3,10.02,19.99,3.05\n"
    )
    assert told(read(text, unit="m"))["K1"].d == pytest.approx((0.02, -0.01, 0.05))


def test_a_unit_that_is_not_said_is_asked():
    text = "name,dx,dy,dz\nk-1,0.01,0.02,0.03\n"
    asked = read(text)
    assert "In which unit" in asked.asks and asked.units == ["m", "mm", "cm"]
    assert told(read(text, unit="mm"))["K1"].d == pytest.approx((1e-5, 2e-5, 3e-5))
    feet = small_plan(brief=PLAN.brief.model_copy(update={"unit": "us-ft"}))
    assert read_residuals(text.encode(), feet).units[0] == "us-ft"
    survey = told(read_residuals(text.encode(), feet, unit="us-ft"))["K1"].d
    assert survey == pytest.approx(tuple(np.array([0.01, 0.02, 0.03]) * 1200 / 3937), rel=1e-12)


def test_residuals_of_survey_minus_map_are_turned_when_said():
    text = "name,dE [m],dN [m],dU [m]\nK1,0.01,0.02,-0.03\n"
    assert told(read(text, turned=True))["K1"].d == pytest.approx((-0.01, -0.02, 0.03))


def test_a_table_without_a_head_is_asked_and_read_as_told():
    text = "K1 0.1 0.2 0.3 x\nK2 0.1 0.2 0.4 y\n"
    asked = read(text)
    assert "Which column holds the names" in asked.asks and asked.columns[0].sample == ["K1", "K2"]
    found = read(text, means=("name", "de", "dn", "du", ""), unit="mm")
    assert [told(found)[n].d[2] for n in ("K1", "K2")] == pytest.approx([0.0003, 0.0004]) and found.asks == ""


def test_x_and_y_are_asked_about_where_the_grid_counts_north_first():
    north_first = small_plan(brief=PLAN.brief.model_copy(update={"crs": "EPSG:3812"}))  # its axes: X east, Y north
    assert north_first.grid.crs.axis_info[0].direction == "east"
    polar = small_plan(brief=PLAN.brief.model_copy(update={"crs": "EPSG:2180"}))
    assert polar.grid.crs.axis_info[0].direction == "north"
    text = b"name,dx (m),dy (m),dz (m)\nK1,0.01,0.02,0.03\n"
    assert "Is X east or north?" in read_residuals(text, polar).asks
    assert read_residuals(text, north_first).asks == ""
    said = read_residuals(text, polar, ("name", "dn", "de", "du"))
    assert said.asks == "" and told(said)["K1"].d == pytest.approx((0.02, 0.01, 0.03))


@pytest.mark.parametrize(
    ("text", "what", "where"),
    [
        ("", "nothing to read", ""),
        ("name,dE (m),dN (m),dU (m)\nK1,0.1,oops,0.2\n", "“oops” is no residual north", "line 2"),
        ("name,dE (m),dN (m),dU (m)\nK1,0.1,,0.2\n", "“” is no residual north", "line 2"),
        ("name,dE (m),dN (m),dU (m)\nK1,1,1,1\nk 1,2,2,2\n", "K1 has two lines, 2 and 3", "line 3"),
        ("name,dE (m),dN (m),dU (m)\nX7,1,1,1\n", "No line has the name", "X7"),
        ("name,dE (m),dN (mm),dU (m)\nK1,1,1,1\n", "several units", ""),
        ("name,dE (m),dN (m),dU (m)\nK1,nan,1,1\n", "“nan” is no residual east", "line 2"),
        ("a," * 70 + "a\n", "more than 60 columns", ""),
        ("x" * 5000, "longer than", "line 1"),
    ],
)
def test_what_cannot_be_read_says_what_and_where(text, what, where):
    with pytest.raises(ReadError, match="|".join([what])) as refused:
        read(text)
    assert refused.value.where == where


def test_files_of_other_code_pages_and_with_a_mark_at_the_start():
    text = "Punkt;name;dE (mm);dN (mm);dU (mm)\nä;K1;1;2;3\n"
    for data in (text.encode("utf-8-sig"), text.encode("utf-16"), text.encode("cp1252")):
        assert told(read_residuals(data, PLAN))["K1"].d == pytest.approx((0.001, 0.002, 0.003))


HEADS = {
    "words": ("east error", "north error", "height error"),
    "letters": ("dE", "dN", "dU"),
    "axes": ("dx", "dy", "dz"),
    "camel": ("residualEast", "residualNorth", "residualUp"),
    "under": ("error_e", "error_n", "error_h"),
}
FACTORS = {"m": 1.0, "mm": 1000.0, "cm": 100.0, "ft": 1 / 0.3048, "us-ft": 3937 / 1200}


@pytest.mark.parametrize("seed", range(60))
def test_any_habit_reads_back_the_same_or_is_asked(seed):
    """Delimiter, decimal mark, heads, unit, order of columns, line ends, columns beside: drawn by chance."""
    chance = random.Random(seed)
    mark, decimal = chance.choice([(",", "."), (";", "."), (";", ","), ("\t", "."), ("\t", ","), ("|", ".")])
    unit = chance.choice(list(FACTORS))
    some = chance.sample(NAMES, chance.randint(1, len(NAMES)))
    d = {name: [round(chance.uniform(-0.2, 0.2), 5) for _ in range(3)] for name in some}
    heads = [f"{h} [{unit}]" for h in HEADS[chance.choice(list(HEADS))]]
    columns = [("point name", lambda n: n)]
    columns += [(h, lambda n, k=k: f"{d[n][k] * FACTORS[unit]:.9f}".replace(".", decimal)) for k, h in enumerate(heads)]
    columns += [("sigma east", lambda n: "0"), ("remarks", lambda n: "ok"), ("images", lambda n: "7")]
    chance.shuffle(columns)
    lines = [mark.join(h for h, _ in columns), *(mark.join(cell(n) for _, cell in columns) for n in some)]
    end = chance.choice(["\n", "\r\n"])
    found = read(end.join(["exported table", *lines, ""]))
    assert found.asks == ""
    for name in NAMES:
        row = told(found)[name]
        if name in some:
            assert row.d == pytest.approx(d[name], abs=1e-8) and row.images == 7
        else:
            of_checks = name.startswith("G") and not any(n.startswith("G") for n in some)
            assert (row.d, row.used) == (None, "adjusted" if of_checks else "unused")


LOCAL = delivered_in(local_grid(noisy=False, name="Site grid"))  # turned by 0.3 radians against the job's
D = np.array([[0.012, -0.004, 0.010], [-0.003, 0.009, -0.006]])


def along_local(d):
    """Differences in the job's grid as the local one has them, by two places a difference apart."""
    system = local_system(LOCAL.brief.local)
    foot = np.array([[p.e, p.n, 4.0] for p in LOCAL.checks[: len(d)]])
    there = np.column_stack(system.there(*(foot + d).T)) - np.column_stack(system.there(*foot.T))
    return there, np.column_stack(system.there(*foot.T))


def test_residuals_along_a_turned_local_grid_are_asked_about_and_come_to_the_jobs_axes():
    turned, _ = along_local(D)
    rows = "".join(f"{p.name},{','.join(f'{v:.7f}' for v in d)}\n" for p, d in zip(LOCAL.checks, turned, strict=False))
    text = f"point,dE (m),dN (m),dU (m)\n{rows}".encode()
    open_ = read_residuals(text, LOCAL)
    assert "local grid?" in open_.asks and [a.id for a in open_.axes] == ["grid", "local"]
    found = read_residuals(text, LOCAL, axes="local")
    assert not found.asks and any("Site grid, as you say" in line for line in found.how)
    got = np.array([told(found)[p.name].d for p in LOCAL.checks[:2]])
    assert got[:, :2] == pytest.approx(D[:, :2], abs=1e-6)
    assert np.linalg.norm(got[:, :2] - turned[:, :2]) > 0.003, "it makes a difference"
    assert told(read_residuals(text, LOCAL, axes="grid"))["K1"].d == pytest.approx(tuple(turned[0]), abs=1e-6)


def test_coordinates_beside_the_residuals_tell_their_axes():
    turned, at = along_local(D)
    for axes, d, place in (
        ("Site grid", turned, at),
        ("UTM", D, np.array([[p.e, p.n, 4.0] for p in LOCAL.checks[:2]])),
    ):
        rows = "".join(
            f"{p.name},{','.join(f'{v:.6f}' for v in (*x, *(x + r)))}\n"
            for p, r, x in zip(LOCAL.checks, d, place, strict=False)
        )
        head = "point,surveyed E (m),surveyed N (m),surveyed H (m),computed E (m),computed N (m),computed H (m)\n"
        found = read_residuals((head + rows).encode(), LOCAL)
        assert not found.asks and any(axes in line and "beside" in line for line in found.how)
        assert told(found)["K2"].d[:2] == pytest.approx(tuple(D[1, :2]), abs=2e-6)


def test_a_local_grid_that_is_not_turned_asks_nothing():
    straight = LocalGrid(kind="stated", factor=1.0002, e0=E0, n0=N0, move_e=100, move_n=200)
    assert read_residuals(b"point,dE (m),dN (m),dU (m)\nK1,0.01,0.02,0.03\n", delivered_in(straight)).axes == []


def test_a_list_of_checks_alone_leaves_the_targets_adjusted_as_planned():
    """It had dropped all control: the prediction of what was done had no target, and a blunder looked ordinary."""
    found = read("point,dE mm,dN mm,dH mm\nK1,3,-2,5\nK2,-121,4,2\n")
    assert {(told(found)[f"G{k}"].used, told(found)[f"G{k}"].known) for k in range(1, 6)} == {
        ("adjusted", "as planned")
    }
    assert (told(found)["K3"].used, told(found)["K3"].known) == ("unused", "not in the file")
    assert any("all are taken to have adjusted" in words for words in found.how)
    some = read("point,dE mm,dN mm,dH mm\nK1,3,-2,5\nG1,1,1,1\n")
    assert told(some)["G2"].used == "unused" and told(some)["G1"].used == "adjusted"
