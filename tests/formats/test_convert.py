"""Lists of points from file to file and from grid to grid, as the command does it: to a tenth of a millimetre, or asked
about."""

import csv
import io
import json
import subprocess
import sys

import numpy as np
import pytest
from pyproj import Transformer

from kardo.cli import main
from kardo.core.control.met import met_by
from kardo.core.errors import GeodesyError, ReadError
from kardo.core.geodesy.crs import grid
from kardo.formats.lists import point_list_csv, template_of
from kardo.formats.points import read_any_points
from tests.conftest import E0, N0, small_plan

ROWS = [("G1", N0 + 10.1234, E0 + 50.5678, 3.21, "GCP"), ("K1", N0 + 90.5, E0 + 150.25, 4.5, "CHECK")]
PLAIN = "point,N,E,Z,code\n" + "".join(f"{n},{a:.4f},{b:.4f},{h},{c}\n" for n, a, b, h, c in ROWS)
HABITS = {
    "plain": PLAIN.encode(),
    "windows": b"\xef\xbb\xbf" + PLAIN.replace("\n", "\r\n").encode(),
    "comma decimals": PLAIN.replace(",", ";").replace(".", ",").encode(),
    "tabs": PLAIN.replace(",", "\t").encode(),
    "east first": ("id E N H code\n" + "".join(f"{n} {b:.4f} {a:.4f} {h} {c}\n" for n, a, b, h, c in ROWS)).encode(),
}


def converted(tmp_path, data, name="in.csv", out="out.csv", **options):
    (tmp_path / name).write_bytes(data)
    said = [word for key, value in options.items() for word in (f"--{key.replace('_', '-')}", value)]
    status = main(["convert", str(tmp_path / name), str(tmp_path / out), "--crs", "EPSG:25828", *said])
    return status, tmp_path / out


def rows_of(path, unit=1.0):
    return [
        (r["point"], float(r["N"]) * unit, float(r["E"]) * unit, float(r["Z"] or "nan") * unit, r["code"])
        for r in csv.DictReader(io.StringIO(path.read_text()))
    ]


def same(got, wanted, within=1e-4):
    assert [(r[0], r[4]) for r in got] == [(r[0], r[4]) for r in wanted]
    for a, b in zip(got, wanted, strict=True):
        assert a[1:3] == pytest.approx(b[1:3], abs=within)
        assert a[3] == (b[3] if not isinstance(b[3], float) else pytest.approx(b[3], abs=within, nan_ok=True))


@pytest.mark.parametrize("habit", HABITS)
def test_lists_of_every_habit_come_out_alike(tmp_path, habit):
    status, out = converted(tmp_path, HABITS[habit])
    assert status == 0
    same(rows_of(out), ROWS)


@pytest.mark.parametrize("end", ["csv", "geojson", "kml", "kmz", "gpx", "gpkg", "dxf"])
def test_there_and_back_over_each_format_moves_no_point_by_a_tenth_of_a_millimetre(tmp_path, end):
    _, there = converted(tmp_path, HABITS["plain"], out=f"there.{end}")
    status, back = converted(tmp_path, there.read_bytes(), name=f"there.{end}", out="back.csv")
    assert status == 0
    heights = end not in ("kml", "kmz", "gpx")  # which say not above what they are, and are not believed
    same(rows_of(back), [(*r[:3], r[3] if heights else float("nan"), r[4]) for r in ROWS])


@pytest.mark.parametrize(("unit", "metres"), [("ft", 0.3048), ("us-ft", 1200 / 3937), ("ind-ft", 0.3047995)])
@pytest.mark.parametrize("end", ["gpkg", "dxf"])
def test_a_job_in_feet_comes_back_from_each_format(tmp_path, end, unit, metres):
    feet = "".join(f"{n},{a / metres:.6f},{b / metres:.6f},{h / metres:.6f},{c}\n" for n, a, b, h, c in ROWS)
    _, there = converted(tmp_path, f"point,N,E,Z,code\n{feet}".encode(), out=f"there.{end}", unit=unit)
    status, back = converted(tmp_path, there.read_bytes(), name=f"there.{end}", out="back.csv", unit=unit)
    assert status == 0
    same(rows_of(back, metres), ROWS)


@pytest.mark.parametrize(
    ("columns", "separator", "decimals", "header", "first"),
    [
        ("P,N,E,Z,C", "comma", "point", True, "point,N,E,Z,code"),
        ("P,E,N,Z,C", "semicolon", "comma", False, f"G1;{E0 + 10:.4f};{N0 + 10:.4f};".replace(".", ",")),
        ("N,E,P", "tab", "point", False, f"{N0 + 10:.4f}\t{E0 + 10:.4f}\tG1"),
    ],
)
def test_a_list_for_a_controller_is_laid_out_as_it_wants_it_and_reads_back(columns, separator, decimals, header, first):
    text = point_list_csv(small_plan(), template_of(columns, separator, decimals, header))
    assert text.startswith(first)
    if header:
        found = read_any_points(text.encode(), "", grid("EPSG:25828", "EPSG:5773"), "m", (E0, N0))
        assert [p.name for p in found.points][:9] == [p.name for p in small_plan().control]


