"""From a plan to its linear network: what will be observed, and on what it hangs."""

import math
from dataclasses import dataclass
from itertools import chain, pairwise

import numpy as np
from scipy.spatial import cKDTree
from shapely import Polygon, contains_xy

from kardo.core.accuracy.camera import project, rotations
from kardo.core.accuracy.defaults import Assumptions
from kardo.core.accuracy.network import Lists, Network
from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.errors import PlanError
from kardo.core.flight.catalogue import calibration
from kardo.core.flight.pattern import FlightPlan, fly, from_course
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.gnss.occupations import mark_sigma, rover_sigma, set_up_sigma
from kardo.core.plan.model import Area, ControlPoint, Plan, Ring
from kardo.core.terrain.surface import Surface

MAP_POINTS = 400  # aimed at over the site; between 300 and 600 come out
AREA_POINTS = 100  # the same over each area whose volume matters; up to 150


@dataclass(frozen=True)
class ControlRays:
    """How control points will be observed: ENU (k, 3), rays, pixels of each ray, the survey's own sigma (k, 3), the
    shifts each hangs on, and the target's width in pixels."""

    x: Floats
    rays: Lists
    sigma_px: Floats
    sigma: Floats
    shifts: list[list[int]]
    width_px: Floats

    def take(self, which: Ints) -> "ControlRays":
        """Only some of the points."""
        shifts = [self.shifts[int(k)] for k in which]
        rays = self.rays.take(which)
        return ControlRays(self.x[which], rays, self.sigma_px[which], self.sigma[which], shifts, self.width_px[which])


@dataclass(frozen=True)
class Planned:
    """A plan's network with the keys to read it: which points are targets, checks, map sample and the samples of the
    plan's areas; and what is needed to lay further control points over the same flight."""

    plan: Plan
    network: Network
    flight: FlightPlan
    frame: LocalFrame
    sight: "Sight"
    hang: dict[str | None, list[int]]
    targets: Ints
    checks: Ints
    map_points: Ints
    map_e: Floats
    map_n: Floats
    map_step: float
    area_points: tuple[Ints, ...]
    width_px: Floats

    def observe(self, plan: Plan, points: tuple[ControlPoint, ...]) -> ControlRays:
        """Control points over this flight. Raises PlanError for one that hangs on a set-up this network has not."""
        for p in points:
            if p.mark not in self.hang:
                raise PlanError(f"{p.name} hangs on a set-up that is not in this network.", where="Control")
        return _observe(plan, points, self.flight, self.frame, Assumptions(plan.assumptions), self.sight, self.hang)


@dataclass(frozen=True)
class _Shifts:
    names: list[str]
    sigma: list[tuple[float, float, float]]

    def add(self, name: str, sigma: tuple[float, float, float]) -> int:
        self.names.append(name)
        self.sigma.append(sigma)
        return len(self.names) - 1


def site_polygon(plan: Plan) -> Polygon:
    """The boundary as a polygon. Raises PlanError where there is none or it crosses itself."""
    if len(plan.site.boundary) < 3:
        raise PlanError(
            "There is no boundary.", where="Site", mend="Import one, paste its corners, or draw it on the sheet."
        )
    return _polygon(plan.site.boundary, "The boundary")


def area_polygon(area: Area) -> Polygon:
    """An area as a polygon. Raises PlanError where it crosses itself."""
    return _polygon(area.ring, f"The area {area.name}")


def _polygon(ring: Ring, what: str) -> Polygon:
    polygon = Polygon(ring)
    if not polygon.is_valid or polygon.area <= 0:
        raise PlanError(
            f"{what} crosses itself or has no extent.",
            where="Site",
            mend="Move the vertices so that its sides do not cross.",
        )
    return polygon


