"""The tasks of a day, from the plan: what has to be done, by whom, for how long, and after what."""

import math
from dataclasses import dataclass, replace
from typing import Literal

from kardo.core.control.survey import by_rover, skies_over
from kardo.core.day.durations import durations
from kardo.core.day.rounds import moved, stands_by, walked
from kardo.core.flight.air.ceilings import above_ceilings
from kardo.core.flight.lines.areas import ground_scale
from kardo.core.flight.lines.pattern import FlightPlan, all_flown
from kardo.core.flight.lines.swath import sequence_words
from kardo.core.geodesy.units import length
from kardo.core.parts import Clock
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnSetUp, OwnSession, SetUp, setup_of
from kardo.core.plan.visits import Person, Role, Visit

Stage = Literal["office", "way", "site"]
Kind = Literal["other", "way_out", "way_back", "base", "base_in", "targets_out", "targets_in", "observe", "leg"]
ANYBODY: tuple[Role, ...] = ("helper", "surveyor", "pilot")
CARRY: tuple[Role, ...] = ("helper", "surveyor")  # of whom one may carry targets
OUT: tuple[Kind, str, str] = ("targets_out", "out", "target")
IN: tuple[Kind, str, str] = ("targets_in", "in", "lift")

BESIDE = 20.0  # metres between two bases that nobody counts as a way
WALKED, ROAD_M_PER_MIN, PARKING = (
    1500.0,
    500.0,
    5,
)  # metres that are walked between two bases; farther, so many a minute by road, and minutes to load and park


@dataclass(frozen=True)
class After:
    """Not before another task's end (or start), and so many minutes."""

    task: str
    minutes: int = 0
    of: Literal["end", "start"] = "end"


@dataclass(frozen=True)
class Task:
    """One thing to do: its kind, and of a sortie or a round of observing its number, from 1. minutes as whole numbers,
    why they are so many, and how many of them are on the way past its points; roles of whom one does it, or everybody
    together; about: the plan's things by path, in the order they are reached. battery: the kind that it uses up; light:
    wants the sun; on_foot: outside, by daylight; joins: the task that it goes on from at once, by the same person;
    shut: from when to when, clock of the site, it may not be done."""

    id: str
    words: str
    stage: Stage
    minutes: int
    why: str
    roles: tuple[Role, ...] = ANYBODY
    kind: Kind = "other"
    number: int = 0
    everybody: bool = False
    after: tuple[After, ...] = ()
    about: tuple[str, ...] = ()
    battery: str = ""
    way: int = 0
    light: bool = False
    on_foot: bool = False
    joins: str = ""
    shut: tuple[tuple[Clock, Clock], ...] = ()


LONGEST_DAY = 12.0  # hours: a log that is wanted for longer is left to run, or is another day's
OFFICE = ("charge", "firmware", "cards", "authorisation", "files")


def tasks_of(plan: Plan, visit: Visit, shared: bool = False) -> tuple[Task, ...]:
    """The tasks of a visit, in the order they are usually told. shared: targets and checks are carried out and in
    apart, so that two people can go at once. Raises PlanError where the flights cannot be laid out."""
    office = [_usual(key, "office") for key in OFFICE]
    out = _way("way-out", "to the site", "way_out", visit, office)
    arrived = (After(out.id),)
    site = [
        replace(_usual("airspace", "site"), roles=("pilot",), after=arrived),
        replace(_usual("clear", "site"), after=arrived, on_foot=True),
    ]
    setups = _setups(plan, visit)
    bases = [_base(plan, s, arrived, setups) for s in setups]
    first = tuple(After(b.id, of="start") for b in bases[:1])  # the base is the first thing out of the vehicle
    site = bases + [replace(t, after=t.after + first) for t in site]
    laid = _carried(plan, visit, OUT, tuple(After(t.id) for t in site if t.id == "clear"), shared)
    observed = _observed(plan, visit, [t.id for t in laid] or [out.id])
    if laid and _alone(visit):
        laid, observed = _in_one_round(laid, observed)
    ready = [t.id for t in (*laid, *observed) if t.kind == "targets_out" or t.joins]
    flying = _flying(plan, visit, ready)
    done = tuple(After(t.id) for t in [*flying, *observed])
    lifted = _carried(plan, visit, IN, (*done, *_sessions(plan, observed)), shared)
    home = [_base_in(plan, s, flying, lifted or observed, setups) for s in setups]
    whole = [
        *flying,
        *observed,
        *home,
        *(lifted if any(map(_logs, plan.control)) else ()),
    ]  # with the logs that lie outside
    copies = replace(_usual("copies", "site"), after=tuple(After(t.id) for t in whole))
    site += [*laid, *flying, *observed, *lifted, *home, copies]
    back = _way("way-back", "back to the office", "way_back", visit, site)
    return tuple(_settled(t, visit) for t in [*office, out, *site, back])


