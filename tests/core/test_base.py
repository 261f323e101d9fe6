"""The base: its heights, the cards of its devices, what goes wrong, and the schemes side by side."""

import json
import math
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kardo.cli import main
from kardo.core.accuracy.change.schemes import EDITS, catalogue, edits_for, schemes
from kardo.core.accuracy.prediction import predict
from kardo.core.close.shift import marks_here
from kardo.core.day.day import day_of
from kardo.core.day.sessions import sessions
from kardo.core.errors import KardoError, PlanError
from kardo.core.geodesy.angles import parse_angle
from kardo.core.geodesy.units import UNITS
from kardo.core.gnss.blunders import blunders, seen_by
from kardo.core.gnss.card import cards
from kardo.core.gnss.heights import added_over, heights, read_words
from kardo.core.gnss.occupations import static_hours, static_sigma
from kardo.core.gnss.readback import explained, read_back
from kardo.core.plan.assumptions import Assumptions
from kardo.core.plan.edits import changed
from kardo.core.plan.model import plan_from_json
from kardo.core.plan.stands import (
    CorrectionService,
    Device,
    Log,
    Mark,
    OnNothing,
    OnService,
    OnSetUp,
    OwnSession,
    SetUp,
)
from kardo.core.plan.states import in_state
from kardo.core.plan.visits import Person, Visit
from kardo.core.practice.catalogue import View, findings
from kardo.core.presentation.findings import check_plan
from kardo.core.presentation.summary import summary
from kardo.core.presentation.words import named_schemes, result_text
from kardo.demo import demo_plan
from tests.conftest import E0, MAIN, N0, point, small_plan

MARK = Mark(id="A", name="A", e=E0 - 20, n=N0 - 20, h=4.2)
WISHES = st.builds(
    Device,
    id=st.just("D"),
    name=st.just("device"),
    point=st.sampled_from(["mark", "arp", "apc"]),
    height=st.sampled_from(["ellipsoidal", "orthometric"]),
    position=st.sampled_from(["degrees", "dms", "grid"]),
    unit=st.sampled_from(sorted(UNITS)),
)
ARP = Device(id="D", name="base", point="arp", height="ellipsoidal", position="degrees", unit="m")


def told(device, **setup):
    plan = small_plan(setup={"devices": (device,), **setup})
    chain = heights(plan, "base")
    return plan, chain, cards(plan, chain)[0]


@given(WISHES)
def test_what_a_card_says_typed_back_is_the_planned_place(device):
    """In every form, unit, height and point that a device may want: to the tenth of a millimetre that the figures
    carry."""
    plan, chain, card = told(device)
    typed = [box.typed for box in card.boxes]
    back = read_back(plan, chain, device, *typed[:3])
    assert math.dist((back.east, back.north, back.up), (0, 0, 0)) < 2.5e-4
    assert back.words.startswith("As planned") and not back.blunder
    assert card.read_back == sum(int(c) for text in typed for c in text if c.isdigit())


def test_a_card_by_hand():
    """Slant 1.8 m: sqrt(1.8^2 - 0.165^2) - 0.035 = 1.7574 m vertical. The mark's 4.2 m and the geoid's height above
    it."""
    plan, chain, card = told(ARP)
    assert chain.arp_above_mark == pytest.approx(1.757422, abs=1e-6)
    values = {box.name: box.typed for box in card.boxes}
    assert float(values["height of the ARP, ellipsoidal"]) == pytest.approx(4.2 + chain.separation + 1.757422, abs=6e-5)
    assert values["antenna height"] == "0.0000"
    lat, lon = parse_angle(values["latitude"]), parse_angle(values["longitude"])
    assert plan.grid.from_geodetic(lon, lat) == pytest.approx((E0 - 20, N0 - 20), abs=2e-4)
    assert any("minus" in note for note in card.notes)


