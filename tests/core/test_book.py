"""The book: the same whatever order its entries come in and however often; and the plan as done, which is the plan
edited by hand to what was done."""

import random
import uuid

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kardo.core.accuracy.images.planned import planned_network
from kardo.core.accuracy.prediction import predict
from kardo.core.book.done import as_done, still_to_do
from kardo.core.book.enough import enough
from kardo.core.book.entries import Book, Entry, book_of, entry_from_json, to_json
from kardo.core.book.words import entry_words
from kardo.core.errors import PlanError
from kardo.core.flight.lines.pattern import all_flown
from kardo.core.geodesy.antenna import vertical_from_slant
from kardo.core.gnss.heights import heights
from kardo.core.plan.control import Occupation
from kardo.core.plan.edits import Edit, changed
from kardo.core.plan.stands import OwnSession
from tests.conftest import small_plan
from tests.core.test_day import visited


def entry(number, minute=0, corrects=None, visit="V1", device="tablet", **said):
    """An entry of the day, so many minutes after nine."""
    return entry_from_json(
        {
            "id": str(uuid.UUID(int=number)),
            "device": device,
            "at": f"2027-03-16T{9 + minute // 60:02d}:{minute % 60:02d}:00-01:00",
            "by": "chief",
            "visit": visit,
            "said": said,
            "corrects": None if corrects is None else str(uuid.UUID(int=corrects)),
        }
    )


def occupied(number, point, minute=0, state="fixed", epochs=60, **more):
    return entry(number, minute, kind="occupation", point=point, state=state, epochs=epochs, **more)


def flown(number, leg, minute=0, not_fixed=0.0, flight="main", **more):
    said = {"flight": flight, "leg": leg, "images": 90, "positions": 90, "not_fixed": not_fixed}
    return entry(number, minute, kind="leg", **said, **more)


ENTRIES = st.builds(
    lambda number, minute, corrects, point, device: occupied(
        number, f"G{point}", minute, corrects=corrects if corrects and corrects < number else None, device=device
    ),
    st.integers(1, 12),
    st.integers(0, 59),
    st.none() | st.integers(1, 12),
    st.integers(1, 5),
    st.sampled_from(["tablet", "phone"]),
)


@given(st.lists(ENTRIES, max_size=20), st.randoms(use_true_random=False))
def test_any_order_and_repetition_is_the_same_book(entries, chance):
    once = book_of(entries)
    again = entries + chance.choices(entries, k=5) if entries else []
    chance.shuffle(again)
    assert book_of(again) == once and book_of(again).valid_entries == once.valid_entries
    assert book_of([*once.entries, *entries]) == once
    assert len({e.id for e in once.entries}) == len(once.entries)


@given(st.lists(ENTRIES, max_size=20))
def test_what_stands_is_corrected_by_nothing_and_nothing_is_lost(entries):
    book = book_of(entries)
    corrected = {e.corrects for e in book.valid_entries}
    assert not corrected & {e.id for e in book.valid_entries}
    gone = [e for e in book.entries if e not in book.valid_entries]
    assert all(any(o.corrects in (e.id, e.corrects) for o in book.entries if o is not e and o.corrects) for e in gone)


def test_a_later_entry_corrects_and_another_takes_it_all_back():
    first, better = occupied(1, "G1", 0, state="float"), occupied(2, "G1", 5, corrects=1)
    assert [s.state for s in book_of([better, first]).of("occupation")] == ["fixed"]
    third = occupied(3, "G1", 6, state="code", corrects=1)
    assert [s.state for s in book_of([third, first, better]).of("occupation")] == ["code"], "the last correction stands"
    over = entry(4, 9, corrects=3, kind="withdrawn")
    assert book_of([first, better, third, over]).of("occupation") == []


def test_corrections_that_go_in_a_circle_are_none():
    a, b = occupied(1, "G1", 0, corrects=2), occupied(2, "G1", 1, corrects=1)
    assert len(book_of([a, b]).valid_entries) == 2
    assert len(book_of([occupied(3, "G1", corrects=3)]).valid_entries) == 1


@pytest.mark.parametrize(
    ("change", "where"),
    [
        ({"id": "7"}, "entry.id"),
        ({"at": "2027-03-16T09:00:00"}, "entry.at"),
        ({"at": "half past nine"}, "entry.at"),
        ({"said": {"kind": "dance"}}, "entry.said"),
        ({"said": {"kind": "occupation", "point": "G1", "state": "firm", "epochs": 9}}, "entry.said.occupation.state"),
        ({"attachments": ["../x"]}, "entry.attachments.0"),
        ({"by": "\x07"}, "entry.by"),
    ],
)
def test_what_is_no_entry_is_refused_by_field(change, where):
    with pytest.raises(PlanError) as fault:
        entry_from_json(to_json(Book((occupied(1, "G1"),)))[0] | change)
    assert fault.value.where == where


