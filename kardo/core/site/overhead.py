"""The satellites of a day over a point of the plan: the sky with the horizon cut in, how many, good and bad windows,
and what each thing that stands about costs."""

import datetime
import math
from dataclasses import dataclass

import numpy as np
from shapely import LineString, Point

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.errors import PlanError
from kardo.core.geodesy.units import length
from kardo.core.gnss.heights import vertical_height
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan
from kardo.core.site.things import UPRIGHT, shape_of_feature, tops_of
from kardo.core.sky.ephemeris import Ephemerides
from kardo.core.sky.light import clock, clock_ahead
from kardo.core.sky.orbits import SYSTEMS, Almanac, gps_seconds, nominal
from kardo.core.sky.visibility import Sky, sky, windows
from kardo.core.terrain.horizon import ground_horizon, things_horizon, turned, typed_horizon

MASK = 15.0  # degrees over the horizon from which a signal is used
STEP = 10  # minutes from one moment to the next
LEAST, MOST_PDOP = 10, 3.0  # satellites used that custom asks for, and the geometry above which a window counts as bad
ANTENNA, ROVER = 1.5, 1.8  # metres above the point: a base whose height is not planned yet, and a rover's pole
TRUCK_TOP, TRUCK_LONG, TRUCK_AWAY = 2.6, 5.0, 2.5  # metres: a van beside the antenna, on the side of the equator
OLD = 90.0  # days from which an almanac says little of the day


@dataclass(frozen=True)
class Stand:
    """Where an antenna stands: its path in the plan, its name, grid metres, height of the antenna in the job's system,
    what was typed of its horizon."""

    path: str
    name: str
    e: float
    n: float
    eye: float
    typed: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Pass:
    """One satellite's way over the mask: from which of the day's moments on, azimuth and elevation in degrees at each,
    and whether the horizon leaves it free there."""

    name: str
    first: int
    azimuth: list[float]
    elevation: list[float]
    seen: list[bool]


@dataclass(frozen=True)
class Cost:
    """What something costs: satellites lost, mean over the day and at worst."""

    words: str
    mean: float
    worst: int


@dataclass(frozen=True)
class Window:
    """Minutes of the site's clock, first and last, and what the window is: good, few (satellites) or weak
    (geometry)."""

    first: int
    last: int
    kind: str


@dataclass(frozen=True)
class DaySky:
    """The sky over a point on a date. horizon: degrees by degree of azimuth; minutes of the site's clock; satellites
    seen, and what an open sky would give; dilution of precision, None where no position can be fixed."""

    about: str
    name: str
    date: str
    utc_offset_h: float
    source: str
    mask: float
    horizon: list[float]
    minutes: list[int]
    count: list[int]
    open_count: list[int]
    pdop: list[float | None]
    hdop: list[float | None]
    vdop: list[float | None]
    passes: list[Pass]
    windows: list[Window]
    costs: list[Cost]
    told: str
    caution: str


def stands(plan: Plan) -> list[Stand]:
    """Every place where an antenna stands: set-ups on marks, then control. What has no height is left out."""
    out = []
    for setup in plan.setups:
        mark = plan.mark(setup.mark)
        if mark is None:
            continue
        read = [vertical_height(plan, setup, r) for r in setup.readings]
        eye = plan.mark_height(mark) + (sum(read) / len(read) if read else ANTENNA)
        out.append(
            Stand(
                path=f"setups/{setup.id}",
                name=f"{setup.name} · {mark.name}",
                e=mark.e,
                n=mark.n,
                eye=eye,
                typed=setup.horizon,
            )
        )
    for point, ground in zip(plan.control, heights_of(plan, plan.control), strict=True):
        if point.h is not None or plan.surface is not None:
            out.append(
                Stand(path=f"control/{point.id}", name=point.name, e=point.e, n=point.n, eye=float(ground) + ROVER)
            )
    return [one for one in out if math.isfinite(one.eye)]


def stand_of(plan: Plan, wanted: str) -> Stand:
    """A place by its path, by its id, by its name or its mark's. Raises PlanError for one there is none of."""
    marks = {f"setups/{s.id}": mark.name for s in plan.setups if (mark := plan.mark(s.mark))}
    for one in stands(plan):
        if wanted in {one.path, one.path.partition("/")[2], one.name, marks.get(one.path)}:
            return one
    raise PlanError(
        f"No antenna stands at “{wanted[:60]}”.",
        where="satellites",
        mend="Name a set-up on a mark, or a point with a height.",
    )


