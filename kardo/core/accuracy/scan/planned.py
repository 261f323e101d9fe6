"""From a plan whose flights scan to the linear network of its returns: what each flight line gives at targets, checks
and the ground. Source: docs/laser.md."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from shapely import Polygon

from kardo.core.accuracy.figures.judged import Places, heights_of_surface
from kardo.core.accuracy.inputs.lacking import missing
from kardo.core.accuracy.inputs.places import AREA_POINTS, local_frame, map_sample, on_known_ground, sample
from kardo.core.accuracy.inputs.positioning import flight_gradient, leg_errors
from kardo.core.accuracy.scan.equation import attitude, own_noise, partials_of
from kardo.core.accuracy.scan.network import (
    UP,
    Compared,
    LaserNetwork,
    LaserResult,
    Returns,
    Settled,
    Sightings,
    Tie,
    adjusted,
    end_to_end,
    settled_by_ties,
)
from kardo.core.accuracy.scan.network_json import laser_to_json
from kardo.core.arrays import Floats, Ints, Json
from kardo.core.control.survey import survey
from kardo.core.errors import PlanError
from kardo.core.flight.ground.density import reaches_ground, scans_of, within
from kardo.core.flight.ground.shade import Shade, shade_of
from kardo.core.flight.ground.tracks import Aimed, Beams, Track, aimed, tracks_of
from kardo.core.flight.lines.areas import area_polygon, site_polygon
from kardo.core.flight.lines.pattern import FlightPlan
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.gnss.shifts import Gradient, Shift, Source, all_shared, shared_by, unique
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.flights import Adjustment
from kardo.core.plan.model import Plan
from kardo.core.terrain.surface import AnySurface

MOST_TIES = 1500
MOST_PLACES = 2300  # that are looked at together: of many areas fewer points each
TURNS = ("roll", "pitch", "heading")
AXES = ("east", "north", "up")


@dataclass(frozen=True)
class Parameters:
    """The parameters of all scanning flights: name, reach and sigma (m,), the source that each counts under, and where
    those of a flight, a sortie and a flight line begin; wandering: those of a flight line's own position."""

    names: tuple[str, ...]
    reaches: tuple[str, ...]
    sigma: Floats
    sources: tuple[Source, ...]
    mission: tuple[int, ...]
    sortie: dict[tuple[int, int], int]
    strip: dict[tuple[int, int], int]
    wandering: dict[tuple[int, int], int]


@dataclass(frozen=True)
class Sampled:
    """k places as lines see them: p returns, one for each line that sees a place, and the place of each (p,); and of
    each place the pulses and the returns from the ground on a square metre, and the flight lines."""

    place: Ints
    returns: Returns
    pulses: Floats
    ground: Floats
    strips: Ints


@dataclass(frozen=True)
class Scanned:
    """A plan's scan, ready to be adjusted. network holds, in this order, the control that lines see, the map's places
    and those of the plan's areas, and the places of ties. seen: numbers of the plan's control that lines see; map_at
    (k,): the place of each point of the map, -1 where too few returns from the ground come from it; area_at
    likewise."""

    plan: Plan
    network: LaserNetwork
    parameters: Parameters
    shifts: tuple[Shift, ...]
    frame: LocalFrame
    points: tuple[ControlPoint, ...]
    seen: Ints
    control_places: Places
    control_total: Floats
    control_shot: Sampled
    map_e: Floats
    map_n: Floats
    map_step: float
    map_at: Ints
    map_strips: Ints
    map_places: Places
    area_at: tuple[Ints, ...]
    area_places: tuple[Places, ...]
    looked_at: LaserNetwork

    @cached_property
    def settled(self) -> Settled:
        """What ties settle."""
        return settled_by_ties(self.network)

    @cached_property
    def result(self) -> LaserResult:
        """The places adjusted; those of ties left out."""
        return adjusted(self.looked_at, self.settled)

    def without(self, target: int) -> LaserResult:
        """The same without one of the targets, by its place among them."""
        left = tuple(t for k, t in enumerate(self.looked_at.targets) if k != target)
        return adjusted(replace(self.looked_at, targets=left), self.settled)