def missing(plan: Plan) -> list[tuple[str, str]]:
    """What the plan still lacks before anything can be predicted: (station, sentence)."""
    lacks = []
    if not plan.brief.crs:
        lacks.append(("brief", "Choose the job's grid in the Brief."))
    if len(plan.site.boundary) < 3:
        lacks.append(("site", "Import, paste or draw the site boundary."))
    if plan.terrain is None:
        lacks.append(("site", "Bring in the terrain as a GeoTIFF."))
    if plan.base.mark is None and plan.base.corrections != "code":
        lacks.append(("base", "Put the base on a mark with known coordinates."))
    return lacks


def flight_of(plan: Plan) -> FlightPlan:
    """The plan's flight over its site."""
    return fly(plan.flight, site_polygon(plan), plan.surface)


def planned_network(plan: Plan) -> Planned:
    """Form the network of a plan. Raises PlanError where the plan lacks what it needs."""
    lacks = missing(plan)
    if lacks:
        raise PlanError(lacks[0][1], where=lacks[0][0])
    polygon, flight = site_polygon(plan), flight_of(plan)
    surface = plan.surface
    assert surface is not None
    if np.isnan(flight.h).any():
        raise PlanError(
            "The terrain has gaps under the flight.",
            where="Site, terrain",
            mend="Bring in terrain that covers the boundary and the margin about it.",
        )
    frame = _frame(plan, polygon, surface)
    assume = Assumptions(plan.assumptions)
    c = frame.to_enu(flight.e, flight.n, flight.h)
    ypr = np.stack([flight.course + frame.convergence, flight.tilt - math.pi / 2, np.zeros(len(c))], axis=1)
    shifts = _Shifts([], [])
    base_shifts = _base_shifts(plan, shifts, assume)
    leg = assume["leg_h"], assume["leg_h"], assume["leg_v"]
    legs = [shifts.add(f"leg {k + 1}", leg) for k in range(len(flight.legs))]
    hang = _control_shifts(plan, shifts, base_shifts, assume)
    sight = Sight(flight, c, rotations(ypr))
    control = _observe(plan, plan.control, flight, frame, assume, sight, hang)
    groups = _points(plan, polygon, flight, surface, frame, assume, sight)
    network = _assemble(plan, flight, frame, assume, ypr, shifts, base_shifts, legs, control, groups)
    counts = np.cumsum([len(groups.ties), len(control.x), *groups.sizes])
    which, *samples = [np.arange(a, b) for a, b in pairwise(counts)]
    is_target = np.array([p.role == "target" for p in plan.control], dtype=bool)
    return Planned(
        plan,
        network,
        flight,
        frame,
        sight,
        hang,
        which[is_target],
        which[~is_target],
        samples[0],
        groups.map_e,
        groups.map_n,
        groups.map_step,
        tuple(samples[1:]),
        control.width_px,
    )


def _frame(plan: Plan, polygon: Polygon, surface: Surface) -> LocalFrame:
    middle = polygon.representative_point()
    plan.grid.require_inside(np.array([middle.x]), np.array([middle.y]), "Site, boundary")
    return LocalFrame(plan.grid, middle.x, middle.y, float(np.nan_to_num(surface.at(middle.x, middle.y))))


def _base_shifts(plan: Plan, shifts: _Shifts, assume: Assumptions) -> list[int]:
    """The base's mark and set-up; none where cameras are not corrected."""
    mark = plan.mark_of(plan.base.mark)
    if mark is None:
        return []
    h, v = set_up_sigma(plan.base.support, len(plan.base.readings), assume)
    return [shifts.add(f"mark {mark.name}", mark_sigma(mark, assume)), shifts.add(f"set-up on {mark.name}", (h, h, v))]


def _control_shifts(plan: Plan, shifts: _Shifts, base: list[int], assume: Assumptions) -> dict[str | None, list[int]]:
    """What each control point hangs on, by its mark: the base, or a set-up of its own on another mark. A rover's base
    set up again on the base's own mark shares the mark but not the set-up."""
    hang: dict[str | None, list[int]] = {None: base}
    for identifier in sorted({p.mark for p in plan.control if p.mark is not None}):
        mark = plan.mark_of(identifier)
        assert mark is not None
        same = identifier == plan.base.mark and base
        first = base[0] if same else shifts.add(f"mark {mark.name}", mark_sigma(mark, assume))
        h, v = set_up_sigma("tripod", 2, assume)
        second = shifts.add(f"{'second ' if same else ''}set-up on {mark.name}", (h, h, v))
        hang[identifier] = [first, second]
    return hang


