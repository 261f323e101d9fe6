"""What of a plan is written into files of maps: control and marks, what is on the site, and the lines of its flights,
each with where it is."""

from dataclasses import dataclass

import numpy as np

from kardo.core.errors import PlanError
from kardo.core.flight.lines.pattern import FlightPlan, all_flown, over_ground
from kardo.core.flight.lines.waypoints import Waypoints, waypoints
from kardo.core.plan.heights import heights_of
from kardo.core.plan.model import Plan

CODES = {"target": "GCP", "check": "CHECK", "mark": "MARK"}
INSUNITS = {"m": 6, "ft": 2, "us-ft": 21, "ind-ft": 0}  # $INSUNITS of a drawing; it has no code for the Indian foot
World = list[list[float]]


@dataclass(frozen=True)
class Point:
    """A point of the control, or a mark: grid metres, its height in metres of the job's system and above the ellipsoid
    (nan where it is not known), and degrees on WGS 84."""

    name: str
    role: str
    e: float
    n: float
    h: float
    lon: float
    lat: float
    ellipsoidal: float


def points_of(plan: Plan) -> list[Point]:
    """Control, and the marks after it. Raises GeodesyError where the grid does not reach."""
    heights = heights_of(plan, plan.control)
    rows = [(p.name, str(p.role), p.e, p.n, float(h)) for p, h in zip(plan.control, heights, strict=True)]
    rows += [(m.name, "mark", m.e, m.n, plan.mark_height(m)) for m in plan.marks]
    out = []
    for name, role, e, n, h in rows:
        lon, lat = plan.grid.to_world(e, n)
        out.append(
            Point(
                name=name,
                role=role,
                e=e,
                n=n,
                h=h,
                lon=float(lon),
                lat=float(lat),
                ellipsoidal=h + float(plan.grid.separation(e, n)),
            )
        )
    return out


@dataclass(frozen=True)
class OnSite:
    """The boundary, an area or a feature: its kind and shape, metres above ground (0: nothing), vertices in grid
    metres, and the same in degrees on WGS 84, ten decimals; areas there closed, and counter-clockwise as RFC 7946
    asks."""

    name: str
    kind: str
    shape: str
    height: float
    vertices: tuple[tuple[float, float], ...]
    world: World


def on_site(plan: Plan) -> list[OnSite]:
    """What the site is bounded by and holds. Raises GeodesyError where the grid does not reach."""
    rows: list[tuple[str, str, str, float, tuple[tuple[float, float], ...]]] = []
    if len(plan.site.boundary) > 2:
        rows.append(("boundary", "boundary", "area", 0.0, plan.site.boundary))
    rows += [(a.name, "area", "area", 0.0, a.ring) for a in plan.site.areas]
    rows += [
        (f.name, f.kind, "line" if f.shape == "place" and len(f.vertices) > 1 else f.shape, f.height, f.vertices)
        for f in plan.site.features
    ]
    return [OnSite(*row, _in_world(plan, row[4], row[2] == "area")) for row in rows]


def _in_world(plan: Plan, vertices: tuple[tuple[float, float], ...], closed: bool) -> World:
    lon, lat = plan.grid.to_world(*np.array(vertices).T)
    places = [
        [round(float(a), 10), round(float(b), 10)] for a, b in zip(np.atleast_1d(lon), np.atleast_1d(lat), strict=True)
    ]
    if not closed:
        return places
    x, y = np.array(places).T
    places = places if float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))) >= 0 else places[::-1]
    return [*places, places[0]]


def datum_of(plan: Plan) -> str:
    """How the plan's longitudes and latitudes come to WGS 84."""
    somewhere = next(iter(plan.site.boundary), None) or next(
        iter([*((p.e, p.n) for p in plan.control), *((m.e, m.n) for m in plan.marks)]), None
    )
    if somewhere is None:
        return "WGS 84"
    way = plan.grid.world_at(*somewhere)
    return f"WGS 84, from {plan.grid.name}{'' if way.exact else ' ' + way.words}"


def flown_lines(plan: Plan) -> list[tuple[FlightPlan, Waypoints]]:
    """The flights that are planned, over ground that is known, with their waypoints. Raises PlanError where there are
    none."""
    found = [over_ground(f) for f in all_flown(plan)]
    if not found:
        raise PlanError("There is no flight.", where="Flight", mend="Add one.")
    return [(f, waypoints(plan, f)) for f in found]


def each_line(way: Waypoints) -> list[np.ndarray]:
    """The numbers of the waypoints of each line, line by line."""
    return [np.flatnonzero(way.strip == strip) for strip in np.unique(way.strip)]


def in_world(plan: Plan, e: np.ndarray, n: np.ndarray, h: np.ndarray) -> World:
    """Longitude and latitude on WGS 84 and ellipsoidal height on the grid's datum, ten and three decimals."""
    lon, lat = plan.grid.to_world(e, n)
    up = h + plan.grid.separation(e, n)
    rows = zip(np.asarray(lon).tolist(), np.asarray(lat).tolist(), np.asarray(up).tolist(), strict=True)
    return [[round(a, 10), round(b, 10), round(c, 3)] for a, b, c in rows]


def line_row(plan: Plan, way: Waypoints, k: int) -> dict[str, object]:
    """What is said of a line: from its first waypoint."""
    flight = way.flight.flight
    return {
        "flight": flight.name,
        "sortie": int(way.sortie[k]),
        "line": int(way.strip[k]),
        "grid": plan.brief.crs,
        "course_deg": round(float(way.course[k]), 2),
        "tilt_deg": round(float(way.tilt[k]), 2),
        "speed_m_per_s": flight.speed_m_per_s,
        "trigger_m": round(way.flight.trigger_distance, 3) if way.flight.images else 0.0,
    }
