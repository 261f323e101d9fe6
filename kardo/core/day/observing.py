"""The observation plan: every occupation of every point, by what, for how long, when, under which satellites, and how
good it comes out."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from kardo.core.arrays import Floats
from kardo.core.control.survey import Held, by_rover, by_satellites, skies_over, survey
from kardo.core.day.day import Day, day_of
from kardo.core.day.rounds import stands_by
from kardo.core.errors import KardoError
from kardo.core.geodesy.units import length, small
from kardo.core.gnss.occupations import INDEPENDENT_MIN
from kardo.core.gnss.shifts import Source, source_of
from kardo.core.plan.control import ControlPoint, Occupation
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import name_of
from kardo.core.plan.stands import Levelled, OnInstrument, OnService, OnSetUp, OwnSession, PositionSource
from kardo.core.site.overhead import LEAST, MASK, MOST_PDOP, ROVER, Stand, midnight, sky_at
from kardo.core.site.skies_left import SkyLeft
from kardo.core.sky.light import clock, clock_ahead
from kardo.core.sky.orbits import nominal

MOST_LOOKED_UP = 60  # occupations whose satellites are told


@dataclass(frozen=True)
class PlannedOccupation:
    """One occupation: its number from 1; what it is observed with and from, in words; epochs, minutes since the point's
    first; pole and its height in metres, None where none is said; minutes of the site's clock when it is planned, None
    before the day is laid out; satellites and PDOP then, None where they are not asked for."""

    number: int
    method: str
    epochs: int
    after_min: float
    minutes: float
    pole: str
    pole_height: float | None
    at: int | None
    satellites: int | None
    pdop: float | None


@dataclass(frozen=True)
class ObservedPoint:
    """A point: its occupations; sigma in plan (radial) and in height, metres, of the observation alone and of the
    position with all that it hangs on; what that is, in words; and what has to be said."""

    id: str
    name: str
    role: str
    occupations: list[PlannedOccupation]
    own_h: float
    own_v: float
    total_h: float
    total_v: float
    hangs: list[str]
    remarks: list[str]


@dataclass(frozen=True)
class ObservationPlan:
    """All points, in the plan's order; on which date; what is said of it."""

    points: list[ObservedPoint]
    date: str
    told: str


def observation_plan(plan: Plan) -> ObservationPlan:
    """Of a plan; times are those of its first visit with a date, where its day can be laid out. Raises PlanError,
    GeodesyError."""
    if not plan.control:
        return ObservationPlan([], "", "There is no control yet.")
    day = _day(plan)
    times = _times(plan, day) if day else {}
    found = survey(plan, plan.control)
    free = MOST_LOOKED_UP
    points = []
    skies = skies_over(plan, plan.control, found.heights)
    rows = zip(plan.control, found.sigma, found.total_sigma, found.held, found.heights, skies, strict=True)
    for point, own, total, held, height, left in rows:
        occupations = []
        for k, one in enumerate(point.occupations):
            at = times.get((point.id, k))
            looked = (
                day is not None
                and at is not None
                and free > 0
                and by_satellites(one.positioned_from or point.positioned_from)
            )
            free -= looked
            sky = _sky(plan, point, float(height), day, at) if looked and day and at is not None else (None, None)
            sky = _through(sky, left)
            occupations.append(_occupied(plan, point, k, one, at, *sky))
        hangs = list(_hangs(plan, held))
        points.append(
            ObservedPoint(
                id=point.id,
                name=point.name,
                role=point.role,
                occupations=occupations,
                own_h=float(np.hypot(own[0], own[1])),
                own_v=float(own[2]),
                total_h=float(np.hypot(total[0], total[1])),
                total_v=float(total[2]),
                hangs=hangs,
                remarks=list(_remarks(plan, point, occupations, left)),
            )
        )
    return ObservationPlan(points, day.date if day else "", _told(plan, points, day))


def _day(plan: Plan) -> Day | None:
    """The first visit's day that can be laid out."""
    for visit in plan.visits:
        if not visit.date:
            continue
        try:
            found = day_of(plan, visit.id)
        except KardoError:
            continue
        if not found.reasons:
            return found
    return None


def _times(plan: Plan, day: Day) -> dict[tuple[str, int], int]:
    """Minutes of the site's clock by point and number of the occupation: along the rounds of observing, each point for
    its share of it."""
    out = {}
    for task in day.tasks:
        if task.kind != "observe" or task.start is None or task.end is None or not task.about:
            continue
        each = (task.end - task.start) / len(task.about)
        for k, path in enumerate(task.about):
            out[(path.partition("/")[2], task.number - 1)] = round(task.start + (k + 0.5) * each)
    return out