def test_before_anything_is_written_the_plan_as_done_is_the_plan():
    plan, _ = visited()
    assert as_done(plan, Book()).hash == plan.hash


def by_hand(plan, **fields):
    """The plan with fields edited, as somebody would do it at the desk."""
    document = plan.to_json()
    edits = []
    for path, after in fields.items():
        here = document
        for key in path.split("/"):
            here = next(r for r in here if r["id"] == key) if isinstance(here, list) else here[key]
        edits.append(Edit(path, here, after))
    return changed(plan, edits)


def test_the_plan_as_done_is_the_plan_edited_by_hand_to_the_same_state():
    plan, _ = visited()
    book = book_of(
        [
            entry(1, 0, kind="set_up", setup="base", mark="A", plummet_on=True),
            entry(2, 1, kind="height", setup="base", measured_to="slant", typed="1.8432 m", metres=1.8432),
            entry(3, 2, kind="height", setup="base", measured_to="slant", typed="6' 0 9/16\"", metres=1.8431),
            occupied(4, "G1", 30, epochs=10),
            occupied(5, "G1", 90, epochs=20),
            occupied(6, "K1", 40, state="float"),
            entry(7, 45, kind="not_reached", point="G5"),
            entry(8, 50, kind="target_moved", point="G2", e=plan.control[1].e + 3.0, n=plan.control[1].n - 2.0),
            flown(9, 1, 60, not_fixed=0.8),
        ]
    )
    usual = {"positioned_from": None, "pole": None}
    g1 = [usual | {"epochs": e, "after_min": a, "state": "fixed", "visit": "V1"} for e, a in ((10, 0.0), (20, 60.0))]
    k1 = [usual | {"epochs": 60, "after_min": 0.0, "state": "float", "visit": "V1"}]
    edited = by_hand(
        plan,
        **{
            "setups/base/readings": [
                {"metres": 1.8432, "measured_to": "slant", "typed": "1.8432 m"},
                {"metres": 1.8431, "measured_to": "slant", "typed": "6' 0 9/16\""},
            ],
            "control/G1/occupations": g1,
            "control/K1/occupations": k1,
            "control/G2/e": plan.control[1].e + 3.0,
            "control/G2/n": plan.control[1].n - 2.0,
            "flights/main/float_sorties": [1],
            "control/G5": None,
        },
    )
    done = as_done(plan, book)
    assert done.hash == edited.hash
    as_it_is, planned = predict(done), predict(plan)
    assert as_it_is.rmse_v == predict(edited).rmse_v
    assert as_it_is.rmse_v > planned.rmse_v, "a float sortie and a target less"
    assert [p.id for p in done.control] == ["G1", "G2", "G3", "G4", "K1", "K2", "K3", "K4"]


def test_a_height_read_plumb_stays_one_and_has_the_adapter_over_it():
    plan = small_plan(setup={"adapter": 0.12})
    book = book_of([entry(1, kind="height", setup="base", measured_to="vertical", typed="1.6401", metres=1.6401)])
    assert heights(as_done(plan, book), "base").arp_above_mark == pytest.approx(1.7601, abs=1e-12)
    slant = entry(2, 1, kind="height", setup="base", measured_to="slant", typed="1.8026", metres=1.8026)
    up = vertical_from_slant(1.8026, plan.kit.antennas[0])
    assert still_to_do(plan, book_of([*book.entries, slant])).differences["base"] == pytest.approx(abs(1.7601 - up))


def test_a_pole_used_in_the_place_of_the_tripod_is_told_by_its_reading():
    plan, _ = visited()
    done = as_done(
        plan, book_of([entry(1, kind="height", setup="base", measured_to="pole", typed="2.000", metres=2.0)])
    )
    assert done.setups[0].support == "fixed_pole" and [r.metres for r in done.setups[0].readings] == [2.0]