def _way(key: str, words: str, kind: Kind, visit: Visit, before: list[Task]) -> Task:
    after = tuple(After(t.id) for t in before)
    return Task(
        id=key,
        words=words,
        stage="way",
        minutes=round(visit.travel_min),
        why="as the visit says",
        kind=kind,
        everybody=True,
        after=after,
    )


def _settled(task: Task, visit: Visit) -> Task:
    """With the minutes that somebody settled."""
    if task.id not in visit.minutes:
        return task
    return replace(task, minutes=round(visit.minutes[task.id]), why=f"settled for this visit; usually {task.minutes}")


def _usual(key: str, stage: Stage) -> Task:
    found = durations()[key]
    return Task(id=key, words=found.what, stage=stage, minutes=round(found.minutes), why=found.source)


def _today(plan: Plan, visit: Visit, of: str | None) -> bool:
    """Whether something is done on this visit: it says so, or says nothing and this is the first."""
    return of == visit.id or (of is None and visit.id == plan.visits[0].id)


def _control(plan: Plan, visit: Visit) -> list[ControlPoint]:
    return [p for p in plan.control if any(_today(plan, visit, o.visit) for o in p.occupations)]


def _setups(plan: Plan, visit: Visit) -> list[SetUp]:
    """The set-ups that something of this visit rests on, and that say this visit or none."""
    flights = [f.positioned_from for f in plan.flights if f.corrected and _today(plan, visit, f.visit)]
    hung = [*flights, *(on for p in _control(plan, visit) for on in p.by_source)]
    keys = {setup_of(on) for on in hung}
    return [s for s in plan.setups if s.id in keys and (s.visit in (None, visit.id))]


def _base(plan: Plan, setup: SetUp, arrived: tuple[After, ...], setups: list[SetUp]) -> Task:
    kind = durations()["tripod" if setup.support == "tripod" else "pole"]
    mark = plan.mark(setup.mark)
    words = f"base out on {mark.name if mark else setup.name}: {kind.what}"
    way, why = _way_to(plan, setup, setups)
    return Task(
        id=f"base-{setup.id}",
        words=words,
        stage="site",
        minutes=round(kind.minutes) + way,
        why=f"{kind.source}{why}",
        roles=("surveyor",),
        kind="base",
        after=arrived,
        about=(f"setups/{setup.id}",),
        on_foot=True,
    )


def _way_to(plan: Plan, setup: SetUp, setups: list[SetUp]) -> tuple[int, str]:
    """Minutes to a base from the nearest of those before it, on foot or by road, and what is said of that; nothing for
    the first."""
    mark, assume = plan.mark(setup.mark), plan.assume
    before = [plan.mark(s.mark) for s in setups[: setups.index(setup)]]
    away = [math.hypot(m.e - mark.e, m.n - mark.n) for m in before if m is not None and mark is not None]
    if not away or min(away) < BESIDE:
        return 0, ""
    if min(away) > WALKED:
        minutes = PARKING + math.ceil(min(away) / ROAD_M_PER_MIN)
        return minutes, f"; {minutes} min by road from the base before"
    minutes = math.ceil(min(away) / assume["walking_speed"])
    return minutes, f"; {minutes} min of way from the base before"


