"""Light, shutter and what the lens's record says; images by time; a calibration flight of its own."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kardo.core.day.exposure import daylight, exposure, sensitivity
from kardo.core.errors import PlanError
from kardo.core.flight.air.airtime import air_time
from kardo.core.flight.lines.calibration import calibration_edits
from kardo.core.flight.lines.pattern import all_flown, flown
from kardo.core.plan.edits import Edit, apply, changed
from kardo.core.plan.kit import LensEntry
from kardo.core.plan.lens import by_record
from kardo.core.practice.catalogue import View, findings
from tests.conftest import scan_plan, small_plan


def test_daylight_is_that_of_the_handbook():
    """IES RP-21 by hand: the sun at 45 degrees through clear air, 127.5 klx e^(-0.21 / sin) sin, and 0.8 + 15.5 sin^0.5
    klx of sky."""
    assert daylight(45.0, "clear") == pytest.approx(66_991 + 13_834, rel=0.001)
    assert daylight(45.0, "overcast") == pytest.approx(300 + 21_000 * 0.70711, rel=0.001)
    assert daylight(0.0, "clear") == daylight(-5.0, "clear") == 0.0


@given(st.floats(1, 89), st.floats(0.5, 20))
def test_more_sun_is_more_light_and_cloud_is_less(sun, more):
    assert daylight(min(sun + more, 90.0), "clear") > daylight(sun, "clear")
    assert daylight(sun, "overcast") < daylight(sun, "clear")


@given(st.floats(100, 100_000), st.floats(1.4, 22), st.floats(1e-4, 0.01))
def test_a_stop_is_a_stop(lux, f_number, seconds):
    """Twice the time, or half the ISO; an f-number larger by the root of two, twice the ISO."""
    iso = sensitivity(lux, f_number, seconds)
    assert sensitivity(lux, f_number, 2 * seconds) == pytest.approx(iso / 2)
    assert sensitivity(lux, f_number * 2**0.5, seconds) == pytest.approx(2 * iso)


def _light(plan, cloud="clear", date="2027-06-21"):
    return exposure(plan, plan.flights[0], cloud, date)


def test_a_bright_day_is_long_enough_and_a_dull_one_asks_to_fly_slower():
    bright, dull = _light(small_plan()), _light(small_plan(), "overcast", "2027-12-21")
    assert bright.first < 7 * 60 and bright.last > 18 * 60 and "bright enough" in bright.words[0]
    assert len([r for r in dull.at if r.enough]) < len([r for r in bright.at if r.enough])
    dark = _light(small_plan(flight={"exposure_s": 1e-4}), "overcast", "2027-12-21")
    assert dark.first is None and "never bright enough" in dark.words[0] and "fly at" in dark.words[1]
    best = max(dark.at, key=lambda r: r.lux)
    (f,) = all_flown(small_plan())
    assert best.speed * best.shutter == pytest.approx(0.5 * f.gsd), "at that speed the shutter blurs half a pixel"


def test_a_rolling_shutter_is_told_in_pixels():
    plan = small_plan(flight={"camera": "mp12", "speed_m_per_s": 6.0})
    (f,) = all_flown(plan)
    told = _light(plan)
    assert told.rolling_px == pytest.approx(6.0 * 0.030 / f.gsd) and "rolls" in told.words[-1]
    assert _light(small_plan()).rolling_px == 0
    with pytest.raises(PlanError, match="own light"):
        _light(scan_plan())
    with pytest.raises(PlanError, match="not a date"):
        _light(small_plan(), date="2027-02-31")


def test_images_by_time_keep_their_overlap_at_the_worst_speed():
    """By time, 6 m/s meant and 9 at worst: an image every spacing / 9 s; with the wind behind up to 9 the overlap is
    what was planned, not less."""
    by_way = small_plan(flight={"speed_m_per_s": 6.0})
    by_time = small_plan(flight={"speed_m_per_s": 6.0, "trigger_by": "time", "worst_speed_m_per_s": 9.0})
    (a,), (b,) = all_flown(by_way), all_flown(by_time)
    assert b.trigger_interval == pytest.approx(a.trigger_distance / 9.0) and len(b.e) > 1.25 * len(a.e)
    assert b.trigger_distance == pytest.approx(a.trigger_distance * 6 / 9)
    assert air_time(
        by_time, by_time.flights[0].model_copy(update={"wind_m_per_s": 3.0, "wind_from_deg": 0.0})
    ).overlap == pytest.approx(75.0)
    usual = small_plan(flight={"speed_m_per_s": 6.0, "trigger_by": "time"})
    assert all_flown(usual)[0].trigger_interval == pytest.approx(a.trigger_distance / 7.5)


CHANGED = LensEntry(date="2027-03-03", what="changed")


@pytest.mark.parametrize(
    ("record", "on", "state", "words"),
    [
        ((), "2027-03-05", "never", "no calibration"),
        ((LensEntry(date="2027-03-01", frames=120),), "2027-03-08", "this_week", "120 frames, 7 days before"),
        ((LensEntry(date="2027-03-01", frames=120),), "2027-03-09", "earlier", "8 days before"),
        ((LensEntry(date="2027-03-01", frames=120), CHANGED), "2027-03-09", "never", "changed on 2027-03-03"),
        ((CHANGED, LensEntry(date="2027-03-04", frames=60)), "2027-03-09", "never", "had 60 frames"),
        ((CHANGED, LensEntry(date="2027-03-04", what="laboratory")), "2027-03-09", "this_week", "2027-03-04, 5 days"),
        ((LensEntry(date="2027-04-01", frames=500),), "2027-03-09", "never", "no calibration"),
    ],
)
def test_a_lens_is_known_as_its_record_says(record, on, state, words):
    told = by_record(record, on, 100)
    assert told.state == state and words in told.why


def test_a_calibration_flight_takes_a_hundred_frames_and_no_rule_objects():
    plan = small_plan()
    after = changed(plan, calibration_edits(plan, plan.flights[0]))
    added = flown(after, after.flights[-1])
    assert (
        100 <= added.images < 200
        and added.flight.purpose == "calibrate"
        and added.flight.height_m < plan.flights[0].height_m
    )
    found = {f.rule for f in findings(View(after, all_flown(after), None)) if f.object == f"flights/{added.flight.id}"}
    assert not {r for r in found if r.startswith("calibration")}
    again = changed(after, calibration_edits(after, after.flights[0]))
    assert len({f.id for f in again.flights}) == 3
    with pytest.raises(PlanError, match="no lens"):
        calibration_edits(scan_plan(), scan_plan().flights[0])


def test_what_becomes_another_by_its_id_is_taken_whole():
    """A profile taken from another entry of the library: its origin is replaced, not edited."""
    document = small_plan().to_json()
    before = document["kit"]["cameras"][0]["origin"]
    after = {"id": "other", "revision": 3}
    done = apply(document, [Edit("kit/cameras/mp20/origin", before, after)])
    assert done.document["kit"]["cameras"][0]["origin"] == after and not done.conflicts
    again = apply(done.document, [Edit("kit/cameras/mp20/origin", after, after | {"revision": 4})])
    assert [e.path for e in again.done] == ["kit/cameras/mp20/origin/revision"]