def test_a_device_that_adds_the_antenna_itself_is_told_the_vertical_height():
    _, chain, card = told(ARP.model_copy(update={"point": "mark", "unit": "ft", "height": "orthometric"}))
    values = {box.name: box.typed for box in card.boxes}
    assert values["antenna height, vertical, mark to ARP"] == f"{chain.arp_above_mark / 0.3048:.4f}"
    assert values["height of the mark, EGM96"] == f"{4.2 / 0.3048:.4f}"


def test_dms_carries_its_hemisphere_and_no_sign():
    _, _, card = told(ARP.model_copy(update={"position": "dms"}))
    assert card.boxes[0].typed.endswith(" N") and card.boxes[1].typed.endswith(" W")
    assert "-" not in card.boxes[1].typed


def test_a_pole_stated_to_the_phase_centre_is_shorter_by_the_offset():
    pole = {"support": "fixed_pole", "readings": (2.0,)}
    to_arp, to_apc = (told(ARP, **pole, pole_to=to)[1] for to in ("arp", "apc"))
    assert to_arp.arp_above_mark == 2.0
    assert to_apc.apc - to_apc.mark == pytest.approx(2.0) and to_apc.arp_above_mark == pytest.approx(1.909)


def test_readings_in_several_ways_come_to_one_height_and_the_adapter_counts_where_it_is_not_taped():
    """Slant 1.8 m is 1.757422 m up; a tape plumb to the foot of a 120 mm adapter reads 1.6374 m: 1.7574 m."""
    ways = ({"metres": 1.8, "measured_to": "slant"}, {"metres": 1.6374, "measured_to": "vertical"})
    plan, chain, _ = told(ARP, readings=ways, adapter=0.12)
    assert chain.verticals == pytest.approx([1.757422, 1.7574], abs=1e-6)
    known = {b.id: b.up for b in blunders(plan, chain).rows}
    assert known["adapter"] == -0.12 and known["slant"] == pytest.approx(1.8 - chain.arp_above_mark)
    assert read_words(plan, chain) == "1.8000 m slant, 1.6374 m vertical"
    boxes = [box.typed for box in cards(plan, chain)[0].boxes]
    assert read_back(plan, chain, ARP, *boxes[:2], f"{float(boxes[2]) - 0.12:.4f}").blunder == "adapter"
    pole = told(ARP, readings=(2.0,), support="fixed_pole", adapter=0.05)[1]
    assert pole.arp_above_mark == 2.05
    to_apc = small_plan(setup={"pole_to": "apc", "adapter": 0.05})
    over = added_over(to_apc, to_apc.setups[0])
    assert (over.vertical, over.pole) == (0.05, pytest.approx(0.05 - 0.091)), "what the Book adds without signal"


def test_readings_that_differ_are_told_on_the_card():
    _, _, card = told(ARP, readings=(1.8, 1.806))
    assert any("measure again" in note for note in card.notes)
    assert not any("measure again" in note for note in told(ARP, readings=(1.8, 1.802))[2].notes)


def test_every_blunder_is_known_by_its_signature():
    """Each blunder's own error, with a centimetre of noise, is explained by that blunder."""
    plan, chain, _ = told(ARP.model_copy(update={"unit": "ft"}))
    rows = [row for row in blunders(plan, chain).rows if not row.remark]
    assert {
        "orthometric",
        "no_antenna",
        "twice",
        "slant",
        "arp_as_apc",
        "dms_as_degrees",
        "international_for_survey",
    } <= {row.id for row in rows}
    for row in rows:
        assert explained(plan, chain, row.vector + np.array([0.006, -0.006, 0.004])).blunder == row.id