@pytest.mark.parametrize(
    "wrong",
    [("P,N", "comma", "point"), ("P,N,E,E", "comma", "point"), ("P,N,E", "comma", "comma"), ("P,N,E", "|", "point")],
)
def test_a_layout_that_could_not_be_read_back_is_refused(wrong):
    with pytest.raises(ReadError):
        template_of(*wrong, header=True)


def test_a_transformation_that_nobody_knows_the_worth_of_is_asked_about(tmp_path, capsys):
    """From a datum to which PROJ knows no more than a ballpark here."""
    crs = {"type": "name", "properties": {"name": "EPSG:4267"}}
    feature = {"type": "Feature", "geometry": {"type": "Point", "coordinates": [-13.4, 46.3]}, "properties": {}}
    data = json.dumps({"type": "FeatureCollection", "crs": crs, "features": [feature]}).encode()
    status, out = converted(tmp_path, data, name="in.geojson")
    assert status == 2 and "hundreds of metres" in capsys.readouterr().err and not out.exists()
    said = ["convert", str(tmp_path / "in.geojson"), str(out), "--crs", "EPSG:25828", "--approximate"]
    assert main(said) == 0 and len(rows_of(out)) == 1


def test_points_brought_in_are_held_against_those_that_are_there():
    plan = small_plan()
    g1 = plan.control[0]
    met = met_by(
        plan,
        [
            ("new", g1.e + 30, g1.n),
            ("X", g1.e + 0.1, g1.n),
            ("g1", g1.e + 50, g1.n),
            ("again", g1.e + 30.2, g1.n),
            ("far", E0 + 9000, N0),
        ],
    )
    assert [(m.same, m.twice, m.named, m.about) for m in met] == [
        ("", None, "", True), ("G1", None, "", True), ("", None, "G1", True), ("", 0, "", True), ("", None, "", False),
    ]  # fmt: skip


def test_another_grid_is_what_proj_makes_of_it(tmp_path):
    status, out = converted(tmp_path, HABITS["plain"], to_crs="EPSG:3035")
    assert status == 0
    to = Transformer.from_crs("EPSG:25828", "EPSG:3035", always_xy=True)
    wanted = []
    for name, n, e, h, code in ROWS:
        x, y = to.transform(e, n)
        wanted.append((name, y, x, h, code))
    same(rows_of(out), wanted)


def test_ellipsoidal_heights_cross_datums_with_their_accuracy_and_those_of_one_system_as_they_are(tmp_path, capsys):
    status, out = converted(tmp_path, HABITS["plain"], to_crs="EPSG:32628")
    assert status == 0 and "Ellipsoidal heights by “ETRS89 to WGS 84 (1)”, good to 1 m." in capsys.readouterr().out
    assert [r[3] for r in rows_of(out)] == pytest.approx([3.21, 4.5], abs=1e-3), "two datums, one shape of ellipsoid"
    _, kept = converted(tmp_path, HABITS["plain"], to_crs="EPSG:32628", heights="EPSG:5773")
    assert [r[3] for r in rows_of(kept)] == [3.21, 4.5]


def test_what_fits_two_ways_is_asked_with_the_ways_and_taken_when_said(tmp_path, capsys):
    """A grid that is as wide as high: both orders fit."""
    list_, out = tmp_path / "p.txt", tmp_path / "o.csv"
    list_.write_text("P1 500300 480400\n")
    asked = ["convert", str(list_), str(out), "--crs", "EPSG:2180"]
    assert main(asked) == 2 and not out.exists(), "nothing is written before it is known"
    assert "name-n-e-m-m-west" in capsys.readouterr().err
    assert main([*asked, "--way", "name-n-e-m-m-west"]) == 0
    assert rows_of(out)[0][1:3] == (500_300.0, 480_400.0)


@pytest.mark.parametrize(
    ("data", "out", "said"),
    [
        (b"", "o.csv", {}),
        (b"nothing here", "o.csv", {}),
        (PLAIN.encode(), "o.dwg", {}),
        (PLAIN.encode(), "o.csv", {"unit": "cubit"}),
        (PLAIN.encode(), "o.csv", {"to_crs": "EPSG:4326"}),
        (PLAIN.encode(), "o.csv", {"to_crs": "EPSG:25832"}),
    ],
)
def test_what_cannot_be_is_refused_and_nothing_is_written(tmp_path, capsys, data, out, said):
    status, path = converted(tmp_path, data, out=out, **said)
    assert status == 1 and not path.exists() and capsys.readouterr().err.startswith("kardo: ")


def test_feet_come_out_in_the_feet_they_went_in(tmp_path):
    feet = "point,N,E,Z,code\n" + "".join(
        f"{n},{a / 0.3048:.4f},{b / 0.3048:.4f},{h / 0.3048:.4f},{c}\n" for n, a, b, h, c in ROWS
    )
    status, out = converted(tmp_path, feet.encode(), unit="ft", way="name-n-e-h-code-ft-ft-west")
    assert status == 0
    same(rows_of(out, 0.3048), ROWS)


