"""Local grids: the similarity against PROJ and a plain least squares, its covariance against simulation; and what a
calibration does to a prediction: what its points were measured from is taken up, and only who measures in the local
grid sees its error."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyproj import Transformer
from scipy.optimize import least_squares

from kardo.core.accuracy.change.whatif import keep, what_if
from kardo.core.accuracy.figures.figures import figures
from kardo.core.accuracy.prediction import predict
from kardo.core.control.local import calibrated, local_system
from kardo.core.errors import GeodesyError, PlanError
from kardo.core.geodesy.similarity import Similarity, detectable, fit
from kardo.core.plan.local import LocalGrid, LocalPoint
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import Mark, OnInstrument, OnSetUp, SetUp
from kardo.core.presentation.words import blind_words
from tests.conftest import E0, N0, small_plan

CORNERS = np.array([[0.0, 0.0], [220.0, 10.0], [200.0, 140.0], [-10.0, 120.0], [90.0, 60.0]])
TRUE = Similarity(
    (E0, N0), np.array([5000.0, 2000.0, 0.9997 * np.cos(0.3), 0.9997 * np.sin(0.3), -41.2, 2e-5, -3e-5]), True
)


def pairs(seed=None, sigma=(0.012, 0.018)):
    """Grid (5, 3) and local (5, 3) coordinates of the same points, with noise where a seed is given."""
    grid = np.column_stack([CORNERS + np.array([E0, N0]), 4 + 0.01 * CORNERS[:, 0]])
    local = np.column_stack(TRUE.there(*grid.T))
    if seed is not None:
        local = local + np.random.default_rng(seed).normal(0, 1, (5, 3)) * (sigma[0], sigma[0], sigma[1])
    return grid, local


def every(grid, local, *, scale_free=True, tilted=True, height=None):
    all_of = np.ones(len(grid), dtype=bool)
    return fit(grid, local, all_of, all_of if height is None else height, (0.012, 0.018), scale_free, tilted)


def local_grid(*, noisy=True, **more) -> LocalGrid:
    grid, local = pairs(3 if noisy else None)
    rows = [
        LocalPoint(id=f"L{k}", name=f"L{k}", e=e, n=n, h=h, local_e=x, local_n=y, local_h=z)
        for k, ((e, n, h), (x, y, z)) in enumerate(zip(grid.tolist(), local.tolist(), strict=True))
    ]
    return LocalGrid(points=tuple(rows), **more)


def stated(local: LocalGrid) -> LocalGrid:
    """A local grid with its parameters as stated ones, exact."""
    found = local_system(local)
    (e0, n0), (te, tn, _, _, c, ce, cn) = found.about, found.parameters.tolist()
    told = {"factor": found.scale, "turn": -np.degrees(found.turn), "e0": e0, "n0": n0, "rise_e": ce, "rise_n": cn}
    return LocalGrid(kind="stated", **told, move_e=te - e0, move_n=tn - n0, move_h=c)


def test_the_plane_is_what_proj_makes_of_the_same_parameters():
    proj = Transformer.from_pipeline(
        f"+proj=pipeline +step +proj=affine +xoff={-E0} +yoff={-N0} "
        f"+step +proj=helmert +x=5000 +y=2000 +s=0.9997 +theta={-np.degrees(0.3) * 3600}"
    )
    grid, local = pairs()
    assert np.allclose(np.column_stack(proj.transform(grid[:, 0], grid[:, 1])), local[:, :2], atol=1e-6)


def test_points_without_error_give_the_similarity_back():
    grid, local = pairs()
    found = every(grid, local)
    assert found.similarity.scale == pytest.approx(0.9997, abs=1e-10)
    assert found.similarity.turn == pytest.approx(0.3, abs=1e-10)
    assert found.similarity.tilt == pytest.approx((2e-5, -3e-5), abs=1e-10)
    assert np.abs(found.residuals).max() < 1e-6


@given(st.floats(-np.pi, np.pi), st.floats(0.95, 1.05), st.tuples(*[st.floats(-1e6, 1e6)] * 4))
def test_there_and_back_is_where_it_was(turn, scale, place):
    some = Similarity(
        (1e5, 2e5), np.array([7.0, 8.0, scale * np.cos(turn), scale * np.sin(turn), 1.5, 1e-4, 2e-4]), True
    )
    e, n, h = np.array(place[:1]), np.array(place[1:2]), np.array([12.0])
    assert np.allclose(np.ravel(some.back(*some.there(e, n, h))), np.ravel([e, n, h]), atol=1e-6)


@pytest.mark.parametrize("scale_free", [True, False])
def test_it_is_the_least_squares_of_the_points(scale_free):
    grid, local = pairs(1)

    def misfit(p):
        size = p[3] if scale_free else 1.0
        some = Similarity((E0, N0), np.array([p[0], p[1], size * np.cos(p[2]), size * np.sin(p[2]), 0, 0, 0]), False)
        return (local[:, :2] - np.column_stack(some.there(*grid.T))[:, :2]).ravel()

    free = least_squares(misfit, [5000.0, 2000.0, 0.3, 1.0][: 4 if scale_free else 3], xtol=1e-15, ftol=1e-15)
    found = every(grid, local, scale_free=scale_free)
    assert np.sum(found.residuals[:, :2] ** 2) == pytest.approx(np.sum(free.fun**2), rel=1e-6)
    assert found.similarity.turn == pytest.approx(free.x[2], abs=1e-7)


def test_its_covariance_is_what_drawn_points_scatter_by():
    drawn = np.array([every(*pairs(seed)).similarity.there(*pairs()[0].T) for seed in range(2000)])
    scatter = (drawn - np.array(TRUE.there(*pairs()[0].T))).var(axis=0)
    grid, local = pairs()
    x, y = (grid[:, :2] - grid[:, :2].mean(axis=0)).T
    rows = every(grid, local).similarity.partials(x, y)
    root = every(grid, local).root
    covariance = root @ root.T
    want = np.einsum("kap,pq,kaq->ak", rows, covariance, rows)
    assert np.allclose(scatter, want, rtol=0.12)


def test_points_that_check_each_other_little_are_told():
    grid, local = pairs(1)
    found = every(grid, local)
    assert found.redundancy[:, 0].sum() * 2 == pytest.approx(10 - 4) and found.redundancy[:, 1].sum() == pytest.approx(
        5 - 3
    )
    only = every(grid[:2], local[:2])
    assert np.allclose(only.redundancy[:, 0], 0) and np.isinf(detectable(only.redundancy[:, 0], 0.012)).all()
    assert np.isnan(only.factor[0])


def test_a_wrong_point_makes_the_whole_worse_never_better():
    grid, local = pairs(1)
    good = every(grid, local)
    local[2, 0] += 0.25
    bad = every(grid, local)
    assert bad.factor[0] > 5 and np.abs(bad.root[0]).sum() > 4 * np.abs(good.root[0]).sum()
    exact = every(*pairs())
    assert exact.factor[0] < 1e-3 and (exact.root[0] ** 2).sum() == pytest.approx(0.012**2 / 5, rel=1e-6)


@pytest.mark.parametrize(
    ("picked", "words"), [([0], "Fewer than two"), ([0, 0], "within a metre"), ([], "Fewer than two")]
)
def test_points_that_do_not_do_are_told(picked, words):
    grid, local = pairs()
    with pytest.raises(GeodesyError, match=words):
        every(grid[picked], local[picked])


@pytest.mark.parametrize("scale_free", [True, False])
def test_points_that_are_one_place_in_the_local_grid_are_told(scale_free):
    grid, local = pairs()
    local[:] = local[0]
    with pytest.raises(GeodesyError, match="how the grids are turned"):
        every(grid, local, scale_free=scale_free)


def test_a_tilt_from_points_on_a_line_is_refused():
    grid, local = pairs()
    grid[:, 1] = N0 + (grid[:, 0] - E0) * 0.5
    with pytest.raises(GeodesyError, match="one line"):
        every(grid, local)
    assert every(grid, local, tilted=False).similarity.tilt == (0.0, 0.0)


def test_what_is_stated_is_what_was_calibrated():
    exact = stated(local_grid())
    e, n, h = pairs()[0].T
    assert np.allclose(
        local_system(exact).there(e, n, h), calibrated(local_grid()).similarity.there(e, n, h), atol=1e-6
    )
    ground = LocalGrid(kind="stated", factor=1.0004, e0=E0, n0=N0)
    there = local_system(ground).there(np.array([E0 + 1000]), np.array([N0]), np.array([5.0]))
    assert np.allclose(np.ravel(there), [E0 + 1000.4, N0, 5.0])


# -- in a prediction


def planned(local: LocalGrid | None, *, sigma_v=0.015, checks="rover", **more) -> Plan:
    """The small site, delivered in a local grid; its checks by rover, or by an instrument on a mark of the local
    grid."""
    marks = (
        Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2, sigma_h=sigma_v, sigma_v=sigma_v),
        Mark(id="L", name="L", e=E0 + 60, n=N0 - 10, h=4.4, known="local", sigma_h=0.002, sigma_v=0.002),
    )
    plan = small_plan(marks=marks, **more)
    standing = SetUp(id="total", name="total", mark="L", antenna="disc", readings=(1.7, 1.7))
    hangs = OnInstrument(setup="total") if checks == "instrument" else OnSetUp(setup="base")
    control = tuple(p.model_copy(update={"positioned_from": hangs}) if p.role == "check" else p for p in plan.control)
    brief = plan.brief.model_copy(update={"local": local})
    return Plan.model_validate(
        {**plan.to_json(), "brief": brief, "setups": (*plan.setups, standing), "control": control}
    )


def test_what_the_points_were_measured_from_is_taken_up():
    """A base that is a metre and a half off moves its map, but not what is calibrated from the same base."""
    hung = local_grid(positioned_from=OnSetUp(setup="base"))
    good, poor = (predict(planned(hung, sigma_v=sigma)) for sigma in (0.001, 1.5))
    assert poor.rmse_h == pytest.approx(good.rmse_h, rel=1e-3) and poor.rmse_v == pytest.approx(good.rmse_v, rel=1e-3)
    assert predict(planned(local_grid(), sigma_v=1.5)).rmse_v > 1.4
    assert predict(planned(None, sigma_v=1.5)).rmse_v > 1.4


def test_only_who_measures_in_the_local_grid_sees_its_error():
    poor = local_grid(noisy=False, positioned_from=OnSetUp(setup="base"), sigma_h=0.1, sigma_v=0.1)
    by_rover, by_instrument = (predict(planned(poor, checks=who)) for who in ("rover", "instrument"))
    assert by_instrument.rmse_v == pytest.approx(by_rover.rmse_v, rel=1e-9), "of the map alone"
    assert by_rover.seen_rmse_v < 0.6 * by_rover.rmse_v < by_instrument.seen_rmse_v
    assert "site calibration" in blind_words(planned(poor), by_rover)[0]
    assert not any(spot.kind == "local" for spot in by_instrument.blind)
    share = next(s for s in by_rover.budget if s.kind == "local")
    at_middle = 0.1 / np.sqrt(len(CORNERS))
    assert at_middle < share.sigma_v < 2.5 * at_middle
    assert sum(s.share_v for s in by_rover.budget) == pytest.approx(1)


def test_targets_of_the_local_grid_mend_a_weak_calibration():
    poor = local_grid(noisy=False, sigma_h=0.1, sigma_v=0.1)
    plan = planned(poor)
    control = tuple(
        p.model_copy(update={"positioned_from": OnInstrument(setup="total")}) if p.role == "target" else p
        for p in plan.control
    )
    before, after = predict(plan), predict(plan.model_copy(update={"control": control}))
    assert after.rmse_v < 0.3 * before.rmse_v and after.rmse_h < 0.3 * before.rmse_h


def test_heights_of_the_local_points_leave_no_geoid():
    unsure = {"overrides": {"geoid_v": 0.03}}
    assert any(s.kind == "geoid" for s in predict(planned(None, **unsure)).budget)
    assert not any(s.kind == "geoid" for s in predict(planned(local_grid(), **unsure)).budget)
    plain = local_grid()
    plain = plain.model_copy(update={"points": tuple(p.model_copy(update={"height": False}) for p in plain.points)})
    assert any(s.kind == "geoid" for s in predict(planned(plain, **unsure)).budget)


@pytest.mark.parametrize("checks", ["rover", "instrument"])
def test_live_answers_know_of_the_calibration(checks):
    plan = planned(local_grid(positioned_from=OnSetUp(setup="base")), checks=checks)
    moved = plan.control[0].model_copy(update={"e": plan.control[0].e + 15})
    after = plan.model_copy(update={"control": (moved, *plan.control[1:])})
    live, full = figures(after, what_if(keep(plan), after.control)), predict(after)
    for name in ("rmse_h", "rmse_v", "seen_rmse_h", "seen_rmse_v"):
        assert getattr(live, name) == pytest.approx(getattr(full, name), rel=0.03)
    kept = keep(plan)
    for _ in range(2):  # what is remembered of a place is not moved twice
        same = figures(plan, what_if(kept, plan.control))
        assert same.seen_rmse_v == pytest.approx(predict(plan).seen_rmse_v, rel=1e-6)


def test_what_is_stated_adds_no_error():
    exact = predict(planned(stated(local_grid())))
    assert exact.rmse_v == pytest.approx(predict(planned(None)).rmse_v, rel=1e-9)


@pytest.mark.parametrize(
    ("local", "words"),
    [
        (LocalGrid(), "Fewer than two points"),
        (local_grid().model_copy(update={"points": local_grid().points[:1]}), "two"),
    ],
)
def test_a_local_grid_without_points_is_asked_for(local, words):
    with pytest.raises(PlanError, match=words):
        predict(planned(local))


def test_a_base_wants_coordinates_of_the_jobs_grid():
    plan = planned(local_grid())
    base = plan.setups[0].model_copy(update={"mark": "L"})
    with pytest.raises(PlanError, match="local coordinates alone"):
        predict(plan.model_copy(update={"setups": (base, *plan.setups[1:])}))


def test_it_hangs_on_what_the_plan_has():
    with pytest.raises(ValueError, match="needs “gone”"):
        planned(local_grid(positioned_from=OnSetUp(setup="gone")))
