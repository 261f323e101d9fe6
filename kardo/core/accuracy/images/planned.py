"""From a plan to its linear network: its flights' exposures, its control and the ground, with what they rest on."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from shapely import Polygon

from kardo.core.accuracy.equation.deformation import Deformation, default_terms
from kardo.core.accuracy.equation.network import Network
from kardo.core.accuracy.figures.judged import Places, places
from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.accuracy.inputs.places import AREA_POINTS, local_frame, map_sample, on_known_ground, sample
from kardo.core.accuracy.inputs.positioning import flight_gradient, leg_shifts, line_key
from kardo.core.arrays import Bools, Floats, Ints, Lists
from kardo.core.control.local import Delivered, delivered_with, in_local_grid, local_shifts
from kardo.core.control.survey import survey
from kardo.core.errors import PlanError
from kardo.core.flight.air.reach import out_of_reach
from kardo.core.flight.ground.shade import shade_of
from kardo.core.flight.ground.sight import Sight, rays_of
from kardo.core.flight.lines.areas import area_polygon, site_polygon
from kardo.core.flight.lines.pattern import FlightPlan, all_flown, over_ground
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.gnss.shifts import Shift, all_shared, shared_by, unique
from kardo.core.plan.assumptions import Assumptions
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.kit import Camera
from kardo.core.plan.model import Plan
from kardo.core.plan.naming import reference
from kardo.core.terrain.surface import AnySurface

ShiftIndex = dict[tuple[str, str], int]


@dataclass(frozen=True)
class ControlRays:
    """How k control points will be observed: ENU (k, 3), rays, pixels (r,) of each ray, the survey's own sigma (k, 3)
    with that of the centre's identification, the shifts each rests on with its share (q, 3, 3) of them, the sigma (k,
    3) of the survey with all that it rests on, the target's width in pixels (k,) where it is seen best, and the places.
    delivered: the shifts, with shares (p, 3, 3), of a check that is surveyed in delivered coordinates, as the map's are
    there."""

    x: Floats
    rays: Lists
    sigma_px: Floats
    sigma: Floats
    shifts: Lists
    shares: Floats
    total_sigma: Floats
    width_px: Floats
    places: Places
    delivered: Lists
    delivered_shares: Floats

    def take(self, which: Ints) -> "ControlRays":
        """Only some of the points."""
        return ControlRays(
            x=self.x[which],
            rays=self.rays.take(which),
            sigma_px=self.sigma_px[self.rays.places(which)],
            sigma=self.sigma[which],
            shifts=self.shifts.take(which),
            shares=self.shares[self.shifts.places(which)],
            total_sigma=self.total_sigma[which],
            width_px=self.width_px[which],
            places=self.places.take(which),
            delivered=self.delivered.take(which),
            delivered_shares=self.delivered_shares[self.delivered.places(which)],
        )


@dataclass(frozen=True)
class Planned:
    """A plan's network with the keys to read it: which points are targets, checks, map sample and the samples of the
    plan's areas, with the places of the last two and of control; and what is needed to lay further control points over
    the same flights."""

    plan: Plan
    network: Network
    flights: tuple[FlightPlan, ...]
    frame: LocalFrame
    sights: tuple[Sight, ...]
    shift_index: ShiftIndex
    targets: Ints
    checks: Ints
    map_points: Ints
    map_e: Floats
    map_n: Floats
    map_step: float
    map_places: Places
    area_points: tuple[Ints, ...]
    area_places: tuple[Places, ...]
    control: ControlRays

    def observe(self, plan: Plan, points: tuple[ControlPoint, ...]) -> ControlRays:
        """Control points over these flights. Raises PlanError for one that rests on what this network has not."""
        return _observe(plan, points, self.sights, self.frame, self.shift_index)


def planned_network(plan: Plan) -> Planned:
    """Form the network of a plan. Raises PlanError where the plan lacks what it needs."""
    lacks = missing(plan)
    if lacks:
        raise PlanError(lacks[0][1], where=lacks[0][0])
    polygon, surface = site_polygon(plan), plan.surface
    if plan.mapped_by != "images":
        raise PlanError("A scan is computed in full, which follows every change.", where="Flight")
    flights = tuple(over_ground(flight) for flight in all_flown(plan))
    assert surface is not None
    frame = local_frame(plan, polygon, surface)
    firsts = np.cumsum([0, *(len(f.e) for f in flights)])
    shade = shade_of(plan)
    sights = tuple(Sight(flight, frame, int(first), shade) for flight, first in zip(flights, firsts, strict=False))
    shifts = _all_shifts(plan, flights)
    index = {shift.key: k for k, shift in enumerate(shifts)}
    control = _observe(plan, plan.control, sights, frame, index)
    ties, ground = _ties(sights, surface, frame, plan.assume), _ground(plan, polygon, surface, frame, sights)
    network = _assemble(plan, sights, frame, shifts, index, control, ties, ground)
    counts = np.cumsum([len(ties.x), len(control.x), *ground.sizes])
    which, *samples = [np.arange(a, b) for a, b in pairwise(counts)]
    every = places(ground.e, ground.n, ground.x, ground.rays, sights, surface, plan.assume)
    on_ground = [every.take(some - len(ties.x) - len(control.x)) for some in samples]
    is_target = np.array([p.role == "target" for p in plan.control], dtype=bool)
    return Planned(
        plan=plan,
        network=network,
        flights=flights,
        frame=frame,
        sights=sights,
        shift_index=index,
        targets=which[is_target],
        checks=which[~is_target],
        map_points=samples[0],
        map_e=ground.map_e,
        map_n=ground.map_n,
        map_step=ground.map_step,
        map_places=on_ground[0],
        area_points=tuple(samples[1:]),
        area_places=tuple(on_ground[1:]),
        control=control,
    )


def _all_shifts(plan: Plan, flights: tuple[FlightPlan, ...]) -> list[Shift]:
    """Of the flights' bases first, then their sorties, then all else that control rests on or could be positioned
    from."""
    bases = [shift for f in flights for shift in shared_by(plan, f.flight.positioned_from)]
    by_distance = [shift for f in flights if (own := flight_gradient(plan, f)) for shift in own.shifts]
    return unique(
        [
            *bases,
            *(sortie for f in flights for sortie in leg_shifts(plan, f)),
            *by_distance,
            *all_shared(plan),
            *local_shifts(plan),
        ]
    )


@dataclass(frozen=True)
class _Ties:
    """Tie points of all flights in ENU with their rays, and the sigma of each ray in pixels."""

    x: Floats
    rays: Lists
    sigma_px: Floats


@dataclass(frozen=True)
class _Ground:
    """Samples of the ground (of the map, then of each area, `sizes` long) in grid metres and ENU with their rays."""

    e: Floats
    n: Floats
    x: Floats
    rays: Lists
    sizes: list[int]
    map_e: Floats
    map_n: Floats
    map_step: float


def _ties(sights: tuple[Sight, ...], surface: AnySurface, frame: LocalFrame, assume: Assumptions) -> _Ties:
    """A lattice for every flight, tied by all images that see it."""
    places, rays, lattice = [], [], []
    for k, sight in enumerate(sights):
        e, n = sight.lattice(assume["lattice_rays"])
        x = frame.to_enu(e, n, surface.at(e, n))
        x = x[np.isfinite(x).all(axis=1)]
        seen = rays_of(sights, x)
        enough = np.flatnonzero(np.diff(seen.start) >= 2)
        places.append(x[enough])
        rays.append(seen.take(enough))
        lattice.append(np.full(len(rays[-1].values), k))
    tied = Lists.end_to_end(rays)
    return _Ties(np.concatenate(places), tied, assume["tie_ray_px"] * _crowding(tied, np.concatenate(lattice), sights))


def _crowding(tied: Lists, lattice: Ints, sights: tuple[Sight, ...]) -> Floats:
    """Factor (r,) on the sigma of each tie ray. An image holds only so many independent rays: where lattices of several
    flights lie under it, all its rays together are worth what those of its own flight's lattice are."""
    flight = np.concatenate([np.full(len(s.c), k) for k, s in enumerate(sights)])
    total = np.bincount(tied.values, minlength=len(flight)).astype(float)
    own = np.bincount(tied.values[lattice == flight[tied.values]], minlength=len(flight))
    return np.asarray(np.sqrt(total / np.maximum(own, 1))[tied.values])


