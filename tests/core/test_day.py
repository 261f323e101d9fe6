"""A day on the clock: the solver's answer held against its windows and precedences by plain code, and what it says of
days that cannot be."""

import datetime
import math
from itertools import pairwise, permutations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kardo.core.control.round import walk
from kardo.core.day.day import day_of
from kardo.core.day.durations import durations
from kardo.core.day.schedule import lasting, schedule
from kardo.core.day.tasks import tasks_of
from kardo.core.errors import PlanError
from kardo.core.plan.brief import Brief
from kardo.core.plan.control import Occupation
from kardo.core.plan.site import Feature, Zone
from kardo.core.plan.stands import Mark, OnNothing, OnSetUp, OwnSession
from kardo.core.plan.visits import Person, Visit
from kardo.core.sky.light import clock, clock_ahead, light, minute
from kardo.demo import demo_plan
from tests.conftest import E0, N0, ON_BASE, point, small_plan

CREW = (Person(id="a", name="A", roles=("surveyor", "helper")), Person(id="b", name="B", roles=("pilot", "helper")))
SPRING = "2027-03-16"
SUN = light(-13.4, 46.3, SPRING, -1.0, 10.0)


def visited(plan=None, **changes):
    """A plan with one visit of the crew."""
    visit = Visit(**({"id": "V1", "name": "visit", "date": SPRING, "people": CREW} | changes))
    return (plan or small_plan()).model_copy(update={"visits": (visit,)}), visit


def solved(plan, visit):
    return schedule(tasks_of(plan, visit), visit, light(-13.4, 46.3, SPRING, -1.0, visit.sun_deg))


def faults_of(found, tasks, visit, sun):
    """Everything that a schedule breaks, by plain code."""
    at = {p.task.id: p for p in found.placed}
    people = {p.id: p for p in visit.people}
    faults = [f"{t.id} missing" for t in tasks if t.id not in at]
    for p in found.placed:
        t = p.task
        if p.end - p.start != t.minutes or p.start < minute(visit.leave):
            faults.append(f"{t.id} is too short or too early")
        if visit.back and p.end > minute(visit.back):
            faults.append(f"{t.id} too late")
        if any(p.start < minute(last) and p.end > minute(first) for first, last in t.shut):
            faults.append(f"{t.id} when it may not be done")
        if t.light and not sun.first <= p.start <= p.end <= sun.last:
            faults.append(f"{t.id} under a low sun")
        if t.on_foot and not sun.dawn <= p.start <= p.end <= sun.dusk:
            faults.append(f"{t.id} in the dark")
        if t.joins and (p.start != at[t.joins].end or p.people != at[t.joins].people):
            faults.append(f"{t.id} does not go on from {t.joins}")
        for after in t.after:
            before = at[after.task]
            if p.start < (before.end if after.of == "end" else before.start) + after.minutes:
                faults.append(f"{t.id} before {after.task}")
        if t.everybody:
            if set(p.people) != set(people):
                faults.append(f"{t.id} without somebody")
        elif len(p.people) != 1 or not set(people[p.people[0]].roles) & set(t.roles):
            faults.append(f"{t.id} by {p.people}")
        if t.id in visit.pins and p.start != minute(visit.pins[t.id]):
            faults.append(f"{t.id} off its pin")
    for key in people:
        own = sorted((p.start, p.end) for p in found.placed if key in p.people)
        faults += [f"{key} in two places at {clock(b[0])}" for a, b in pairwise(own) if b[0] < a[1]]
    sorties = [p for p in found.placed if p.task.battery]
    for sortie in sorties:
        away = [p for p in sorties if p.start <= sortie.start < p.end + (visit.charge_min or 24 * 60)]
        if len(away) > visit.batteries:
            faults.append(f"{len(away)} batteries away at {clock(sortie.start)}")
    return faults


