"""Laser: partials against the full measurement equation, figures by hand, and the adjustment against what is drawn and
adjusted."""

import json
import math

import numpy as np
import pytest

from kardo.cli import main
from kardo.core.accuracy.scan.equation import attitude, measured, own_noise, partials_of
from kardo.core.accuracy.scan.network import Compared, LaserNetwork, Returns, Tie, adjusted
from kardo.core.accuracy.scan.network_json import laser_from_json, laser_to_json
from kardo.core.errors import NetworkError
from kardo.core.plan.library import library

RNG = np.random.default_rng(20261127)
SCANNER, LEVER = library().scanners["small"], np.array([0.05, -0.02, 0.18])
STRIPS, PER_STRIP, HEIGHT, SPACING = 3, 40, 60.0, 45.0


def flight():
    """Flight lines there and back, a fan of beams across each: places, attitudes, beams, ranges, flight line."""
    at, ypr, beam, ranges, strip = [], [], [], [], []
    for s in range(STRIPS):
        yaw = 0.0 if s % 2 == 0 else math.pi
        for k in range(PER_STRIP):
            along = k * 3.0 if s % 2 == 0 else (PER_STRIP - 1 - k) * 3.0
            fan = math.radians(-32 + 64 * ((7 * k) % PER_STRIP) / (PER_STRIP - 1))
            at.append((s * SPACING, along, HEIGHT))
            ypr.append((yaw, 0.02 * math.sin(k), 0.03 * math.cos(k)))
            beam.append((0.0, math.sin(fan), math.cos(fan)))
            ranges.append(HEIGHT / math.cos(fan))
            strip.append(s)
    return np.array(at), np.array(ypr), np.array(beam), np.array(ranges), np.array(strip)


AT, YPR, BEAM, RANGES, STRIP = flight()
UNIT = SCANNER.unit
SIGMA = np.concatenate(
    [
        np.radians(UNIT.boresight_deg), [UNIT.lever_m] * 3, [UNIT.range_bias_m],  # mission
        [UNIT.position_m[0], UNIT.position_m[0], UNIT.position_m[1]],  # sortie
        np.radians([UNIT.roll_pitch_deg, UNIT.roll_pitch_deg, UNIT.heading_deg]),
        *[0.5 * np.radians([UNIT.roll_pitch_deg, UNIT.roll_pitch_deg, UNIT.heading_deg]) for _ in range(STRIPS)],
    ]
)  # fmt: skip


def network(targets=(), checks=(), ties=(), shifts=((0.012, 0.012, 0.02), (0.01, 0.01, 0.015))):
    own = partials_of(YPR, BEAM, RANGES, LEVER)
    n = len(AT)
    place = np.broadcast_to(np.eye(3), (n, 3, 3))
    strips = [np.where((s == STRIP)[:, None, None], own["attitude"], 0.0) for s in range(STRIPS)]
    partials = np.concatenate([own["boresight"], own["lever"], own["range"], place, own["attitude"], *strips], axis=2)
    noise = own_noise(SCANNER, attitude(YPR), BEAM, RANGES)
    names = tuple(f"p{k}" for k in range(len(SIGMA)))
    reaches = ("mission",) * 7 + ("leg",) * 6 + ("strip",) * 9
    return LaserNetwork(
        names,
        reaches,
        SIGMA,
        np.array(shifts),
        Returns(partials, noise, np.zeros((n, len(shifts)))),
        PLACES,
        targets,
        checks,
        ties,
    )


def _place(*returns):
    return np.array(returns), np.full(len(returns), 1 / len(returns))


# the last two share returns: what is adjusted there is also what is mapped there
PLACES = (_place(3, 4, 5), _place(50, 51), _place(100, 101, 102, 103), _place(20, 60), _place(10), _place(3, 4, 90))
SURVEY = np.array([np.nan, np.nan, 0.008])
WHOLE = np.ones((1, 3))
TARGETS = (Compared(0, SURVEY, (0,), WHOLE), Compared(2, SURVEY, (0,), WHOLE))
CHECKS = (Compared(3, SURVEY, (0,), WHOLE), Compared(1, SURVEY, (1,), WHOLE))
TIES = (Tie(1, 3, 0.03),)


