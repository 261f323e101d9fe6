"""What is kept of a plan's parts is what a new process would compute, whatever was asked before."""

import time
from dataclasses import replace

import pytest

from kardo.core import kept
from kardo.core.accuracy.prediction import predict
from kardo.core.control.met import met_by
from kardo.core.errors import KardoError
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.kept import kept as keeping
from kardo.core.plan.site import Feature, Ground, LevelGround
from kardo.core.plan.stands import Link
from kardo.core.policy.policy import usual
from kardo.core.practice.catalogue import LOOKS, View, findings, findings_about
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.summary import _without_control, summary
from kardo.demo import demo_plan
from tests.conftest import E0, N0, point, small_plan


def test_an_answer_is_kept_by_what_it_depends_on_and_the_oldest_goes():
    asked = []

    @keeping(2, by=lambda place, note: place)
    def answer(place, note):
        asked.append(place)
        return [place]

    assert answer(1, "a") is answer(1, "b")
    answer(2, "a"), answer(1, "c"), answer(3, "a"), answer(1, "d"), answer(2, "e")
    assert asked == [1, 2, 3, 2]


def test_an_error_is_not_kept():
    tries = []

    @keeping(2, by=lambda: 0)
    def answer():
        tries.append(1)
        raise ValueError

    for _ in range(2):
        with pytest.raises(ValueError):
            answer()
    assert len(tries) == 2


WOOD = Feature(id="W", name="wood", kind="obstacle", shape="area", height=60.0, vertices=((E0 + 90, N0 + 40), (E0 + 110, N0 + 40), (E0 + 110, N0 + 80)))  # fmt: skip


def linked(plan):
    """Corrections by a radio, flown from a chosen place: what reach and sight are computed of."""
    setups = tuple(s.model_copy(update={"link": Link(kind="radio", reach=3000.0)}) for s in plan.setups)
    flights = tuple(f.model_copy(update={"take_off": (E0 + 5, N0 + 5)}) for f in plan.flights)
    return plan.model_copy(update={"setups": setups, "flights": flights})


def with_part(part, **update):
    return lambda plan: plan.model_copy(update={part: getattr(plan, part).model_copy(update=update)})


def with_first(rows, **update):
    def change(plan):
        first, *rest = getattr(plan, rows)
        return plan.model_copy(update={rows: (first.model_copy(update=update), *rest)})

    return change


def kit_with(rows, **update):
    def change(plan):
        first, *rest = getattr(plan.kit, rows)
        kit = plan.kit.model_copy(update={rows: (first.model_copy(update=update), *rest)})
        return plan.model_copy(update={"kit": kit})

    return change


CHANGES = {
    "grid": with_part("brief", crs="EPSG:25829"),
    "heights": with_part("brief", heights="ellipsoidal"),
    "unit": with_part("brief", unit="us-ft"),
    "tolerance": with_part("brief", tolerance_v=0.002),
    "boundary": with_part("site", boundary=((E0, N0), (E0 + 150, N0), (E0 + 150, N0 + 120), (E0, N0 + 120))),
    "feature": with_part("site", features=(WOOD,)),
    "taller feature": with_part("site", features=(WOOD.model_copy(update={"height": 90.0}),)),
    "renamed feature": with_part("site", features=(WOOD.model_copy(update={"name": "spinney"}),)),
    "level ground": with_part("site", ground=Ground(level=LevelGround(height=30.0))),
    "higher flight": with_first("flights", height_m=110.0),
    "renamed flight": with_first("flights", name="another name", reserve_percent=5.0),
    "take-off": with_first("flights", take_off=(E0 + 900, N0 + 900)),
    "link": with_first("setups", link=Link(kind="radio", reach=10.0)),
    "mark": with_first("marks", e=E0 - 120.0, h=9.0),
    "camera": kit_with("cameras", least_interval_s=9.0),
    "battery": kit_with("batteries", minutes=5.0),
    "aircraft": kit_with("aircraft", turn_s=40.0, max_m_per_s=2.0),
    "moved point": with_first("control", e=E0 + 300.0),
    "no control": lambda plan: plan.model_copy(update={"control": ()}),
}