def faults_on_site(plan, found):
    """What a schedule breaks of what the plan's own things ask for: time from one base to the next, sessions that run
    from when a logger is switched on, copies of what was collected."""
    at = {p.task.id: p for p in found.placed}
    faults, before = [], []
    for p in found.placed:
        kind = p.task.kind
        if kind in ("base", "base_in"):
            setup = plan.setup(p.task.about[0].removeprefix("setups/"))
            mark = plan.mark(setup.mark)
            away = [math.dist((m.e, m.n), (mark.e, mark.n)) for m in before if kind == "base"]
            usual = durations()["base_in" if kind == "base_in" else "tripod" if setup.support == "tripod" else "pole"]
            if away and min(away) > 20 and p.task.minutes < usual.minutes + min(away) / plan.assume["walking_speed"]:
                faults.append(f"nobody walks to {p.task.id}")
            before += [mark] if kind == "base" else []
    logs = {p.task.about[0]: p for p in found.placed if p.task.kind == "base"}
    ends = {p.task.about[0]: p for p in found.placed if p.task.kind == "base_in"}
    loggers = [p for p in plan.control if isinstance(p.positioned_from, OwnSession)]
    for own in loggers:
        on = next(p for p in found.placed if p.task.kind == "observe" and f"control/{own.id}" in p.task.about)
        off = next(p for p in found.placed if p.task.kind == "targets_in" and f"control/{own.id}" in p.task.about)
        if own.positioned_from.setup is not None:
            path = f"setups/{own.positioned_from.setup}"
            if path not in logs or logs[path].end > on.start or ends[path].start < off.start:
                faults.append(f"{own.id} logs while its base does not")
        if off.start < on.start + 60 * own.positioned_from.hours:
            faults.append(f"{own.id} is lifted before its session is over")
    collected = [
        p for p in found.placed if p.task.kind in ("leg", "base_in") or (loggers and p.task.kind == "targets_in")
    ]
    faults += [f"copies before {p.task.id}" for p in collected if at["copies"].start < p.end]
    return faults


@settings(max_examples=25, deadline=None)
@given(
    st.lists(st.sets(st.sampled_from(["pilot", "surveyor", "helper"]), min_size=1), min_size=1, max_size=4),
    st.integers(5, 12),
    st.sampled_from(["", "13:00", "18:00"]),
    st.integers(0, 3),
    st.sampled_from([None, 30.0, 90.0]),
    st.integers(1, 3),
    st.sampled_from([{}, {"preflight": "11:00"}, {"targets-out": "12:30"}]),
    st.sampled_from([0.0, 0.5, 3.0]),
    st.sampled_from([0.0, 300.0, 900.0]),
)
def test_every_schedule_keeps_its_windows_and_precedences(
    crew, leave, back, batteries, charge, occupations, pins, hours, away
):
    rounds = tuple(Occupation(after_min=45.0 * k) for k in range(occupations))
    people = tuple(Person(id=f"p{k}", name=f"p{k}", roles=tuple(sorted(roles))) for k, roles in enumerate(crew))
    wanted = {"leave": f"{leave:02d}:00", "back": back, "batteries": batteries, "charge_min": charge, "pins": pins}
    plan = observed_so(with_a_second_base(small_plan(), away), rounds, hours)
    plan, visit = visited(plan, people=people, **wanted)
    for shared in (False, True):
        tasks = tasks_of(plan, visit, shared)
        found = schedule(tasks, visit, SUN)
        assert bool(found.placed) != bool(found.reasons)
        if found.placed:
            assert faults_of(found, tasks, visit, SUN) == [] and faults_on_site(plan, found) == []


def observed_so(plan, rounds, hours):
    """Control occupied in rounds; where hours are said, targets log for themselves against the last base, which may log
    for them alone."""
    session = OwnSession(hours=hours or 1.0, setup=plan.setups[-1].id)
    own = {"positioned_from": session, "occupations": rounds[:1]}
    control = tuple(
        p.model_copy(update=own if hours and p.role == "target" else {"occupations": rounds}) for p in plan.control
    )
    return plan.model_copy(update={"control": control})


def with_a_second_base(plan, away):
    """So many metres from the first, for the last check; none at nothing."""
    if not away:
        return plan
    marks = (*plan.marks, Mark(id="B", name="B", e=E0 - 20 + away, n=N0 - 20, h=4.0))
    setups = (*plan.setups, plan.setups[0].model_copy(update={"id": "second", "name": "second", "mark": "B"}))
    last = plan.control[-1].model_copy(update={"positioned_from": OnSetUp(setup="second")})
    return plan.model_copy(update={"marks": marks, "setups": setups, "control": (*plan.control[:-1], last)})