def parts_of_horizon(plan: Plan, stand: Stand) -> list[tuple[str, Floats]]:
    """What hides the sky at a place, each with its own horizon (360,) by true azimuth: the ground, each thing that
    stands there, and what was typed. Raises GeodesyError where the grid does not reach."""
    gamma = math.degrees(plan.grid.convergence_and_scale(stand.e, stand.n)[0])
    parts = []
    if plan.surface is not None:
        parts.append(("the ground", turned(ground_horizon(plan.surface, stand.e, stand.n, stand.eye), gamma)))
    for feature in plan.site.features:
        if feature.kind not in UPRIGHT or not feature.height:
            continue
        shape = shape_of_feature(feature)
        if shape.covers(Point(stand.e, stand.n)):
            continue  # under a thing it hides nothing that a horizon could tell
        # on ground that nobody knows: as high as that under the antenna
        pieces = tops_of(plan, feature) or [(shape, stand.eye - ANTENNA + feature.height)]
        parts.append((feature.name, turned(things_horizon(pieces, stand.e, stand.n, stand.eye), gamma)))
    if stand.typed:
        parts.append(("the horizon as typed", typed_horizon(stand.typed)))
    return [(name, part) for name, part in parts if part.max() > 0]


def sky_at(
    plan: Plan, stand: Stand, almanac: Almanac | Ephemerides, moments: Floats, mask: float = MASK
) -> tuple[Sky, list[tuple[str, Floats]]]:
    """The sky of one place at moments (k,) in seconds of GPS time, over the mask in degrees; and what hides it, each
    with its horizon (360,)."""
    parts = parts_of_horizon(plan, stand)
    return _seen(plan, stand, almanac, moments, [_highest(parts)], mask), parts


def _highest(parts: list[tuple[str, Floats]]) -> Floats:
    out: Floats = np.max([np.zeros(360), *(part for _, part in parts)], axis=0)
    return out


def _seen(
    plan: Plan, stand: Stand, almanac: Almanac | Ephemerides, moments: Floats, horizons: list[Floats], mask: float
) -> Sky:
    lon, lat = plan.grid.to_geodetic(stand.e, stand.n)
    up = stand.eye + float(plan.grid.separation(stand.e, stand.n))
    return sky(almanac, moments, np.tile([float(lon), float(lat), up], (len(horizons), 1)), np.array(horizons), mask)


def day_sky(
    plan: Plan, wanted: str, date: str, utc_offset_h: float | None = None, almanac: Almanac | Ephemerides | None = None
) -> DaySky:
    """The sky over a place on a date (YYYY-MM-DD, by the site's clock). Without an almanac, constellations as they are
    meant to be. Raises PlanError for a date or a place that is none."""
    stand, own = stand_of(plan, wanted), almanac or nominal()
    lon, _ = plan.grid.to_geodetic(stand.e, stand.n)
    ahead = clock_ahead(float(lon), utc_offset_h)
    start = midnight(date) - 3600 * ahead
    minutes: Ints = np.arange(0, 24 * 60 + 1, STEP, dtype=np.int64)
    moments = np.asarray(start + 60.0 * minutes, dtype=np.float64)
    parts = parts_of_horizon(plan, stand)
    truck = _truck(plan, stand)
    # one look for all: the whole horizon, an open sky, each part left out, and the truck beside all
    without = [_highest([p for k, p in enumerate(parts) if k != left]) for left in range(len(parts))]
    whole, flat = _highest(parts), np.zeros(360)
    looks = _seen(plan, stand, own, moments, [whole, flat, *without, _highest([*parts, ("", truck)])], MASK)
    counts = looks.counts
    costs = [_cost(name, counts[2 + k] - counts[0]) for k, (name, _) in enumerate(parts)]
    van = f"a van {length(TRUCK_AWAY, plan.brief.unit, 1)} from the antenna, on the side of the equator"
    costs.append(_cost(van, counts[0] - counts[-1]))
    known = own.covers(moments)
    found = _windows(minutes, counts[0], looks.pdop[0], known)
    return DaySky(
        about=stand.path,
        name=stand.name,
        date=date,
        utc_offset_h=ahead,
        source=own.source,
        mask=MASK,
        horizon=np.round(whole, 1).tolist(),
        minutes=minutes.tolist(),
        count=counts[0].tolist(),
        open_count=counts[1].tolist(),
        pdop=_rounded(looks.pdop[0]),
        hdop=_rounded(looks.hdop[0]),
        vdop=_rounded(looks.vdop[0]),
        passes=_passes(looks),
        windows=found,
        costs=sorted(costs, key=lambda c: -c.mean),
        told=_told(minutes[known], counts[0][known], found),
        caution=_caution(own, float(moments[0]), minutes, known),
    )