def scanned_plan(plan: Plan, further: tuple[ControlPoint, ...] = ()) -> Scanned:
    """Form the network of a plan's scan; further: checks beside its own. Raises PlanError where the plan lacks what it
    needs."""
    lacks = missing(plan)
    if lacks:
        raise PlanError(lacks[0][1], where=lacks[0][0])
    if plan.brief.local is not None:
        raise PlanError("A scan is not predicted in a local grid.", where="Brief", mend="Deliver it in the job's grid.")
    polygon, surface = site_polygon(plan), plan.surface
    assert surface is not None
    flights = scans_of(plan)
    if any(f.scanning.adjustment != flights[0].scanning.adjustment for f in flights):
        raise PlanError(
            "The flights that scan are adjusted in different ways.", where="Flight", mend="Choose one for all."
        )
    frame = local_frame(plan, polygon, surface)
    shifts = unique([*(s for f in flights for s in shared_by(plan, f.flight.positioned_from)), *all_shared(plan)])
    held = [
        [shifts.index(s) for s in (shared_by(plan, f.flight.positioned_from) if f.flight.corrected else ())]
        for f in flights
    ]
    distances = [flight_gradient(plan, f) for f in flights]
    by_distance = [(g, [shifts.index(s) for s in g.shifts]) if g else None for g in distances]
    tracks = [t for k, f in enumerate(flights) for t in tracks_of(f, frame, k)]
    parameters = _parameters(plan, flights, tracks)
    points = (*plan.control, *further)
    map_e, map_n, step = map_sample(polygon, surface)
    dry = ~within(plan, "water", map_e, map_n)
    map_e, map_n = map_e[dry], map_n[dry]
    scan = _Scan(
        plan=plan,
        surface=surface,
        frame=frame,
        tracks=tracks,
        parameters=parameters,
        held=held,
        by_distance=by_distance,
        shifts=len(shifts),
        shade=shade_of(plan),
    )
    control = scan.spots(*_of_control(plan, points))
    on_map = scan.spots(map_e, map_n)
    areas = [scan.spots(*some) for some in _of_areas(plan, surface, MOST_PLACES - len(points) - len(map_e))]
    matched = flights[0].scanning.adjustment == "matched"
    ties = scan.spots(*_tie_places(plan, polygon, surface)) if matched else None
    grid = map_e, map_n, step
    return _assembled(scan, tuple(shifts), flights, points, control, on_map, grid, areas, ties)


