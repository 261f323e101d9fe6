"""A separation that somebody stated, where a height system's geoid is not at hand: the system keeps its name, the card
its numbers, the budget its share."""

import numpy as np
import pytest
from pydantic import ValidationError

from kardo.core.accuracy.prediction import predict
from kardo.core.errors import GeodesyError
from kardo.core.geodesy.crs import grid, height_name
from kardo.core.geodesy.satellites import frame_at
from kardo.core.gnss.card import cards
from kardo.core.gnss.heights import heights
from kardo.core.plan.brief import Brief
from kardo.core.plan.edits import changed
from kardo.core.plan.geoid import StatedSeparation
from kardo.core.plan.stands import Device
from kardo.core.practice.catalogue import View, findings
from kardo.core.presentation.summary import summary
from kardo.core.presentation.words import source_name
from kardo.formats.raster import TerrainChoices, read_terrain
from tests.conftest import E0, N0, small_plan
from tests.formats.test_terrain import METRES, SITE, tiff

LEVELLED = "EPSG:5701"  # a national height system whose geoid this machine has not
HERE = StatedSeparation(value=55.0, sigma=0.04)


def stated(separation=HERE, crs="EPSG:25828", **more):
    return small_plan(brief=Brief(title="t", crs=crs, heights=LEVELLED, separation=separation, **more))


def test_the_system_cannot_be_reached_and_with_a_stated_separation_it_can():
    with pytest.raises(GeodesyError, match="cannot be reached") as fault:
        grid("EPSG:25828", LEVELLED).separation(E0, N0)
    assert "State its separation" in fault.value.mend
    plan = stated()
    assert height_name(plan.grid.heights) == height_name(LEVELLED) != "ellipsoidal"
    assert plan.grid.separation(np.array([E0, E0 + 900]), np.array([N0, N0])).tolist() == [55.0, 55.0]
    leaning = StatedSeparation(value=55.0, at=(E0, N0), slope_e=0.02, slope_n=-0.03)
    assert stated(leaning).grid.separation(E0 + 2000, N0 + 1000) == pytest.approx(55.0 + 0.04 - 0.03)


def test_a_system_that_is_none_stays_none():
    for code in ("EPSG:25828", "EPSG:1", "nonsense", "EPSG:5706"):
        with pytest.raises(GeodesyError):
            grid("EPSG:25828", code, None, HERE)
    assert grid("EPSG:25828", "ellipsoidal", None, HERE).separation(E0, N0) == 0.0, "above the ellipsoid there is none"
    with pytest.raises(ValidationError, match="slopes need the place"):
        StatedSeparation(value=55.0, slope_e=0.01)


def test_the_card_has_the_stated_number_and_the_systems_name():
    device = Device(id="d", name="d", point="arp", height="ellipsoidal", position="degrees", unit="m")
    plan = small_plan(brief=stated().brief, setup={"devices": (device,)})
    chain = heights(plan, "base")
    assert chain.separation == pytest.approx(55.0) and chain.mark_ellipsoidal == pytest.approx(4.2 + 55.0)
    assert chain.system == height_name(LEVELLED)
    (card,) = cards(plan, chain)
    assert f"{chain.arp_ellipsoidal:.3f}" in str(card.boxes) and chain.arp_ellipsoidal == pytest.approx(
        59.2 + 1.76, abs=0.01
    )
    datum = summary(plan).datum
    assert datum.stated and datum.separation == pytest.approx(55.0)


def test_on_a_grid_whose_datum_is_not_the_satellites_it_is_above_the_satellites_ellipsoid():
    own = grid("EPSG:27700", LEVELLED, None, StatedSeparation(value=47.5))
    _, _, up = frame_at(own, 400_000.0, 300_000.0).of(own, 400_000.0, 300_000.0, 100.0)
    assert up == pytest.approx(147.5)


def test_its_sigma_is_the_budgets_share_in_the_place_of_the_models():
    few, many = predict(stated()), predict(stated(HERE.model_copy(update={"sigma": 0.004})))
    (share,) = [s for s in few.budget if s.kind == "geoid"]
    assert share.sigma_v == pytest.approx(0.04) and source_name(stated(), share) == "geoid separation, as stated"
    assert few.rmse_v**2 - many.rmse_v**2 == pytest.approx(0.04**2 - 0.004**2)
    assert few.seen_rmse_v == pytest.approx(many.seen_rmse_v), "checks in the same heights do not see it"
    assert stated().hash != stated(HERE.model_copy(update={"sigma": 0.004})).hash


def test_one_of_another_place_is_a_stop_and_a_lean_a_warning_that_the_worlds_slopes_mend():
    world = float(grid("EPSG:25828", "EPSG:5773").separation(E0 + 100, N0 + 60))
    near = HERE.model_copy(update={"value": world + 0.8})

    def told(separation, boundary=None):
        plan = stated(separation)
        if boundary:
            plan = plan.model_copy(update={"site": plan.site.model_copy(update={"boundary": boundary})})
        return plan, {f.rule: f for f in findings(View(plan, (), None)) if f.rule.startswith("separation-")}

    assert told(near)[1] == {}
    assert told(HERE.model_copy(update={"value": -world}))[1]["separation-place"].severity == "stop"
    long = ((E0, N0), (E0 + 9000, N0), (E0 + 9000, N0 + 120), (E0, N0 + 120))
    plan, found = told(near.model_copy(update={"sigma": 0.01}), long)
    lean = found["separation-slope"]
    ends = grid("EPSG:25828", "EPSG:5773").separation(np.array([E0, E0 + 9000]), np.array([N0 + 60, N0 + 60]))
    assert lean.severity == "warn" and lean.measured == pytest.approx(abs(ends[1] - ends[0]), rel=0.2)
    mended = changed(plan, lean.edits)
    assert not any(f.rule == "separation-slope" for f in findings(View(mended, (), None)))
    assert mended.grid.separation(E0 + 4500, N0 + 60) == pytest.approx(world + 0.8, abs=0.01)


def test_terrain_in_another_system_comes_into_the_stated_one():
    """And in the job's own it is taken as it is."""
    job = stated().grid
    file = tiff(np.full((60, 60), 10.0))
    assert read_terrain(file, job, TerrainChoices(LEVELLED, "m"), SITE).surface.heights.mean() == pytest.approx(10.0)
    world = float(grid("EPSG:25828", "EPSG:5773").separation(E0 + 50, N0 + 50))
    assert read_terrain(file, job, METRES, SITE).surface.heights.mean() == pytest.approx(10.0 + world - 55.0, abs=0.01)
    assert read_terrain(file, job, TerrainChoices("ellipsoidal", "m"), SITE).surface.heights.mean() == pytest.approx(
        -45.0
    )
