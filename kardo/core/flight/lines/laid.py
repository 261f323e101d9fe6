"""Where lines are laid: over a block, across it, oblique, along a corridor with bends, outside of walls, or as somebody
drew them. Metres on the ground about the grid's origin."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal, TypeAlias

import numpy as np
from shapely import LineString, MultiPolygon, Polygon, box, intersection
from shapely.affinity import rotate

from kardo.core.flight.lines.order import Row, in_order
from kardo.core.plan.flights import CorridorLines, Flight, OwnLines, ParallelLines, WallLines

CROSSING_HEIGHT = 1.2  # times the block's, where the plan does not say
STRAIGHT = 0.25  # of the flight lines' distance: bends of a corridor that stray less are flown straight
SHORTEST_WALL = 3.0  # metres
SHARPEST = 75.0  # degrees: half of a bend, beyond which flight lines are not drawn out any further
Kind = Literal["main", "crossing", "oblique", "facade"]
Region: TypeAlias = "Polygon | MultiPolygon"
Places = Sequence[tuple[float, float]]


@dataclass(frozen=True)
class Line:
    """One line to fly: offset across its course (degrees) and start and end along it (in the order flown), metres on
    the ground about the grid's origin; metres between exposures, height above ground, tilt of the camera in degrees,
    and by how many degrees it looks to the right of where it flies."""

    offset: float
    start: float
    end: float
    course: float
    trigger: float
    height: float
    tilt: float
    kind: Kind
    look: float = 0.0

    @property
    def length(self) -> float:
        """Metres from the first exposure to the last."""
        return abs(self.end - self.start)

    @property
    def count(self) -> int:
        """How many exposures cover it."""
        return max(2, math.ceil(self.length / self.trigger - 1e-9) + 1)

    def as_flown(self) -> "Line":
        """Drawn out at both ends to a whole number of exposures: as far as it is flown."""
        half = math.copysign((self.count - 1) * self.trigger / 2, self.end - self.start)
        middle = (self.start + self.end) / 2
        return replace(self, start=middle - half, end=middle + half)

    def at(self, along: float) -> tuple[float, float]:
        """A place along it, metres on the ground about the grid's origin."""
        a = math.radians(self.course)
        return (self.offset * math.cos(a) + along * math.sin(a), -self.offset * math.sin(a) + along * math.cos(a))


def _along_course(area: Region, course: float) -> Region:
    """The area turned about the grid's origin so that x runs across the course (to the right) and y along it."""
    return rotate(area, course, origin=(0.0, 0.0))


def parallel(
    flight: Flight,
    pattern: ParallelLines,
    area: Region,
    course: float,
    spacing: float,
    trigger: float,
    across: float,
    roughly: bool = False,
) -> list[Line]:
    """Lines in the order flown, there and back, part by part. Margins are counted from the area's edge near each line.
    roughly: in an order that is good enough to compare courses by."""
    turned = _along_course(area, course)
    left, bottom, right, top = turned.bounds
    inside = max(1, math.ceil((right - left) / spacing))
    count = inside + 1 + 2 * pattern.extra_lines
    start = (left + right) / 2 - (count - 1) * spacing / 2
    reach = spacing * (pattern.extra_lines + 0.5) if pattern.extra_lines else max(spacing / 2, across / 2)
    margin = pattern.extra_exposures * trigger
    rows: list[Row] = []
    offsets = start + spacing * np.arange(count)
    nearby = intersection(turned, box(offsets - reach, bottom - 1, offsets + reach, top + 1))
    for x, near in zip(offsets.tolist(), nearby, strict=True):
        spans = _merged(
            [(p.bounds[1], p.bounds[3]) for p in getattr(near, "geoms", [near]) if p.area > 0], 4 * flight.height_m
        )
        rows.append((x, [(y0 - margin, y1 + margin) for y0, y1 in spans]))
    return [
        _ahead(
            Line(
                offset=x,
                start=y0,
                end=y1,
                course=course,
                trigger=trigger,
                height=flight.height_m,
                tilt=flight.sensor.tilt_deg,
                kind="main",
            )
        )
        for x, y0, y1 in in_order(rows, roughly)
    ]


def _ahead(line: Line) -> Line:
    """A line whose camera looks ahead begins and ends earlier by what it looks ahead, or the first side of the area
    would have no coverage."""
    back = -math.copysign(line.height * math.tan(math.radians(line.tilt)), line.end - line.start)
    return replace(line, start=line.start + back, end=line.end + back) if line.tilt else line


def cross_height(flight: Flight) -> float | None:
    """Metres above ground of cross lines; None of a pattern that has none."""
    if not isinstance(flight.pattern, ParallelLines):
        return None
    return flight.pattern.cross_height_m or round(CROSSING_HEIGHT * flight.height_m, 1)


def crossing(flight: Flight, pattern: ParallelLines, area: Region, course: float, trigger: float) -> list[Line]:
    """Flight lines at a right angle to the block, evenly over it, at another height: what separates focal length from
    height."""
    height = pattern.cross_height_m or round(CROSSING_HEIGHT * flight.height_m, 1)
    trigger = trigger * height / flight.height_m
    across = (course + 90) % 360
    return [
        Line(offset=x, start=y0, end=y1, course=across, trigger=trigger, height=height, tilt=0.0, kind="crossing")
        for x, y0, y1 in spread(area, across, pattern.cross_lines, pattern.extra_exposures * trigger)
    ]