def midnight(date: str) -> float:
    """Seconds of GPS time at the beginning of a date in UTC. Raises PlanError for one that is none."""
    try:
        return gps_seconds(datetime.datetime.fromisoformat(date).replace(tzinfo=datetime.UTC))
    except (ValueError, OverflowError) as fault:
        raise PlanError(
            f"“{date[:20]}” is not a date.", where="satellites", mend="Write it as year-month-day."
        ) from fault


def _truck(plan: Plan, stand: Stand) -> Floats:
    """The horizon of a van beside the antenna, broadside, towards the equator, where most satellites of a place are."""
    _, lat = plan.grid.to_geodetic(stand.e, stand.n)
    away = TRUCK_AWAY if lat < 0 else -TRUCK_AWAY
    line = LineString([(stand.e - TRUCK_LONG / 2, stand.n + away), (stand.e + TRUCK_LONG / 2, stand.n + away)])
    return things_horizon([(line, stand.eye - ROVER + TRUCK_TOP)], stand.e, stand.n, stand.eye)


def _cost(words: str, lost: Ints) -> Cost:
    return Cost(words, round(float(lost.mean()), 1), int(lost.max()))


def _rounded(values: Floats) -> list[float | None]:
    return [round(float(v), 2) if math.isfinite(v) else None for v in values]


def _passes(looks: Sky) -> list[Pass]:
    azimuth, elevation, seen = looks.azimuth[0], looks.elevation[0], looks.seen[0]
    return [
        Pass(
            name=name,
            first=first,
            azimuth=np.round(azimuth[first : last + 1, k], 1).tolist(),
            elevation=np.round(elevation[first : last + 1, k], 1).tolist(),
            seen=seen[first : last + 1, k].tolist(),
        )
        for k, name in enumerate(looks.names)
        for first, last in windows(elevation[:, k] >= MASK)
    ]


def _windows(minutes: Ints, count: Ints, pdop: Floats, known: Bools) -> list[Window]:
    """The day in runs, as far as anything is known of it: few satellites before weak geometry before good."""
    few = known & (count < LEAST)
    weak = known & ~few & ~(pdop <= MOST_PDOP)
    runs = [
        Window(int(minutes[a]), int(minutes[b]), kind)
        for kind, which in (("few", few), ("weak", weak), ("good", known & ~few & ~weak))
        for a, b in windows(which)
    ]
    return sorted(runs, key=lambda w: w.first)


def _told(minutes: Ints, count: Ints, found: list[Window]) -> str:
    if not len(count):
        return "Nothing is known of this day."
    worst = int(np.argmin(count))
    fewest = f"fewest {int(count[worst])} at {clock(int(minutes[worst]))}"
    bad = [w for w in found if w.kind != "good"]
    if not bad:
        return f"{LEAST} satellites or more and a PDOP of {MOST_PDOP:g} or better all day; {fewest}."
    share = sum(w.last - w.first + STEP for w in bad) / (STEP * len(minutes))
    longest = max(bad, key=lambda w: w.last - w.first)
    why = f"fewer than {LEAST} satellites" if longest.kind == "few" else f"a PDOP above {MOST_PDOP:g}"
    when = f"{clock(longest.first)} to {clock(longest.last)}"
    return f"{100 * share:.0f} % of the day is bad, the longest {when} with {why}; {fewest}."


def _caution(almanac: Almanac | Ephemerides, moment: float, minutes: Ints, known: Bools) -> str:
    names = ", ".join(SYSTEMS.values())
    if almanac.source == "nominal":
        return (
            f"Nominal constellations ({names}): typical numbers, not this day's. Bring an almanac for the hour of a"
            " gap."
        )
    age = almanac.age(moment)
    if isinstance(almanac, Ephemerides):
        hours = ", ".join(f"{clock(int(minutes[a]))} to {clock(int(minutes[b]))}" for a, b in windows(known))
        return (
            ""
            if known.all()
            else f"The file reaches over {hours or 'no hour'} of this day: of the rest nothing is known."
        )
    if age > OLD:
        return f"The almanac is {age:.0f} days from this date: satellites have been moved since, so hours may be wrong."
    return ""
