"""Where the error comes from: the budget answers to what is changed, and to nothing else."""

import pytest

from kardo.core.accuracy.prediction import predict
from tests.conftest import small_plan

PLAN = small_plan()


def shares(plan):
    return {(s.kind, s.id): s for s in predict(plan).budget}


@pytest.fixture(scope="module")
def usual():
    return shares(PLAN)


def with_mark(**update):
    return PLAN.model_copy(update={"marks": (PLAN.marks[0].model_copy(update=update),)})


def test_shares_add_up_and_none_is_negative(usual):
    for axis in "hv":
        assert sum(getattr(s, f"share_{axis}") for s in usual.values()) == pytest.approx(1, abs=1e-6)
        assert min(getattr(s, f"share_{axis}") for s in usual.values()) > -1e-6


def test_sigmas_are_the_roots_of_the_shares(usual):
    result = predict(PLAN)
    for s in result.budget:
        assert s.sigma_v == pytest.approx(result.rmse_v * max(s.share_v, 0) ** 0.5, abs=2e-6)


def test_a_poor_mark_takes_over_and_leaves_the_rest_as_large_as_it_was(usual):
    poor = shares(with_mark(sigma_v=0.2))
    assert poor["mark", "A"].share_v > 0.97
    assert poor["mark", "A"].sigma_v == pytest.approx(0.2, rel=0.01), "nothing in the plan sees the mark's own error"
    assert poor["images", ""].sigma_v == pytest.approx(usual["images", ""].sigma_v, rel=0.01)


def test_height_of_the_mark_is_no_error_in_plan(usual):
    poor = shares(with_mark(sigma_v=0.2))
    assert poor["mark", "A"].sigma_h == pytest.approx(usual["mark", "A"].sigma_h, rel=0.02)


def test_certain_camera_positions_take_no_share():
    sure = {key: 1e-6 for key in ("fixed_h", "fixed_v", "fixed_ppm", "lever_arm", "trigger_time")}
    found = shares(small_plan(overrides=sure))
    assert found["positions", "mp20"].share_h < 0.01


def test_worse_pointing_shows_under_images(usual):
    worse = shares(small_plan(overrides={"tie_ray_px": 1.4, "map_ray_px": 1.0}))
    assert worse["images", ""].sigma_v > 1.6 * usual["images", ""].sigma_v
    assert worse["mark", "A"].sigma_v == pytest.approx(usual["mark", "A"].sigma_v, rel=0.01)


def test_without_targets_there_is_no_share_of_theirs():
    found = shares(PLAN.model_copy(update={"control": tuple(p for p in PLAN.control if p.role == "check")}))
    assert found["targets", ""].share_v == 0
    assert found["legs", "main"].share_v > shares(PLAN)["legs", "main"].share_v, (
        "nothing but targets sees the sorties' shifts"
    )