def test_blunders_typed_into_a_device_are_named():
    plan, chain, card = told(ARP)
    lat, lon, up, _ = (box.typed for box in card.boxes)
    typed = {
        "orthometric": (lat, lon, f"{chain.arp:.4f}"),
        "no_antenna": (lat, lon, f"{chain.mark_ellipsoidal:.4f}"),
        "twice": (lat, lon, f"{chain.arp_ellipsoidal + chain.arp_above_mark:.4f}"),
        "apc_as_arp": (lat, lon, f"{chain.apc_ellipsoidal:.4f}"),
        "east_for_west": (lat, lon.removeprefix("-"), up),
        "swapped": (lon, lat, up),
    }
    for key, boxes in typed.items():
        assert read_back(plan, chain, ARP, *boxes).blunder == key
    dms = told(ARP.model_copy(update={"position": "dms"}))[2]
    run_together = []
    for box in dms.boxes[:2]:
        degrees, minutes, seconds = _parts(box.typed)
        run_together.append(f"{degrees}.{minutes}{seconds.replace('.', '')}")
    assert read_back(plan, chain, ARP, run_together[0], f"-{run_together[1]}", up).blunder == "dms_as_degrees"


def _parts(text):
    for letter in "°'\"":
        text = text.replace(letter, " ")
    return text.split()[:3]


def test_a_difference_like_no_blunder_is_not_given_a_name():
    plan, chain, _ = told(ARP)
    found = explained(plan, chain, np.array([0.0, 0.0, 0.6]))
    assert found.blunder == "" and "0.600 m higher" in found.words


def test_what_is_no_position_is_refused_in_words():
    plan, chain, _ = told(ARP)
    for typed in (("north", "1", "2"), ("91", "0", "1"), ("46.3", "-13.4", "high")):
        with pytest.raises(KardoError):
            read_back(plan, chain, ARP, *typed)


def test_the_drift_of_the_plate_since_1989():
    """A global position typed as ETRS89: the Eurasian plate's rotation of ITRF2014 (Altamimi et al., Geophys. J. Int.
    209, 2017: -0.085, -0.531, 0.770 mas a year about x, y, z) from 1989.0 on."""
    plan = small_plan()
    plan = plan.model_copy(update={"brief": plan.brief.model_copy(update={"epoch": "2026.9"})})
    chain = heights(plan, "base")
    row = next(r for r in blunders(plan, chain).rows if r.id == "realisation")
    lat, lon = math.radians(chain.latitude), math.radians(chain.longitude)
    up = np.array([math.cos(lat) * math.cos(lon), math.cos(lat) * math.sin(lon), math.sin(lat)])
    east = np.array([-math.sin(lon), math.cos(lon), 0])
    spin = np.radians(np.array([-0.085, -0.531, 0.770]) / 3.6e6)
    drift = np.cross(spin, 6_371_000 * up) * (2026.9 - 1989.0)
    assert (row.east, row.north) == pytest.approx((drift @ east, drift @ np.cross(up, east)), abs=0.03)
    assert not any(r.id == "realisation" for r in blunders(small_plan(), heights(small_plan(), "base")).rows)


def test_either_foot_for_the_other_is_known_by_its_sign():
    """2 ppm of 5,128 km north: 10.26 m, and the way tells which foot was typed. 1200/3937 m against 0.3048 m."""
    survey = ARP.model_copy(update={"unit": "us-ft", "position": "grid"})
    plan, chain, card = told(survey)
    height = card.boxes[2].typed
    as_international = [f"{value / 0.3048:.4f}" for value in (E0 - 20, N0 - 20)]
    found = read_back(plan, chain, survey, *as_international, height)
    assert found.blunder == "international_for_survey" and math.hypot(found.east, found.north) == pytest.approx(
        2e-6 * math.hypot(E0, N0), abs=0.03
    )
    other = survey.model_copy(update={"unit": "ft"})
    plan, chain, card = told(other)
    as_survey = [f"{value / (1200 / 3937):.4f}" for value in (E0 - 20, N0 - 20)]
    assert read_back(plan, chain, other, *as_survey, card.boxes[2].typed).blunder == "survey_for_international"
    indian = survey.model_copy(update={"unit": "ind-ft"})
    plan, chain, card = told(indian)
    found = read_back(plan, chain, indian, *as_international, card.boxes[2].typed)
    assert found.blunder == "international_for_indian"
    assert math.hypot(found.east, found.north) == pytest.approx(5.2e-6 * math.hypot(E0, N0), rel=0.01)