def test_one_person_lays_and_observes_on_one_round():
    alone = (Person(id="a", name="A"),)
    plan, visit = visited(people=alone)
    tasks = {t.id: t for t in tasks_of(plan, visit)}
    two = {t.id: t for t in tasks_of(*visited())}
    assert tasks["observe-targets-1"].joins == "targets-out" and tasks["observe-checks-1"].joins == "observe-targets-1"
    for key in ("observe-targets-1", "observe-checks-1"):
        assert (
            tasks[key].minutes == two[key].minutes - two[key].way
            and "on the round that lays them out" in tasks[key].why
        )
    found = solved(plan, visit)
    assert faults_of(found, tuple(tasks.values()), visit, SUN) == []
    pinned = visited(people=alone, pins={"observe-checks-1": "13:00"})
    assert not any(t.joins for t in tasks_of(*pinned)), "what somebody settled is left"


def test_two_who_may_carry_share_the_targets_where_that_ends_the_day_sooner():
    crew = (Person(id="a", name="A", roles=("surveyor", "pilot")), Person(id="b", name="B", roles=("helper",)))
    control = tuple(point(f"{'GK'[k % 2]}{k}", 14.0 * k, 20 + 80 * (k % 2)) for k in range(1, 13))
    plan, _ = visited(small_plan(control=control), people=crew)
    day = day_of(plan, "V1")
    by = {t.id: t for t in day.tasks}
    assert {*by["targets-out"].people, *by["checks-out"].people} == {"a", "b"}
    assert by["targets-out"].start < by["checks-out"].end and by["checks-out"].start < by["targets-out"].end
    together = solved(plan, plan.visits[0])
    assert max(t.end for t in day.tasks) < together.placed[-1].end


def test_nobody_is_on_foot_in_the_dark_and_it_is_said():
    """An hour after sunset people still collected targets, and "1 h 52 min before the light goes" was told."""
    late = (solved(*visited(leave=f"{hour}:{half}", sun_deg=-6.0)) for hour in (14, 15, 16) for half in ("00", "30"))
    reason, *_ = next(found for found in late if not found.placed).reasons
    assert "after dark, at" in reason.words and reason.mend.startswith("Leave at")
    plan, _ = visited(leave="13:30", sun_deg=0.0)
    day = day_of(plan, "V1")
    outside = max(t.end for t in day.tasks if t.kind in ("base_in", "targets_in", "observe"))
    assert outside <= day.light.dusk and day.light.dusk - day.light.set in range(24, 36), "civil twilight"
    assert f"{lasting(day.light.dusk - outside)} before dark" in day.told


def test_the_base_is_first_out_and_last_in_and_logs_long_enough():
    plan, visit = visited()
    found = solved(plan, visit)
    at = {p.task.id: p for p in found.placed}
    on_site = [p for p in found.placed if p.task.stage == "site"]
    assert at["base-base"].start == min(p.start for p in on_site)
    lifted = [p.end for p in on_site if p.task.id not in {"copies", "base-in-base"}]
    assert at["base-in-base"].start >= max(lifted)
    (log,) = day_of(plan, "V1").logging
    sorties = [p for p in on_site if p.task.light]
    assert min(p.start for p in sorties) - log.first >= 15 and log.last - max(p.end for p in sorties) >= 10


def test_a_second_occupation_waits_for_another_sky():
    twice = (Occupation(), Occupation(after_min=180.0))
    control = (
        *(point(f"G{k}", 40.0 * k, 20).model_copy(update={"occupations": twice}) for k in (1, 2)),
        point("K1", 60, 60),
    )
    plan, visit = visited(small_plan(control=control))
    at = {p.task.id: p for p in solved(plan, visit).placed}
    assert at["observe-targets-2"].start - at["observe-targets-1"].start >= 180
    assert at["targets-in"].start >= at["observe-targets-2"].end