@dataclass(frozen=True)
class _Points:
    """Tie points and samples of the ground (of the map, then of each area, `sizes` long) in ENU with their rays."""

    ties: Floats
    tie_rays: Lists
    samples: Floats
    sample_rays: Lists
    sizes: list[int]
    map_e: Floats
    map_n: Floats
    map_step: float


def control_heights(plan: Plan, points: tuple[ControlPoint, ...]) -> Floats:
    """Heights of control points: their own, or the terrain's."""
    surface = plan.surface
    terrain = (
        surface.at(np.array([p.e for p in points]), np.array([p.n for p in points]))
        if surface
        else np.zeros(len(points))
    )
    return np.array([t if p.h is None else p.h for p, t in zip(points, terrain, strict=True)], dtype=float)


def _points(
    plan: Plan,
    polygon: Polygon,
    flight: FlightPlan,
    surface: Surface,
    frame: LocalFrame,
    assume: Assumptions,
    sight: "Sight",
) -> _Points:
    tie_e, tie_n = _lattice(flight, assume["lattice_rays"])
    ties = frame.to_enu(tie_e, tie_n, surface.at(tie_e, tie_n))
    known = np.isfinite(ties).all(axis=1)
    tie_rays = sight.rays(ties[known])
    enough = np.diff(tie_rays.start) >= 2
    map_e, map_n, step = _sample(polygon, MAP_POINTS)
    grounds = [(map_e, map_n), *(_sample(area_polygon(a), AREA_POINTS)[:2] for a in plan.areas)]
    e, n = (np.concatenate([g[k] for g in grounds]) for k in (0, 1))
    h = surface.at(e, n)
    if np.isnan(h).any():
        raise PlanError(
            "The terrain has gaps inside the boundary or an area.",
            where="Site, terrain",
            mend="Bring in terrain that covers them.",
        )
    samples = frame.to_enu(e, n, h)
    tied = tie_rays.take(np.flatnonzero(enough))
    sizes = [len(g[0]) for g in grounds]
    return _Points(ties[known][enough], tied, samples, sight.rays(samples), sizes, map_e, map_n, step)


def _observe(
    plan: Plan,
    points: tuple[ControlPoint, ...],
    flight: FlightPlan,
    frame: LocalFrame,
    assume: Assumptions,
    sight: "Sight",
    hang: dict[str | None, list[int]],
) -> ControlRays:
    heights = control_heights(plan, points)
    if np.isnan(heights).any():
        name = points[int(np.flatnonzero(np.isnan(heights))[0])].name
        raise PlanError(
            f"{name} has no height and the terrain has none there.", where="Control", mend="Type its height."
        )
    e, n = np.array([p.e for p in points]), np.array([p.n for p in points])
    x = frame.to_enu(e, n, heights) if len(e) else np.zeros((0, 3))
    width = np.array([p.width for p in points]) / flight.gsd
    rays = sight.rays(x)
    rays = rays.keep((width >= assume["target_least_px"])[rays.owner()])
    sigma = _control_sigma(plan, points, assume)
    return ControlRays(x, rays, target_ray_sigma(width, assume), sigma, [hang[p.mark] for p in points], width)


