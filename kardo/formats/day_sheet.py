"""A day on paper, a sheet for each person; and in a calendar."""

import datetime
import math
from html import escape
from importlib.metadata import version

from icalendar import Calendar, Event

from kardo.core.day.cautions import cautions
from kardo.core.day.day import Day, TaskLine, day_of
from kardo.core.errors import KardoError, PlanError
from kardo.core.geodesy.crs import height_name
from kardo.core.geodesy.units import UNITS
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of
from kardo.core.plan.visits import Person, Visit
from kardo.core.sky.light import clock
from kardo.formats.documents import page


def person_of(plan: Plan, visit: str, key: str) -> tuple[Visit, Person]:
    """A person of a visit. Raises PlanError for one who does not come."""
    for one in plan.visits:
        if one.id == visit:
            for person in one.people:
                if person.id == key:
                    return one, person
    raise PlanError("Nobody of that name comes.", where="Day", mend="Add the person to the visit.")


def tasks_of_person(day: Day, person: Person) -> list[TaskLine]:
    """What one does, in the order of the clock. Raises PlanError for a day that does not fit."""
    own = [t for t in day.tasks if t.start is not None and person.id in t.people]
    if day.reasons or not own:
        raise PlanError(
            "There is no schedule to print.",
            where="Day",
            mend=day.reasons[0].mend if day.reasons else "Give this person something to do.",
        )
    return sorted(own, key=lambda t: (t.start or 0, t.id))


def person_html(plan: Plan, day: Day, person: Person) -> str:
    """One person's sheet: the day in a sentence, the tasks with their places, when the bases log, and the cautions of
    the site."""
    visit = next(v for v in plan.visits if v.id == day.visit)
    tasks = tasks_of_person(day, person)
    rows = "".join(_row(plan, t) for t in tasks)
    logs = "".join(
        f"<li>The {escape(name_of(plan, 'setup', log.setup))} logs from <b>{clock(log.first)}</b> to"
        f" <b>{clock(log.last)}</b>.</li>"
        for log in day.logging
    )
    unit = UNITS[plan.brief.unit]
    told = [escape(c) for c in cautions(plan)]
    return page(
        f"{plan.brief.title}, {person.name}",
        f"{plan.brief.title} · {visit.name} · {day.date} · plan {plan.revision[:12]} · Kardo {version('kardo')}",
        f"<h1>{escape(person.name)}</h1>"
        f'<p class="quiet">{escape(plan.brief.title)} · {escape(visit.name)}, {escape(day.date)} ·'
        f" {', '.join(person.roles)}</p>"
        f'<p class="lead">{escape(day.told)}</p>'
        f"<p>Sun up {_clock(day.light.rise)}, down {_clock(day.light.set)}; light enough to fly from"
        f" {_clock(day.light.first)} to {_clock(day.light.last)} "
        f"(sun at {visit.sun_deg:g}°). Times are the site's clock, {day.utc_offset_h:+g} h to UTC.</p>"
        '<h2>What you do</h2><table><tr><th class="figures">from</th><th'
        f' class="figures">to</th><th>what</th><th>points, in this order</th></tr>{rows}</table>'
        + (f"<h2>Bases</h2><ul>{logs}</ul>" if logs else "")
        + _points(plan, tasks)
        + f"<h2>Cautions</h2><ul>{''.join(f'<li>{c}</li>' for c in told)}</ul>"
        f'<p class="quiet">Coordinates in {escape(plan.grid.name)}, {unit.plural}; heights'
        f" {escape(height_name(plan.brief.heights))}. Kardo reminds; it does not authorise.</p>",
    )


def _clock(minutes: int | None) -> str:
    return "–" if minutes is None else clock(minutes)


def _row(plan: Plan, task: TaskLine) -> str:
    places = escape(", ".join(_name(plan, path) for path in task.about))
    return (
        f'<tr><td class="figures">{_clock(task.start)}</td><td class="figures">{_clock(task.end)}</td>'
        f"<td>{escape(task.words[:1].upper() + task.words[1:])}{' <b>(pinned)</b>' if task.pinned else ''}</td>"
        f"<td>{places}</td></tr>"
    )


