"""How long targets that log for themselves must record, by the rule of what they are."""

import math
from dataclasses import dataclass

from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OwnSession


@dataclass(frozen=True)
class Recording:
    """A point that logs for itself: the logger, empty where nobody said which; hours planned; metres to the base, None
    without one; whole minutes asked by the logger's rule, None without it."""

    point: str
    logger: str
    hours: float
    away: float | None
    asked_min: int | None


def recordings(plan: Plan) -> list[Recording]:
    """Of every point that logs for itself, in the plan's order."""
    marks = [m for f in plan.flights if (m := plan.base_mark(f.positioned_from)) is not None]
    profiles = {p.id: p for p in plan.kit.loggers}
    out = []
    for point in plan.control:
        for on in point.by_source:
            if not isinstance(on, OwnSession):
                continue
            away = math.hypot(point.e - marks[0].e, point.n - marks[0].n) if marks else None
            rule = profiles.get(on.logger or "")
            asked = None if rule is None else math.ceil(rule.least_min + rule.per_km_min * (away or 0.0) / 1000)
            out.append(Recording(point=point.id, logger=on.logger or "", hours=on.hours, away=away, asked_min=asked))
    return out


def longest(found: list[Recording]) -> Recording | None:
    """The one whose rule asks for most: a mixed set is left as long as that; None where no rule is known."""
    return max((r for r in found if r.asked_min is not None), key=lambda r: r.asked_min or 0, default=None)
