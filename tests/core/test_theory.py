"""Published theory that the prediction must reproduce."""

import numpy as np
import pytest

from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.equation.solution import solve
from kardo.core.accuracy.prediction import predict_network

FIXED = [1e-6] * 3  # an interior known so well that it takes no part
STIFF = (*FIXED, 1e-12, 1e-12, 1e-12, 1e-12)


def stereo_pair(base, height, sigma_px, point, f=3600.0):
    """Two exposures of known position and attitude, and one point: the normal case."""
    ties = [[x, y, 0.0] for x in np.linspace(-10, base + 10, 4) for y in (-20.0, 20.0)]
    data = {
        "camera": {"f_px": f, "sigma_io": STIFF},
        "shifts": [],
        "exposures": [
            {
                "c": [x, 0.0, height],
                "ypr": [90.0, -90.0, 0.0],
                "sigma_c": [1e-7] * 3,
                "sigma_att": [1e-7] * 3,
                "shifts": [],
            }
            for x in (0.0, base)
        ],
        "points": [{"name": f"t{k}", "x": x, "sigma_px": 0.7, "rays": [0, 1]} for k, x in enumerate(ties)],
        "checks": [],
    }
    data["points"].append({"name": "P", "x": point, "sigma_px": sigma_px, "rays": [0, 1], "check": True})
    return np.array(predict_network(network_from_json(data))["cov"][-1])


@pytest.mark.parametrize("ratio", [0.3, 0.6, 1.0])
def test_normal_case_of_the_stereo_pair(ratio):
    """Height error of a parallax: sigma_Z = (h/b) (h/f) sigma_px with sigma_px = sqrt(2) sigma of one image coordinate;
    along the base at the middle of the model sigma_X follows from the mean of two rays. Source: Kraus, Photogrammetry,
    vol. 1, on the accuracy of the normal case."""
    h, f, s = 100.0, 3600.0, 0.5
    b = ratio * h
    cov = stereo_pair(b, h, s, [b / 2, 0.0, 0.0])
    scale = h / f
    assert np.sqrt(cov[2, 2]) == pytest.approx(h / b * scale * s * np.sqrt(2), rel=1e-5)
    assert np.sqrt(cov[1, 1]) == pytest.approx(scale * s / np.sqrt(2), rel=1e-5)
    assert np.sqrt(cov[0, 0]) == pytest.approx(scale * s / np.sqrt(2), rel=1e-5)


def test_height_error_falls_with_the_base():
    sigmas = [np.sqrt(stereo_pair(b, 100.0, 0.5, [b / 2, 0, 0])[2, 2]) for b in (20.0, 40.0, 80.0)]
    assert sigmas[0] / sigmas[1] == pytest.approx(2, rel=1e-6)
    assert sigmas[1] / sigmas[2] == pytest.approx(2, rel=1e-6)


def classic_block(n_strips, per_strip, *, sigma_c, corners, chains=False, sigma_px=0.5):
    """A block in the classic pattern: 60 % forward, 20 % side overlap, pass points at the nine usual places, and
    the lens known. Returns the network's data; ground units follow from h / f."""
    f, h = 3600.0, 540.0
    side = 3600.0 * h / f  # a square format of 3600 pixels: 540 m on the ground
    b, a = 0.4 * side, 0.8 * side
    centres = [(k * b, s * a) for s in range(n_strips) for k in range(per_strip)]
    xs = [k * b for k in range(per_strip)]
    ys = sorted({s * a + d for s in range(n_strips) for d in (-0.4 * side, 0.0, 0.4 * side)})
    points = []

    def rays(x, y):
        return [i for i, (cx, cy) in enumerate(centres) if abs(x - cx) <= 0.5 * side and abs(y - cy) <= 0.5 * side]

    for x in xs:
        for y in ys:
            seen = rays(x, y)
            if len(seen) >= 2:
                # two points at every place, a little apart, as is the custom
                for d in (-4.0, 4.0):
                    points.append(
                        {"name": f"{x:.0f}/{y:.0f}", "x": [x + d, y + d, 0.0], "sigma_px": sigma_px, "rays": seen}
                    )
    if corners or chains:
        for x in (xs[0], xs[-1]):
            for y in ys if chains else (ys[0], ys[-1]):
                points.append(
                    {
                        "name": "corner",
                        "x": [x, y, 0.0],
                        "sigma_px": sigma_px,
                        "rays": rays(x, y),
                        "sigma_x": [1e-3] * 3,
                        "shifts": [],
                    }
                )
    exposures = [
        {"c": [x, y, h], "ypr": [90.0, -90.0, 0.0], "sigma_c": [sigma_c] * 3 if sigma_c else None, "shifts": []}
        for x, y in centres
    ]
    return {
        "camera": {"f_px": f, "sigma_io": STIFF},
        "shifts": [],
        "exposures": exposures,
        "points": points,
        "checks": [],
    }


