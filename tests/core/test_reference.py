"""The reference networks, whose answers come from an independent computation, through the command line."""

import json
from pathlib import Path

import numpy as np
import pytest

from kardo.cli import main

REFERENCE = Path(__file__).parents[1] / "reference"
CASES = ["flat_block", "hill_oblique_two_bases", "deformed_five_targets", "two_cameras_two_bases", "distant_base"]


@pytest.fixture(scope="module", params=CASES)
def case(request, tmp_path_factory):
    out = tmp_path_factory.mktemp("result") / "result.json"
    status = main(["predict", "--network-in", str(REFERENCE / f"{request.param}.network.json"), "--json", str(out)])
    assert status == 0
    return json.loads(out.read_text()), json.loads((REFERENCE / f"{request.param}.result.json").read_text())


def test_covariance_of_every_point(case):
    result, expected = case
    assert len(result["cov"]) == len(expected["cov"])
    for got, want in zip(result["cov"], expected["cov"], strict=True):
        assert np.allclose(got, want, rtol=1e-6, atol=1e-6 * np.abs(want).max())


def test_joint_covariance_as_the_checks_see_it(case):
    result, expected = case
    assert np.allclose(result["seen"], expected["seen"], rtol=1e-6, atol=1e-6 * np.abs(expected["seen"]).max())


def test_interior_parameters(case):
    result, expected = case
    assert np.allclose(result["sigma_io"], expected["sigma_io"], rtol=1e-6)


@pytest.mark.parametrize("name", CASES)
def test_network_survives_writing_and_reading(name):
    from kardo.core.accuracy.equation.network import network_from_json
    from kardo.core.accuracy.prediction import predict_network

    net = network_from_json(json.loads((REFERENCE / f"{name}.network.json").read_text()))
    again = network_from_json(json.loads(json.dumps(net.to_json())))
    assert np.allclose(predict_network(again)["seen"], predict_network(net)["seen"], rtol=1e-9)