class Sight:
    """Which exposures see which ground points."""

    def __init__(self, flight: FlightPlan, c: Floats, rotation: Floats) -> None:
        self.c, self.rotation, self.flight = c, rotation, flight
        self.tree = cKDTree(c[:, :2])
        self.reach = _ground_reach(flight)

    def rays(self, points: Floats) -> Lists:
        """Exposures whose frame holds each point (m, 3), a list per point in ascending order."""
        if not len(points):
            return Lists.of([])
        cam = self.flight.camera
        reach = (self.c[:, 2].max() - points[:, 2].min()) * self.reach
        near = self.tree.query_ball_point(points[:, :2], reach, workers=2, return_sorted=True)
        counts = np.fromiter((len(k) for k in near), dtype=np.int64, count=len(near))
        owner = np.repeat(np.arange(len(points)), counts)
        seen = np.fromiter(chain.from_iterable(near), dtype=np.int64, count=int(counts.sum()))
        uv, depth = project(cam.f_px, self.rotation[seen], self.c[seen], points[owner])
        inside = (depth > 0) & (np.abs(uv[:, 0]) <= cam.width_px / 2) & (np.abs(uv[:, 1]) <= cam.height_px / 2)
        return Lists(np.r_[0, np.cumsum(counts)], seen).keep(inside)


def _ground_reach(flight: FlightPlan) -> float:
    """How far from the camera's foot the frame's farthest corner sees level ground, per metre of height."""
    cam, tilt = flight.camera, float(flight.tilt.max())
    x, y = cam.width_px / (2 * cam.f_px), cam.height_px / (2 * cam.f_px)
    down = math.cos(tilt) - y * math.sin(tilt)  # of the frame's upper edge, which looks farthest ahead
    return math.hypot(x, math.sin(tilt) + y * math.cos(tilt)) / max(down, 0.05)


def _lattice(flight: FlightPlan, per_image: float) -> tuple[Floats, Floats]:
    """Tie points on a square lattice along the course, spaced so that each frame holds about so many."""
    step = math.sqrt(flight.footprint_across * flight.footprint_along / per_image)
    a = math.radians(flight.main_course)
    across = flight.e * math.cos(a) - flight.n * math.sin(a)
    along = flight.e * math.sin(a) + flight.n * math.cos(a)
    reach = max(flight.footprint_across, flight.footprint_along) / 2
    x, y = np.meshgrid(
        np.arange(across.min() - reach, across.max() + reach, step),
        np.arange(along.min() - reach, along.max() + reach, step),
    )
    near, _ = cKDTree(np.stack([across, along], axis=1)).query(
        np.stack([x.ravel(), y.ravel()], axis=1), distance_upper_bound=1.3 * reach
    )
    keep = np.isfinite(near)
    x, y = x.ravel()[keep], y.ravel()[keep]
    return from_course(x, y, a)


def _sample(polygon: Polygon, aimed: int) -> tuple[Floats, Floats, float]:
    """A regular sample of ground points inside a polygon, at most half as many again as aimed at, and its step in metres."""
    west, south, east, north = polygon.bounds
    step = math.sqrt(polygon.area / aimed)
    while True:
        e, n = np.meshgrid(np.arange(west + step / 2, east, step), np.arange(south + step / 2, north, step))
        inside = contains_xy(polygon, e.ravel(), n.ravel())
        if inside.sum() <= 1.5 * aimed:
            return e.ravel()[inside], n.ravel()[inside], step
        step *= 1.05


def _camera_sigma(plan: Plan, flight: FlightPlan, frame: LocalFrame, assume: Assumptions, c: Floats) -> Floats:
    """Sigma (n, 3) of each camera position: satellite noise growing with the distance to the base, lever arm, and
    the exposure's moment along the track."""
    state = plan.base.corrections
    mark = plan.mark_of(plan.base.mark)
    distance = np.zeros(len(c))
    if mark is not None:
        at = frame.to_enu(np.array([mark.e]), np.array([mark.n]), np.array([mark.h]))[0]
        distance = np.linalg.norm(c - at, axis=1)
    ppm = assume["fixed_ppm"] * 1e-6 * distance if state != "code" else np.zeros(len(c))
    along = plan.flight.speed * assume["trigger_time"]
    azimuth = flight.course + frame.convergence
    h = (assume[f"{state}_h"] + ppm) ** 2 + assume["lever_arm"] ** 2
    v = (assume[f"{state}_v"] + ppm) ** 2 + assume["lever_arm"] ** 2
    return np.sqrt(np.stack([h + (along * np.sin(azimuth)) ** 2, h + (along * np.cos(azimuth)) ** 2, v], axis=1))


