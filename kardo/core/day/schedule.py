"""Who does what when: a day's tasks put on the clock by a constraint solver, or in words why they do not fit.

Minutes from midnight of the site's clock. The end of the day is made as early as it can be without breaks between
sorties, then the departure as late, then everything else as early. The solver's work is bounded by its own measure of
it and done by one worker, so that the same day always has the same schedule."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kardo.core.day.tasks import Task
from kardo.core.plan.visits import Person, Visit
from kardo.core.sky.light import Light, clock, minute

if TYPE_CHECKING:
    from ortools.sat.python.cp_model import CpModel, CpSolver  # loaded where a day is solved: it is fifty megabytes

DAY = 24 * 60
MOST_TRIED = 8  # pins, and departures, that are tried to find out what is in the way
UNBROKEN = 3  # minutes of a break between two sorties that are worth one minute of a shorter day
EFFORT = 1.5  # of the solver's own measure of work, for each of its questions


@dataclass(frozen=True)
class Placed:
    """A task on the clock: when it begins and ends, and who does it, by id. pinned: because somebody said so."""

    task: Task
    start: int
    end: int
    people: tuple[str, ...]
    pinned: bool


@dataclass(frozen=True)
class Reason:
    """Why a day does not fit, and what would make it fit: found by asking the solver again with that changed."""

    words: str
    mend: str


@dataclass(frozen=True)
class Schedule:
    """The tasks on the clock; or none of them, and the reasons."""

    placed: tuple[Placed, ...]
    reasons: tuple[Reason, ...]


@dataclass(frozen=True)
class _Limits:
    """What bounds a day; each can be let go, to find out which of them is in the way."""

    leave: int
    back: int
    light: tuple[int, int] | None
    day: tuple[int, int] | None
    batteries: int
    charge: int | None
    pins: dict[str, int]
    takers: dict[str, str]


def schedule(tasks: tuple[Task, ...], visit: Visit, light: Light) -> Schedule:
    """A day's tasks on the clock."""
    limits = _limits(visit, light)
    people = visit.people
    if plain := tuple(_plainly_impossible(tasks, visit, light)):
        return Schedule((), plain)
    placed = _placed(tasks, people, limits)
    return Schedule(placed, ()) if placed else Schedule((), tuple(_reasons(tasks, visit, limits)))


def _limits(visit: Visit, light: Light) -> _Limits:
    charge = None if visit.charge_min is None else round(visit.charge_min)
    window = None if light.first is None or light.last is None else (light.first, light.last)
    day = None if light.dawn is None or light.dusk is None else (light.dawn, light.dusk)
    pins = {key: minute(at) for key, at in visit.pins.items()}
    back = minute(visit.back) if visit.back else DAY - 1
    return _Limits(
        leave=minute(visit.leave),
        back=back,
        light=window,
        day=day,
        batteries=visit.batteries,
        charge=charge,
        pins=pins,
        takers=dict(visit.takers),
    )


def _plainly_impossible(tasks: tuple[Task, ...], visit: Visit, light: Light) -> Iterator[Reason]:
    """What needs no solver to see."""
    if not visit.people:
        yield Reason("Nobody comes.", "Add the people of this visit, with what each may do.")
        return
    for role in ("pilot", "surveyor"):
        lonely = [t for t in tasks if set(t.roles) == {role} and not t.everybody]
        if lonely and not any(role in p.roles for p in visit.people):
            yield Reason(
                f"Nobody on this visit is a {role}: {lonely[0].words}.",
                f"Let somebody come who may do that, or make one of the people a {role}.",
            )
    yield from _given_to_the_wrong(tasks, visit)
    for kind in sorted({t.battery for t in tasks if t.battery}):
        sorties = sum(t.battery == kind for t in tasks)
        if visit.charge_min is None and sorties > visit.batteries:
            yield Reason(
                f"The flights take {sorties} batteries; {visit.batteries} {'is' if visit.batteries == 1 else 'are'} at"
                " hand, and none is charged on site.",
                f"Bring {sorties - visit.batteries} more, or charge on site.",
            )
    if light.dawn is None and any(t.on_foot for t in tasks):
        yield Reason("It does not get light on this day, not even for people on foot.", "Choose another date.")
    elif light.first is None and any(t.light for t in tasks):
        yield Reason(
            f"The sun does not reach {visit.sun_deg:g}° on this day.", "Choose another date, or accept a lower sun."
        )