def test_a_level_shot_straight_down_by_hand():
    """100 m up, heading north: roll moves it by 100 m times the angle to the west, pitch to the north, a range bias
    down, position as it is."""
    down = np.array([[0.0, 0.0, 1.0]])
    own = partials_of(np.zeros((1, 3)), down, np.array([100.0]), np.zeros(3))
    assert own["attitude"][0][:, 0] == pytest.approx([-100, 0, 0]) and own["attitude"][0][:, 1] == pytest.approx(
        [0, 100, 0]
    )
    assert own["attitude"][0][:, 2] == pytest.approx([0, 0, 0]) and own["range"][0, :, 0] == pytest.approx([0, 0, -1])
    assert own["lever"][0] == pytest.approx(np.array([[0, 1, 0], [1, 0, 0], [0, 0, -1.0]]))
    noise = own_noise(library().scanners["tactical"], attitude(np.zeros((1, 3))), down, np.array([100.0]))[0]
    across = math.hypot(100 * math.radians(0.003), 0.0005 * 100 / 4 / math.sqrt(2))
    assert noise == pytest.approx([across, across, 0.010])
    steep = own_noise(library().scanners["tactical"], attitude(np.zeros((1, 3))), down, np.array([100.0]), slope=1.0)[0]
    assert steep[2] == pytest.approx(math.hypot(0.010, 0.0005 * 100 / 4))


def test_partials_are_those_of_the_full_equation():
    own, n, step = partials_of(YPR, BEAM, RANGES, LEVER), len(AT), 1e-6
    zero = np.zeros((n, 3))
    before = measured(AT, YPR, BEAM, RANGES, LEVER, zero, zero)
    for k in range(3):
        turn = np.zeros((n, 3))
        turn[:, k] = step
        lever = LEVER + step * np.eye(3)[k]
        for name, after in (
            ("attitude", measured(AT, YPR, BEAM, RANGES, LEVER, turn, zero)),
            ("boresight", measured(AT, YPR, BEAM, RANGES, LEVER, zero, turn)),
            ("lever", measured(AT, YPR, BEAM, RANGES, lever, zero, zero)),
        ):
            assert np.abs((after - before) / step - own[name][:, :, k]).max() < 1e-5, name
    farther = measured(AT, YPR, BEAM, RANGES + step, LEVER, zero, zero)
    assert np.abs((farther - before) / step - own["range"][:, :, 0]).max() < 1e-5


def drawn(count):
    """Errors of all places (count, 3k) and the parameters' part settled by nothing, by the full equation; the survey's
    shifts."""
    net, n = network(), len(AT)
    zero = np.zeros((n, 3))
    truth = measured(AT, YPR, BEAM, RANGES, LEVER, zero, zero)
    errors, shifts = np.empty((count, 3 * len(PLACES))), RNG.normal(0, net.shifts, (count, *net.shifts.shape))
    for k in range(count):
        p = RNG.normal(0, SIGMA)
        turned = p[10:13] + p[13:].reshape(STRIPS, 3)[STRIP]
        found = measured(AT + p[7:10], YPR, BEAM, RANGES + p[6], LEVER + p[3:6], turned, np.broadcast_to(p[:3], (n, 3)))
        off = found - truth + RNG.normal(0, net.returns.sigma)
        errors[k] = np.concatenate([share @ off[which] for which, share in PLACES])
    return errors, shifts