def test_who_sees_a_blunder_of_the_base():
    assert seen_by(small_plan(), "base") == "The map and all 4 checks move together: no check sees it."
    plan = small_plan()
    moved = plan.control[-1].model_copy(update={"positioned_from": OwnSession()})
    assert "Only 1 of 4 checks is positioned from elsewhere" in seen_by(
        plan.model_copy(update={"control": (*plan.control[:-1], moved)}), "base"
    )
    bare = plan.model_copy(update={"control": plan.targets})
    assert seen_by(bare, "base").startswith("There are no checks")


def test_two_devices_of_one_id_are_refused():
    plan = small_plan(setup={"devices": (ARP,)}).to_json()
    plan["setups"][0]["devices"] *= 2
    with pytest.raises(PlanError, match=r"(?i)two devices have the id D"):
        plan_from_json(plan)


def test_what_a_device_wants_changes_no_number():
    assert small_plan(setup={"devices": (ARP,)}).hash == small_plan().hash
    assert small_plan(setup={"devices": (ARP,)}).revision != small_plan().revision


# Schemes


@pytest.fixture(scope="module")
def compared():
    plan = small_plan()
    return plan, {row.id: row for row in schemes(plan).rows}


def test_every_scheme_predicts_what_the_plan_so_changed_predicts(compared):
    plan, rows = compared
    for key in ("network_virtual", "static", "none"):
        full = predict(changed(plan, rows[key].edits))
        assert rows[key].promise.rmse_h == pytest.approx(full.rmse_h, rel=1e-9)
        assert rows[key].promise.rmse_v == pytest.approx(full.rmse_v, rel=1e-9)
        assert rows[key].promise.chance == full.chance


def test_a_network_scheme_is_the_plan_wired_so_by_hand(compared):
    plan, rows = compared
    on = OnService(service="N1")
    by_hand = plan.model_copy(
        update={
            "correction_services": (CorrectionService(id="N1", name="any"),),
            "flights": (MAIN.model_copy(update={"positioned_from": on, "corrections": "live"}),),
            "control": tuple(p.model_copy(update={"positioned_from": on}) for p in plan.control),
        }
    )
    assert changed(plan, rows["network_virtual"].edits).hash == by_hand.hash


def test_a_base_taken_here_is_metres_off_and_its_own_checks_are_blind_to_it(compared):
    """Code alone: 1.5 m each axis in plan, 3 m in height (docs/accuracy.md, section 6), all of it shared by the
    checks."""
    _, rows = compared
    here, shifted = rows["here"], rows["here_shifted"]
    assert here.promise.rmse_h == pytest.approx(1.5 * math.sqrt(2), rel=0.01)
    assert here.promise.rmse_v == pytest.approx(3.0, rel=0.01)
    assert max(here.as_seen) < 0.05, "no check on the same base sees it"
    assert shifted.promise.rmse_v < 0.2 and shifted.as_seen == pytest.approx(here.as_seen, rel=0.02)


def test_both_states_of_a_base_here_are_told_in_one_sentence(compared):
    plan, _ = compared
    told = named_schemes(plan, schemes(plan)).here
    assert told.startswith(
        "With a base “here”, until it is shifted, the whole map lies about 2.12 m off in plan and 3.00 m"
    )
    assert re.search(r"the checks see \d+\.\d mm and \d+\.\d mm of it; shifted by its own log it is good to", told)


def test_more_hours_never_do_worse(compared):
    _, rows = compared
    assert rows["static"].promise.rmse_v < rows["here_shifted"].promise.rmse_v < rows["here"].promise.rmse_v