def test_a_target_that_logs_for_itself_is_not_taken_up_before_its_session_is_over():
    own = tuple(point(f"G{k}", 40.0 * k, 20, positioned_from=OwnSession(hours=2.0)) for k in (1, 2))
    plan, visit = visited(small_plan(control=(*own, point("K1", 60, 60, positioned_from=ON_BASE))))
    at = {p.task.id: p for p in solved(plan, visit).placed}
    assert at["targets-in"].start - at["observe-targets-1"].start >= 120, "from when they were switched on"
    alone, _ = visited(
        small_plan(control=own, setups=(), marks=(), flight={"positioned_from": OnNothing(), "corrections": "none"})
    )
    tasks = {t.id: t for t in tasks_of(alone, visit)}
    assert "targets-in" in {a.task for a in tasks["copies"].after}, "two copies of what is collected, too"
    assert [(a.task, a.of) for a in tasks["targets-in"].after if a.minutes] == [("observe-targets-1", "start")]


def test_a_logger_runs_from_when_it_is_switched_on():
    """An hour and three quarters of Tarn Wood's day were waited for that nobody needs."""
    plan = demo_plan("tarn-wood")
    tasks = {t.id: t for t in tasks_of(plan, plan.visits[0])}
    (wait,) = [a for a in tasks["targets-in"].after if a.minutes]
    assert wait.of == "start" and wait.minutes == 120


def test_from_one_base_to_the_next_somebody_walks():
    """650 m apart and set up back to back: the way is in the task, and told."""
    other = Mark(id="B", name="B", e=E0 + 630, n=N0 - 20, h=4.0)
    plan = small_plan(marks=(*small_plan().marks, other))
    setups = (*plan.setups, plan.setups[0].model_copy(update={"id": "second", "name": "second", "mark": "B"}))
    control = tuple(
        p.model_copy(update={"positioned_from": OnSetUp(setup="second")}) if p.id == "K1" else p for p in plan.control
    )
    plan, visit = visited(plan.model_copy(update={"setups": setups, "control": control}))
    tasks = {t.id: t for t in tasks_of(plan, visit)}
    walk = math.ceil(650 / plan.assume["walking_speed"])
    for key in ("base", "base-in"):
        assert tasks[f"{key}-second"].minutes == tasks[f"{key}-base"].minutes + walk
        assert f"{walk} min of way" in tasks[f"{key}-second"].why
    found = solved(plan, visit)
    assert found.placed and faults_of(found, tasks_of(plan, visit), visit, SUN) == []


def test_minutes_that_somebody_settled_are_taken_and_told():
    plan, visit = visited(minutes={"targets-out": 90.0})
    task = next(t for t in tasks_of(plan, visit) if t.id == "targets-out")
    assert task.minutes == 90 and "settled" in task.why


def test_what_is_planned_for_another_visit_is_not_done_on_this_one():
    plan, visit = visited()
    other = Visit(id="V2", name="later", date=SPRING, people=CREW)
    flights = tuple(f.model_copy(update={"visit": "V2"}) for f in plan.flights)
    plan = plan.model_copy(update={"visits": (visit, other), "flights": flights})
    assert not any(t.light for t in tasks_of(plan, visit)) and any(t.light for t in tasks_of(plan, other))


@pytest.mark.parametrize(
    ("changes", "words", "mend"),
    [
        ({"people": ()}, "Nobody comes", {"people": CREW}),
        ({"people": CREW[:1]}, "Nobody on this visit is a pilot", {"people": CREW}),
        ({"people": CREW[1:]}, "Nobody on this visit is a surveyor", {"people": CREW}),
        ({"batteries": 0}, "take 1 batteries; 0 are at hand", {"batteries": 1}),
        ({"sun_deg": 60.0}, "does not reach 60°", {"sun_deg": 10.0}),
        ({"leave": "15:30"}, "after the sun sinks below 10°", {"leave": "14:00"}),
        ({"back": "10:00"}, "after 10:00", {"back": "18:00"}),
        ({"pins": {"preflight": "06:30"}}, "is pinned to 06:30", {"pins": {}}),
        ({"takers": {"leg-main-1": "a"}}, "is given to A, who is no pilot", {"takers": {"leg-main-1": "b"}}),
        ({"takers": {"copies": "a"}, "pins": {"copies": "07:05"}}, "is pinned to 07:05", {"pins": {}}),
    ],
)
def test_a_day_that_cannot_be_says_why_and_what_would_make_it_fit(changes, words, mend):
    plan, visit = visited(**changes)
    found = solved(plan, visit)
    assert not found.placed and any(words in r.words for r in found.reasons), found.reasons
    plan, better = visited(**(changes | mend))
    assert solved(plan, better).placed


