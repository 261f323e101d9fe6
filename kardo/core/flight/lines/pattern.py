"""Flight lines, exposures and sorties of a flight over its area, in the job's grid."""

import math
from collections.abc import Hashable, Iterable
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import pairwise

import numpy as np
from shapely import Point
from shapely.affinity import scale

from kardo.core.arrays import Floats, Ints
from kardo.core.errors import PlanError
from kardo.core.flight.lines.areas import flight_polygon, ground_scale
from kardo.core.flight.lines.laid import (
    Kind,
    Line,
    Region,
    corridor,
    cross_height,
    crossing,
    facade,
    oblique,
    own,
    parallel,
)
from kardo.core.flight.lines.out_and_home import Pad, WaysBySortie, ways_of_lines
from kardo.core.flight.lines.sensor import ImageSensor, ScanSensor, sensor_of
from kardo.core.flight.lines.wind import STILL, Wind, over_ground_in, wind_of
from kardo.core.kept import kept
from kardo.core.plan.flights import CorridorLines, Flight, Imaging, OwnLines, ParallelLines, Scanning, WallLines
from kardo.core.plan.kit import Aircraft, Battery, Camera, Scanner
from kardo.core.plan.model import Plan
from kardo.core.terrain.surface import AnySurface

OF_EXPOSURES = ("e", "n", "h", "course", "yaw", "tilt", "sortie", "strip")  # what a flight has of each
MAX_EXPOSURES, MAX_STRIPS = 20_000, 1000
BY_BASE = 500.0  # metres from a base to the nearest exposure, up to which the flight is taken to start beside it
SLOWEST = 0.1  # metres a second over the ground, below which a line is not flown
COARSE, FINER = 1, (0.4,)  # degrees by which the shortest course is sought about


@dataclass(frozen=True)
class Strip:
    """One flight line: grid metres of first and last exposure, its exposures as a range, its sortie, metres from the
    first to the last, what it is for, the seconds from its end to the next, its turn included, and metres a second over
    the ground."""

    start: tuple[float, float]
    end: tuple[float, float]
    first: int
    count: int
    sortie: int
    length: float
    kind: Kind
    then: float
    speed: float


@dataclass(frozen=True)
class Sortie:
    """What one battery flies: flight lines first to last, minutes in the air, per cent left on landing; minutes of the
    way out and home in those; where it takes off and lands."""

    first_strip: int
    last_strip: int
    minutes: float
    battery_left: float
    out: float
    home: float
    take_off: Pad


@dataclass(frozen=True, eq=False)
class FlightPlan:
    """One flight laid out: exposures (n,) in grid metres with heights in the job's system, in the order flown, and what
    they add up to. Metres, minutes, seconds.

    course is the grid azimuth in radians in which each exposure is flown, yaw that in which it looks, tilt its camera's
    angle from straight down, that way; sortie and flight line are indices. take_off: grid metres and height in the
    job's system of where its first sortie takes off: its take-off place; as long as none is given, beside a base that
    is near, else at the foot of the first exposure."""

    flight: Flight
    e: Floats
    n: Floats
    h: Floats
    course: Floats
    yaw: Floats
    tilt: Floats
    sortie: Ints
    strip: Ints
    strips: tuple[Strip, ...]
    sorties: tuple[Sortie, ...]
    sensor: ImageSensor | ScanSensor
    gsd: float
    footprint_across: float
    footprint_along: float
    spacing: float
    trigger_distance: float
    blur_px: float
    main_course: float
    minutes: float
    trigger_interval: float
    cross_height: float | None

    @property
    def take_off(self) -> Pad:
        """Where its first sortie takes off."""
        return self.sorties[0].take_off

    @property
    def take_offs(self) -> dict[tuple[float, float], Ints]:
        """The places, grid metres, that it takes off from, in that order, with the sorties of each, counted from 0."""
        out: dict[tuple[float, float], list[int]] = {}
        for k, sortie in enumerate(self.sorties):
            out.setdefault(sortie.take_off[:2], []).append(k)
        return {place: np.array(sorties) for place, sorties in out.items()}

    @property
    def camera(self) -> Camera:
        """What takes its images. Only of a flight that takes some."""
        assert isinstance(self.sensor, ImageSensor)
        return self.sensor.camera

    @property
    def imaging(self) -> Imaging:
        """How it takes its images. Only of a flight that takes some."""
        assert isinstance(self.sensor, ImageSensor)
        return self.sensor.use

    @property
    def scanner(self) -> Scanner:
        """What scans. Only of a flight that does."""
        assert isinstance(self.sensor, ScanSensor)
        return self.sensor.scanner

    @property
    def scanning(self) -> Scanning:
        """How it scans. Only of a flight that does."""
        assert isinstance(self.sensor, ScanSensor)
        return self.sensor.use

    @property
    def images(self) -> int:
        """How many images it takes."""
        return self.sensor.images(len(self.e))

    @property
    def sequence_minutes(self) -> tuple[float, float]:
        """Minutes that a sortie takes before its first line and after its last."""
        return self.sensor.sequence_minutes()