def _control_sigma(plan: Plan, points: tuple[ControlPoint, ...], assume: Assumptions) -> Floats:
    """Sigma (k, 3) of each control point's own observation."""
    out = np.zeros((len(points), 3))
    for k, p in enumerate(points):
        mark = plan.mark_of(p.mark if p.mark is not None else plan.base.mark)
        distance = math.hypot(p.e - mark.e, p.n - mark.n) if mark else 0.0
        h, v = rover_sigma(p.method, distance, assume)
        out[k] = h, h, v
    return out


def target_ray_sigma(width_px: Floats, assume: Assumptions) -> Floats:
    """Pixels; pointing worsens as 8 / width below eight pixels."""
    return assume["target_ray_px"] * np.maximum(1.0, assume["target_full_px"] / np.maximum(width_px, 1e-9))


def _assemble(
    plan: Plan,
    flight: FlightPlan,
    frame: LocalFrame,
    assume: Assumptions,
    ypr: Floats,
    shifts: _Shifts,
    base: list[int],
    legs: list[int],
    control: ControlRays,
    g: _Points,
) -> Network:
    c = frame.to_enu(flight.e, flight.n, flight.h)
    is_check: Bools = np.array([p.role == "check" for p in plan.control], dtype=bool)
    empty: list[int] = []
    nothing = [empty] * len(g.ties), [empty] * len(g.samples)
    none = np.full((len(g.ties), 3), np.nan), np.full((len(g.samples), 3), np.nan)
    rays = (g.tie_rays, control.rays, g.sample_rays)
    offsets = np.cumsum([0, *(r.start[-1] for r in rays)])
    start = np.r_[0, *(r.start[1:] + offset for r, offset in zip(rays, offsets, strict=False))].astype(np.int64)
    corrected = base if plan.base.corrections != "code" else []
    return Network(
        f_px=np.array([flight.camera.f_px]),
        sigma_io=np.array([calibration(plan.flight.calibration).sigma_io]),
        shift_names=tuple(shifts.names),
        shift_sigma=np.array(shifts.sigma, dtype=float).reshape(-1, 3),
        c=c,
        ypr=ypr,
        sigma_c=_camera_sigma(plan, flight, frame, assume, c),
        sigma_att=np.full((len(c), 3), np.nan),
        camera=np.zeros(len(c), dtype=np.int64),
        exposure_shifts=Lists.of([[*corrected, legs[k]] for k in flight.leg]),
        names=(
            *(f"tie {k}" for k in range(len(g.ties))),
            *(p.name for p in plan.control),
            *(f"ground {k}" for k in range(len(g.samples))),
        ),
        x=np.concatenate([g.ties, control.x, g.samples]),
        sigma_px=np.concatenate(
            [
                np.full(len(g.ties), assume["tie_ray_px"]),
                control.sigma_px,
                np.full(len(g.samples), assume["map_ray_px"]),
            ]
        ),
        rays=Lists(start, np.concatenate([r.values for r in rays])),
        sigma_x=np.concatenate([none[0], np.where(is_check[:, None], np.nan, control.sigma), none[1]]),
        point_shifts=Lists.of(
            [*nothing[0], *([] if check else s for check, s in zip(is_check, control.shifts, strict=True)), *nothing[1]]
        ),
        check=np.concatenate([np.zeros(len(g.ties), bool), is_check, np.ones(len(g.samples), bool)]),
        check_point=len(g.ties) + np.flatnonzero(is_check),
        check_sigma=control.sigma[is_check],
        check_shifts=Lists.of([s for check, s in zip(is_check, control.shifts, strict=True) if check]),
    )
