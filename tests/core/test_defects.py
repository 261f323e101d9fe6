"""A network with a defect is told as what it is, never as a number."""

import json
from decimal import Decimal, getcontext

import numpy as np
import pytest

from kardo.cli import main
from kardo.core.accuracy.equation.defects import spans
from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.equation.solution import DefectiveNetwork, solve
from tests.conftest import block_json


def defects(data):
    with pytest.raises(DefectiveNetwork) as caught:
        solve(network_from_json(data))
    return caught.value.defects


def words(data):
    return " ".join(f"{d.words} {d.mend}" for d in defects(data))


def test_no_datum():
    found = defects(block_json(sigma_c=None, targets=0))
    assert [d.kind for d in found] == ["datum"]
    assert "no datum" in found[0].words


@pytest.mark.parametrize("targets", [1, 2])
def test_too_few_targets_without_positions(targets):
    found = defects(block_json(sigma_c=None, targets=targets))
    assert {d.kind for d in found} <= {"datum", "combination"}
    assert "three control points" in " ".join(d.mend for d in found)


def test_free_focal_length_over_flat_ground_without_heights():
    """Straight down over flat ground, positions observed with a free height shift: focal length and height trade
    off."""
    data = block_json(seed=4, targets=0, relief=0.0, sigma_io=(None, 2, 2, 3e-4, 3e-4, 2e-5, 2e-5))
    for e in data["exposures"]:
        e["c"][2], e["ypr"][1], e["ypr"][2] = 80.0, -90.0, 0.0
    for p in data["points"]:
        p["x"][2] = 0.0
    data["shifts"][2]["sigma"] = data["shifts"][3]["sigma"] = [0.006, 0.006, None]
    data["shifts"][0]["sigma"][2] = None
    assert "focal length" in words(data)


def test_free_focal_length_with_cameras_held_and_no_target():
    data = block_json(seed=4, targets=0, relief=0.0, sigma_io=(None, 2, 2, 3e-4, 3e-4, 2e-5, 2e-5))
    for e in data["exposures"]:
        e["c"][2], e["ypr"][1], e["ypr"][2] = 80.0, -90.0, 0.0
    for p in data["points"]:
        p["x"][2] = 0.0
    found = defects(data)
    assert [d.kind for d in found] == ["focal length"] and "depth of the ground" in found[0].words
    data["exposures"][0]["ypr"][1] = -60.0  # one oblique image is enough to settle it
    solve(network_from_json(data))


def test_shift_that_nothing_hangs_on():
    data = block_json(seed=6)
    data["shifts"].append({"name": "sortie 3", "sigma": [None, None, None]})
    assert "sortie 3" in words(data)


def two_blocks(sigma_c, shifts):
    """Two blocks 2 km apart, without a tie point in common; the second has no target."""
    data, other = block_json(seed=3), block_json(seed=4)
    n = len(data["exposures"])
    for e in other["exposures"]:
        c = [e["c"][0] + 2000, *e["c"][1:]]
        data["exposures"].append({"c": c, "ypr": e["ypr"], "sigma_c": sigma_c, "shifts": shifts})
    for p in other["points"]:
        if p["name"].startswith("t"):
            x = [p["x"][0] + 2000, *p["x"][1:]]
            data["points"].append({"name": p["name"], "x": x, "sigma_px": 0.7, "rays": [i + n for i in p["rays"]]})
    return data


def test_leg_tied_to_nothing():
    found = defects(two_blocks(None, []))
    assert [d.kind for d in found] == ["untied"]
    assert "exposures 12 to 23" in found[0].words and "overlap" in found[0].mend


def test_leg_whose_own_error_is_unknown():
    data = two_blocks([0.01, 0.01, 0.015], [0, 5])
    data["shifts"].append({"name": "sortie 3", "sigma": [None, None, None]})
    found = defects(data)
    assert len(found) == 3, "east, north and height"
    assert all("exposures 12 to 23" in d.words and "sortie 3" in d.words for d in found)