def imaged(flights: Iterable[FlightPlan]) -> tuple[FlightPlan, ...]:
    """Those that take images."""
    return tuple(f for f in flights if isinstance(f.sensor, ImageSensor))


def scanned(flights: Iterable[FlightPlan]) -> tuple[FlightPlan, ...]:
    """Those that scan."""
    return tuple(f for f in flights if isinstance(f.sensor, ScanSensor))


@dataclass(frozen=True)
class Equipment:
    """What a flight is flown with."""

    sensor: ImageSensor | ScanSensor
    aircraft: Aircraft
    battery: Battery


def _equipment(plan: Plan, flight: Flight) -> Equipment:
    return Equipment(sensor_of(plan, flight), plan.aircraft(flight.aircraft), plan.battery(flight.battery))


def _base(plan: Plan, flight: Flight) -> tuple[float, float] | None:
    mark = plan.base_mark(flight.positioned_from)
    return (mark.e, mark.n) if mark else None


def _laid_out_by(plan: Plan, flight: Flight) -> Hashable:
    site, over = plan.site, flight.pattern.areas
    areas = tuple(a.ring for a in site.areas if a.id in over)
    ground = site.boundary, areas, site.ground, plan.brief.system
    return flight, _equipment(plan, flight), _base(plan, flight), ground


@kept(64, by=_laid_out_by)
def flown(plan: Plan, flight: Flight) -> FlightPlan:
    """One of a plan's flights, laid out; kept, so that the same flight over the same ground is the same object. Raises
    PlanError where its area is missing or takes too many exposures."""
    area, equipment = flight_polygon(plan, flight), _equipment(plan, flight)
    laid_out = fly(flight, equipment, area, plan.surface, ground_scale(plan), _base(plan, flight))
    for name in OF_EXPOSURES:
        getattr(laid_out, name).setflags(write=False)
    return laid_out


def all_flown(plan: Plan) -> tuple[FlightPlan, ...]:
    """Every flight of a plan, laid out. Raises PlanError as `flown`, and for more exposures than one network holds."""
    flights: list[FlightPlan] = []
    for flight in plan.flights:
        flights.append(flown(plan, flight))
        count = sum(len(f.e) for f in flights)
        if count > MAX_EXPOSURES:
            raise too_many(count)
    return tuple(flights)


def over_ground(flight: FlightPlan) -> FlightPlan:
    """A flight with those exposures alone that were flown, and whose height is known: over a gap of the terrain nothing
    is predicted. Raises PlanError where there are none."""
    done = ~np.isin(flight.sortie + 1, flight.flight.missing_sorties)
    if not done.any():
        raise PlanError(f"No sortie of {flight.flight.name} was flown.", where="Book", mend="Fly it, or take it out.")
    known = done & np.isfinite(flight.h)
    if known.all():
        return flight
    if not known.any():
        raise PlanError(
            f"The terrain has no heights under {flight.flight.name}.",
            where="Site, terrain",
            mend="Bring in terrain that covers the boundary and the margin about it.",
        )
    kept = {name: getattr(flight, name)[known] for name in OF_EXPOSURES}
    return replace(flight, **kept)


def spacing_of(plan: Plan, flight: Flight) -> float:
    """Metres on the ground from line to line at the flight's height, by its side overlap."""
    return _spacing(flight, sensor_of(plan, flight).footprint(flight)[0])