def _given_to_the_wrong(tasks: tuple[Task, ...], visit: Visit) -> Iterator[Reason]:
    """Tasks that somebody was given who may not do them; one who no longer comes is as if nobody had been named."""
    people = {p.id: p for p in visit.people}
    for t in tasks:
        taker = people.get(visit.takers.get(t.id, ""))
        if taker is not None and not t.everybody and taker not in _able(t, visit.people):
            yield Reason(
                f"“{t.words}” is given to {taker.name}, who is no {' and no '.join(t.roles)}.",
                "Give it to somebody else, or take the pin away.",
            )


def _placed(tasks: tuple[Task, ...], people: tuple[Person, ...], limits: _Limits) -> tuple[Placed, ...]:
    """The best schedule within limits; empty where there is none."""
    model, starts, does = _model(tasks, people, limits)
    last, first = starts[tasks[-1].id], starts["way-out"]
    wanted = UNBROKEN * last + sum(_breaks(tasks, starts))
    model.minimize(wanted)
    solver = _solved(model)
    if solver is None:
        return ()
    model.add(wanted <= round(solver.objective_value))
    for start in starts.values():
        model.add_hint(start, solver.value(start))
    for chosen in does.values():
        model.add_hint(chosen, solver.value(chosen))
    model.minimize(sum(starts[t.id] for t in tasks if t.stage == "site") - 2 * len(tasks) * first)
    solver = _solved(model) or solver
    out = []
    for t in tasks:
        at = solver.value(starts[t.id])
        by = tuple(p.id for p in people if t.everybody or ((t.id, p.id) in does and solver.value(does[t.id, p.id])))
        out.append(Placed(task=t, start=at, end=at + t.minutes, people=by, pinned=t.id in limits.pins))
    return tuple(out)


def _breaks(tasks: tuple[Task, ...], starts: dict[str, Any]) -> Iterator[Any]:
    """Minutes from each sortie to the next of its aircraft, beyond the battery change."""
    sorties = {t.id: t for t in tasks if t.light}
    for t in sorties.values():
        for after in t.after:
            if after.task in sorties:
                yield starts[t.id] - starts[after.task] - sorties[after.task].minutes - after.minutes


def _solved(model: "CpModel") -> "CpSolver | None":
    from ortools.sat.python import cp_model

    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.max_deterministic_time = EFFORT
    return solver if solver.solve(model) in (cp_model.OPTIMAL, cp_model.FEASIBLE) else None


def _model(
    tasks: tuple[Task, ...], people: tuple[Person, ...], limits: _Limits
) -> tuple["CpModel", dict[str, Any], dict[tuple[str, str], Any]]:
    """The day as the solver sees it: a start for every task, who does it, and what bounds them."""
    from ortools.sat.python import cp_model

    model = cp_model.CpModel()
    starts = {t.id: model.new_int_var(0, DAY, t.id) for t in tasks}
    does: dict[tuple[str, str], Any] = {}
    busy: dict[str, list[Any]] = {p.id: [] for p in people}
    for t in tasks:
        start, end = starts[t.id], starts[t.id] + t.minutes
        model.add(start >= limits.leave)
        model.add(end <= limits.back)
        for after in t.after:
            before = starts[after.task] + (_minutes(tasks, after.task) if after.of == "end" else 0)
            model.add(start >= before + after.minutes)
        for wants, hours in ((t.light, limits.light), (t.on_foot, limits.day)):
            if wants and hours:
                model.add(start >= hours[0])
                model.add(end <= hours[1])
        if t.joins:
            model.add(start == starts[t.joins] + _minutes(tasks, t.joins))
        for first, last in _within_day(t.shut):
            before = model.new_bool_var("")
            model.add(end <= first).only_enforce_if(before)
            model.add(start >= last).only_enforce_if(~before)
        if t.id in limits.pins:
            model.add(start == limits.pins[t.id])
        if t.everybody:
            for p in people:
                busy[p.id].append(model.new_fixed_size_interval_var(start, t.minutes, ""))
            continue
        for p in _able(t, people):
            does[t.id, p.id] = model.new_bool_var("")
            busy[p.id].append(model.new_optional_fixed_size_interval_var(start, t.minutes, does[t.id, p.id], ""))
        model.add_exactly_one(does[t.id, p.id] for p in _able(t, people))
        if t.joins:
            for p in _able(t, people):
                model.add(does[t.id, p.id] == does[t.joins, p.id])
        if (t.id, limits.takers.get(t.id, "")) in does:
            model.add(does[t.id, limits.takers[t.id]] == 1)
    for intervals in busy.values():
        model.add_no_overlap(intervals)
    _charging(model, tasks, starts, limits)
    return model, starts, does


