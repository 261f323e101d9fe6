"""A visit put on the clock: its tasks, the light, the schedule, and what is told of it."""

from dataclasses import dataclass

from kardo.core.day.schedule import Placed, Reason, Schedule, logging, schedule, told
from kardo.core.day.tasks import Kind, Task, may_share, tasks_of
from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import site_polygon
from kardo.core.plan.model import Plan
from kardo.core.plan.visits import Visit
from kardo.core.sky.light import Light, clock_ahead, light


@dataclass(frozen=True)
class TaskLine:
    """A task of a day; number of a sortie or a round of observing, from 1. start and end in minutes from midnight, None
    while the day does not fit; minutes, and why so many; about: paths of the plan in the order they are reached."""

    id: str
    kind: Kind
    number: int
    words: str
    stage: str
    minutes: int
    why: str
    roles: list[str]
    everybody: bool
    waits_for: list[str]
    about: list[str]
    start: int | None
    end: int | None
    people: list[str]
    pinned: bool


@dataclass(frozen=True)
class Logging:
    """From when to when a base logs, minutes from midnight."""

    setup: str
    first: int
    last: int


@dataclass(frozen=True)
class Day:
    """A visit on the clock of its site, which is so many hours ahead of UTC."""

    visit: str
    date: str
    utc_offset_h: float
    told: str
    light: Light
    tasks: list[TaskLine]
    reasons: list[Reason]
    logging: list[Logging]


def day_of(plan: Plan, key: str) -> Day:
    """The day of a visit. Raises PlanError where there is no such visit, no date or no site yet, GeodesyError, and what
    laying out the flights raises."""
    visit = next((v for v in plan.visits if v.id == key), None)
    if visit is None:
        raise PlanError("There is no such visit.", where="Day", mend="Add one.")
    if not visit.date:
        raise PlanError("The visit has no date.", where="Day", mend="Give its date: the light depends on it.")
    middle = site_polygon(plan).representative_point()
    lon, lat = (float(v) for v in plan.grid.to_world(middle.x, middle.y))
    ahead = clock_ahead(lon, visit.utc_offset_h)
    sun = light(lon, lat, visit.date, ahead, visit.sun_deg)
    tasks, found = _best(plan, visit, sun)
    at = {p.task.id: p for p in found.placed}
    lines = [_line(t, at.get(t.id), t.id in visit.pins) for t in tasks]
    logs = [Logging(key, *span) for key, span in logging(found).items()]
    return Day(
        visit=visit.id,
        date=visit.date,
        utc_offset_h=ahead,
        told=told(found, sun),
        light=sun,
        tasks=lines,
        reasons=list(found.reasons),
        logging=logs,
    )


def _best(plan: Plan, visit: Visit, sun: Light) -> tuple[tuple[Task, ...], Schedule]:
    """A visit's tasks on the clock; where two may carry targets, together or apart, whichever ends earlier."""
    tasks = tasks_of(plan, visit)
    found = schedule(tasks, visit, sun)
    if may_share(visit) and found.placed:
        apart = tasks_of(plan, visit, shared=True)
        other = schedule(apart, visit, sun)
        if other.placed and other.placed[-1].end < found.placed[-1].end:
            return apart, other
    return tasks, found


def _line(task: Task, placed: Placed | None, pinned: bool) -> TaskLine:
    return TaskLine(
        id=task.id,
        kind=task.kind,
        number=task.number,
        words=task.words,
        stage=task.stage,
        minutes=task.minutes,
        why=task.why,
        roles=list(task.roles),
        everybody=task.everybody,
        waits_for=[a.task for a in task.after],
        about=list(task.about),
        start=placed.start if placed else None,
        end=placed.end if placed else None,
        people=list(placed.people) if placed else [],
        pinned=pinned,
    )
