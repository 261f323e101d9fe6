"""NETWORK.json beyond the reference cases: several cameras, inertial units, free parameters, points that take no
part."""

import json

import numpy as np
import pytest

from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.equation.solution import solve
from kardo.core.accuracy.prediction import predict_network
from kardo.core.errors import NetworkError
from tests.conftest import block_json

STIFF = [1e-6, 1e-6, 1e-6, 1e-12, 1e-12, 1e-12, 1e-12]


def answer(data):
    return predict_network(network_from_json(data))


def covariances(data):
    return np.array([c for c in answer(data)["cov"] if c is not None])


def test_two_cameras_known_for_certain_are_as_good_as_one():
    one = block_json(seed=2, sigma_io=STIFF)
    two = json.loads(json.dumps(one))
    two["cameras"] = [two["camera"], dict(two["camera"])]
    for k, e in enumerate(two["exposures"]):
        e["camera"] = k % 2
    assert np.allclose(covariances(one), covariances(two), rtol=1e-6)
    assert len(answer(two)["sigma_io"]) == 14


def test_a_second_camera_of_its_own_is_another_thing_to_find_out():
    one = block_json(seed=2, sigma_io=(30, 30, 30, 5e-2, 5e-2, 1e-3, 1e-3))
    two = json.loads(json.dumps(one))
    two["cameras"] = [two["camera"], dict(two["camera"])]
    for k, e in enumerate(two["exposures"]):
        e["camera"] = int(k >= len(two["exposures"]) // 2)
    assert np.trace(covariances(two).mean(axis=0)) > np.trace(covariances(one).mean(axis=0))
    again = network_from_json(json.loads(json.dumps(network_from_json(two).to_json())))
    assert again.camera.tolist() == [e["camera"] for e in two["exposures"]]


def test_an_inertial_unit_helps_and_its_three_angles_keep_their_order():
    data = block_json(seed=7, rows=2, targets=0)
    plain = covariances(data)
    for e in data["exposures"]:
        e["sigma_att"] = [0.005, 0.006, 0.03]  # roll, pitch, yaw, in degrees
    net = network_from_json(data)
    assert np.degrees(net.sigma_att[0]) == pytest.approx([0.006, 0.03, 0.005]), "kept about right, down, forward"
    assert net.to_json()["exposures"][0]["sigma_att"] == pytest.approx([0.005, 0.006, 0.03])
    assert np.trace(covariances(data).mean(axis=0)) < np.trace(plain.mean(axis=0))


def test_attitude_about_the_optical_axis_of_a_vertical_image_is_its_azimuth():
    """The angle about forward turns a straight-down image about the vertical; known well, it leaves plan errors
    smaller."""
    figures = []
    for sigma in ([1e-4, 5.0, 5.0], [5.0, 5.0, 1e-4]):
        data = block_json(seed=9, rows=1, columns=5, targets=0, checks=0)
        for e in data["exposures"]:
            e["ypr"] = [e["ypr"][0], -90.0, 0.0]
            e["sigma_att"] = sigma
        solution = solve(network_from_json(data))
        y = np.zeros((solution.factor.n, 1))
        y[2] = 1.0  # the first exposure's angle about forward
        forward, *_ = solution.factor.forward(y, np.zeros((solution.factor.m.shape[0], 1)))
        figures.append(float(np.degrees(np.sqrt((forward**2).sum()))))
    assert figures[0] == pytest.approx(1e-4, rel=0.05)
    assert figures[1] > 10 * figures[0]


def test_a_prior_of_null_is_free_and_a_wide_one_is_nearly_so():
    free = block_json(seed=12, targets=5, oblique=True, sigma_io=(None,) * 7)
    wide = block_json(seed=12, targets=5, oblique=True, sigma_io=(1e5, 1e5, 1e5, 1e3, 1e3, 1e3, 1e3))
    assert np.allclose(covariances(free), covariances(wide), rtol=1e-4)


def test_a_tie_point_of_one_ray_takes_no_part():
    data = block_json(seed=4)
    before = answer(data)
    data["points"].append({"name": "lone", "x": data["points"][0]["x"], "sigma_px": 0.7, "rays": [0]})
    after = answer(data)
    assert after["cov"][-1] is None
    assert np.allclose(before["seen"], after["seen"], rtol=1e-12)


def test_a_survey_of_a_point_that_no_image_sees_is_its_own_answer():
    data = block_json(seed=4)
    data["points"].append(
        {"name": "pin", "x": [0, 0, 0], "sigma_px": 0.5, "rays": [], "sigma_x": [0.01, 0.02, 0.03], "shifts": []}
    )
    assert np.allclose(answer(data)["cov"][-1], np.diag([1e-4, 4e-4, 9e-4]))


def test_a_check_point_lends_the_network_nothing():
    data = block_json(seed=6, checks=3)
    without = json.loads(json.dumps(data))
    for p in without["points"]:
        if p.get("check"):
            p["rays"] = []
    without["checks"] = []
    ties = [k for k, p in enumerate(data["points"]) if not p.get("check")]
    one, other = answer(data)["cov"], answer(without)["cov"]
    assert all(np.allclose(one[k], other[k], rtol=1e-10) for k in ties if one[k] is not None)


@pytest.mark.parametrize(
    ("spoil", "where"),
    [
        (lambda d: d.update(cameras=[d["camera"]] * 2) or d["exposures"][0].update(camera=7), "camera"),
        (lambda d: d["exposures"][0].update(sigma_att=[0.1, 0.0, 0.1]), "sigma_att"),
        (lambda d: d["checks"][0].update(point=10**6), "point of checks"),
        (lambda d: d["checks"][0].update(sigma_x=[0.1, 0.1]), ""),
        (lambda d: d["camera"].update(sigma_io=[1, 2, 3]), ""),
        (lambda d: d.update(points=None), ""),
    ],
)
def test_what_does_not_fit_is_named(spoil, where):
    data = block_json(seed=1)
    spoil(data)
    with pytest.raises(NetworkError) as caught:
        network_from_json(data)
    assert where in str(caught.value)