def test_how_corrections_come_from_one_base_makes_no_figure_differ(compared):
    _, rows = compared
    assert rows["own_live"].promise == rows["own_logged"].promise == rows["own_both"].promise
    assert rows["own_both"].chosen and not rows["own_both"].edits
    assert all(row.needs and row.fails for row in rows.values())


@given(st.lists(st.sampled_from(sorted(catalogue())), min_size=1, max_size=5))
def test_any_scheme_chosen_after_any_other_is_the_one_the_plan_has(keys):
    """And control is neither lost nor renamed, and what rests elsewhere stays there."""
    elsewhere = point("K9", 30, 30, positioned_from=OwnSession(hours=7))
    plan = small_plan()
    plan = plan.model_copy(update={"control": (*plan.control, elsewhere)})
    for key in keys:
        try:
            edits = edits_for(plan, key)
        except PlanError as fault:
            assert key == "network_nearest" or "published" in fault.what
            continue
        plan = changed(plan, edits)
        assert edits_for(plan, key) == ()
    assert [p.id for p in plan.control] == [p.id for p in small_plan().control] + ["K9"]
    assert plan.control[-1] == elsewhere


def test_a_reference_station_among_the_marks_is_offered():
    station = Mark(id="S", name="Station", e=E0 + 21_000, n=N0, h=20.0)
    plan = small_plan(
        marks=(MARK, station), setups=(*small_plan().setups, SetUp(id="far", name="station", mark="S", antenna="disc"))
    )
    after = changed(plan, edits_for(plan, "network_nearest"))
    assert {p.positioned_from for p in after.control} == {OnSetUp(setup="far")} and after.flights[
        0
    ].positioned_from.setup == "far"
    assert edits_for(after, "network_nearest") == ()
    back = changed(after, edits_for(after, "own_both"))
    assert back.flights[0].positioned_from == OnSetUp(setup="base"), "a station 21 km away is nobody's own base"
    near, far = predict(plan), predict(after)
    assert far.rmse_v > near.rmse_v, "a millimetre a kilometre"


def test_a_plan_without_a_base_says_what_a_scheme_wants_first():
    plan = small_plan(setup={"mark": None}, flight={"positioned_from": OnNothing(), "corrections": "none"})
    for key in ("own_both", "here", "static", "mixed"):
        with pytest.raises(PlanError, match="No set-up stands on a mark yet"):
            edits_for(plan, key)
    assert edits_for(plan, "none") == ()
    assert set(EDITS) == set(catalogue())


def test_targets_that_log_carry_the_flight(compared):
    plan, rows = compared
    after = changed(plan, rows["self_logging"].edits)
    assert after.flights[0].positioned_from == OnSetUp(setup="log-G5"), "the target nearest the middle"
    own = {p.id: p.positioned_from.setup for p in after.targets}
    assert own == {"G1": "log-G5", "G2": "log-G5", "G3": "log-G5", "G4": "log-G5", "G5": None}, (
        "itself against a network"
    )
    assert [p.positioned_from for p in after.checks] == [p.positioned_from for p in plan.checks], (
        "checks stay as they are"
    )
    assert edits_for(after, "self_logging") == () and edits_for(after, "own_both"), "it is not the office's own base"
    assert after.mark("log-G5").hours == after.control[0].positioned_from.hours >= 0.5


def test_the_quarry_is_planned_end_to_end_and_passes_only_after_its_shift():
    """The second demo: 90 m of relief and more, a base "here", two checks on the reference network that see it."""
    plan = demo_plan("hask-quarry")
    assert float(np.ptp(plan.surface.heights)) > 90
    assert summary(plan).faults == {} and summary(plan).lacks == []
    assert day_of(plan, "V1").reasons == []
    before = predict(plan)
    assert {f.rule for f in check_plan(plan, before) if f.severity == "stop"} == {"verdict-tolerance"}
    assert before.rmse_h > 2 and before.chance < 0.01
    assert before.seen_rmse_v < before.rmse_v, "four of six checks move with the map"
    after = predict(changed(plan, edits_for(plan, "here_shifted")))
    assert after.rmse_h < plan.brief.tolerance_h and after.rmse_v < plan.brief.tolerance_v and after.chance > 0.8