def _spacing(flight: Flight, across: float) -> float:
    return across * (1 - flight.pattern.side_overlap / 100)


def estimated_exposures(plan: Plan) -> float:
    """About how many exposures a plan's flights take, without laying them out. Raises PlanError where an area is
    missing."""
    total = 0.0
    for flight in plan.flights:
        across, _, trigger = sensor_of(plan, flight).footprint(flight)
        spacing = _spacing(flight, across)
        margin = (flight.pattern.extra_lines * spacing + flight.pattern.extra_exposures * trigger) / 2
        total += flight_polygon(plan, flight).buffer(margin).area / (spacing * trigger)
    return total


def fly(
    flight: Flight,
    equipment: Equipment,
    area: Region,
    surface: AnySurface | None,
    grid_per_ground: float = 1.0,
    base: tuple[float, float] | None = None,
) -> FlightPlan:
    """Lay flight lines over an area (grid metres); spacing, lengths and times are those on the ground, of which a metre
    is so many on the grid. base: grid metres of the base, beside which it takes off where no other place is chosen.
    Raises PlanError when it would take more exposures than can be planned."""
    over, area = area, scale(area, 1 / grid_per_ground, 1 / grid_per_ground, origin=(0.0, 0.0))
    sensor, craft, wind = equipment.sensor, equipment.aircraft, wind_of(flight)
    across, along, trigger = sensor.footprint(flight)
    spacing = _spacing(flight, across)
    _require_few(area, spacing, trigger, flight)
    off = flight.take_off or base
    place = (off[0] / grid_per_ground, off[1] / grid_per_ground) if off else None
    course = _course(flight, area, spacing, trigger, across, equipment, place)
    lines = _laid(flight, sensor, area, course, spacing, trigger, across, grid_per_ground)
    count = sum(line.count for line in lines)
    if count > MAX_EXPOSURES:
        raise too_many(count)
    lines = [line.as_flown() for line in lines]
    ways = _ways(lines, flight, craft)
    e, n, azimuth, strip = _exposures(lines)
    e, n = e * grid_per_ground, n * grid_per_ground
    above = np.array([line.height for line in lines])[strip]
    h = _heights(flight, over, surface, e, n, above)
    counts = np.bincount(strip, minlength=len(lines))
    first = np.r_[0, np.cumsum(counts)[:-1]]
    starts, ends = ((e[k], n[k], h[k]) for k in (first, first + counts - 1))
    pads = _pads(flight, base, surface, e, n, h)
    out_home = [ways_of_lines(craft, p, starts, ends, flight.homeward, grid_per_ground, wind) for p in pads]
    going = _over_ground(azimuth[first], flight, craft, wind)
    _require_home(flight, going, out_home)
    by_sortie = WaysBySortie(
        (0, *(m.from_sortie - 1 for m in flight.take_off_moves)), pads, *zip(*out_home, strict=True)
    )
    sorties, leg_of_strip = _sorties(lines, going, ways, by_sortie, flight, equipment)
    strips = tuple(
        Strip(
            start=(e[a], n[a]),
            end=(e[a + k - 1], n[a + k - 1]),
            first=int(a),
            count=int(k),
            sortie=leg_of_strip[s],
            length=lines[s].length,
            kind=lines[s].kind,
            then=ways[s],
            speed=going[s],
        )
        for s, (a, k) in enumerate(zip(first, counts, strict=True))
    )
    return FlightPlan(
        flight=flight,
        e=e,
        n=n,
        h=h,
        course=azimuth,
        yaw=azimuth + np.radians([line.look for line in lines])[strip],
        tilt=np.radians([line.tilt for line in lines])[strip],
        sortie=np.array(leg_of_strip, dtype=np.int64)[strip],
        strip=strip,
        strips=strips,
        sorties=sorties,
        sensor=sensor,
        gsd=sensor.ground_pixel(flight),
        footprint_across=across,
        footprint_along=along,
        spacing=spacing,
        trigger_distance=trigger,
        blur_px=sensor.blur_px(flight),
        main_course=course,
        minutes=sum(sortie.minutes for sortie in sorties),
        trigger_interval=trigger / flight.speed_m_per_s,
        cross_height=cross_height(flight),
    )