def oblique(flight: Flight, pattern: ParallelLines, area: Region, course: float, trigger: float) -> list[Line]:
    """Flight lines along the block, and across it, with the camera tilted forward: flown there and back they look two
    ways each."""
    return [
        _ahead(
            Line(
                offset=x,
                start=y0,
                end=y1,
                course=way,
                trigger=trigger,
                height=flight.height_m,
                tilt=pattern.oblique_tilt_deg,
                kind="oblique",
            )
        )
        for way, count in ((course, pattern.oblique_lines), ((course + 90) % 360, pattern.oblique_across))
        for x, y0, y1 in spread(area, way, count, pattern.extra_exposures * trigger)
    ]


def spread(area: Region, course: float, count: int, margin: float) -> list[tuple[float, float, float]]:
    """So many lines evenly over an area, there and back: offset across the course, start and end along it."""
    turned = _along_course(area, course)
    left, bottom, right, top = turned.bounds
    out = []
    for k in range(count):
        x = left + (k + 0.5) * (right - left) / count
        low, high = turned.intersection(box(x - 0.5, bottom - 1, x + 0.5, top + 1)).bounds[1::2]
        span = (low - margin, high + margin)
        out.append((x, *(span if k % 2 == 0 else span[::-1])))
    return out


def _merged(spans: list[tuple[float, float]], gap: float) -> list[tuple[float, float]]:
    """Spans with gaps too short to be worth two turns joined."""
    out: list[tuple[float, float]] = []
    for low, high in sorted(spans):
        if out and low - out[-1][1] < gap:
            out[-1] = (out[-1][0], max(out[-1][1], high))
        else:
            out.append((low, high))
    return out


def corridor(flight: Flight, pattern: CorridorLines, line: Places, spacing: float, trigger: float) -> list[Line]:
    """Flight lines along a line with bends, there and back: of each straight part a flight line, drawn out at a bend so
    far that the outer side is covered. Bends that stray less than a quarter of the flight lines' distance are flown
    straight."""
    path = list(LineString(line).simplify(STRAIGHT * spacing).coords)
    parts = [_straight(a, b) for a, b in pairwise(path)]
    count = max(1, math.ceil(pattern.width_m / spacing)) + 1 + 2 * pattern.extra_lines
    offsets = [(k - (count - 1) / 2) * spacing for k in range(count)]
    reach, margin = pattern.width_m / 2 + trigger, pattern.extra_exposures * trigger
    bends = [abs((b[0] - a[0] + 180) % 360 - 180) / 2 for a, b in pairwise(parts)]
    drawn = [margin, *(reach * math.tan(math.radians(min(bend, SHARPEST))) for bend in bends), margin]
    out = []
    for number, offset in enumerate(offsets):
        there = [
            Line(
                offset=x + offset,
                start=low - drawn[k],
                end=high + drawn[k + 1],
                course=course,
                trigger=trigger,
                height=flight.height_m,
                tilt=flight.sensor.tilt_deg,
                kind="main",
            )
            for k, (course, x, low, high) in enumerate(parts)
        ]
        out += there if number % 2 == 0 else [_back(one) for one in there[::-1]]
    return [_ahead(one) for one in out]


def _straight(a: tuple[float, ...], b: tuple[float, ...]) -> tuple[float, float, float, float]:
    """Course in degrees from a place to another, its offset across the course, and start and end along it."""
    course = math.degrees(math.atan2(b[0] - a[0], b[1] - a[1])) % 360
    sin, cos = math.sin(math.radians(course)), math.cos(math.radians(course))
    return course, a[0] * cos - a[1] * sin, a[0] * sin + a[1] * cos, b[0] * sin + b[1] * cos


def _back(line: Line) -> Line:
    return replace(line, start=line.end, end=line.start, look=-line.look)


def facade(flight: Flight, pattern: WallLines, walls: Places, step: float, tilt: float) -> list[Line]:
    """A line along each wall, the stand-off outside of it, drawn out by the margin at both ends: outside of a ring
    whose ends meet, else to the right of the walls as they were drawn. step: metres between exposures; tilt: degrees
    from nadir, towards the wall."""
    ends_meet = len(walls) > 3 and math.dist(walls[0], walls[-1]) < 0.01
    # the inside of a ring lies to the right where it is drawn clockwise
    side = -1.0 if ends_meet and _turns_right(walls) else 1.0
    margin = pattern.extra_exposures * step
    out = []
    for a, b in pairwise(walls):
        if math.dist(a, b) < SHORTEST_WALL:
            continue
        course, x, low, high = _straight(a, b)
        # what lies on one side of the line is looked at from there
        out.append(
            Line(
                offset=x + side * pattern.stand_off_m,
                start=low - margin,
                end=high + margin,
                course=course,
                trigger=step,
                height=flight.height_m,
                tilt=tilt,
                kind="facade",
                look=-90.0 * side,
            )
        )
    return out


def _turns_right(ring: Places) -> bool:
    """Whether a ring is drawn clockwise, so that its inside lies to the right."""
    e, n = np.array(ring, dtype=float).T
    e, n = e - e.mean(), n - n.mean()
    return float(np.sum(e[:-1] * n[1:] - e[1:] * n[:-1])) < 0


def own(flight: Flight, pattern: OwnLines, scale: float, trigger: float) -> list[Line]:
    """The flight lines that somebody drew, in their order; heights and tilts are the flight's where a flight line has
    none of its own."""
    out = []
    for drawn in pattern.lines:
        a, b = ((e / scale, n / scale) for e, n in (drawn.start, drawn.end))
        course, x, low, high = _straight(a, b)
        height = drawn.height_m or flight.height_m
        out.append(
            Line(
                offset=x,
                start=low,
                end=high,
                course=course,
                trigger=trigger * height / flight.height_m,
                height=height,
                tilt=flight.sensor.tilt_deg,
                kind="main",
            )
        )
    return out