# Sessions

VISIT = Visit(id="V1", name="first", date="2027-03-16", people=(Person(id="a", name="Ann"), Person(id="b", name="Ben")))


def test_a_session_is_the_days_window_at_the_set_ups_interval():
    plan = small_plan(visits=(VISIT,), setup={"log": Log(interval_s=5.0)})
    (row,) = sessions(plan).rows
    (window,) = day_of(plan, "V1").logging
    assert (row.first, row.last, row.interval_s) == (window.first, window.last, 5.0)
    assert row.epochs == 12 * (row.last - row.first) + 1
    assert row.megabytes == pytest.approx(row.epochs * 0.004, abs=0.06), "four kilobytes an epoch"


def test_what_a_log_runs_short_of_is_told():
    """An hour and a half or so of a day, four kilobytes an epoch; the shift of a base "here" is promised by four hours
    of it."""
    plan = small_plan(visits=(VISIT,))
    (row,) = sessions(plan).rows
    hours = (row.last - row.first) / 60
    assert row.lacks == []
    short = {"interval_s": 1.0, "battery_h": round(hours - 0.2, 1), "memory_mb": 0.5 * row.megabytes}
    lacks = sessions(small_plan(visits=(VISIT,), setup={"log": Log(**short)})).rows[0].lacks
    assert ["battery" in words for words in lacks] == [True, False] and f"of about {row.megabytes:.0f} MB" in lacks[1]
    enough = {"battery_h": hours + 1, "memory_mb": 1.2 * row.megabytes}
    assert sessions(small_plan(visits=(VISIT,), setup={"log": Log(**enough)})).rows[0].lacks == []
    here = plan.marks[0].model_copy(update={"known": "here", "shift_hours": 24.0})
    lacks = sessions(small_plan(visits=(VISIT,), marks=(here,), setup={"log": Log(**enough)})).rows[0].lacks
    assert "leave it on longer" in lacks[0] and "battery" in lacks[1] and "MB" in lacks[2], "and the rest has to last"


def test_a_base_here_stays_out_as_long_as_its_shift_is_promised_by():
    plan = small_plan(visits=(VISIT,))
    here = plan.marks[0].model_copy(update={"known": "here", "shift_hours": 6.0})
    (row,) = sessions(plan.model_copy(update={"marks": (here,)})).rows
    assert row.last - row.first >= 360 > sessions(plan).rows[0].last - sessions(plan).rows[0].first and not row.lacks


def test_a_day_that_cannot_be_says_why_nothing_is_logged():
    plan = small_plan(visits=(VISIT.model_copy(update={"date": ""}),))
    (row,) = sessions(plan).rows
    assert row.first is None and "no date" in row.why
    assert sessions(small_plan(setup={"mark": None}, visits=(VISIT,))).rows == []


@given(st.floats(0.1, 240))
def test_hours_and_accuracy_of_a_static_session_are_each_others_inverse(hours):
    assume = Assumptions({})
    assert static_hours(static_sigma(hours, assume)[2], assume) == pytest.approx(hours, rel=1e-9)


def test_a_wanted_accuracy_takes_the_hours_of_the_published_law():
    """Eckl et al. 2001: 36.5 mm over the root of the hours, up; so 12 mm take (36.5 / 12)² = 9.25 h."""
    assert sessions(small_plan(), 0.012).wanted.hours == pytest.approx((36.5 / 12) ** 2)
    assert sessions(small_plan(), 0.001).wanted is None, "1,332 hours"
    assert sessions(small_plan()).wanted is None