def _laid(
    flight: Flight,
    sensor: ImageSensor | ScanSensor,
    area: Region,
    course: float,
    spacing: float,
    trigger: float,
    across: float,
    scale_: float,
) -> list[Line]:
    """The lines of a flight by its pattern, in the order flown. Raises PlanError where it has nothing to follow."""
    pattern = flight.pattern
    if isinstance(pattern, ParallelLines):
        lines = parallel(flight, pattern, area, course, spacing, trigger, across)
        lines += crossing(flight, pattern, area, course, trigger)
        return lines + oblique(flight, pattern, area, course, trigger)
    if isinstance(pattern, OwnLines):
        if not pattern.lines:
            raise PlanError(f"{flight.name} has no flight lines yet.", where="Flight", mend="Draw one, or lay a block.")
        return own(flight, pattern, scale_, trigger)
    line = [(e / scale_, n / scale_) for e, n in pattern.line]
    if len(line) < 2:
        what = "line of the corridor" if isinstance(pattern, CorridorLines) else "walls"
        raise PlanError(
            f"{flight.name} has no {what}.", where="Flight", mend="Take it from a line or an area of the site."
        )
    if isinstance(pattern, CorridorLines):
        return corridor(flight, pattern, line, spacing, trigger)
    step = sensor.along_wall(flight, pattern.stand_off_m, trigger)
    return facade(flight, pattern, line, step, sensor.wall_tilt_deg)


def _require_few(area: Region, spacing: float, trigger: float, flight: Flight) -> None:
    w, s, e, n = area.bounds
    least, longest = area.area / (spacing * trigger), max(e - w, n - s)
    if least > MAX_EXPOSURES or longest / trigger > MAX_EXPOSURES:
        raise too_many(max(least, longest / trigger))
    if longest / spacing > MAX_STRIPS:
        raise PlanError(
            f"This would take about {longest / spacing:,.0f} flight lines; Kardo plans up to {MAX_STRIPS:,}.",
            where="Flight",
            mend="Fly higher, lower the side overlap, or split the area.",
        )


def too_many(count: float) -> PlanError:
    """What is said of more exposures than one network holds."""
    return PlanError(
        f"This would take about {count:,.0f} exposures; Kardo plans up to {MAX_EXPOSURES:,} at a time.",
        where="Flight",
        mend="Fly higher, lower the overlap, or split the area.",
    )


def _course(
    flight: Flight,
    area: Region,
    spacing: float,
    trigger: float,
    across: float,
    equipment: Equipment,
    place: tuple[float, float] | None,
) -> float:
    """The course of a flight: its own, or of parallel lines the shortest, the one with the fewest lines, or across the
    wind; of any other pattern its longest part's. place: where it takes off, metres on the ground, where that is
    known."""
    pattern = flight.pattern
    if not isinstance(pattern, ParallelLines):
        return _along_longest(pattern)
    if pattern.course_deg is not None:
        return pattern.course_deg
    if pattern.course_by == "turns":
        ring = np.array(area.minimum_rotated_rectangle.exterior.coords)
        sides = np.diff(ring, axis=0)[:2]
        longest = sides[int(np.argmax(np.hypot(*sides.T)))]
        return round(math.degrees(math.atan2(longest[0], longest[1])) % 180, 1)
    if pattern.course_by == "wind" and flight.wind_m_per_s:
        return round((flight.wind_from_deg + 90) % 180, 1)
    return _shortest_course(flight, pattern, area, spacing, trigger, across, equipment, place)


def _along_longest(pattern: CorridorLines | WallLines | OwnLines) -> float:
    """Degrees of the longest part of what is followed, or drawn; 0 where there is none yet."""
    if isinstance(pattern, OwnLines):
        parts = [(line.start, line.end) for line in pattern.lines]
    else:
        parts = list(pairwise(pattern.line))
    if not parts:
        return 0.0
    a, b = max(parts, key=lambda part: math.dist(*part))
    return math.degrees(math.atan2(b[0] - a[0], b[1] - a[1])) % 360