def test_what_it_offers_makes_it_fit():
    """The departure, the return and the helper that are offered, tried."""
    plan, visit = visited(leave="15:30")
    dark, *_ = solved(plan, visit).reasons
    earlier = dark.mend.removeprefix("Leave at ").removesuffix(".")
    assert solved(*visited(leave=earlier)).placed
    plan, visit = visited(back="10:30")
    late, *_ = solved(plan, visit).reasons
    assert solved(*visited(back=late.mend[11:16])).placed


def under_a_zone(**more):
    """A visit below a zone whose ceiling the flight does not keep."""
    plan = small_plan()
    e, n = plan.site.boundary[0]
    ring = tuple((e + x, n + y) for x, y in ((-900, -900), (900, -900), (900, 900), (-900, 900)))
    zone = Zone(number="Z-1", ceiling=60.0, **more)
    feature = Feature(id="Z1", name="Sheal range", kind="airspace", shape="area", vertices=ring, zone=zone)
    return plan.model_copy(update={"site": plan.site.model_copy(update={"features": (feature,)})})


def test_a_flight_above_a_ceiling_is_kept_out_of_the_hours_in_which_it_holds():
    plan, visit = visited(under_a_zone(hours=("08:00", "13:30")))
    tasks = tasks_of(plan, visit)
    found = solved(plan, visit)
    sorties = [p for p in found.placed if p.task.kind == "leg"]
    assert sorties and not faults_of(found, tasks, visit, SUN) and min(p.start for p in sorties) >= minute("13:30")
    assert "not from 08:00 to 13:30: Sheal range" in sorties[0].task.why
    free, _ = visited(under_a_zone(hours=("08:00", "13:30"), asked="granted"))
    assert not any(t.shut for t in tasks_of(free, visit)), "leave was given"


def test_a_day_that_a_zone_leaves_no_time_says_so():
    plan, visit = visited(under_a_zone(hours=("05:00", "20:00")))
    reason, *_ = solved(plan, visit).reasons
    assert "may not be flown from 05:00 to 20:00" in reason.words and "ask for leave" in reason.mend
    over_night, visit = visited(under_a_zone(hours=("20:00", "06:00")))
    assert solved(over_night, visit).placed, "hours past midnight leave the day free"


def test_the_same_day_has_the_same_schedule():
    plan, visit = visited()
    assert solved(plan, visit) == solved(plan, visit)


def test_one_person_alone_takes_longer_than_two_and_two_than_three():
    crews = [CREW[:1], CREW, (*CREW, Person(id="c", name="C", roles=("surveyor", "helper")))]
    crews[0] = (Person(id="a", name="A"),)
    ends = [solved(*visited(people=crew)).placed[-1].end for crew in crews]
    assert ends[0] > ends[1] >= ends[2]


def test_the_sun_by_the_almanac():
    """Height at noon: 90 degrees less the latitude, and the declination; at the equinox the day is as long as the
    night, but for refraction and the sun's size (some eight minutes at this latitude)."""
    equinox = light(0.0, 46.3, "2027-03-20", 0.0, 10.0)
    assert max(equinox.sun) == pytest.approx(90 - 46.3, abs=0.3)
    assert 12 * 60 < equinox.set - equinox.rise < 12 * 60 + 14
    winter = light(0.0, 46.3, "2027-12-22", 0.0, 10.0)
    assert max(winter.sun) == pytest.approx(90 - 46.3 - 23.44, abs=0.2)
    assert winter.rise < winter.first < winter.last < winter.set
    night = light(0.0, 80.0, "2027-12-22", 0.0, 10.0)
    assert night.rise is None and night.first is None
    assert light(0.0, 80.0, "2027-06-22", 0.0, 10.0).set == 24 * 60 - 2


