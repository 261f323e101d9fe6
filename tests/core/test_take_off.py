"""Where sorties take off: one place for all, or one each; by sight, corrections, access and clearance."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.day.durations import durations
from kardo.core.day.tasks import tasks_of
from kardo.core.errors import PlanError
from kardo.core.flight.air.clearance import of_ways, way_path
from kardo.core.flight.air.pilot import seen_from_take_offs, seen_within
from kardo.core.flight.air.reach import reach
from kardo.core.flight.air.take_off import from_places, take_offs
from kardo.core.flight.lines.out_and_home import minutes_out_and_home
from kardo.core.flight.lines.pattern import all_flown, flown
from kardo.core.flight.lines.waypoints import waypoints
from kardo.core.geodesy.crs import grid
from kardo.core.plan.edits import changed
from kardo.core.plan.flights import Flight, TakeOffMove
from kardo.core.plan.site import Feature, Ground, LevelGround, terrain_of
from kardo.core.plan.stands import Link
from kardo.core.plan.visits import Visit
from kardo.core.terrain.surface import Surface
from kardo.formats.flight_card import flight_card_html
from tests.conftest import E0, N0, small_plan

LONG = tuple((E0 + x, N0 + y) for x, y in ((0, 0), (1800, 0), (1800, 90), (0, 90)))


def ring(x0, y0, x1, y1):
    return tuple((E0 + x, N0 + y) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1)))


def long_plan(**flight):
    """A level strip of land of 1.8 km."""
    plan = small_plan(boundary=LONG, control=(), flight=flight)
    level = Ground(level=LevelGround(height=5.0))
    return plan.model_copy(update={"site": plan.site.model_copy(update={"ground": level})})


def best(plan):
    return take_offs(plan, plan.flights[0])[0]


def moved(*places, plan=None, **flight):
    """The long site crossed from west to east, taken off from one place (metres from its corner) after another, each
    for one more sortie."""
    first, *rest = [(E0 + x, N0 + y) for x, y in places]
    moves = tuple(TakeOffMove(from_sortie=k, place=at) for k, at in enumerate(rest, 2))
    return long_plan(**({"course_deg": 0.0, "take_off": first, "take_off_moves": moves} | flight))


WEST, EAST = (50.0, 45.0), (1750.0, 45.0)


def test_a_long_site_is_flown_best_from_its_middle():
    """From an end most lines lie out of sight and the ways are long."""
    plan = long_plan()
    found, end = best(plan), from_places(plan, plan.flights[0], [(0, (E0 + 10, N0 + 45))])
    assert 400 < found.places[0][1] - E0 < 1400
    assert found.unseen < end.unseen and found.minutes < end.minutes + 1 and found.farthest < end.farthest
    (f,) = all_flown(changed(plan, found.edits))
    assert f.minutes == pytest.approx(found.minutes) and len(f.sorties) == found.sorties
    assert (1, *f.take_off[:2]) == found.places[0]
    assert "out of sight" in found.words and f"{found.minutes:.0f} min in {found.sorties} sorties" in found.words


def test_nobody_is_sent_where_one_may_not_stand():
    plan = long_plan()
    free = best(plan)
    x = free.places[0][1] - E0
    moor = Feature(
        id="moor", name="the moor", kind="no_permission", shape="area", vertices=ring(x - 150, -10, x + 150, 100)
    )
    closed = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (moor,)})})
    found = best(closed)
    assert abs(found.places[0][1] - free.places[0][1]) > 149 and found.unseen >= free.unseen - 0.02, (
        "its lines are laid anew from there"
    )
    lake = Feature(id="lake", name="the lake", kind="water", shape="area", vertices=ring(-3000, -3000, 5000, 3000))
    drowned = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (lake,)})})
    with pytest.raises(PlanError, match="No place is left"):
        best(drowned)


def test_places_by_sortie_are_offered_where_they_see_more_and_taken_with_a_click():
    """Sorties that follow one another from west to east, on a strip longer than sight."""
    plan = long_plan(course_deg=0.0)
    one, several = take_offs(plan, plan.flights[0])
    assert len(one.places) == 1 and len(several.places) > 1 and several.unseen < one.unseen - 0.05
    assert "then from sortie" in several.words
    then = changed(plan, several.edits)
    (f,) = all_flown(then)
    assert [(1, *f.take_off[:2])] == several.places[:1] and f.minutes == pytest.approx(several.minutes)
    assert (
        changed(then, from_places(then, then.flights[0], [(0, f.take_off[:2])]).edits).flights[0].take_off_moves == ()
    )


def test_each_sortie_goes_out_and_home_from_its_own_place():
    plan = moved(WEST, EAST)
    (f,) = all_flown(plan)
    craft, scale = plan.aircraft("quad"), grid(*plan.brief.system).combined_factor(E0 + 900, N0 + 45, 5.0)
    assert [sortie.take_off[0] for sortie in f.sorties] == [E0 + 50] + [E0 + 1750] * (len(f.sorties) - 1)
    for sortie in f.sorties:
        for strip, at, which in ((sortie.first_strip, "start", 0), (sortie.last_strip, "end", 1)):
            e, n = getattr(f.strips[strip], at)
            off = (e - sortie.take_off[0]) / scale, (n - sortie.take_off[1]) / scale
            expected = minutes_out_and_home(craft, off, 80.0, 80.0)[which]
            assert (sortie.out, sortie.home)[which] == pytest.approx(expected, abs=0.02)
    assert f.minutes == pytest.approx(sum(sortie.minutes for sortie in f.sorties))


@settings(max_examples=10, deadline=None)
@given(st.floats(-200, 2000), st.floats(-300, 300), st.integers(2, 5))
def test_moving_to_where_one_stands_changes_nothing(x, y, sortie):
    place = (E0 + x, N0 + y)
    stays = long_plan(course_deg=0.0, take_off=place)
    moves = (TakeOffMove(from_sortie=sortie, place=place),)
    (a,), (b,) = all_flown(stays), all_flown(long_plan(course_deg=0.0, take_off=place, take_off_moves=moves))
    assert a.sorties == b.sorties and np.array_equal(a.e, b.e) and list(a.take_offs) == list(b.take_offs)


def test_what_looks_from_the_take_off_looks_from_each_sorties_own():
    plan = moved(WEST, EAST)
    (f,) = all_flown(plan)
    away, seen = seen_from_take_offs(plan, f, 500.0)
    for k, sortie in enumerate(f.sorties):
        own = f.sortie == k
        alone = seen_within(plan, f, sortie.take_off[:2], 500.0, np.flatnonzero(own))
        assert np.array_equal(away[own], alone[0]) and np.array_equal(seen[own], alone[1])
        path = way_path(plan, f, int(np.flatnonzero(own)[0]))
        assert math.dist((path.e[0], path.n[0]), sortie.take_off[:2]) < 10
    way = waypoints(plan, f)
    assert np.allclose(way.above_start, way.h - 5.0)


def test_corrections_have_to_come_to_every_take_off_place():
    linked = moved(WEST, EAST, corrections="live")
    setups = (linked.setups[0].model_copy(update={"link": Link(kind="radio", reach=800.0)}),)
    linked = linked.model_copy(update={"setups": setups})
    (f,) = all_flown(linked)
    found = reach(linked, f)
    assert not found.linked and found.take_off[0] == E0 + 1750
    assert set(np.flatnonzero(f.sortie > 0)) <= set(found.out), "the east is out of the radio's reach, 1.77 km off"


def test_a_wall_between_sends_the_take_off_to_where_the_way_is_clear():
    """From behind a wall higher than the return height the ways do not clear it; no place of the wall's side is
    chosen."""
    plan = small_plan(flight={"take_off": (E0 + 100, N0 + 60)})
    hill = Surface(E0 - 500, N0 - 500, 10.0, np.zeros((111, 121)))
    ground = Ground(terrain=terrain_of(hill, "level"))
    mast = Feature(id="m", name="the mast", kind="obstacle", shape="area", vertices=ring(80, 40, 120, 80), height=120.0)
    plan = plan.model_copy(update={"site": plan.site.model_copy(update={"ground": ground, "features": (mast,)})})
    found = best(plan)
    (f,) = all_flown(changed(plan, found.edits))
    clear = of_ways(plan, f)
    assert found.clearance == pytest.approx(clear.least)
    assert clear.least >= plan.policy["flight-way-home"] or "the ways clear" in found.words


def test_the_day_walks_to_the_next_place_and_the_card_has_both():
    plan = moved(WEST, EAST)
    visit = Visit(id="V1", name="visit", date="2027-05-04")
    plan, stays = (p.model_copy(update={"visits": (visit,)}) for p in (plan, moved(WEST)))
    tasks = {t.id: t for t in tasks_of(plan, visit)}
    walk = 1700 / durations()["walk_m_per_min"].minutes
    assert walk <= tasks["move-main-2"].minutes <= walk + 1.1 and "on foot" in tasks["move-main-2"].why
    assert [a.task for a in tasks["move-main-2"].after] == ["leg-main-1"] and "move-main-3" not in tasks
    assert "move-main-2" in [a.task for a in tasks["leg-main-2"].after]
    assert not any(t.id.startswith("move-") for t in tasks_of(stays, visit))
    html = flight_card_html(plan)
    assert (
        "take-off sortie 1, E" in html
        and f"take-off sorties 2 – {len(flown(plan, plan.flights[0]).sorties)}, E" in html
    )
    assert "take-off, E" in flight_card_html(stays)


def test_two_moves_before_one_sortie_are_refused_and_moves_come_in_order():
    move = lambda k: {"from_sortie": k, "place": (E0, N0)}  # noqa: E731
    row = long_plan().flights[0].model_dump()
    with pytest.raises(ValueError, match="moved twice"):
        Flight.model_validate(row | {"take_off_moves": [move(2), move(2)]})
    with pytest.raises(ValueError, match="greater than or equal to 2"):
        Flight.model_validate(row | {"take_off_moves": [move(1)]})
    told = Flight.model_validate(row | {"take_off_moves": [move(4), move(2)]}).take_off_moves
    assert [m.from_sortie for m in told] == [2, 4]


def test_nobody_is_sent_to_where_no_way_leads():
    """The eastern part lies behind water from side to side."""
    plan = long_plan()
    canal = Feature(id="c", name="canal", kind="water", shape="area", vertices=ring(600, -2500, 620, 2500))
    cut = plan.model_copy(update={"site": plan.site.model_copy(update={"features": (canal,)})})
    assert best(plan).places[0][1] > E0 + 620 > E0 + 600 > best(cut).places[0][1], "its base lies in the west"