def _of_areas(plan: Plan, surface: AnySurface, room: int) -> list[tuple[Floats, Floats]]:
    """Samples of the areas whose volume matters, where the ground is known, as many as there is room for."""
    each = min(AREA_POINTS, max(10, room // max(1, len(plan.site.areas)) * 2 // 3))
    return [on_known_ground(surface, *sample(area_polygon(a), each)[:2]) for a in plan.site.areas]


def _of_control(plan: Plan, points: tuple[ControlPoint, ...]) -> tuple[Floats, Floats, Floats]:
    heights = survey(plan, points).heights if points else np.zeros(0)
    unknown = np.flatnonzero(np.isnan(heights))
    if unknown.size:
        name = points[int(unknown[0])].name
        words = f"{name} has no height and the terrain has none there."
        raise PlanError(words, where="Control", mend="Type its height.")
    return np.array([p.e for p in points]), np.array([p.n for p in points]), heights


@dataclass(frozen=True)
class _Spots:
    """Places that were shot at, those of them that enough returns come from, and what is read there."""

    shot: Sampled
    enough: Ints
    places: Places


def _parameters(plan: Plan, flights: tuple[FlightPlan, ...], tracks: list[Track]) -> Parameters:
    """What is off of all flights: of each mission the mounting and the range, of each sortie position and attitude, of
    each flight line half the attitude again, and how its position wanders."""
    rows: list[tuple[str, str, float, Source]] = []
    mission: list[int] = []
    sortie: dict[tuple[int, int], int] = {}
    strip: dict[tuple[int, int], int] = {}
    wandering: dict[tuple[int, int], int] = {}

    def add(what: str, reach: str, axes: Sequence[str], sigma: Sequence[float], source: Source) -> None:
        rows.extend((f"{what} {axis}".rstrip(), reach, s, source) for axis, s in zip(axes, sigma, strict=True))

    for k, flight in enumerate(flights):
        unit, own = flight.scanner.unit, flight.flight
        worse = 1.0 if flight.scanning.start_up else plan.assume["unaligned"]
        turns = [worse * math.radians(d) for d in (unit.roll_pitch_deg, unit.roll_pitch_deg, unit.heading_deg)]
        mission.append(len(rows))
        add(
            f"{own.id} boresight",
            "mission",
            TURNS,
            [math.radians(d) for d in unit.boresight_deg],
            ("boresight", own.id),
        )
        add(f"{own.id} lever arm", "mission", ("forward", "right", "down"), [unit.lever_m] * 3, ("range", own.id))
        add(f"{own.id} range", "mission", ("",), [unit.range_bias_m], ("range", own.id))
        errors = leg_errors(plan, flight)
        for number, each in enumerate(errors):
            sortie[k, number] = len(rows)
            add(f"{own.id}.{number + 1}", "leg", AXES, each.sortie.tolist(), ("legs", own.id))
            add(f"{own.id}.{number + 1}", "leg", TURNS, turns, ("attitude", own.id))
        for number, of_sortie in sorted({(t.strip, t.sortie) for t in tracks if t.flight == k}):
            strip[k, number] = len(rows)
            name = f"{own.id} flight line {number + 1}"
            add(name, "strip", TURNS, [t / 2 for t in turns], ("attitude", own.id))
            if errors[of_sortie].line.any():
                wandering[k, number] = len(rows)
                add(name, "strip", AXES, errors[of_sortie].line.tolist(), ("legs", own.id))
    names, reaches, sigma, sources = zip(*rows, strict=True)
    return Parameters(
        names=names,
        reaches=reaches,
        sigma=np.array(sigma),
        sources=sources,
        mission=tuple(mission),
        sortie=sortie,
        strip=strip,
        wandering=wandering,
    )


@dataclass(frozen=True)
class _Scan:
    """All lines of a plan's scan with their parameters, and the shifts that each flight's trajectory rests on, whole
    and by its distance."""

    plan: Plan
    surface: AnySurface
    frame: LocalFrame
    tracks: list[Track]
    parameters: Parameters
    held: list[list[int]]
    by_distance: list[tuple[Gradient, list[int]] | None]
    shifts: int
    shade: Shade | None

    def spots(self, e: Floats, n: Floats, heights: Floats | None = None) -> _Spots:
        """Places at grid metres (k,), on the ground or at heights."""
        assume = self.plan.assume
        at = aimed(self.frame, self.surface, e, n, self.surface.at(e, n) if heights is None else heights, self.shade)
        shot = self._shot(at)
        asked = assume["ground_returns"] / assume["scan_cell"] ** 2
        spacing = 1 / np.sqrt(np.maximum(shot.pulses, 1e-6))
        places = Places(spacing, at.slope, assume["scan_identify"] * spacing, np.zeros(len(e)))
        ground = (shot.ground >= asked) & ~within(self.plan, "water", e, n)
        return _Spots(shot, np.flatnonzero((shot.strips > 0) & ground), places)

    def _shot(self, at: Aimed) -> Sampled:
        """What all lines give at places (k): of each line that sees a place its local mean, as one return with the
        noise of it."""
        seen = [track.beams(at) for track in self.tracks]
        pulses, strips = np.zeros(len(at.x)), np.zeros(len(at.x), dtype=np.int64)
        for beams in seen:
            pulses += beams.density
            strips += beams.seen
        e, n = at.over[:, 0], at.over[:, 1]
        through = reaches_ground(self.plan, e, n)
        # grass is the same for all flight lines: their mean does not lessen it
        growth = within(self.plan, "low_growth", e, n) * self.plan.assume["low_growth_v"] * np.sqrt(strips)
        grown: Floats = np.asarray(growth, dtype=np.float64)
        parts = [self._of_line(beams, at, through, grown) for beams in seen]
        place = np.concatenate([np.zeros(0, dtype=np.int64), *(some for some, _ in parts)])
        m = len(self.parameters.sigma)
        nothing = Returns(np.zeros((0, 3, m)), np.zeros((0, 3)), np.zeros((0, self.shifts)), Sightings.none())
        returns = end_to_end([nothing, *(returns for _, returns in parts)])
        return Sampled(place=place, returns=returns, pulses=pulses, ground=pulses * through, strips=strips)

    def _of_line(self, beams: Beams, at: Aimed, through: Floats, growth: Floats) -> tuple[Ints, Returns]:
        """The places that one line sees, and the return there: the mean over those about it where the surface is
        judged."""
        track, some = beams.track, np.flatnonzero(beams.seen)
        ypr, ranges = np.tile([track.yaw, 0.0, 0.0], (len(some), 1)), beams.ranges[some]
        direction, nav = beams.directions(some), attitude(ypr)
        on_surface = heights_of_surface(self.plan.brief)
        steep = np.hypot(at.slope[some, 0], at.slope[some, 1])
        noise = own_noise(track.scanner, nav, direction, ranges, 0.0 if on_surface else steep)
        if on_surface:
            near = math.pi * self.plan.assume["scan_cell"] ** 2
            noise /= np.sqrt(np.maximum(beams.density[some] * through[some] * near, 1.0))[:, None]
        noise[:, 2] = np.hypot(noise[:, 2], growth[some])
        held = np.zeros((len(some), self.shifts))
        held[:, self.held[track.flight]] = 1.0
        if found := self.by_distance[track.flight]:
            held[:, found[1]] = found[0].shares(at.over[some, 0], at.over[some, 1]).T
        x = at.x[some]
        scanner = x - np.einsum("nij,nj->ni", nav, direction) * ranges[:, None]
        strip = list(self.parameters.strip).index((track.flight, track.strip))
        sightings = Sightings(x=x, scanner=scanner, ypr=ypr, ranges=ranges, strip=np.full(len(some), strip))
        return some, Returns(self._partials(track, ypr, direction, ranges), noise, held, sightings)

    def _partials(self, track: Track, ypr: Floats, direction: Floats, ranges: Floats) -> Floats:
        """(n, 3, m): of returns of one line to all parameters; the lever arm itself, a tenth of a metre, turns nothing
        by a tenth of a millimetre."""
        own = partials_of(ypr, direction, ranges, np.zeros(3))
        out = np.zeros((len(ranges), 3, len(self.parameters.sigma)))
        mission = self.parameters.mission[track.flight]
        sortie, strip = (
            self.parameters.sortie[track.flight, track.sortie],
            self.parameters.strip[track.flight, track.strip],
        )
        wandering = self.parameters.wandering.get((track.flight, track.strip))
        for first, part in (
            (mission, own["boresight"]),
            (mission + 3, own["lever"]),
            (mission + 6, own["range"]),
            (sortie, np.eye(3)),
            (sortie + 3, own["attitude"]),
            (strip, own["attitude"]),
            *([(wandering, np.eye(3))] if wandering is not None else []),
        ):
            out[:, :, first : first + part.shape[-1]] = part
        return out


def _tie_places(plan: Plan, polygon: Polygon, surface: AnySurface) -> tuple[Floats, Floats]:
    """Places on a lattice where overlapping flight lines may be tied, as dense as asked for unless they were too
    many."""
    west, south, east, north = polygon.bounds
    step = max(plan.assume["tie_spacing"], math.sqrt(polygon.area / MOST_TIES))
    e, n = np.meshgrid(np.arange(west + step / 2, east, step), np.arange(south + step / 2, north, step))
    return on_known_ground(surface, e.ravel(), n.ravel())


def _assembled(
    scan: _Scan,
    shifts: tuple[Shift, ...],
    flights: tuple[FlightPlan, ...],
    points: tuple[ControlPoint, ...],
    control: _Spots,
    on_map: _Spots,
    grid: tuple[Floats, Floats, float],
    areas: list[_Spots],
    ties: _Spots | None,
) -> Scanned:
    """All places end to end, and who is compared with what."""
    plan, parameters = scan.plan, scan.parameters
    places: list[tuple[Ints, Floats]] = []
    returns: list[Returns] = []

    def added(spots: _Spots) -> Ints:
        """The place of each spot, -1 where too few returns come from it."""
        first = sum(len(r.sigma) for r in returns)
        at = np.full(len(spots.shot.strips), -1, dtype=np.int64)
        for k in spots.enough.tolist():
            which = first + np.flatnonzero(spots.shot.place == k)
            at[k] = len(places)
            places.append((which, np.full(len(which), 1 / len(which))))
        returns.append(spots.shot.returns)
        return at

    control_at, map_at, area_at = added(control), added(on_map), [added(a) for a in areas]
    if not (map_at >= 0).any():
        raise PlanError(
            "No line of the scan sees the site with enough returns from the ground.",
            where="Flight",
            mend="Fly lower or slower, or use more of the angle.",
        )
    adjustment: Adjustment = flights[0].scanning.adjustment
    compared, total, identified = _compared(plan, points, control, control_at, shifts, adjustment)
    shift_sigma = np.array([s.sigma for s in shifts], dtype=float).reshape(-1, 3)
    looked_at = LaserNetwork(
        names=parameters.names,
        reaches=parameters.reaches,
        sigma=parameters.sigma,
        shifts=shift_sigma,
        returns=end_to_end(returns),
        places=tuple(places),
        targets=tuple(c for c, p in compared if p.role == "target"),
        checks=tuple(c for c, p in compared if p.role == "check"),
        ties=(),
        adjustment=adjustment,
    )
    network = looked_at
    if ties is not None:
        tied = _ties(plan, ties, len(places), sum(len(r.sigma) for r in returns))
        whole = end_to_end([*returns, tied[1]])
        network = replace(looked_at, returns=whole, places=(*places, *tied[0]), ties=tied[2])
    seen, mapped = np.flatnonzero(control_at >= 0), np.flatnonzero(map_at >= 0)
    map_e, map_n, step = grid
    return Scanned(
        plan=plan,
        network=network,
        parameters=parameters,
        shifts=shifts,
        frame=scan.frame,
        points=points,
        seen=seen,
        control_places=identified.take(seen),
        control_total=total[seen],
        control_shot=control.shot,
        map_e=map_e,
        map_n=map_n,
        map_step=step,
        map_at=map_at,
        map_strips=on_map.shot.strips,
        map_places=on_map.places.take(mapped),
        area_at=tuple(area_at),
        area_places=tuple(a.places.take(a.enough) for a in areas),
        looked_at=looked_at,
    )


def _compared(
    plan: Plan,
    points: tuple[ControlPoint, ...],
    control: _Spots,
    at: Ints,
    shifts: tuple[Shift, ...],
    adjustment: Adjustment,
) -> tuple[list[tuple[Compared, ControlPoint]], Floats, Places]:
    """Control that lines see, against its survey; sigmas (k, 3) of all surveys with what they rest on; and its places.
    In plan a point is found between returns."""
    surveyed = survey(plan, points)
    keys = [s.key for s in shifts]
    out = []
    for k, point in enumerate(points):
        if at[k] < 0:
            continue
        sigma = surveyed.sigma[k].copy()
        sigma[:2] = np.hypot(sigma[:2], control.places.identify[k])
        if point.role == "target" and adjustment == "height":
            sigma[:2] = np.nan
        held = surveyed.held[k]
        read = np.append(-control.places.gradient[k], 1.0) if heights_of_surface(plan.brief) else UP
        shares = np.array([h.share for h in held]).reshape(-1, 3)
        out.append(
            (
                Compared(
                    place=int(at[k]),
                    sigma=sigma,
                    shifts=tuple(keys.index(h.shift.key) for h in held),
                    shares=shares,
                    read=read,
                ),
                point,
            )
        )
    return out, surveyed.total_sigma, control.places


def _ties(
    plan: Plan, spots: _Spots, first_place: int, first_return: int
) -> tuple[list[tuple[Ints, Floats]], Returns, tuple[Tie, ...]]:
    """At each place each flight line that sees it against the next: plane against plane, so what is read is across the
    ground. Their noise is the tie's, not the places'."""
    shot, taken, ties = spots.shot, list[int](), list[Tie]()
    places: list[tuple[Ints, Floats]] = []
    squares = shot.returns.sigma[:, 2] ** 2
    order = np.argsort(shot.place, kind="stable")
    dense = np.zeros(len(shot.strips), dtype=bool)
    dense[spots.enough] = True
    for one, other in zip(order[:-1].tolist(), order[1:].tolist(), strict=True):
        k = shot.place[one]
        if shot.place[other] != k or not dense[k]:
            continue
        at = first_place + len(places)
        for end in (one, other):
            places.append((np.array([first_return + len(taken)]), np.ones(1)))
            taken.append(end)
        sigma = plan.assume["tie_noise"] * math.sqrt(squares[one] + squares[other])
        ties.append(Tie(at, at + 1, sigma, np.append(-spots.places.gradient[k], 1.0)))
    own = shot.returns.taken(np.array(taken, dtype=np.int64))
    return places, replace(own, sigma=np.zeros_like(own.sigma)), tuple(ties)


def scan_to_json(plan: Plan) -> Json:
    """NETWORK.json of a plan that scans. Raises PlanError where the plan lacks what it needs."""
    scan = scanned_plan(plan)
    shifts = [{"name": f"{s.kind} {s.id}", "sigma": list(s.sigma)} for s in scan.shifts]
    return {"laser": laser_to_json(scan.network), "shifts": shifts}