def _sky(plan: Plan, point: ControlPoint, height: float, day: Day, at: int) -> tuple[int | None, float | None]:
    """Satellites over the mask and PDOP over a point at a minute of the day, constellations as they are meant to be."""
    if not math.isfinite(height):
        return None, None
    lon, _ = plan.grid.to_geodetic(point.e, point.n)
    moment = midnight(day.date) + 60.0 * (at - 60 * clock_ahead(float(lon), day.utc_offset_h))
    stand = Stand(path=f"control/{point.id}", name=point.name, e=point.e, n=point.n, eye=height + ROVER)
    seen, _ = sky_at(plan, stand, nominal(), np.array([moment]), MASK)
    pdop = float(seen.pdop[0, 0])
    return int(seen.counts[0, 0]), round(pdop, 1) if math.isfinite(pdop) else None


def _through(sky: tuple[int | None, float | None], left: SkyLeft | None) -> tuple[int | None, float | None]:
    """Satellites and PDOP of an hour, those that trees and walls leave in the expectation."""
    count, pdop = sky
    if left is None or not left.behind or count is None:
        return sky
    count = min(count, round(left.satellites))
    return count, None if pdop is None else round(max(pdop, left.pdop), 1)


def _occupied(
    plan: Plan, point: ControlPoint, k: int, one: Occupation, at: int | None, satellites: int | None, pdop: float | None
) -> PlannedOccupation:
    pole = next((p for p in plan.kit.poles if p.id == one.pole), None)
    return PlannedOccupation(
        number=k + 1,
        method=method_words(plan, one.positioned_from or point.positioned_from),
        epochs=one.epochs,
        after_min=one.after_min,
        minutes=round(stands_by(point, one), 1),
        pole=pole.name if pole else "",
        pole_height=pole.height if pole else None,
        at=at,
        satellites=satellites,
        pdop=pdop,
    )


def method_words(plan: Plan, on: PositionSource) -> str:
    """How something is observed that rests on this."""
    if isinstance(on, OnSetUp):
        return f"live from the {name_of(plan, 'setup', on.setup)}"
    if isinstance(on, OnService):
        return f"live on {name_of(plan, 'network', on.service)}"
    if isinstance(on, OwnSession):
        logger = next((x.name for x in plan.kit.loggers if x.id == on.logger), "")
        words = f"logs for itself ({logger}), {on.hours:g} h" if logger else f"static session, {on.hours:g} h"
        return words if on.setup is None else f"{words}, against the {name_of(plan, 'setup', on.setup)}"
    if isinstance(on, OnInstrument):
        return f"total station on the {name_of(plan, 'setup', on.setup)}"
    if isinstance(on, Levelled):
        return f"levelled from {name_of(plan, 'mark', on.mark)}, {length(on.metres, plan.brief.unit)} there and back"
    return "by code alone"


def _hangs(plan: Plan, held: Sequence[Held]) -> Iterator[str]:
    """What a position shares with others, each source once, with what it makes of it."""
    squares: dict[Source, Floats] = {}
    for h in held:
        source = source_of(h.shift)
        squares[source] = squares.get(source, np.zeros(3)) + h.variance
    for source, (e, n, v) in squares.items():
        in_plan, in_height = (small(math.sqrt(s), plan.brief.unit) for s in (e + n, v))
        yield f"{name_of(plan, *source)} (±{in_plan} H, ±{in_height} V)"


def _remarks(plan: Plan, point: ControlPoint, occupations: list[PlannedOccupation], left: SkyLeft | None) -> list[str]:
    out = []
    if left is not None and not left.fixed and any(by_rover(on) for on in point.by_source):
        out.append(
            f"too little of the sky is left for a fixed solution ({left.satellites:.0f} satellites): it counts as float"
        )
    for one in occupations:
        when = f"occupation {one.number} at {clock(one.at)}" if one.at is not None else f"occupation {one.number}"
        if one.satellites is not None and one.satellites < LEAST:
            out.append(f"{when}: {one.satellites} satellites, {LEAST} asked")
        elif one.pdop is not None and one.pdop > MOST_PDOP:
            out.append(f"{when}: PDOP {one.pdop:g}, {MOST_PDOP:g} at most")
    for before, after in pairwise(occupations):
        apart = after.after_min - before.after_min
        if apart < INDEPENDENT_MIN and "level" not in after.method:
            out.append(f"{apart:.0f} min between occupations {before.number} and {after.number}: one sky still")
    if all(isinstance(on, Levelled) for on in point.by_source):
        out.append("levelled alone: its place in plan is only known by code")
    return out


def _told(plan: Plan, points: list[ObservedPoint], day: Day | None) -> str:
    stands = sum(o.minutes for p in points for o in p.occupations)
    worst = max(points, key=lambda p: p.total_v)
    words = (
        f"{len(points)} points, {stands:.0f} min of occupation time; the weakest height is {worst.name},"
        f" {small(worst.total_v, plan.brief.unit)}."
    )
    return (
        words
        if day
        else f"{words} Give a visit its date in the Day, and each occupation gets its hour and its satellites."
    )