@lru_cache(maxsize=128)
def _shortest_course(
    flight: Flight,
    pattern: ParallelLines,
    area: Region,
    spacing: float,
    trigger: float,
    across: float,
    equipment: Equipment,
    place: tuple[float, float] | None,
) -> float:
    """The course with the shortest time in the air in still air over level ground, all ways and batteries included: the
    best of the area's sides and every degree, sought about more finely. Kept, for control is moved, judged and searched
    under the same flights many times."""
    ring = np.array(area.minimum_rotated_rectangle.exterior.coords)
    sides = np.degrees(np.arctan2(*np.diff(ring, axis=0)[:2].T)) % 180
    candidates = sorted({round(float(c), 1) % 180 for c in (*sides, *range(0, 180, COARSE))})

    if place is not None and area.distance(Point(place)) > BY_BASE:
        place = None

    def minutes(course: float) -> float:
        lines = parallel(flight, pattern, area, course, spacing, trigger, across, roughly=True)
        return _minutes_on_level_ground([line.as_flown() for line in lines], flight, equipment, place)

    best = min(candidates, key=minutes)
    for step in FINER:
        best = min(((best + k * step) % 180 for k in (-2, -1, 0, 1, 2)), key=minutes)
    return round(best, 1)


def _minutes_on_level_ground(
    lines: list[Line], flight: Flight, equipment: Equipment, place: tuple[float, float] | None
) -> float:
    """Minutes of all sorties in still air; place: where it takes off, metres on the ground, else at the foot of the
    first exposure."""
    up = np.array([line.height for line in lines])
    starts, ends = (
        (*np.array([line.at(along) for line, along in zip(lines, some, strict=True)]).T, up)
        for some in ([line.start for line in lines], [line.end for line in lines])
    )
    off = place or (starts[0][0], starts[1][0])
    pad = (*off, 0.0)
    out, home = ways_of_lines(equipment.aircraft, pad, starts, ends, flight.homeward, 1.0)
    out_home = WaysBySortie((0,), (pad,), (out,), (home,))
    ways, going = _ways(lines, flight, equipment.aircraft), _over_ground(up, flight, equipment.aircraft, STILL)
    return sum(sortie.minutes for sortie in _sorties(lines, going, ways, out_home, flight, equipment)[0])


def _over_ground(courses: Floats, flight: Flight, craft: Aircraft, wind: Wind) -> list[float]:
    """Metres a second over the ground along lines (k,) flown in these courses, radians."""
    if wind == STILL:
        return [min(flight.speed_m_per_s, craft.max_m_per_s)] * len(courses)
    degrees = np.degrees(courses).tolist()
    return [over_ground_in(wind, course, flight.speed_m_per_s, craft.max_m_per_s).ground for course in degrees]


def _require_home(flight: Flight, going: list[float], out_home: list[tuple[Floats, Floats]]) -> None:
    """Raises PlanError where the wind is stronger than the aircraft."""
    stopped = "come forward" if min(going) <= SLOWEST else "come home" if not np.isfinite(out_home).all() else ""
    if stopped:
        raise PlanError(
            f"In this wind {flight.name} does not {stopped}.", where="Flight, air time", mend="Wait for less wind."
        )


def _ways(lines: list[Line], flight: Flight, craft: Aircraft) -> list[float]:
    """Seconds from each line to the next: the turn, the straight way between, and the climb where that takes longer;
    after the last one its turn home."""
    seconds = []
    for line, following in pairwise(lines):
        (e0, n0), (e1, n1) = line.at(line.end), following.at(following.start)
        rate = craft.climb_m_per_s if following.height > line.height else craft.descend_m_per_s
        way, climb = math.hypot(e1 - e0, n1 - n0) / flight.speed_m_per_s, abs(following.height - line.height) / rate
        seconds.append(craft.turn_s + max(way, climb))
    return [*seconds, craft.turn_s]


def _pads(
    flight: Flight, base: tuple[float, float] | None, surface: AnySurface | None, e: Floats, n: Floats, h: Floats
) -> tuple[Pad, ...]:
    """Where the aircraft takes off, one place after another, with the ground there; e, n, h: of the exposures (k,),
    whose heights tell the ground where it is not known."""
    place = flight.take_off
    if place is None and base is not None and np.hypot(e - base[0], n - base[1]).min() <= BY_BASE:
        place = base
    place = place if place is not None else (float(e[0]), float(n[0]))

    def with_ground(place: tuple[float, float]) -> Pad:
        ground = float(surface.at(*place)) if surface is not None else 0.0
        if not math.isfinite(ground):
            known = h[np.isfinite(h)]
            ground = float(np.median(known)) - flight.height_m if known.size else 0.0
        return (*place, ground)

    return tuple(with_ground(p) for p in (place, *(move.place for move in flight.take_off_moves)))


