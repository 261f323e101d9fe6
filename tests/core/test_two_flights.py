"""Several flights in one network: two cameras have two interiors, two set-ups their shifts, a service its own; against
a dense adjustment, through the command line, live, and in the budget."""

import json
from collections import Counter

import numpy as np
import pytest

from kardo.cli import main
from kardo.core.accuracy.change.whatif import keep, what_if
from kardo.core.accuracy.equation.network import network_from_json
from kardo.core.accuracy.equation.solution import solve
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.images.budget import propagate_to_map
from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.prediction import predict, predict_network
from kardo.core.gnss.shifts import source_of
from kardo.core.plan.library import kit_of
from kardo.core.plan.stands import CorrectionService, Mark, OnService, OnSetUp, SetUp
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.summary import summary
from kardo.core.presentation.words import result_text, source_name
from tests.conftest import E0, MAIN, N0, small_plan
from tests.core.dense import Dense

SECOND = {
    "id": "slant",
    "name": "slant flight",
    "purpose": "strengthen",
    "camera": "mp45",
    "tilt_deg": 30.0,
    "height_m": 70.0,
}


def two_flights(positioned_from=OnSetUp(setup="other"), overrides=None, **update):  # noqa: B008
    """Straight down by one camera from set-up A, oblique by another from set-up B."""
    nadir = MAIN.having(extra_lines=0, extra_exposures=0, course_deg=90.0)
    usual = {"course_deg": 0.0, "side_overlap": 60.0, "positioned_from": positioned_from}
    slant = nadir.having(**(SECOND | usual | update))
    plan = small_plan()
    return small_plan(
        kit=kit_of(cameras=("mp20", "mp45"), calibration="earlier"),
        marks=(*plan.marks, Mark(id="B", name="Heron", e=E0 + 230, n=N0 + 130, h=6.0, sigma_v=0.012)),
        setups=(*plan.setups, SetUp(id="other", name="other", mark="B", antenna="disc", readings=(1.7,))),
        correction_services=(CorrectionService(id="service", name="service", sigma_h=0.015, sigma_v=0.03),),
        flights=(nadir, slant),
        overrides=overrides,
    )


@pytest.fixture(scope="module")
def result():
    return predict(two_flights())


@pytest.fixture(scope="module", params=["two set-ups", "a service"])
def network(request):
    hung = OnSetUp(setup="other") if request.param == "two set-ups" else OnService(service="service")
    plan = two_flights(hung, overrides={"lattice_rays": 12}, forward_overlap=60.0)
    return planned_network(plan).network.to_json()


@pytest.fixture(scope="module")
def dense(network):
    return Dense(network)


def test_covariances_agree_with_a_dense_adjustment(network, dense):
    result = predict_network(network_from_json(network))
    q, effect = dense.covariance(), dense.effect()
    compared = 0
    for j, p in enumerate(network["points"]):
        if j in dense.point_at:
            at = slice(dense.point_at[j], dense.point_at[j] + 3)
            want = q[at, at] + effect[at] @ effect[at].T
        elif len(dense.rays(p)) >= 2 and j % 5 == 0:
            g, own = dense.intersection(p)
            moved = dense.own_effect(p) + g @ effect
            want = g @ q @ g.T + own + moved @ moved.T
        else:
            continue
        compared += 1
        assert np.allclose(result["cov"][j], want, rtol=1e-5, atol=1e-5 * np.abs(want).max())
    assert compared > 100
    interior = np.sqrt(np.diag(q)[dense.io_at : dense.io_at + 14])
    assert result["sigma_io"] == pytest.approx(interior, rel=1e-5)


def test_budget_by_camera_and_set_up_agrees_with_a_dense_adjustment(network, dense):
    net = network_from_json(network)
    solution = solve(net)
    tie = int(np.flatnonzero(solution.in_network & ~net.surveyed)[7])
    shares = propagate_to_map(solution, np.array([tie]), solution.columns(np.flatnonzero(net.surveyed))).shares
    told_by = {(s.kind, s.id): s.sigma_v**2 for s in shares}
    q, at = dense.covariance(), dense.point_at[tie]
    for k, camera in enumerate(net.cameras):
        interior = dense.io_at + 7 * k
        weight = 1 / np.square(network["cameras"][k]["sigma_io"])
        share = sum(w * q[at + 2, interior + c] ** 2 for c, w in enumerate(weight))
        assert told_by["calibration", camera] == pytest.approx(share, rel=1e-3, abs=1e-12)
    want = Counter()
    for k, shift in enumerate(net.shifts):
        part = sum(q[at + 2, dense.shift_at[k] + a] ** 2 / net.shift_sigma[k, a] ** 2 for a in range(3))
        want[source_of(shift)] += part
    assert {kind for kind, _ in want} >= {"mark", "setup", "legs", "distance"}
    for source, part in want.items():
        assert told_by[source] == pytest.approx(part, rel=1e-3, abs=1e-12)
    for k, camera in enumerate(net.cameras):
        of_camera = [i for i in dense.exposure_at if network["exposures"][i].get("camera", 0) == k]
        part = 0.0
        for i in of_camera:
            moved = q[at + 2, dense.exposure_at[i] + 3 : dense.exposure_at[i] + 6].copy()
            for s, share in dense.hanging(network["exposures"][i]):
                moved += share @ q[at + 2, dense.shift_at[s] : dense.shift_at[s] + 3]
            part += (moved**2 / np.square(network["exposures"][i]["sigma_c"])).sum()
        assert told_by["positions", camera] == pytest.approx(part, rel=1e-3, abs=1e-12)