def _round(plan: Plan, points: list[ControlPoint], each_min: float) -> tuple[int, str, tuple[str, ...], int]:
    """Minutes of a round over points, why, the points in the order walked, and the minutes of it that are walked."""
    order, walking, metres = walked(plan, points)
    minutes = math.ceil(walking + each_min * len(points))
    unit = plan.brief.unit
    why = f"{len(points)} points at {each_min:.3g} min, {length(metres, unit)} of walking in {walking:.0f} min"
    return minutes, why, tuple(f"control/{points[k].id}" for k in order), math.floor(walking)


def may_share(visit: Visit) -> bool:
    """Whether two people or more of a visit may carry targets."""
    return len(_carriers(visit)) > 1


def _carriers(visit: Visit) -> list[Person]:
    return [p for p in visit.people if set(p.roles) & set(CARRY)]


def _alone(visit: Visit) -> bool:
    """Whether one person both carries targets and observes them, and nobody could help; what somebody pinned is left as
    it is."""
    carriers = _carriers(visit)
    settled = any(key.startswith(("targets-out", "observe-")) for key in (*visit.pins, *visit.takers))
    return len(carriers) == 1 and "surveyor" in carriers[0].roles and not settled


def _carried(
    plan: Plan, visit: Visit, way: tuple[Kind, str, str], after: tuple[After, ...], shared: bool
) -> list[Task]:
    """A round to all points with the targets, or one to the targets and one to the checks; none where there are no
    points."""
    (kind, word, duration), points = way, _control(plan, visit)
    parts = {role: [p for p in points if p.role == role] for role in ("target", "check")}
    both = all(parts.values())
    rounds = [(f"{role}s", some) for role, some in parts.items()] if shared and both else [("all targets", points)]
    out = []
    for what, some in rounds if points else []:
        minutes, why, about, _ = _round(plan, some, durations()[duration].minutes)
        key = f"{'checks' if what == 'checks' else 'targets'}-{word}"
        out.append(
            Task(
                id=key,
                words=f"{what} {word}",
                stage="site",
                minutes=minutes,
                why=why,
                roles=CARRY,
                kind=kind,
                after=after,
                about=about,
                on_foot=True,
            )
        )
    return out


def _in_one_round(laid: list[Task], observed: list[Task]) -> tuple[list[Task], list[Task]]:
    """Laying out and first observing, by one person who has no reason to walk twice: who stands at a target observes
    it. The way is that of laying out; bases stand before."""
    first = [t for t in observed if t.number == 1]
    bases = tuple({a: None for t in first for a in t.after if a.task.startswith("base-")})
    joined, before = [], laid[-1].id
    for t in first:
        minutes = t.minutes - t.way
        joined.append(
            replace(
                t, minutes=minutes, way=0, joins=before, why=f"{t.why.split(', ')[0]}, on the round that lays them out"
            )
        )
        before = t.id
    laid = [replace(t, after=t.after + bases) for t in laid]
    return laid, [*joined, *(t for t in observed if t.number > 1)]