def test_the_adjustment_is_as_good_as_what_is_drawn_and_adjusted():
    """Least squares by its textbook form, with the noise of the observed places as one covariance; beside the fast one,
    within the sampling error."""
    count = 4000
    net = network(TARGETS, CHECKS, TIES)
    errors, shifts = drawn(count)
    jacobian = np.array(
        [sum(w * net.returns.partials[i] for i, w in zip(*place, strict=True)) for place in PLACES]
    ).reshape(-1, len(SIGMA))
    noise = np.zeros((18, 18))
    for i, (which, share) in enumerate(PLACES):
        for j, (others, parts) in enumerate(PLACES):
            for a, w in zip(which, share, strict=True):
                for b, v in zip(others, parts, strict=True):
                    if a == b:
                        noise[3 * i : 3 * i + 3, 3 * j : 3 * j + 3] += w * v * np.diag(net.returns.sigma[a] ** 2)
    pick = np.zeros((3, 18))
    pick[0, 2], pick[1, 8], pick[2, 5], pick[2, 11] = 1, 1, 1, -1
    z = errors @ pick.T - np.stack([shifts[:, 0, 2], shifts[:, 0, 2], np.zeros(count)], axis=1)
    z += RNG.normal(0, [0.008, 0.008, 0.03], (count, 3))
    design = np.hstack([pick @ jacobian, np.array([[-1.0], [-1.0], [0.0]])])
    weight = np.linalg.inv(pick @ noise @ pick.T + np.diag([0.008, 0.008, 0.03]) ** 2)
    normal = design.T @ weight @ design + np.diag(1 / np.concatenate([SIGMA, [0.02]]) ** 2)
    settled = np.linalg.solve(normal, design.T @ weight @ z.T).T[:, : len(SIGMA)]
    left = errors - settled @ jacobian.T
    found = adjusted(net)
    joint = found.joint(np.arange(len(PLACES)))
    ratio = left.var(axis=0) / np.diag(joint)
    assert np.abs(ratio - 1).max() < 4.5 * math.sqrt(2 / count)
    deviation = np.cov(left.T) - joint
    scale = np.sqrt(np.outer(np.diag(joint), np.diag(joint)))
    assert found.cov == pytest.approx(joint.reshape(6, 3, 6, 3)[np.arange(6), :, np.arange(6)])
    assert np.abs(deviation / scale).max() < 5.0 / math.sqrt(count)
    for k, check in enumerate(CHECKS):
        seen = left[:, 3 * check.place + 2] - shifts[:, check.shifts[0], 2] + RNG.normal(0, 0.008, count)
        assert seen.var() / found.seen[3 * k + 2, 3 * k + 2] == pytest.approx(1, abs=4.5 * math.sqrt(2 / count))
    assert np.isnan(found.seen[0, 0]) and np.isfinite(found.seen[2, 5])


def test_targets_and_ties_never_make_it_worse_and_share_what_they_hang_on():
    bare, held = adjusted(network(checks=CHECKS)), adjusted(network(TARGETS, CHECKS, TIES))
    was, is_ = (np.einsum("kaa->ka", one.cov) for one in (bare, held))
    assert (is_ <= was + 1e-15).all() and is_[0, 2] < 0.6 * was[0, 2]
    apart = adjusted(network(TARGETS, (Compared(3, SURVEY, (1,), WHOLE), CHECKS[1]), TIES))
    assert held.seen[2, 2] < apart.seen[2, 2], "a check on the targets' base does not see that base's error"


def as_json(net):
    return {"laser": laser_to_json(net), "shifts": [{"name": "a", "sigma": s} for s in net.shifts.tolist()]}


def test_a_file_gives_the_same_figures_by_the_command(tmp_path):
    net = network(TARGETS, CHECKS, TIES)
    (tmp_path / "n.json").write_text(json.dumps(as_json(net)))
    assert main(["predict", "--network-in", str(tmp_path / "n.json"), "--json", str(tmp_path / "r.json")]) == 0
    told, found = json.loads((tmp_path / "r.json").read_text()), adjusted(net)
    assert np.array(told["cov"][1]) == pytest.approx(found.cov[1]) and told["seen"][0][0] is None
    assert told["seen"][2][5] == pytest.approx(found.seen[2, 5])


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda d: d["laser"]["places"][0]["returns"].append([999, 0.1]), "no return 999"),
        (lambda d: d["laser"]["places"][0]["returns"].pop(), "come to one"),
        (lambda d: d["laser"]["returns"][0]["partials"].update({"77": [0, 0, 0]}), "no parameter 77"),
        (lambda d: d["laser"]["targets"][0].update(shifts=[5]), "no shift 5"),
        (lambda d: d["laser"]["targets"][0].update(sigma_x=[1, 2]), "three numbers"),
        (lambda d: d["laser"]["parameters"][0].update(sigma=-1), "below zero"),
        (lambda d: d["laser"].pop("returns"), "KeyError"),
    ],
)
def test_a_file_that_is_wrong_says_where(spoil, words):
    data = as_json(network(TARGETS, CHECKS, TIES))
    spoil(data)
    with pytest.raises(NetworkError, match=words):
        laser_from_json(data)