@pytest.mark.parametrize("name", CHANGES)
def test_after_a_change_all_is_as_a_new_process_would_have_it(name):
    """Asked of a plan and of the changed one in turn, so that whatever was kept of the one would show in the other."""
    plan = linked(small_plan())
    changed = CHANGES[name](plan)
    kept.forget()
    fresh = [(summary(changed), check_plan(changed, None))]
    kept.forget()
    summary(plan), check_plan(plan, None)
    fresh.append((summary(changed), check_plan(changed, None)))
    assert fresh[0] == fresh[1]
    assert (summary(plan), check_plan(plan, None)) != fresh[0]


def test_what_a_summary_keeps_while_control_is_moved_does_not_look_at_it():
    for plan in plans():
        bare = plan.model_copy(update={"control": ()})
        whole, kept_ = _without_control.__wrapped__(plan), _without_control.__wrapped__(bare)
        assert [replace(b, seen="") for b in whole.blunders] == [replace(b, seen="") for b in kept_.blunders]
        assert replace(whole, blunders=[]) == replace(kept_, blunders=[])
        assert summary(plan).blunders == whole.blunders


def plans():
    yield from (demo_plan(name) for name in ("sallow-bank", "hask-quarry", "tarn-wood"))
    yield linked(small_plan(flight={"height_m": 30.0, "speed_m_per_s": 12.0, "reserve_percent": 10}))


@pytest.fixture(scope="module", params=range(4))
def view(request):
    plan = list(plans())[request.param]
    try:
        result = predict(plan)
    except KardoError:
        result = None
    return View(plan, all_flown(plan), result if result and not result.defects else None, covers=True)


def test_rules_of_the_plan_find_the_same_without_control_and_prediction(view):
    """What they find is kept while control is moved: so they must not look at it."""
    for rule in usual().rules:
        look = LOOKS[rule.id]
        if rule.looks == "plan":
            assert list(look(rule, view)) == list(look(rule, view.without_control)), rule.id


def test_rules_of_points_find_in_each_by_itself_what_they_find_among_all(view):
    for rule in usual().rules:
        look = LOOKS[rule.id]
        if rule.looks != "point":
            continue
        one_by_one = [
            f for p in view.plan.control for f in look(rule, replace(view, about=frozenset({f"control/{p.id}"})))
        ]
        assert one_by_one == list(look(rule, view)), rule.id


def test_rules_of_the_layout_find_nothing_in_a_single_point(view):
    for rule in usual().rules:
        if rule.looks == "layout":
            assert not [f for f in LOOKS[rule.id](rule, view) if f.object.startswith("control/")], rule.id


def test_what_is_found_about_some_points_is_what_all_findings_say_of_them(view):
    crowded = view.plan.model_copy(
        update={"control": (*view.plan.control, *(point(f"G9{k}", 700.0, k) for k in range(2)))}
    )
    near = View(crowded, view.flights, None)
    points = frozenset({"control/G90", "control/G91"})
    asked = findings_about(points, near)
    assert asked == [f for f in findings(near) if f.object in points] and asked


def test_two_thousand_points_on_one_place_are_judged_in_no_time():
    """Of that many there are two million pairs, of which twenty are told."""
    plan = small_plan()
    crowd = tuple(point(f"K{k}", 50.0, 30.0) for k in range(100, 2000))
    plan = plan.model_copy(update={"control": (*plan.control, *crowd)})
    started = time.process_time()
    told = [f for f in check_plan(plan, None) if f.rule == "control-twice" and "one place" in f.words]
    again = met_by(plan, [(f"N{k}", E0 + 1.0, N0 + 1.0) for k in range(2000)])
    assert time.process_time() - started < 8.0, "eighteen when all pairs were put in order"
    assert len(told) == 20 and told[0].words.startswith("K1 and K100")
    assert [m.twice for m in again[:3]] == [None, 0, 0]