def _flying(plan: Plan, visit: Visit, laid: list[str]) -> list[Task]:
    """Checks before flying, then the sorties of each aircraft one after another with a battery change between."""
    ready = replace(_usual("preflight", "site"), roles=("pilot",))
    ready = replace(ready, after=(After("airspace"), After("clear")))
    change, lead = (round(durations()[key].minutes) for key in ("battery", "lead"))
    before: dict[str, str] = {}
    out: list[Task] = []
    for flight in all_flown(plan):
        own = flight.flight
        if not _today(plan, visit, own.visit):
            continue
        hung = own.positioned_from.setup if own.corrected and isinstance(own.positioned_from, OnSetUp) else None
        logging = (After(f"base-{hung}", lead),) if hung in {s.id for s in _setups(plan, visit)} else ()
        shut, zones = _shut(plan, flight)
        for k, sortie in enumerate(flight.sorties, 1):
            if k > 1 and sortie.take_off != flight.sorties[k - 2].take_off:
                out.append(_moving(plan, flight, k, before[own.aircraft]))
                before[own.aircraft] = out[-1].id
            last = before.get(own.aircraft)
            after = (After(last, change),) if last else (After("preflight"), *(After(t) for t in laid))
            words = f"{own.name}, sortie {k}" if len(flight.sorties) > 1 else own.name
            why = f"{sortie.minutes:.1f} min in the air, landing with {sortie.battery_left:.0f} %{zones}"
            key = f"leg-{own.id}-{k}"
            start, end = flight.sequence_minutes
            if start:
                out.append(_sequence(flight, k, "start", words, start, after + logging, shut))
                after, logging = (After(out[-1].id),), ()
            out.append(
                Task(
                    id=key,
                    words=words,
                    stage="site",
                    minutes=math.ceil(sortie.minutes - start - end),
                    why=why,
                    roles=("pilot",),
                    kind="leg",
                    number=k,
                    after=after + logging,
                    about=(f"flights/{own.id}",),
                    battery=own.battery,
                    light=True,
                    shut=shut,
                )
            )
            before[own.aircraft] = key
            if end:
                out.append(_sequence(flight, k, "end", words, end, (After(key),), shut))
                before[own.aircraft] = out[-1].id
    return [ready, *out] if out else []


def _moving(plan: Plan, flight: FlightPlan, k: int, last: str) -> Task:
    """From where the sortie before landed to where this one takes off."""
    start, end = (flight.sorties[j].take_off[:2] for j in (k - 2, k - 1))
    minutes, how = moved(plan, start, end)
    words = f"to the take-off place of {flight.flight.name}, sortie {k}"
    far = length(math.dist(start, end) / ground_scale(plan), plan.brief.unit)
    return Task(
        id=f"move-{flight.flight.id}-{k}",
        words=words,
        stage="site",
        minutes=math.ceil(minutes),
        why=f"{far} {how}",
        roles=("pilot",),
        after=(After(last),),
        about=(f"flights/{flight.flight.id}",),
    )


def _sequence(
    flight: FlightPlan,
    k: int,
    at: str,
    sortie: str,
    minutes: float,
    after: tuple[After, ...],
    shut: tuple[tuple[Clock, Clock], ...],
) -> Task:
    """What the inertial unit wants before a sortie's first line, or after its last, on the sortie's battery. It is not
    data: it is trimmed away."""
    words = (
        f"{sortie}, {'before the first line' if at == 'start' else 'after the last line'}:"
        f" {sequence_words(flight.scanner)}"
    )
    why = f"{60 * minutes:.0f} s as the scanner's profile asks; trimmed from the data"
    return Task(
        id=f"{at}-{flight.flight.id}-{k}",
        words=words,
        stage="site",
        minutes=math.ceil(minutes),
        why=why,
        roles=("pilot",),
        after=after,
        about=(f"flights/{flight.flight.id}",),
        light=True,
        shut=shut,
    )


def _shut(plan: Plan, flight: FlightPlan) -> tuple[tuple[tuple[Clock, Clock], ...], str]:
    """The hours of zones whose ceiling a flight does not keep and has no leave for, and in words."""
    held = [(one.zone.name, one.hours) for one in above_ceilings(plan, (flight,)) if one.hours]
    words = "".join(f"; not from {hours[0]} to {hours[1]}: {name}" for name, hours in held)
    return tuple(hours for _, hours in held), words