# Command line


def test_heights_on_the_command_line(tmp_path, capsys):
    plan = small_plan(setup={"devices": (ARP,)})
    plan = plan.model_copy(update={"setups": (*plan.setups, SetUp(id="B", name="second", mark="A", antenna="disc"))})
    file, out = tmp_path / "plan.json", tmp_path / "heights.json"
    file.write_text(json.dumps(plan.to_json()))
    assert main(["heights", str(file), "--json", str(out)]) == 0
    (row,) = json.loads(out.read_text())["setups"]
    chain = heights(plan, "base")
    assert row == {"id": "base"} | {
        key: getattr(chain, key)
        for key in ("mark", "arp", "apc", "arp_ellipsoidal", "apc_ellipsoidal", "latitude", "longitude")
    }
    printed = capsys.readouterr()
    assert cards(plan, chain)[0].boxes[2].typed in printed.out and "No antenna height is planned yet" in printed.err


def test_a_plan_holds_both_states_of_a_base_here_and_says_which_it_shows():
    """As taken the mark is metres off; shifted it is as good as a static session of its log, and all else is the
    same."""
    here = MARK.model_copy(update={"known": "here", "shift_hours": 6.0})
    plan = small_plan().model_copy(update={"marks": (here,)})
    shifted = in_state(plan, "shifted")
    static = plan.model_copy(update={"marks": (here.model_copy(update={"known": "static", "hours": 6.0}),)})
    before, after, by_log = predict(plan), predict(shifted), predict(static)
    assert after.rmse_v == pytest.approx(by_log.rmse_v, rel=1e-9) and by_log.other is None
    assert before.other.state == "shifted" and before.other.rmse_v == pytest.approx(after.rmse_v, rel=1e-9)
    assert after.other.state == "as_taken" and after.other.seen_rmse_h == pytest.approx(before.seen_rmse_h, rel=1e-9)
    assert plan.hash != shifted.hash
    words = result_text(plan, before).state
    assert words.startswith("Shown before it is shifted.") and "shifted by 6 h of log on A it is good to" in words
    assert result_text(shifted, after).state.startswith("Shown once it is shifted.")
    rules = {f.rule: f.words for f in check_plan(shifted, after)}
    assert "the verdict is that once it is shifted by 6 h of its log" in rules["base-mark-unsettled"]


def test_without_a_planned_shift_there_is_one_state_only():
    here = MARK.model_copy(update={"known": "here"})
    plan = small_plan().model_copy(update={"marks": (here,)})
    assert predict(plan).other is None
    assert predict(in_state(plan, "shifted")).rmse_v == pytest.approx(predict(plan).rmse_v), "saying so shifts nothing"


def test_the_scheme_here_shifted_plans_the_shift_and_here_takes_it_back():
    plan = small_plan().model_copy(update={"marks": (MARK.model_copy(update={"known": "here"}),)})
    after = changed(plan, edits_for(plan, "here_shifted"))
    assert after.brief.state == "shifted" and after.marks[0].known == "here" and after.marks[0].shift_hours > 0
    assert marks_here(after), "Close has a mark to shift"
    back = changed(after, edits_for(after, "here"))
    assert back.brief.state == "as_taken" and back.marks[0].known == "here"


def test_a_planned_reading_that_the_others_outvote_is_named_and_left_out_with_a_click():
    plan = small_plan(setup={"readings": (1.8, 1.801, 1.83)})
    found = next(f for f in findings(View(plan, (), None)) if f.rule == "base-readings")
    assert "Number 3 is" in found.words and found.label == "leave out number 3"
    assert [r.metres for r in changed(plan, found.edits).setups[0].readings] == [1.8, 1.801]
    two = small_plan(setup={"readings": (1.8, 1.83)})
    assert not next(f for f in findings(View(two, (), None)) if f.rule == "base-readings").edits, "who is right?"