def _ground(plan: Plan, polygon: Polygon, surface: AnySurface, frame: LocalFrame, sights: tuple[Sight, ...]) -> _Ground:
    map_e, map_n, step = map_sample(polygon, surface)  # over a gap nothing is predicted
    areas = (sample(area_polygon(a), AREA_POINTS)[:2] for a in plan.site.areas)
    grounds = [(map_e, map_n), *(on_known_ground(surface, *some) for some in areas)]
    e, n = (np.concatenate([g[k] for g in grounds]) for k in (0, 1))
    x = frame.to_enu(e, n, surface.at(e, n))
    return _Ground(e, n, x, rays_of(sights, x), [len(g[0]) for g in grounds], *grounds[0], step)


def _observe(
    plan: Plan, points: tuple[ControlPoint, ...], sights: tuple[Sight, ...], frame: LocalFrame, index: ShiftIndex
) -> ControlRays:
    assume, surveyed = plan.assume, survey(plan, points)
    unknown = np.flatnonzero(np.isnan(surveyed.heights))
    if unknown.size:
        raise PlanError(
            f"{points[int(unknown[0])].name} has no height and the terrain has none there.",
            where="Control",
            mend="Type its height.",
        )
    e, n = np.array([p.e for p in points]), np.array([p.n for p in points])
    x = frame.to_enu(e, n, surveyed.heights) if len(e) else np.zeros((0, 3))
    width = np.array([p.width for p in points])
    gsd = np.concatenate([np.full(len(s.c), s.flight.gsd) for s in sights])
    rays = rays_of(sights, x)
    wide = width[rays.owner()] / gsd[rays.values]
    keep = wide >= assume["target_least_px"]
    best = width / min(s.flight.gsd for s in sights)
    if wide.size:
        seen = np.zeros(len(points))
        np.maximum.at(seen, rays.owner(), wide)
        best = np.where(seen > 0, seen, best)
    finest = width / best
    identify = assume["identify_target_px"] * finest * np.maximum(1.0, assume["target_full_px"] / best)
    surface = plan.surface
    assert surface is not None
    held = [[(h.shift, np.diag(h.share)) for h in some] for some in surveyed.held]
    delivered = delivered_with(plan, frame, x)
    local = np.array([in_local_grid(plan, p) for p in points], dtype=bool)
    of_check: list[list[tuple[Shift, Floats]]] = [[] for _ in points]
    total = surveyed.total_sigma**2
    for k, p in enumerate(points):
        own = [(shift, share[k]) for shift, share in delivered]
        if p.role == "target":
            held[k] += own if local[k] else []
        elif local[k]:
            of_check[k] = own
        elif own:
            less = [(shift, -share) for shift, share in own]
            total[k] = surveyed.sigma[k] ** 2 + _variance(held[k] + less)
    shifts, shares = _hung(index, points, held)
    of_check_shifts, of_check_shares = _hung(index, points, of_check)
    return ControlRays(
        x=x,
        rays=rays.keep(keep),
        sigma_px=target_ray_sigma(wide[keep], assume),
        sigma=np.sqrt(surveyed.sigma**2 + identify[:, None] ** 2 * [1.0, 1.0, 0.0]),
        shifts=shifts,
        shares=shares,
        total_sigma=np.sqrt(total),
        width_px=best,
        places=places(e, n, x, rays, sights, surface, assume),
        delivered=of_check_shifts,
        delivered_shares=of_check_shares,
    )


