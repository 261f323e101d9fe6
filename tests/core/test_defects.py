"""A network with a defect is told as what it is, never as a number."""

import json

import numpy as np
import pytest

from kardo.cli import main
from kardo.core.accuracy.network import network_from_json
from kardo.core.accuracy.solution import DefectiveNetwork, solve
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
    assert "three targets" in " ".join(d.mend for d in found)


def test_free_focal_length_over_flat_ground_without_heights():
    """Straight down over flat ground, positions observed with a free height shift: focal length and height trade off."""
    data = block_json(seed=4, targets=0, relief=0.0, sigma_io=(None, 2, 2, 3e-4, 3e-4, 2e-5, 2e-5))
    for e in data["exposures"]:
        e["c"][2], e["ypr"][1], e["ypr"][2] = 80.0, -90.0, 0.0
    for p in data["points"]:
        p["x"][2] = 0.0
    data["shifts"][2]["sigma"] = data["shifts"][3]["sigma"] = [0.006, 0.006, None]
    data["shifts"][0]["sigma"][2] = None
    assert "focal length" in words(data)


def test_leg_tied_to_nothing():
    data = block_json(seed=6)
    data["shifts"].append({"name": "leg 3", "sigma": [None, None, None]})
    assert "leg 3" in words(data)


def test_camera_used_by_nobody():
    data = block_json(seed=6)
    data["cameras"] = [data["camera"], {"f_px": 3000.0, "sigma_io": [None] * 7}]
    assert "camera 2" in words(data)


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


def test_ill_conditioned_but_regular_in_extended_precision():
    """A weak single strip: figures agree with the same normal equations inverted with fifty digits."""
    from mpmath import matrix, mp

    from tests.core.dense import Dense

    data = block_json(rows=1, columns=5, seed=21, targets=2, checks=1, sigma_io=(300, 30, 30, 0.5, 0.5, 0.05, 0.05))
    solution = solve(network_from_json(data))
    dense = Dense(data)
    mp.dps = 50
    exact = np.array((matrix(dense.normal.tolist()) ** -1).tolist(), dtype=float)
    for j in list(dense.point_at)[:6]:
        k = dense.point_at[j]
        want = exact[k : k + 3, k : k + 3]
        got = solution.point_covariances(np.array([j]))[0]
        assert np.allclose(got, want, rtol=1e-5, atol=1e-5 * np.abs(want).max())
