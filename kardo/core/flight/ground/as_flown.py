"""A flight held against what was flown: photo positions, or a track; what it missed, how far off it was, and what is
not mapped for it."""

from dataclasses import dataclass, replace

import numpy as np
import shapely
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import maximum_bipartite_matching
from scipy.spatial import cKDTree

from kardo.core.arrays import Bools, Floats
from kardo.core.errors import PlanError
from kardo.core.flight.ground.coverage import FEW, Coverage, coverage, covered
from kardo.core.flight.ground.density import density, density_of
from kardo.core.flight.lines.areas import ground_scale, site_polygon
from kardo.core.flight.lines.pattern import OF_EXPOSURES, FlightPlan, all_flown, imaged, over_ground, scanned
from kardo.core.geodesy.units import area, length
from kardo.core.plan.model import Plan

SWAPPED = 8.0  # metres within which heights off by the geoid separation are taken for ellipsoidal ones
ALONG, ACROSS = (
    0.55,
    0.25,
)  # of the distance between images, and between flight lines, within which an exposure counts as taken


@dataclass(frozen=True)
class FlownTrack:
    """What was flown: places (k,) in grid metres with heights in the job's system (NaN: not known); photos, or the
    places of a track."""

    e: Floats
    n: Floats
    h: Floats
    photos: bool


@dataclass(frozen=True)
class StripFlown:
    """A flight line of a flight: its number, from 1, its exposures, and how many of them were missed."""

    flight: str
    strip: int
    planned: int
    missed: int


@dataclass(frozen=True)
class HeldAgainst:
    """A flown track against the plan. missed: places of the exposures that were not taken, grid metres; flight lines
    that miss any; metres off the line, in the middle and at most, and above (+) or below the planned height, None where
    no heights are known; square metres that the plan maps and this does not; and in a sentence."""

    planned: int
    taken: int
    missed: list[tuple[float, float]]
    strips: list[StripFlown]
    off_line: float
    off_line_most: float
    off_height: float | None
    off_height_most: float | None
    lost_m2: float
    told: str


def held_against(plan: Plan, track: FlownTrack, chosen: str = "") -> HeldAgainst:
    """A track against the plan's flights, or one of them. Raises PlanError where there is none, or the track is nowhere
    near."""
    flights = [over_ground(f) for f in all_flown(plan) if chosen in ("", f.flight.id)]
    if not flights or not len(track.e):
        raise PlanError(
            "There is nothing to hold against each other.", where="Flight", mend="Plan a flight; bring its positions."
        )
    scale = ground_scale(plan)
    met = _by_photos(flights, track, scale) if track.photos else [_by_line(f, track, scale) for f in flights]
    taken = [m[0] for m in met]
    if not any(t.any() for t in taken):
        raise PlanError(
            "None of these positions lies on a planned line.",
            where="Flight, flown",
            mend="Is this the flight, and the grid?",
        )
    across = np.concatenate([m[1][m[0]] for m in met])
    up = np.concatenate([m[2][m[0]] for m in met])
    up, swapped = _in_the_jobs_heights(plan, flights[0], up[np.isfinite(up)])
    missed = [
        (float(e), float(n)) for f, t in zip(flights, taken, strict=True) for e, n in zip(f.e[~t], f.n[~t], strict=True)
    ]
    planned = sum(len(f.e) for f in flights)
    lost = _lost(plan, flights, taken)
    return HeldAgainst(
        planned=planned,
        taken=planned - len(missed),
        missed=missed,
        strips=[s for f, t in zip(flights, taken, strict=True) for s in _strips(f, t)],
        off_line=float(np.median(across)),
        off_line_most=float(across.max()),
        off_height=float(np.median(up)) if up.size else None,
        off_height_most=float(up[np.argmax(np.abs(up))]) if up.size else None,
        lost_m2=lost,
        told=_told(plan, planned, len(missed), float(across.max()), lost) + swapped,
    )


# Of each exposure: whether it was taken, metres from the line, metres above the planned height or NaN.
Met = tuple[Bools, Floats, Floats]


def _by_line(f: FlightPlan, track: FlownTrack, scale: float) -> Met:
    """By a track: what it passes."""
    places = np.stack([track.e, track.n], axis=1)
    line = shapely.LineString(places) if len(places) > 1 else shapely.Point(places[0])
    away = np.asarray(shapely.distance(line, shapely.points(f.e, f.n))) / scale
    near = cKDTree(places).query(np.stack([f.e, f.n], axis=1))[1]
    return away <= ACROSS * f.spacing, away, track.h[near] - f.h