def _variance(held: list[tuple[Shift, Floats]]) -> Floats:
    """Variance (3,) of what a position holds of shifts; of one that it holds twice, together."""
    together: dict[tuple[str, str], tuple[Floats, Floats]] = {}
    for shift, share in held:
        together[shift.key] = np.square(shift.sigma), share + together.get(shift.key, (0.0, 0.0))[1]
    return np.sum([share**2 @ squares for squares, share in together.values()], axis=0)


def _hung(
    index: ShiftIndex, points: tuple[ControlPoint, ...], held: list[list[tuple[Shift, Floats]]]
) -> tuple[Lists, Floats]:
    """The shifts of each point by their number, and its shares of them (q, 3, 3)."""
    shifts = [[_place(index, shift, p) for shift, _ in some] for p, some in zip(points, held, strict=True)]
    return Lists.of(shifts), np.array([share for some in held for _, share in some]).reshape(-1, 3, 3)


def _place(index: ShiftIndex, shift: Shift, point: ControlPoint) -> int:
    if shift.key not in index:
        raise PlanError(f"{point.name} is positioned from what is not in this network.", where="Control")
    return index[shift.key]


def target_ray_sigma(width_px: Floats, assume: Assumptions) -> Floats:
    """Sigma (r,) in pixels of rays to targets so many pixels wide (r,); pointing worsens as 8 / width below eight
    pixels."""
    return assume["target_ray_px"] * np.maximum(1.0, assume["target_full_px"] / np.maximum(width_px, 1e-9))