def test_once_the_crew_has_left_what_is_not_in_the_book_was_not_done():
    plan, _ = visited(small_plan(flight={"height_m": 40.0, "speed_m_per_s": 0.8}))
    sorties = len(all_flown(plan)[0].sorties)
    assert sorties > 1
    some = [*(occupied(k, f"G{k}", k) for k in range(1, 6)), occupied(6, "K1", 8), flown(10, 1, 60)]
    under_way, over = as_done(plan, book_of(some)), as_done(plan, book_of([*some, entry(20, 300, kind="departure")]))
    assert len(under_way.control) == 9 and not under_way.flights[0].missing_sorties
    assert [p.id for p in over.control] == ["G1", "G2", "G3", "G4", "G5", "K1"]
    assert over.flights[0].missing_sorties == tuple(range(2, sorties + 1))
    flown_, planned = (sum(len(f.e) for f in planned_network(p).flights) for p in (over, plan))
    assert flown_ < planned


def test_a_target_moved_after_it_was_observed_is_worse_than_none():
    plan, _ = visited()
    moved = entry(2, 9, kind="target_moved", point="G1", e=0.0, n=0.0, after_observed=True)
    lost = book_of([occupied(1, "G1"), moved])
    assert "G1" not in [p.id for p in as_done(plan, lost).control]
    assert "control/G1" not in still_to_do(plan, lost).points


def test_what_was_observed_from_another_base_hangs_on_it():
    plan, _ = visited()
    other = plan.setups[0].model_copy(update={"id": "second", "name": "second"})
    plan = plan.model_copy(update={"setups": (*plan.setups, other)})
    done = as_done(plan, book_of([occupied(1, "G1", setup="second")]))
    assert done.control[0].occupations[0].positioned_from.setup == "second"
    assert (
        as_done(plan, book_of([occupied(1, "G1", setup="unknown")])).control[0].occupations[0].positioned_from is None
    )


def test_a_float_occupation_alone_is_decimetres_and_beside_a_fixed_one_nothing():
    plan, _ = visited()
    figures = {}
    for name, states in {"fixed": ["fixed"], "float": ["float"], "both": ["float", "fixed"], "code": ["code"]}.items():
        book = book_of([occupied(k, "G1", 60 * k, state=s) for k, s in enumerate(states, 1)])
        figures[name] = next(c.own_v for c in predict(as_done(plan, book)).control if c.id == "G1")
    assert figures["fixed"] < 0.03 and 0.1 < figures["float"] < figures["code"]
    assert figures["both"] == pytest.approx(figures["fixed"])


def test_what_is_still_to_do():
    plan, _ = visited()
    heights = [
        entry(30, 1, kind="height", setup="base", measured_to="slant", typed="1.843", metres=1.843),
        entry(31, 2, kind="height", setup="base", measured_to="vertical", typed="1.805", metres=1.805),
    ]
    left = still_to_do(
        plan, book_of([occupied(1, "G1"), entry(2, 3, kind="not_reached", point="G2"), flown(3, 1), heights[0]])
    )
    assert "control/G1" not in left.points and "control/G2" not in left.points and "control/K1" in left.points
    assert left.sorties == [] and left.setups == ["setups/base"]
    told = still_to_do(plan, book_of(heights))
    slant = vertical_from_slant(1.843, plan.kit.antennas[0])
    assert told.setups == [] and told.differences["base"] == pytest.approx(abs(1.805 - slant))


def test_a_shuffled_days_book_predicts_the_same():
    plan, _ = visited()
    day = [occupied(k, p.id, 2 * k) for k, p in enumerate(plan.control, 1)] + [flown(40, 1, 90)]
    shuffled = random.Random(3).sample(day, len(day))
    assert as_done(plan, book_of(day)).hash == as_done(plan, book_of(shuffled)).hash
    assert isinstance(day[0], Entry)


def heard(number, minute, up, as_planned, by="caster"):
    words = "As planned." if as_planned else f"{up:.3f} m higher than planned: is the antenna height in twice?"
    said = {"setup": "base", "by": by, "source": "A", "east": 0.0, "north": 0.0, "up": up, "as_planned": as_planned}
    return entry(number, minute, kind="broadcast", words=words, **said)


def test_a_base_heard_elsewhere_than_planned_keeps_everybody_until_it_is_heard_right():
    plan, *_ = visited()
    wrong, right = heard(1, 5, 1.612, False), heard(2, 25, 0.001, True)
    left = still_to_do(plan, book_of([wrong]))
    assert enough(plan, left, None).startswith(
        "Not enough to leave: the set-up on A was heard elsewhere than planned. 1.612 m"
    )
    assert "NOT as planned" in entry_words(plan, wrong)
    assert not still_to_do(plan, book_of([right, wrong])).off_air, "what was heard last counts"
    own = heard(3, 30, 0.4, True, by="receiver")
    assert still_to_do(plan, book_of([wrong, own])).off_air, "its receiver does not mend what is broadcast"
    assert as_done(plan, book_of([wrong])).hash == as_done(plan, book_of([])).hash, "what was heard changes no figure"