def test_a_height_that_is_not_known_is_left_out_and_never_a_nought(tmp_path):
    bare = b"point,N,E\nG1,5128310,622950\n"
    assert rows_of(converted(tmp_path, bare)[1])[0][3] != 0
    place = json.loads(converted(tmp_path, bare, out="o.geojson")[1].read_text())["features"][0]
    assert len(place["geometry"]["coordinates"]) == 2 and place["properties"]["height_m"] is None


def test_an_ellipsoidal_height_comes_to_the_other_datums_ellipsoid_from_every_reader_alike(tmp_path):
    """From WGS 84 to Airy's ellipsoid some 49 m lie between: GeoJSON had kept the number, a list had lost it."""
    place = (-2.5, 53.0, 150.0)
    there = Transformer.from_crs("EPSG:4979", "EPSG:7405", always_xy=True)
    assert there is not None
    feature = {"type": "Feature", "properties": {"name": "A"}, "geometry": {"type": "Point", "coordinates": place}}
    (tmp_path / "a.geojson").write_text(json.dumps({"type": "FeatureCollection", "features": [feature]}))
    utm = Transformer.from_crs("EPSG:4326", "EPSG:32630", always_xy=True).transform(*place[:2])
    (tmp_path / "a.csv").write_text(f"point,E,N,Z\nA,{utm[0]:.4f},{utm[1]:.4f},{place[2]}\n")
    heights = []
    for name in ("a.geojson", "a.csv"):
        words = ["--crs", "EPSG:32630", "--to-crs", "EPSG:27700", "--heights", "ellipsoidal", "--approximate"]
        assert main(["convert", str(tmp_path / name), str(tmp_path / "out.csv"), *words]) == 0
        heights.append(rows_of(tmp_path / "out.csv")[0][3])
    airy = Transformer.from_crs("EPSG:4979", "+proj=longlat +datum=OSGB36 +type=crs", always_xy=True)
    assert heights[0] == pytest.approx(heights[1], abs=0.02)
    assert 45 < place[2] - heights[0] < 52, airy.transform(*place)
    assert heights[0] == pytest.approx(on_airy(*place), abs=3.0)


def on_airy(lon, lat, h):
    """The height above Airy's ellipsoid by the published shift of seven parameters (EPSG 1314, reversed), written
    out."""
    from math import cos, radians, sin

    def cart(lon, lat, h, a, f):
        e2, p, q = f * (2 - f), radians(lat), radians(lon)
        v = a / (1 - e2 * sin(p) ** 2) ** 0.5
        return np.array([(v + h) * cos(p) * cos(q), (v + h) * cos(p) * sin(q), (v * (1 - e2) + h) * sin(p)])

    xyz = cart(lon, lat, h, 6378137.0, 1 / 298.257223563)
    shift, scale = np.array([-446.448, 125.157, -542.06]), 20.4894e-6
    rx, ry, rz = (radians(s / 3600) for s in (-0.15, -0.247, -0.8421))
    turned = np.array([[1, -rz, ry], [rz, 1, -rx], [-ry, rx, 1]])
    x, y, z = shift + (1 + scale) * turned @ xyz
    a, f = 6377563.396, 1 / 299.3249646
    e2, p = f * (2 - f), np.hypot(x, y)
    lat_r = np.arctan2(z, p * (1 - e2))
    for _ in range(8):
        v = a / np.sqrt(1 - e2 * np.sin(lat_r) ** 2)
        lat_r = np.arctan2(z + e2 * v * np.sin(lat_r), p)
    return p / np.cos(lat_r) - v


def test_points_of_a_neighbouring_zone_are_brought_there_and_a_job_says_which_grid_is_made_for_them(tmp_path):
    """Typed in zone 29, lying in 28: no fault of order or unit, and the way out is named."""
    lon, lat = -14.5, 46.0
    e, n = (float(v) for v in Transformer.from_crs("EPSG:4326", "EPSG:25829", always_xy=True).transform(lon, lat))
    with pytest.raises(GeodesyError, match=r"zone 28N.*They lie in the zone beside: `kardo convert`"):
        grid("EPSG:25829", "ellipsoidal").require_inside(np.array([e]), np.array([n]), "points")
    (tmp_path / "west.csv").write_text(f"point,E,N\nA,{e:.4f},{n:.4f}\n")
    words = ["--crs", "EPSG:25829", "--to-crs", "EPSG:25828"]
    assert main(["convert", str(tmp_path / "west.csv"), str(tmp_path / "out.csv"), *words]) == 0
    east, north = Transformer.from_crs("EPSG:4326", "EPSG:25828", always_xy=True).transform(lon, lat)
    assert rows_of(tmp_path / "out.csv")[0][1:3] == pytest.approx((north, east), abs=2e-4)


def test_a_reader_that_stops_reading_is_no_fault():
    """`kardo check … | head` ended with "None: Broken pipe"."""
    command = (
        f"{sys.executable} -c 'import sys; from kardo.cli import main; sys.exit(main())' demo-plan sallow-bank | head"
        " -c 1"
    )
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, check=False)
    assert done.stdout == "{" and done.stderr == ""
