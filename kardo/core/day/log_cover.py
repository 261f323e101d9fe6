"""The raw log of a base: what it says of itself, whether it is what was planned, and whether it covers the flights of
its day at both ends."""

import math

from kardo.core.day.day import Day, day_of
from kardo.core.day.durations import durations
from kardo.core.errors import KardoError
from kardo.core.gnss.heights import SetUpHeights
from kardo.core.gnss.log import RawLog
from kardo.core.gnss.log_check import against, of_itself, set_up_of
from kardo.core.gnss.remark import Remark, worst_first
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnSetUp
from kardo.core.sky.light import clock_ahead
from kardo.core.sky.orbits import LEAP, utc


def log_findings(log: RawLog, plan: Plan | None = None) -> list[Remark]:
    """What a log says of itself; and held against a plan, the set-up that it belongs to. Worst first. Raises KardoError
    where the plan's grid cannot be used."""
    return worst_first(of_itself(log) + (_against(log, plan) if plan else []))


def _against(log: RawLog, plan: Plan) -> list[Remark]:
    chain = set_up_of(log, plan)
    if chain is None:
        words = "No set-up of the plan has heights that this log could be held against."
        return [Remark("note", words, "Choose a mark, and plan a height.")]
    return against(log, plan, chain) + _cover(log, plan, chain)


def _cover(log: RawLog, plan: Plan, chain: SetUpHeights) -> list[Remark]:
    """Whether the log covers the sorties of its day that rest on its base, as the Day has them."""
    ahead, day = _day(log, plan, chain)
    own = {f"flights/{f.id}" for f in plan.flights if f.positioned_from == OnSetUp(setup=chain.setup)}
    sorties = [t for t in day.tasks if t.kind == "leg" and t.start is not None and own & set(t.about)] if day else []
    if not sorties:
        return [
            Remark(
                "note",
                "The plan has no flight from this base on the clock on the day of this log.",
                "Give the visit this date to see whether the log covers it.",
            )
        ]
    clock = [log.first - LEAP + 3600 * ahead, log.last - LEAP + 3600 * ahead]
    begins, ends = ((moment - 86_400 * math.floor(clock[0] / 86_400)) / 60 for moment in clock)
    before = min(t.start or 0 for t in sorties) - begins
    after = ends - max(t.end or 0 for t in sorties)
    return [
        *_end("begins", before, durations()["lead"].minutes, "before the first take-off", "after the first take-off"),
        *_end("ends", after, durations()["trail"].minutes, "after the last landing", "before the last landing"),
    ]


def _end(verb: str, has: float, wanted: float, within: str, short: str) -> list[Remark]:
    """What one end of a log, so many minutes beyond the flights as planned, is worth."""
    if has < 0:
        words = f"The log {verb} {-has:.0f} min {short} as planned."
        return [Remark("stop", words, "What was flown then has no base: fly it again, or take another base's log.")]
    if has < wanted - 0.5:
        words = f"The log {verb} {has:.0f} min {within} as planned; {wanted:.0f} min are usual practice."
        return [Remark("warn", words, "At short ends positions fail to settle.")]
    return []


def _day(log: RawLog, plan: Plan, chain: SetUpHeights) -> tuple[float, Day | None]:
    """The clock of the site, hours ahead of UTC, and the visit on the day of the log."""
    for visit in plan.visits:
        ahead = clock_ahead(chain.longitude, visit.utc_offset_h)
        if visit.date and utc(log.first + 3600 * ahead)[:10] == visit.date:
            try:
                return ahead, day_of(plan, visit.id)
            except KardoError:
                return ahead, None
    return clock_ahead(chain.longitude, None), None