def test_the_clock_is_the_sites():
    assert clock_ahead(-13.4, None) == -1 and clock_ahead(-13.4, 0.0) == 0
    at_utc, at_site = light(-13.4, 46.3, SPRING, 0.0, 10.0), light(-13.4, 46.3, SPRING, -1.0, 10.0)
    assert at_utc.rise - at_site.rise == pytest.approx(60, abs=2)
    assert lasting(61) == "1 h 1 min"


@settings(max_examples=20, deadline=None)
@given(st.lists(st.tuples(st.floats(0, 500), st.floats(0, 500)), min_size=1, max_size=6))
def test_a_round_is_about_the_shortest(points):
    def metres(order):
        way = [(0.0, 0.0), *order, (0.0, 0.0)]
        return sum(math.dist(a, b) for a, b in pairwise(way))

    order, length = walk((0.0, 0.0), points)
    assert sorted(order) == list(range(len(points)))
    assert length == pytest.approx(metres([points[k] for k in order]))
    assert length <= 1.15 * min(metres(p) for p in permutations(points)) + 1


def test_a_round_of_many_points_goes_to_all():
    points = [(float(k % 20), float(k // 20)) for k in range(400)]
    order, length = walk((0.0, 0.0), points)
    assert sorted(order) == list(range(400)) and length < 600


@pytest.mark.parametrize(("changes", "words"), [({"date": ""}, "no date"), ({"date": "2027-02-30"}, "not a date")])
def test_a_day_without_a_date_is_refused(changes, words):
    plan, _ = visited(**changes)
    with pytest.raises(PlanError, match=words):
        day_of(plan, "V1")
    with pytest.raises(PlanError, match="no such visit"):
        day_of(plan, "V9")


def test_every_duration_has_its_source():
    assert all(d.minutes > 0 and d.what and d.source for d in durations().values())


def test_people_of_the_first_plans_of_version_2_are_read():
    old = {"id": "V1", "name": "v", "people": ["Somebody Else"]}
    assert Visit.model_validate(old).people[0].name == "Somebody Else"


def test_somebody_who_no_longer_comes_binds_nothing():
    assert solved(*visited(takers={"copies": "gone"}, pins={"no-such-task": "03:00"})).placed


def test_in_feet_the_walking_is_in_feet():
    plan, visit = visited(small_plan(brief=Brief(crs="EPSG:25828", unit="us-ft")))
    why = next(t.why for t in tasks_of(plan, visit) if t.kind == "targets_out")
    assert "ftUS of walking" in why and " m " not in why


@pytest.mark.parametrize(
    ("lat", "date"), [(46.3, "2027-03-20"), (60.0, "2027-06-10"), (60.0, "2027-12-05"), (-34.0, "2027-01-15")]
)
def test_sunrise_and_set_are_those_of_the_hour_angle(lat, date):
    """Refraction counted once: by the almanac's own formula, cos H = (sin -0.833 - sin lat sin dec) / (cos lat cos
    dec). It was up to 8 minutes off."""
    day = datetime.date.fromisoformat(date).timetuple().tm_yday
    g = 2 * math.pi / 365 * (day - 1 + 0.0)
    late = 229.18 * (0.000075 + 0.001868 * math.cos(g) - 0.032077 * math.sin(g) - 0.014615 * math.cos(2 * g) - 0.040849 * math.sin(2 * g))  # fmt: skip
    dec = 0.006918 - 0.399912 * math.cos(g) + 0.070257 * math.sin(g) - 0.006758 * math.cos(2 * g) + 0.000907 * math.sin(2 * g) - 0.002697 * math.cos(3 * g) + 0.00148 * math.sin(3 * g)  # fmt: skip
    phi = math.radians(lat)
    half = math.degrees(math.acos((math.sin(math.radians(-0.833)) - math.sin(phi) * math.sin(dec)) / (math.cos(phi) * math.cos(dec))))  # fmt: skip
    found = light(0.0, lat, date, 0.0, 10.0)
    assert found.rise == pytest.approx(720 - 4 * half - late, abs=2.5)
    assert found.set == pytest.approx(720 + 4 * half - late, abs=2.5)