def _within_day(shut: tuple[tuple[str, str], ...]) -> Iterator[tuple[int, int]]:
    """Hours that may go past midnight, in minutes within the day.

    >>> list(_within_day((("22:00", "06:00"), ("12:00", "14:00"))))
    [(0, 360), (1320, 1440), (720, 840)]
    """
    for first, last in ((minute(a), minute(b)) for a, b in shut):
        yield from [(first, last)] if first < last else [(0, last), (first, DAY)]


def _charging(model: "CpModel", tasks: tuple[Task, ...], starts: dict[str, Any], limits: _Limits) -> None:
    """A battery is away while it flies and while it is charged again."""
    for kind in {t.battery for t in tasks if t.battery} if limits.charge is not None else set():
        sorties = [t for t in tasks if t.battery == kind]
        away = [model.new_fixed_size_interval_var(starts[t.id], t.minutes + (limits.charge or 0), "") for t in sorties]
        model.add_cumulative(away, [1] * len(sorties), limits.batteries)


def _minutes(tasks: tuple[Task, ...], key: str) -> int:
    return next(t.minutes for t in tasks if t.id == key)


def _able(task: Task, people: tuple[Person, ...]) -> list[Person]:
    return [p for p in people if set(task.roles) & set(p.roles)]


def _reasons(tasks: tuple[Task, ...], visit: Visit, limits: _Limits) -> Iterator[Reason]:
    """Every bound that, let go alone, makes the day fit, and by how much; or what a helper more would do. Each is asked
    of the solver, not guessed."""
    found = list(_shut_out(tasks, visit, limits))
    if limits.light and not found:  # else it would be the night that the airspace leaves over
        found += list(_too_dark(tasks, visit, limits))
    if limits.day and not found:
        found += list(_night_falls(tasks, visit, limits))
    if visit.back:
        late = _placed(tasks, visit.people, replace(limits, back=DAY - 1))
        if late:
            found.append(
                Reason(
                    f"The day ends at {clock(late[-1].end)}, {lasting(late[-1].end - limits.back)} after {visit.back}.",
                    f"Be back at {clock(late[-1].end)}, or share the work.",
                )
            )
    found += list(_pinned_too_hard(tasks, visit, limits))
    if limits.charge is not None:
        found += list(_too_few_batteries(tasks, visit, limits))
    found += list(_one_more(tasks, visit, limits))
    yield from found or [
        Reason(
            "Several things together make this day impossible.",
            "Take pins away, leave earlier, or spread the work over two visits.",
        )
    ]


def _too_dark(tasks: tuple[Task, ...], visit: Visit, limits: _Limits) -> Iterator[Reason]:
    assert limits.light is not None
    free = _placed(tasks, visit.people, replace(limits, light=None))
    landed = max((p.end for p in free if p.task.light), default=0)
    if not free or landed <= limits.light[1]:
        return
    over = landed - limits.light[1]
    at = _earlier(tasks, visit, limits, over)
    words = (
        f"The last landing would be at {clock(landed)}, {lasting(over)} after the sun sinks below {visit.sun_deg:g}° at"
        f" {clock(limits.light[1])}."
    )
    yield Reason(words, "Spread the flights over two visits." if at is None else f"Leave at {clock(at)}.")


def _night_falls(tasks: tuple[Task, ...], visit: Visit, limits: _Limits) -> Iterator[Reason]:
    """Whether somebody would still be on foot in the dark, though all flights are in time."""
    assert limits.day is not None
    free = _placed(tasks, visit.people, replace(limits, day=None))
    outside = [p for p in free if p.task.on_foot]
    late = max(outside, key=lambda p: p.end, default=None)
    if late is None or late.end <= limits.day[1]:
        return
    at = _earlier(tasks, visit, limits, late.end - limits.day[1])
    words = (
        f"“{late.task.words}” would end at {clock(late.end)}, {lasting(late.end - limits.day[1])} after dark, at"
        f" {clock(limits.day[1])}."
    )
    yield Reason(words, "Spread the work over two visits." if at is None else f"Leave at {clock(at)}.")


def _earlier(tasks: tuple[Task, ...], visit: Visit, limits: _Limits, over: int) -> int | None:
    """A departure, so many minutes earlier or more, with which the day fits; None where none of those tried does."""
    earlier = (limits.leave - over - 15 * k for k in range(MOST_TRIED))
    return next((at for at in earlier if at >= 0 and _placed(tasks, visit.people, replace(limits, leave=at))), None)