SINGULAR = {"control": "control", "setups": "setup", "flights": "flight"}


def _name(plan: Plan, path: str) -> str:
    kind, key = path.split("/")
    return name_of(plan, SINGULAR[kind], key)


def _points(plan: Plan, tasks: list[TaskLine]) -> str:
    """Where the things of the tasks are, each once: in the job's grid, unit and height system."""
    unit, wanted = UNITS[plan.brief.unit], dict.fromkeys(path for t in tasks for path in t.about)
    heights = dict(zip((p.id for p in plan.control), heights_of(plan, plan.control), strict=True))
    rows = []
    for path in wanted:
        kind, key = path.split("/")
        setup = plan.setup(key) if kind == "setups" else None
        mark = plan.mark(setup.mark) if setup else None
        point = next((p for p in plan.control if kind == "control" and p.id == key), None)
        if point is not None:
            rows.append((point.name, str(point.role), point.e, point.n, float(heights[key])))
        elif mark is not None:
            rows.append((mark.name, "mark", mark.e, mark.n, plan.mark_height(mark)))
    if not rows:
        return ""
    cells = "".join(
        f"<tr><td>{escape(name)}</td><td>{role}</td>{''.join(_figure(unit.from_metres(v)) for v in place)}</tr>"
        for name, role, *place in rows
    )
    heads = "".join(f'<th class="figures num">{head}, {unit.short}</th>' for head in ("E", "N", "H"))
    return f"<h2>Where</h2><table><tr><th>point</th><th></th>{heads}</tr>{cells}</table>"


def _figure(value: float) -> str:
    shown = "–" if not math.isfinite(value) else f"{value:,.2f}".replace(",", "\u202f")
    return f'<td class="figures num">{shown}</td>'


def calendar(plan: Plan, day: Day, person: Person) -> bytes:
    """One person's tasks as iCalendar (RFC 5545), times in UTC."""
    out = _calendar()
    for task in tasks_of_person(day, person):
        event = _event(plan, day, f"{task.id}-{person.id}", task.start or 0, task.end or 0, task.words)
        event.add("description", ", ".join(_name(plan, path) for path in task.about))
        out.add_component(event)
    return bytes(out.to_ical())


def session_calendar(plan: Plan) -> bytes:
    """From when to when each base logs, on every visit that fits its day, as iCalendar. Raises PlanError where none
    does."""
    out, reasons = _calendar(), []
    for visit in plan.visits:
        try:
            day = day_of(plan, visit.id)
        except KardoError as fault:
            reasons.append(f"{fault.what} {fault.mend}")
            continue
        for log in day.logging:
            words = f"the {name_of(plan, 'setup', log.setup)} logs"
            out.add_component(_event(plan, day, f"log-{log.setup}", log.first, log.last, words))
    if not out.subcomponents:
        raise PlanError(
            "No base logs on any day yet.", where="Base, sessions", mend=next(iter(reasons), "Give a visit a date.")
        )
    return bytes(out.to_ical())


def _calendar() -> Calendar:
    out = Calendar()
    out.add("prodid", f"-//Kardo {version('kardo')}//EN")
    out.add("version", "2.0")
    return out


def _event(plan: Plan, day: Day, key: str, first: int, last: int, words: str) -> Event:
    """What takes place between two minutes of the site's clock."""
    midnight = datetime.datetime.fromisoformat(day.date).replace(tzinfo=datetime.UTC) - datetime.timedelta(
        hours=day.utc_offset_h
    )
    event = Event()
    event.add("uid", f"{plan.hash[:16]}-{day.visit}-{key}@kardo")
    event.add("dtstamp", midnight)
    event.add("dtstart", midnight + datetime.timedelta(minutes=first))
    event.add("dtend", midnight + datetime.timedelta(minutes=last))
    event.add("summary", f"{plan.brief.title}: {words}")
    return event