def test_two_cameras_have_two_interiors_and_every_exposure_its_own(result):
    plan = two_flights()
    net = planned_network(plan).network
    assert set(result.sigma_io) == {"mp20", "mp45"} and len(net.f_px) == 2
    slant = net.camera == 1
    assert np.degrees(net.ypr[slant][:, 1]) == pytest.approx(-60.0) and slant.any() and (~slant).any()
    hung = [{net.shifts[s].key for s in net.exposure_shifts[i]} for i in (0, net.n_exposures - 1)]
    assert ("mark", "A") in hung[0] and ("setup", "base") in hung[0]
    assert ("mark", "B") in hung[1] and ("setup", "other") in hung[1] and any(kind == "leg" for kind, _ in hung[1])


def test_a_flight_on_a_service_has_the_services_shift():
    net = planned_network(two_flights(OnService(service="service"))).network
    keys = {net.shifts[s].key for s in net.exposure_shifts[net.n_exposures - 1]}
    assert ("network", "service") in keys and not any(kind in {"mark", "setup"} for kind, _ in keys)
    wide = predict(two_flights(OnService(service="service")))
    assert any((s.kind, s.id) == ("network", "service") and s.share_v > 0 for s in wide.budget)


def test_each_ray_to_a_target_is_as_wide_as_the_flight_that_sees_it():
    plan = two_flights()
    narrow = tuple(p.model_copy(update={"width": 0.12}) for p in plan.control)
    planned = planned_network(plan.model_copy(update={"control": narrow}))
    net, gsd = planned.network, [f.gsd for f in planned.flights]
    assert gsd[1] < gsd[0]
    j = int(planned.targets[4])
    rays = net.rays[j]
    sigma = net.sigma_px[net.rays.start[j] : net.rays.start[j + 1]]
    wide = 0.12 / np.array(gsd)[net.camera[rays]]
    assert sigma == pytest.approx(0.5 * np.maximum(1, 8 / wide)) and len(set(net.camera[rays])) == 2
    assert planned.control.width_px[4] == pytest.approx(0.12 / gsd[1]), "where it is seen best"


def test_an_image_is_worth_no_more_tie_rays_for_lying_over_two_lattices():
    net = planned_network(two_flights()).network
    ties = int(np.flatnonzero(net.surveyed)[0])
    rays, sigma = net.rays.values[: net.rays.start[ties]], net.sigma_px[: net.rays.start[ties]]
    information = np.bincount(rays, weights=0.7**2 / sigma**2, minlength=net.n_exposures)
    counts = np.bincount(rays, minlength=net.n_exposures)
    assert np.median(information[net.camera == 0]) == pytest.approx(60, rel=0.2)
    assert np.median(counts) > 1.4 * np.median(information)


def test_a_second_flight_helps_and_is_told_in_the_budget(result):
    plan = two_flights()
    alone = predict(plan.model_copy(update={"flights": plan.flights[:1]}))
    assert result.rmse_v < alone.rmse_v
    names = dict(zip(((s.kind, s.id) for s in result.budget), result_text(plan, result).budget, strict=True))
    assert names["mark", "A"] == "mark A" and names["mark", "B"] == "mark Heron"
    assert names["legs", "slant"] == "positioning per sortie of slant flight"
    assert "45 MP" in names["calibration", "mp45"] and "20 MP" in names["positions", "mp20"]
    assert sum(s.share_v for s in result.budget) == pytest.approx(1, abs=1e-9)


def test_two_marks_of_one_name_stay_two():
    plan = two_flights()
    twins = plan.model_copy(update={"marks": tuple(m.model_copy(update={"name": "Heron"}) for m in plan.marks)})
    assert twins.hash == plan.hash
    shares = {(s.kind, s.id): s.share_v for s in predict(twins).budget}
    assert shares["mark", "A"] != shares["mark", "B"] and min(shares["mark", "A"], shares["mark", "B"]) > 0
    assert source_name(twins, predict(twins).budget[0])


def test_live_figures_of_two_flights_agree_with_the_full_computation():
    plan = two_flights()
    control = (plan.control[0].model_copy(update={"e": plan.control[0].e + 20}), *plan.control[1:])
    control = (*control[:-1], control[-1].model_copy(update={"positioned_from": OnSetUp(setup="other")}))
    answer = what_if(keep(plan), control)
    after = plan.model_copy(update={"control": control})
    live = figures(after, answer)
    full = predict(after)
    for key in ("rmse_h", "rmse_v", "seen_rmse_h", "seen_rmse_v"):
        assert getattr(live, key) == pytest.approx(getattr(full, key), rel=0.005)


def test_summary_and_findings_tell_the_flights_apart():
    plan = two_flights(speed_m_per_s=14.0, exposure_s=0.003)
    told_of = summary(plan)
    assert [f.id for f in told_of.flights] == ["main", "slant"] and len(told_of.heights) == 2
    assert told_of.flights[1].gsd < told_of.flights[0].gsd
    blurred = [f for f in check_plan(plan, None) if f.rule in {"flight-blur", "flight-smeared"}]
    assert [f.object for f in blurred] == ["flights/slant"] and blurred[0].words.startswith("Slant flight: ")


def test_command_line_predicts_two_flights(tmp_path, capsys, result):
    files = [tmp_path / name for name in ("plan.json", "result.json", "network.json", "again.json")]
    files[0].write_text(json.dumps(two_flights().to_json()))
    assert main(["predict", str(files[0]), "--json", str(files[1]), "--network", str(files[2])]) == 0
    assert json.loads(files[1].read_text())["rmse_v"] == pytest.approx(result.rmse_v, rel=1e-12)
    assert "mark Heron" in capsys.readouterr().out
    assert main(["predict", "--network-in", str(files[2]), "--json", str(files[3])]) == 0
    assert len(json.loads(files[3].read_text())["sigma_io"]) == 14