def _shut_out(tasks: tuple[Task, ...], visit: Visit, limits: _Limits) -> Iterator[Reason]:
    """Whether hours in which something may not be done are in the way."""
    hours = sorted({span for t in tasks for span in t.shut})
    if not hours or not _placed(tuple(replace(t, shut=()) for t in tasks), visit.people, limits):
        return
    hit = next(t for t in tasks if t.shut)
    spans = " and ".join(f"from {first} to {last}" for first, last in hours)
    yield Reason(
        f"“{hit.words}” may not be flown {spans}, by the airspace; the rest of the day leaves it no other time.",
        "Leave at another hour, fly below the ceiling, or ask for leave (Site, airspace).",
    )


def _pinned_too_hard(tasks: tuple[Task, ...], visit: Visit, limits: _Limits) -> Iterator[Reason]:
    by_id = {t.id: t for t in tasks}
    for key, at in [pin for pin in limits.pins.items() if pin[0] in by_id][:MOST_TRIED]:
        rest = {k: v for k, v in limits.pins.items() if k != key}
        free = _placed(tasks, visit.people, replace(limits, pins=rest))
        if free:
            best = next(p.start for p in free if p.task.id == key)
            yield Reason(
                f"“{by_id[key].words}” is pinned to {clock(at)}, and the rest does not fit about it.",
                f"Take the pin away; {clock(best)} would fit.",
            )
    for key, who in [taker for taker in limits.takers.items() if taker[0] in by_id][:MOST_TRIED]:
        others = {k: v for k, v in limits.takers.items() if k != key}
        if _placed(tasks, visit.people, replace(limits, takers=others)):
            name = next((p.name for p in visit.people if p.id == who), who)
            yield Reason(
                f"“{by_id[key].words}” is given to {name}, and the rest does not fit about it.",
                "Let somebody else do it.",
            )


def _too_few_batteries(tasks: tuple[Task, ...], visit: Visit, limits: _Limits) -> Iterator[Reason]:
    sorties = sum(bool(t.battery) for t in tasks)
    for more in range(1, sorties - visit.batteries + 1):
        if _placed(tasks, visit.people, replace(limits, batteries=limits.batteries + more)):
            yield Reason(
                f"{visit.batteries} batteries are not charged again in time for {sorties} sorties.",
                f"Bring {more} more.",
            )
            return


def _one_more(tasks: tuple[Task, ...], visit: Visit, limits: _Limits) -> Iterator[Reason]:
    for role in ("surveyor", "pilot", "helper"):
        more = Person(id="one-more", name="one more", roles=(role, "helper") if role != "helper" else ("helper",))
        if _placed(tasks, (*visit.people, more), limits):
            yield Reason(
                f"{len(visit.people)} {'person does' if len(visit.people) == 1 else 'people do'} not get through the"
                " work in time.",
                f"One {role} more would do.",
            )
            return


def lasting(minutes: int) -> str:
    """A time that something lasts.

    >>> lasting(35), lasting(344)
    ('35 min', '5 h 44 min')
    """
    hours, rest = divmod(minutes, 60)
    return f"{hours} h {rest} min" if hours else f"{rest} min"


def told(found: Schedule, light: Light) -> str:
    """A day in a sentence: out, first take-off, packed, and what is to spare before the sun is too low for the flights,
    and before people on foot walk in the dark."""
    if not found.placed:
        return "This day does not fit."
    at = {p.task.kind: p for p in found.placed}
    sorties = [p for p in found.placed if p.task.light]
    words = f"Out {clock(at['way_out'].start)}"
    if sorties:
        words += f", first take-off {clock(min(p.start for p in sorties))}"
    words += f", packed {clock(at['way_back'].start)}, back {clock(at['way_back'].end)}"
    spare = []
    if sorties and light.last is not None:
        spare.append(f"{lasting(light.last - max(p.end for p in sorties))} to spare before the sun is too low to fly")
    if (outside := [p.end for p in found.placed if p.task.on_foot]) and light.dusk is not None:
        spare.append(f"{lasting(light.dusk - max(outside))} before dark")
    return "; ".join([words, ", ".join(spare)] if spare else [words]) + "."


def logging(found: Schedule) -> dict[str, tuple[int, int]]:
    """From when to when each base logs, by its set-up: from when it stands to when it is taken in."""
    on = {p.task.about: p.end for p in found.placed if p.task.kind == "base"}
    off = {p.task.about: p.start for p in found.placed if p.task.kind == "base_in"}
    return {path.removeprefix("setups/"): (on[path,], off[path,]) for (path,) in off}