def _camera_sigma(plan: Plan, sight: Sight) -> Floats:
    """Sigma (n, 3) of each camera position of a flight beside what its sortie shares: satellite noise, lever arm, and
    the exposure's moment along the track."""
    assume, flight = plan.assume, sight.flight.flight
    along = flight.speed_m_per_s * assume["trigger_time"]
    azimuth = sight.track
    states = [flight.sortie_state(sortie + 1) for sortie in range(len(sight.flight.sorties))]
    noise = np.array([[assume[f"{state}_{axis}"] for axis in "hv"] for state in states])[sight.flight.sortie]
    out = out_of_reach(plan, sight.flight)
    noise[out] = np.maximum(noise[out], [assume["float_h"], assume["float_v"]])
    h, v = (noise**2 + assume["lever_arm"] ** 2).T
    return np.sqrt(np.stack([h + (along * np.sin(azimuth)) ** 2, h + (along * np.cos(azimuth)) ** 2, v], axis=1))


def pattern_sigma(camera: Camera, assume: Assumptions) -> float:
    """Sigma in pixels of each term of what a camera's images share, by its shutter and calibration state."""
    return assume["pattern_rolling" if camera.shutter == "rolling" else f"pattern_{camera.calibration.state}"]


def _exposure_shifts(plan: Plan, flights: tuple[FlightPlan, ...], index: ShiftIndex) -> tuple[Lists, Floats]:
    """What each exposure rests on, and its shares (q, 3, 3) of it: the sortie and the base whole, the base's gradient
    by the distance."""
    shifts: list[list[int]] = []
    shares: list[float] = []
    for f in flights:
        base = [index[s.key] for s in shared_by(plan, f.flight.positioned_from)] if f.flight.corrected else []
        by_distance = flight_gradient(plan, f)
        along = [index[s.key] for s in by_distance.shifts] if by_distance else []
        km = by_distance.shares(f.e, f.n).T.tolist() if by_distance else [[]] * len(f.e)
        for sortie, strip, own in zip(f.sortie.tolist(), f.strip.tolist(), km, strict=True):
            of_line = [("leg", f"{f.flight.id}.{sortie + 1}"), ("line", line_key(f.flight.id, sortie, strip))]
            whole = [*base, *(index[key] for key in of_line if key in index)]
            shifts.append([*whole, *along])
            shares += [*[1.0] * len(whole), *own]
    return Lists.of(shifts), np.array(shares)[:, None, None] * np.eye(3)