def test_exposures_in_words():
    assert spans(np.array([4])) == "exposure 4"
    assert spans(np.array([7, 3, 4, 5, 9])) == "exposures 3 to 5, 7, 9"
    assert spans(np.arange(0, 20, 2)).endswith("and 6 more runs")


def test_camera_used_by_nobody():
    data = block_json(seed=6)
    data["cameras"] = [data["camera"], {"f_px": 3000.0, "sigma_io": [None] * 7}]
    assert "camera {camera/2}" in words(data)


def test_all_exposures_without_rays():
    data = block_json(seed=6)
    for p in data["points"]:
        p["rays"] = p["rays"][:0]
    assert defects(data)[0].kind == "no exposures"


def test_a_prior_is_no_defect():
    """A weak but regular network gives figures: the lens never calibrated, held by its wide prior."""
    net = network_from_json(block_json(seed=9, targets=0, sigma_io=(3000, 300, 300, 1.0, 1.0, 0.1, 0.1)))
    assert np.isfinite(solve(net).point_covariances(np.array([0]))).all()


def test_exit_status_three_and_no_figures(tmp_path, capsys):
    file, out = tmp_path / "network.json", tmp_path / "result.json"
    file.write_text(json.dumps(block_json(sigma_c=None, targets=0)))
    assert main(["predict", "--network-in", str(file), "--json", str(out)]) == 3
    result = json.loads(out.read_text())
    assert set(result) == {"defects"}
    assert "no datum" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("spoil", "where"),
    [
        (lambda d: d["points"][0].update(rays=[999]), "rays"),
        (lambda d: d["points"][0].update(sigma_px=0), "sigma_px"),
        (lambda d: d["exposures"][0].update(c=[0, 0]), ""),
        (lambda d: d["exposures"][0].update(c=[0, 0, -500]), "rays"),
        (lambda d: d["shifts"][0].update(sigma=[1, 1, -1]), "shifts"),
        (lambda d: d.pop("camera"), ""),
    ],
)
def test_malformed_networks_name_what_is_wrong(spoil, where):
    from kardo.core.errors import NetworkError

    data = block_json(seed=1)
    spoil(data)
    with pytest.raises(NetworkError) as caught:
        network_from_json(data)
    assert where in str(caught.value)


def solved_with_fifty_digits(matrix, right):
    """By elimination, without pivots: of a matrix (n, n) that is symmetric and positive."""
    getcontext().prec = 50
    n = len(matrix)
    rows = [[Decimal(v) for v in row] for row in np.hstack([matrix, right]).tolist()]
    for k in range(n):
        for row in rows[k + 1 :]:
            if part := row[k] / rows[k][k]:
                row[k:] = [a - part * b for a, b in zip(row[k:], rows[k][k:], strict=True)]
    out = [[]] * n
    for k in reversed(range(n)):
        known = [
            sum((a * x[c] for a, x in zip(rows[k][k + 1 : n], out[k + 1 :], strict=True)), Decimal(0))
            for c in range(right.shape[1])
        ]
        out[k] = [(r - s) / rows[k][k] for r, s in zip(rows[k][n:], known, strict=True)]
    return np.array(out, dtype=float)


def test_ill_conditioned_but_regular_in_extended_precision():
    """A weak single flight line: figures agree with the same normal equations solved with fifty digits."""
    from tests.core.dense import Dense

    data = block_json(rows=1, columns=5, seed=21, targets=2, checks=1, sigma_io=(300, 30, 30, 0.5, 0.5, 0.05, 0.05))
    solution = solve(network_from_json(data))
    dense = Dense(data)
    places = list(dense.point_at)[:6]
    columns = [dense.point_at[j] + axis for j in places for axis in range(3)]
    exact = solved_with_fifty_digits(dense.normal, np.eye(dense.size)[:, columns])
    for i, j in enumerate(places):
        k = dense.point_at[j]
        want = exact[k : k + 3, 3 * i : 3 * i + 3]
        got = solution.point_covariances(np.array([j]))[0]
        assert np.allclose(got, want, rtol=1e-5, atol=1e-5 * np.abs(want).max())