def _sorties(
    lines: list[Line],
    going: list[float],
    ways: list[float],
    by_sortie: WaysBySortie,
    flight: Flight,
    equipment: Equipment,
) -> tuple[tuple[Sortie, ...], list[int]]:
    """Cut the flight at line ends so that each battery lands with its reserve, home from wherever its last line ends to
    where that sortie took off. going: metres a second over the ground along each line. A single line longer than a
    battery keeps a sortie of its own, and shows what it would leave."""
    sensor, craft, battery = equipment.sensor, equipment.aircraft, equipment.battery
    more = sum(sensor.sequence_minutes())
    usable = battery.minutes * (1 - flight.reserve_percent / 100) - more
    cuts: list[tuple[int, int, float]] = []  # first line, last, and minutes with the way home
    spent = 0.0  # from take-off to the end of the line before, its turn included
    for k, line in enumerate(lines):
        on_line = (line.length / going[k] + craft.turn_s) / 60
        on_way = (ways[k - 1] - craft.turn_s) / 60 if cuts else 0.0
        if cuts and spent + on_way + on_line + by_sortie.home[by_sortie.at(len(cuts) - 1)][k] <= usable:
            first, spent = cuts.pop()[0], spent + on_way + on_line
        else:
            first, spent = k, float(by_sortie.out[by_sortie.at(len(cuts))][k]) + on_line
        cuts.append((first, k, spent + float(by_sortie.home[by_sortie.at(len(cuts))][k]) + more))
    sorties = tuple(_sortie(by_sortie, number, *cut, battery) for number, cut in enumerate(cuts))
    return sorties, [number for number, (first, last, _) in enumerate(cuts) for _ in range(first, last + 1)]


def _sortie(by_sortie: WaysBySortie, number: int, first: int, last: int, minutes: float, battery: Battery) -> Sortie:
    at, left = by_sortie.at(number), 100 * (1 - minutes / battery.minutes)
    out, home = float(by_sortie.out[at][first]), float(by_sortie.home[at][last])
    return Sortie(
        first_strip=first,
        last_strip=last,
        minutes=minutes,
        battery_left=left,
        out=out,
        home=home,
        take_off=by_sortie.pads[at],
    )


def _exposures(lines: list[Line]) -> tuple[Floats, Floats, Floats, Ints]:
    """Metres on the ground about the grid's origin, grid azimuth in radians and flight line of every exposure."""
    es, ns, azimuth, strip = [], [], [], []
    for s, line in enumerate(lines):
        a, count = math.radians(line.course), line.count
        middle, step = (line.start + line.end) / 2, math.copysign(line.trigger, line.end - line.start)
        y = np.asarray(middle + (np.arange(count) - (count - 1) / 2) * step, dtype=np.float64)
        e, n = from_course(np.full(count, line.offset, dtype=np.float64), y, a)
        es.append(e)
        ns.append(n)
        azimuth.append(np.full(count, a if line.end > line.start else a + math.pi))
        strip.append(np.full(count, s, dtype=np.int64))
    return np.concatenate(es), np.concatenate(ns), np.concatenate(azimuth), np.concatenate(strip)


def from_course(across: Floats, along: Floats, course: float) -> tuple[Floats, Floats]:
    """Metres (k,) east and north from metres across (to the right of) and along a course in radians, about the same
    origin."""
    return across * math.cos(course) + along * math.sin(course), -across * math.sin(course) + along * math.cos(course)


def _heights(flight: Flight, area: Region, surface: AnySurface | None, e: Floats, n: Floats, above: Floats) -> Floats:
    if surface is None:
        return above
    if flight.terrain_following:
        return surface.at(e, n) + above
    west, south, east, north = area.bounds
    ee, nn = np.meshgrid(np.linspace(west, east, 40), np.linspace(south, north, 40))
    return float(np.nanmedian(surface.at(ee, nn))) + above