def _by_photos(flights: list[FlightPlan], track: FlownTrack, scale: float) -> list[Met]:
    """By photo positions, of which each stands for one exposure, so that as many as can be are taken. Source: Hopcroft
    and Karp, SIAM J. Comput. 2 (1973), as scipy has it."""
    tree = cKDTree(np.stack([track.e, track.n], axis=1))
    rows, cols = [], []
    first = 0
    for f in flights:
        reach = scale * float(np.hypot(ALONG * f.trigger_distance, ACROSS * f.spacing))
        found = tree.query_ball_point(np.stack([f.e, f.n], axis=1), reach)
        own = np.repeat(np.arange(len(f.e)), [len(some) for some in found])
        photo = np.concatenate([np.asarray(some, dtype=np.int64) for some in found])
        e, n = (track.e[photo] - f.e[own]) / scale, (track.n[photo] - f.n[own]) / scale
        sin, cos = np.sin(f.course[own]), np.cos(f.course[own])
        along, across = np.abs(e * sin + n * cos), np.abs(e * cos - n * sin)
        near = (along <= ALONG * f.trigger_distance) & (across <= ACROSS * f.spacing)
        rows.append(first + own[near])
        cols.append(photo[near])
        first += len(f.e)
    row, col = np.concatenate(rows), np.concatenate(cols)
    graph = csr_matrix((np.ones(len(row)), (row, col)), shape=(first, len(track.e)))
    photo = maximum_bipartite_matching(graph, perm_type="column")
    out, at = [], 0
    for f in flights:
        matched = photo[at : at + len(f.e)]
        taken = matched >= 0
        e, n = (track.e[matched] - f.e) / scale, (track.n[matched] - f.n) / scale
        across = np.abs(e * np.cos(f.course) - n * np.sin(f.course))
        out.append((taken, across, np.where(taken, track.h[matched] - f.h, np.nan)))
        at += len(f.e)
    return out


def _in_the_jobs_heights(plan: Plan, f: FlightPlan, up: Floats) -> tuple[Floats, str]:
    """What heights are off by, ellipsoidal ones told by the geoid separation that they lie off."""
    n = float(plan.grid.separation(float(f.e[0]), float(f.n[0])))
    if up.size and abs(n) > SWAPPED and abs(float(np.median(up)) - n) < SWAPPED:
        return (
            up - n,
            (
                f" Their heights are ellipsoidal, it seems: {length(n, plan.brief.unit, 1)} of geoid separation are"
                " taken off."
            ),
        )
    return up, ""


def _strips(f: FlightPlan, taken: Bools) -> list[StripFlown]:
    rows = [(int(k), f.strip == k) for k in np.unique(f.strip)]
    found = [StripFlown(f.flight.id, k + 1, int(own.sum()), int((own & ~taken).sum())) for k, own in rows]
    return [row for row in found if row.missed]


def _lost(plan: Plan, flights: list[FlightPlan], taken: list[Bools]) -> float:
    """Square metres that the flights map and what was taken of them does not."""
    if all(t.all() for t in taken) or plan.surface is None:
        return 0.0
    return LOST[plan.mapped_by](plan, flights, taken)


def _unimaged(plan: Plan, flights: list[FlightPlan], taken: list[Bools]) -> float:
    """Square metres that two images were to see, and do not."""
    kept, others = _kept(flights, taken), _others(plan, flights)
    assert plan.surface is not None
    before: Coverage = coverage(plan)
    after = covered(plan, imaged((*kept, *others)), plan.surface, site_polygon(plan), before)
    return before.area(before.seen & (before.images >= FEW) & (after.images < FEW))


def _kept(flights: list[FlightPlan], taken: list[Bools]) -> list[FlightPlan]:
    """The flights as far as they were taken."""
    both = zip(flights, taken, strict=True)
    return [replace(f, **{name: getattr(f, name)[t] for name in OF_EXPOSURES}) for f, t in both if t.any()]


def _others(plan: Plan, flights: list[FlightPlan]) -> list[FlightPlan]:
    own = {f.flight.id for f in flights}
    return [over_ground(f) for f in all_flown(plan) if f.flight.id not in own]


def _unscanned(plan: Plan, flights: list[FlightPlan], taken: list[Bools]) -> float:
    """Square metres that lines were to see, and none does."""
    left = scanned((*_kept(flights, taken), *_others(plan, flights)))
    before, after = density(plan), density_of(plan, left)
    return before.area(before.seen & (before.strips > 0) & (after.strips == 0))


LOST = {"images": _unimaged, "scan": _unscanned}  # by what makes the map
WHOLE = {"images": ("exposures", "mapped by two images"), "scan": ("places of the lines", "seen by a line")}


def _told(plan: Plan, planned: int, missed: int, most: float, lost: float) -> str:
    unit, (what, whole) = plan.brief.unit, WHOLE[plan.mapped_by]
    words = f"All {what} were taken" if not missed else f"{missed} of {planned} {what} were missed"
    words += f", at most {length(most, unit, 1)} off the line."
    if missed:
        words += f" {area(lost, unit)} are not mapped for it." if lost else f" Every place is still {whole}."
    return words
