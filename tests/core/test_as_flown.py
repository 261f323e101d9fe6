"""What was flown against what was planned."""

from dataclasses import replace

import numpy as np
import pytest

from kardo.core.errors import PlanError
from kardo.core.flight.ground.as_flown import FlownTrack, held_against
from kardo.core.flight.lines.pattern import all_flown
from tests.conftest import MAIN, small_plan

PLAN = small_plan()
(FLOWN,) = all_flown(PLAN)
RNG = np.random.default_rng(7)


def flown(keep=None, e=0.0, n=0.0, h=0.0, photos=True):
    kept = np.ones(len(FLOWN.e), dtype=bool) if keep is None else keep
    return FlownTrack(FLOWN.e[kept] + e, FLOWN.n[kept] + n, FLOWN.h[kept] + h, photos)


def test_what_was_flown_as_planned_misses_nothing():
    found = held_against(PLAN, flown(h=0.4))
    assert (found.planned, found.taken, found.missed, found.strips, found.lost_m2) == (
        len(FLOWN.e),
        len(FLOWN.e),
        [],
        [],
        0.0,
    )
    assert found.off_line_most == pytest.approx(0, abs=1e-6) and found.off_height == pytest.approx(0.4)
    assert found.told == "All exposures were taken, at most 0.0 m off the line."


def test_images_that_fall_elsewhere_along_the_line_are_still_its_images():
    """Triggered half a distance late: each stands for the one beside it, but for the last."""
    along = 0.5 * FLOWN.trigger_distance
    late = replace(flown(), e=FLOWN.e + along * np.sin(FLOWN.course), n=FLOWN.n + along * np.cos(FLOWN.course))
    assert held_against(PLAN, late).taken == len(FLOWN.e)


def test_missed_images_are_told_by_strip_and_what_is_not_mapped_for_them():
    gone = (FLOWN.strip == 3) | (FLOWN.strip == 4) | (FLOWN.strip == 5)
    found = held_against(PLAN, flown(~gone))
    assert len(found.missed) == int(gone.sum()) and [s.strip for s in found.strips] == [4, 5, 6]
    assert found.lost_m2 > 0 and "are not mapped for it" in found.told
    some = np.ones(len(FLOWN.e), dtype=bool)
    some[11] = False
    one = held_against(PLAN, flown(some))
    assert one.missed == [(FLOWN.e[11], FLOWN.n[11])] and one.lost_m2 == 0 and "still mapped" in one.told


def test_every_second_image_missing_is_found_also_where_strips_lie_far_apart():
    half = np.arange(len(FLOWN.e)) % 2 == 0
    assert held_against(PLAN, flown(half)).taken == int(half.sum())


def test_a_photo_stands_for_one_exposure_also_where_strips_lie_over_each_other():
    plan = small_plan(flight={"oblique_lines": 1, "cross_lines": 1})
    (f,) = all_flown(plan)
    over = int(f.strip.max())
    kept = f.strip != over - 1
    track = FlownTrack(f.e[kept], f.n[kept], f.h[kept], True)
    assert len(held_against(plan, track).missed) == int((~kept).sum())


def test_a_line_off_its_course_is_measured_across():
    off = 3.0
    right = replace(flown(), e=FLOWN.e + off * np.cos(FLOWN.course), n=FLOWN.n - off * np.sin(FLOWN.course))
    found = held_against(PLAN, right)
    assert found.off_line == pytest.approx(off, rel=1e-3) and found.taken == found.planned


def test_ellipsoidal_heights_are_known_by_the_geoid():
    n = float(PLAN.grid.separation(FLOWN.e[0], FLOWN.n[0]))
    found = held_against(PLAN, flown(h=n + 0.2))
    assert found.off_height == pytest.approx(0.2, abs=0.05) and "ellipsoidal, it seems" in found.told


def test_a_track_passes_exposures_or_does_not():
    whole = held_against(PLAN, flown(photos=False))
    assert whole.taken == whole.planned and whole.off_height == pytest.approx(0.0, abs=1e-6)
    broken = held_against(PLAN, flown(FLOWN.strip < 6, photos=False))
    assert broken.taken == int((FLOWN.strip < 6).sum()) and {s.strip for s in broken.strips} == set(
        range(7, len(FLOWN.strips) + 1)
    )


def test_only_the_flight_that_is_asked_for_is_held_against_it():
    second = MAIN.having(id="second", name="second", height_m=60.0, course_deg=45.0)
    both = small_plan(flights=(MAIN, second))
    assert held_against(both, flown(), "main").missed == []
    assert held_against(both, flown()).missed


@pytest.mark.parametrize(
    ("track", "flight", "words"),
    [
        (flown(e=5000.0), "", "None of these positions"),
        (flown(), "nobody", "nothing to hold"),
        (FlownTrack(*np.empty((3, 0)), True), "", "nothing to hold"),
    ],
)
def test_what_cannot_be_held_against_each_other_says_so(track, flight, words):
    with pytest.raises(PlanError, match=words):
        held_against(PLAN, track, flight)