def read(number, minute, metres, way="vertical", typed=""):
    return entry(
        number, minute, kind="height", setup="base", measured_to=way, typed=typed or f"{metres} m", metres=metres
    )


def test_a_height_that_two_others_outvote_is_left_out_with_the_reason():
    plan, *_ = visited()
    two = [read(1, 1, 1.7574), read(2, 2, 1.7581, typed="5' 9 7/32\"")]
    assert not still_to_do(plan, book_of(two)).odd
    three = [*two, read(3, 3, 1.7720)]
    odd = still_to_do(plan, book_of(three)).odd["base"]
    assert (
        odd.entry == three[2].id and odd.words == "1.772 m vertical is 14.2 mm from the 2 others, which agree to 0.7 mm"
    )
    out = entry(4, 4, corrects=3, kind="withdrawn", why=odd.words)
    left = still_to_do(plan, book_of([*three, out]))
    assert not left.odd and left.differences["base"] == pytest.approx(0.0007)
    assert entry_words(plan, out) == f"taken back: {odd.words}"
    done = as_done(plan, book_of([*three, out])).setups[0]
    assert len(done.readings) == 2, "what was left out is in no figure"


def test_a_slant_and_a_vertical_are_compared_as_what_they_come_to():
    plan, *_ = visited()
    antenna = plan.antenna(plan.setups[0].antenna)
    up = vertical_from_slant(1.872, antenna)
    heights = [read(1, 1, 1.872, "slant"), read(2, 2, round(up + 0.001, 4)), read(3, 3, 1.872)]
    assert still_to_do(plan, book_of(heights)).odd["base"].entry == heights[2].id, "a slant written as a vertical"


def test_a_target_that_logs_for_itself_has_the_hours_from_on_to_off():
    plan, *_ = visited()
    own = OwnSession(hours=2.0, setup="base")
    logger = plan.control[0].model_copy(update={"positioned_from": own, "occupations": (Occupation(epochs=3600),)})
    plan = plan.model_copy(update={"control": (logger, *plan.control[1:])})
    on = entry(1, 10, kind="session_on", point=logger.id, place="on the peg")
    hours = [
        as_done(plan, book_of(day)).control[0].positioned_from.hours for day in ([on], [on, session_off(2, logger, 85)])
    ]
    assert hours == [2.0, 1.25], "as planned while it runs; then what it logged"
    assert f"control/{logger.id}" not in still_to_do(plan, book_of([on])).points
    by_hand = changed(
        plan, [Edit(f"control/{logger.id}/positioned_from", own.model_dump(), own.model_dump() | {"hours": 1.25})]
    )
    assert as_done(plan, book_of([on, session_off(2, logger, 85)])).hash == by_hand.hash
    assert entry_words(plan, on) == f"{logger.name}: its log on, on the peg"
    gone = entry(9, 200, kind="departure")
    assert logger.id not in {p.id for p in as_done(plan, book_of([gone])).control}, "never switched on: not done"


def session_off(number, point, minute):
    return entry(number, minute, kind="session_off", point=point.id)


def test_what_the_day_is_short_of_is_counted():
    plan, *_ = visited()
    planned = sum(s.count for s in all_flown(plan)[0].strips if s.sortie == 0)
    leg = {"flight": "main", "leg": 1, "images": planned - 4, "positions": planned - 10, "not_fixed": 0.25}
    day = [
        entry(1, 1, kind="leg", **leg),
        occupied(2, "G1", 2, state="float"),
        occupied(3, "G2", 3, state="float"),
        occupied(4, "G2", 4),
        entry(5, 5, kind="not_reached", point="K1", why="under water"),
        entry(6, 6, kind="not_reached", point="G3"),
    ]
    left = still_to_do(plan, book_of(day))
    targets, checks = len(plan.targets), len(plan.checks)
    assert left.short == [
        f"main flight: 4 images of {planned} missing, 6 images without a position, 25 % of the positions not fixed",
        "not fixed: G1",
        f"1 target lost, {targets - 1} of {targets} left: G3",
        f"1 check lost, {checks - 1} of {checks} left: K1 (under water)",
    ]
    told = enough(plan, left, None)
    assert "Short of the plan: main flight: 4 images" in told and "Still to do" in told
    assert not still_to_do(plan, book_of([flown(1, 1) if planned <= 90 else entry(1, 1, kind="note", words="x")])).short