def mean_sigmas(data):
    """RMS of one plan coordinate and of height over the pass points, in units of sigma-nought on the ground."""
    net = network_from_json(data)
    cov = solve(net).point_covariances(np.flatnonzero(~net.surveyed))
    unit = net.sigma_px[0] * 540.0 / net.f_px[0]
    var = np.nanmean(np.einsum("kaa->ka", cov), axis=0)
    return np.sqrt(var[:2].mean()) / unit, np.sqrt(var[2]) / unit


def test_satellite_positioned_block_is_of_the_order_of_sigma_nought():
    """With camera positions as good as sigma-nought on the ground, a 60/20 block reaches about 1 to 1.5 sigma-nought in
    plan and about 2 to 2.5 in height, nearly whatever its size, without any ground control but a datum. Source:
    Ackermann, Operational rules and accuracy models for GPS aerotriangulation, 1992, and Ackermann and Schade,
    Application of GPS for aerial triangulation, PE&RS 59 (1993): mu_XY and mu_Z nearly independent of block size."""
    unit = 0.5 * 540.0 / 3600.0
    small = mean_sigmas(classic_block(3, 8, sigma_c=unit, corners=True))
    large = mean_sigmas(classic_block(6, 16, sigma_c=unit, corners=True))
    for plan, height in (small, large):
        assert 0.7 < plan < 1.7
        assert 1.2 < height < 2.7
    assert large[0] / small[0] == pytest.approx(1, abs=0.2)
    assert large[1] / small[1] == pytest.approx(1, abs=0.2)


def test_corner_control_is_for_the_datum_not_for_the_size():
    """Four corner points beside satellite positions help plan and height by less than a half; without positions the
    same four leave errors many times larger (same sources)."""
    unit = 0.5 * 540.0 / 3600.0
    free = mean_sigmas(classic_block(4, 10, sigma_c=unit, corners=False))
    tied = mean_sigmas(classic_block(4, 10, sigma_c=unit, corners=True))
    classic = mean_sigmas(classic_block(4, 10, sigma_c=None, corners=True))
    assert 1.0 <= free[0] / tied[0] < 1.5
    assert 1.0 <= free[1] / tied[1] < 1.5
    assert classic[1] / tied[1] > 5


def test_height_error_grows_between_chains_of_control():
    """Between two chains of control across the block, height errors grow with the bridged distance, towards its power
    3/2, and plan errors more slowly; with camera positions neither grows. Source: Ackermann's theory of block accuracy,
    as in Kraus, Photogrammetry, vol. 1, on block triangulation."""
    unit = 0.5 * 540.0 / 3600.0
    bridged = [mean_sigmas(classic_block(3, n, sigma_c=None, corners=False, chains=True)) for n in (8, 16, 32)]
    growth = np.log2(bridged[2][1] / bridged[1][1])
    assert bridged[0][1] < bridged[1][1] < bridged[2][1]
    assert growth == pytest.approx(1.5, abs=0.5)
    assert np.log2(bridged[2][0] / bridged[1][0]) < growth + 0.1
    positioned = [mean_sigmas(classic_block(3, n, sigma_c=unit, corners=False, chains=True))[1] for n in (16, 32)]
    assert positioned[1] / positioned[0] == pytest.approx(1, abs=0.1)
