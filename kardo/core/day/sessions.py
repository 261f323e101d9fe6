"""The sessions of the bases: from when to when each logs, how much that is, and what a static session of so many hours
is good for."""

import datetime
from dataclasses import dataclass

from kardo.core.control.recording import Recording, longest, recordings
from kardo.core.day.day import Day, day_of
from kardo.core.errors import KardoError, PlanError
from kardo.core.gnss.occupations import static_hours, static_sigma
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of
from kardo.core.plan.stands import Log, SetUp

EPOCH_BYTES = (
    4000.0  # of raw data of four constellations on two or three frequencies: about what a line of RINEX for each holds
)
HOURS = (1.0, 2.0, 4.0, 8.0, 12.0, 24.0)
LONGEST = 240.0  # hours: above, nobody stands there


@dataclass(frozen=True)
class Session:
    """One base on one day: minutes of the site's clock, None where the day does not fit or has no date, with the reason
    in words; seconds between epochs; epochs and megabytes of raw data; what it runs short of, in words."""

    setup: str
    name: str
    visit: str
    date: str
    first: int | None
    last: int | None
    interval_s: float
    epochs: int
    megabytes: float
    why: str
    lacks: list[str]


@dataclass(frozen=True)
class Static:
    """A static session post-processed against a reference network: hours, and sigma in metres in plan, each axis, and
    in height."""

    hours: float
    sigma_h: float
    sigma_v: float


@dataclass(frozen=True)
class Sessions:
    """All sessions; what static sessions are good for; and the session that a wanted sigma in height takes, None where
    none was asked for or nobody would stand so long; the targets that log for themselves, and for how long the whole
    set is left, in words (empty where none does)."""

    rows: list[Session]
    static: list[Static]
    wanted: Static | None
    recordings: list[Recording]
    told: str


def sessions(plan: Plan, wanted_up: float | None = None) -> Sessions:
    """The sessions of a plan; wanted_up: the sigma in height, metres, that a static session should reach. Source of the
    law: Eckl, Snay, Soler, Cline and Mader, J. Geodesy 75, 2001; below four hours docs/accuracy.md, section 2."""
    rows = [row for visit in plan.visits for row in _of_visit(plan, visit.id)]
    asked = static_hours(wanted_up, plan.assume) if wanted_up else None
    wanted = _static(plan, asked) if asked and asked <= LONGEST else None
    own = recordings(plan)
    return Sessions(
        rows=rows, static=[_static(plan, h) for h in HOURS], wanted=wanted, recordings=own, told=_told(plan, own)
    )


def _told(plan: Plan, own: list[Recording]) -> str:
    """Of the targets that log for themselves: switched on before the flight, off after it, the whole set as long as the
    longest rule."""
    if not own:
        return ""
    words = "Switch them on before the first take-off, and off after the last landing."
    most = longest(own)
    if most is None:
        return f"{words} Nobody has said yet what they are, so no rule says how long."
    mixed = len({r.logger for r in own}) > 1
    why = f", for {name_of(plan, 'control', most.point)} asks for that{', and the set is mixed' if mixed else ''}"
    return f"{words} All record {most.asked_min} min at least{why}."


def hours_of(plan: Plan, setup: str) -> tuple[datetime.datetime, datetime.datetime]:
    """From when to when (UTC) a set-up's log has to run, on the first day that has it. Raises PlanError where no day
    has."""
    for visit in plan.visits:
        try:
            day = day_of(plan, visit.id)
        except KardoError:
            continue
        for log in (log for log in day.logging if log.setup == setup):
            midnight = datetime.datetime.fromisoformat(day.date).replace(tzinfo=datetime.UTC)
            midnight -= datetime.timedelta(hours=day.utc_offset_h)
            return midnight + datetime.timedelta(minutes=log.first), midnight + datetime.timedelta(minutes=log.last)
    raise PlanError(
        "Nothing that flies or is observed on a day with a date is positioned from this.",
        where="Base, sessions",
        mend="Choose it under scheme, and give the visit a date.",
    )


def _lacks(plan: Plan, setup: SetUp, hours: float, epochs: int) -> list[str]:
    """What a log of so many hours and epochs runs short of: its receiver's battery and memory, and the hours that its
    own position is to be known by."""
    log, mark = setup.log or Log(), plan.mark(setup.mark)
    wanted = mark.shift_hours if mark is not None and mark.known == "here" else None
    needed, megabytes = max(hours, wanted or 0.0), epochs * EPOCH_BYTES / 1e6
    found = []
    if wanted is not None and wanted > hours:
        found.append(f"It logs {hours:.1f} h that day, and its shift is promised by {wanted:g} h: leave it on longer.")
    if log.battery_h is not None and log.battery_h < needed:
        found.append(f"Its battery lasts {log.battery_h:g} h of {needed:.1f} h: bring another.")
    megabytes *= needed / hours if hours else 1.0
    if log.memory_mb is not None and log.memory_mb < megabytes:
        found.append(
            f"It has room for {log.memory_mb:g} MB of about {megabytes:.0f} MB: empty it before, or log less often."
        )
    return found


def _static(plan: Plan, hours: float) -> Static:
    east, north, up = static_sigma(hours, plan.assume)
    return Static(hours, max(east, north), up)


def _of_visit(plan: Plan, key: str) -> list[Session]:
    visit = next(v for v in plan.visits if v.id == key)
    day: Day | None = None
    why = ""
    try:
        day = day_of(plan, key)
        why = day.reasons[0].words if day.reasons else ""
    except KardoError as fault:
        why = f"{fault.what} {fault.mend}".strip()
    windows = {log.setup: log for log in day.logging} if day else {}
    out = []
    for setup in plan.setups:
        if plan.mark(setup.mark) is None or (setup.visit or plan.visits[0].id) != key:
            continue
        log, interval = windows.get(setup.id), setup.log.interval_s if setup.log else 1.0
        seconds = 60 * (log.last - log.first) if log else 0
        epochs = int(seconds / interval) + 1 if log else 0
        out.append(
            Session(
                setup=setup.id,
                name=name_of(plan, "setup", setup.id),
                visit=visit.name,
                date=visit.date,
                first=log.first if log else None,
                last=log.last if log else None,
                interval_s=interval,
                epochs=epochs,
                megabytes=round(epochs * EPOCH_BYTES / 1e6, 1),
                why="" if log else why or "Nothing that flies or is observed that day is positioned from it.",
                lacks=_lacks(plan, setup, seconds / 3600, epochs) if log else [],
            )
        )
    return out