def _observed(plan: Plan, visit: Visit, laid: list[str]) -> list[Task]:
    """Rounds of occupations: targets and checks apart, so that two people can share them; a later round waits for its
    sky."""
    out: list[Task] = []
    for role, words in (("target", "control points"), ("check", "check points")):
        points = [p for p in _control(plan, visit) if p.role == role]
        for k in range(max((len(p.occupations) for p in points), default=0)):
            of_round = [p for p in points if len(p.occupations) > k and _today(plan, visit, p.occupations[k].visit)]
            if not of_round:
                continue
            each = durations()["occupation"].minutes
            logged = sum(stands_by(p, p.occupations[k]) for p in of_round) + each * _longer_to_fix(plan, of_round)
            minutes, why, about, way = _round(plan, of_round, each + logged / len(of_round))
            apart = math.ceil(max(p.occupations[k].after_min for p in of_round))
            waits = (After(f"observe-{role}s-1", apart, "start"),) if k else ()
            bases = _hung_on(of_round, k) & {s.id for s in _setups(plan, visit)}
            known = tuple(After(f"base-{s}") for s in sorted(bases))
            again = f", round {k + 1}" if k else ""
            out.append(
                Task(
                    id=f"observe-{role}s-{k + 1}",
                    words=f"observe {words}{again}",
                    stage="site",
                    minutes=minutes,
                    why=why,
                    roles=("surveyor",),
                    kind="observe",
                    number=k + 1,
                    after=(*(After(t) for t in laid), *known, *waits),
                    about=about,
                    way=way,
                    on_foot=True,
                )
            )
    return out


def _longer_to_fix(plan: Plan, points: list[ControlPoint]) -> float:
    """How many more times than in the open the solutions of some points are waited for, all together, under trees and
    beside walls."""
    live = tuple(p for p in points if any(by_rover(on) for on in p.by_source))
    skies = skies_over(plan, live, heights_of(plan, live))
    return sum(sky.fixing - 1 for sky in skies if sky is not None)


def _hung_on(points: list[ControlPoint], k: int) -> set[str]:
    """The set-ups that the k-th occupations of some points need: a base, a total station, or the log that a logger is
    worked out against."""
    return {key for p in points if (key := setup_of(p.occupations[k].positioned_from or p.positioned_from))}


def _logs(point: ControlPoint) -> float:
    """Hours that a point logs for itself, 0 where it does not."""
    return max((on.hours for on in point.by_source if isinstance(on, OwnSession)), default=0.0)


def _sessions(plan: Plan, observed: list[Task]) -> list[After]:
    """A target that logs for itself is not taken up before its session is over, which runs from when it was switched
    on: in the first round to it. Loggers are lifted in the order in which they were switched on, so each of them has
    its hours when the first has."""
    hours: dict[str, float] = {}
    for p in plan.control:
        first = next((t.id for t in observed if f"control/{p.id}" in t.about), None)
        if first and (own := _logs(p)):
            hours[first] = max(own, hours.get(first, 0.0))
    return [After(task, math.ceil(60 * longest), "start") for task, longest in hours.items()]


def _base_in(plan: Plan, setup: SetUp, flying: list[Task], before: list[Task], setups: list[SetUp]) -> Task:
    """The last thing back in: its log runs on after the last landing, and as long as a position taken "here" is to be
    known by it."""
    found, trail = durations()["base_in"], round(durations()["trail"].minutes)
    mark = plan.mark(setup.mark)
    landed = tuple(After(t.id, trail) for t in flying if t.light)
    logged = mark.shift_hours if mark and mark.known == "here" else None
    own = (After(f"base-{setup.id}", math.ceil(60 * logged)),) if logged and logged <= LONGEST_DAY else ()
    way, why = _way_to(plan, setup, setups)
    words = f"base in from {mark.name if mark else setup.name}: {found.what}"
    return Task(
        id=f"base-in-{setup.id}",
        words=words,
        stage="site",
        minutes=round(found.minutes) + way,
        why=f"{found.source}{why}",
        roles=("surveyor",),
        kind="base_in",
        after=(*landed, *own, *(After(t.id) for t in before)),
        about=(f"setups/{setup.id}",),
        on_foot=True,
    )