def _assemble(
    plan: Plan,
    sights: tuple[Sight, ...],
    frame: LocalFrame,
    shifts: list[Shift],
    index: ShiftIndex,
    control: ControlRays,
    ties: _Ties,
    ground: _Ground,
) -> Network:
    flights = tuple(s.flight for s in sights)
    cameras = list({f.camera.id: f.camera for f in flights}.values())
    number = {cam.id: k for k, cam in enumerate(cameras)}
    c = np.concatenate([s.c for s in sights])
    is_check: Bools = np.array([p.role == "check" for p in plan.control], dtype=bool)
    targets, checks = np.flatnonzero(~is_check), np.flatnonzero(is_check)
    hung = control.shifts.keep(~is_check[control.shifts.owner()])
    no_tie, no_ground = [np.full((len(part.x), 3), np.nan) for part in (ties, ground)]
    map_px = np.full(len(ground.rays.values), plan.assume["map_ray_px"])
    x = np.concatenate([ties.x, control.x, ground.x])
    exposure_shifts, exposure_shares = _exposure_shifts(plan, flights, index)
    delivered, delivered_shares = _delivered(delivered_with(plan, frame, x), index, len(x), len(ties.x))
    return Network(
        f_px=np.array([cam.f_px for cam in cameras]),
        sigma_io=np.array([cam.calibration.sigma_io for cam in cameras]),
        cameras=tuple(cam.id for cam in cameras),
        deformation=Deformation.of(
            [(cam.width_px, cam.height_px) for cam in cameras],
            [default_terms(pattern_sigma(cam, plan.assume)) for cam in cameras],
        ),
        shifts=tuple(shifts),
        shift_sigma=np.array([s.sigma for s in shifts], dtype=float).reshape(-1, 3),
        c=c,
        ypr=np.concatenate([s.ypr for s in sights]),
        sigma_c=np.concatenate([_camera_sigma(plan, s) for s in sights]),
        sigma_att=np.full((len(c), 3), np.nan),
        camera=np.concatenate([np.full(len(f.e), number[f.camera.id]) for f in flights]),
        exposure_shifts=exposure_shifts,
        exposure_shares=exposure_shares,
        names=(
            *(f"tie {k}" for k in range(len(ties.x))),
            *(reference("control", p.id) for p in plan.control),
            *(f"ground {k}" for k in range(len(ground.x))),
        ),
        x=x,
        sigma_px=np.concatenate([ties.sigma_px, control.sigma_px, map_px]),
        rays=Lists.end_to_end([ties.rays, control.rays, ground.rays]),
        sigma_x=np.concatenate([no_tie, np.where(is_check[:, None], np.nan, control.sigma), no_ground]),
        point_shifts=Lists.end_to_end([Lists.of([[]] * len(ties.x)), hung, Lists.of([[]] * len(ground.x))]),
        point_shares=control.shares[control.shifts.places(targets)],
        check=np.concatenate([np.zeros(len(ties.x), bool), is_check, np.ones(len(ground.x), bool)]),
        check_point=len(ties.x) + checks,
        check_sigma=control.sigma[checks],
        check_shifts=control.shifts.take(checks),
        check_shares=control.shares[control.shifts.places(checks)],
        delivered_shifts=delivered,
        delivered_shares=delivered_shares,
        check_delivered=np.diff(control.delivered.start)[checks] > 0,
    )


def _delivered(held: Delivered, index: ShiftIndex, count: int, ties: int) -> tuple[Lists, Floats]:
    """What each of `count` points is delivered with; the ties, which come first, are not delivered."""
    numbers = [index[shift.key] for shift, _ in held]
    shares = [share[ties:, None] for _, share in held]
    lists = Lists.of([[]] * ties + [numbers] * (count - ties))
    return lists, np.concatenate(shares, axis=1).reshape(-1, 3, 3) if shares else np.zeros((0, 3, 3))
