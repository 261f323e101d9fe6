"""Ways over the site on foot: round what nobody may enter, over ground as steep as it is, through gates, along paths.

The ground is cut into cells, each joined to sixteen neighbours (the king's and the knight's moves), which bends a way
by less than three parts in a hundred; where nothing stands between two places and the ground is nearly level, the way
is straight. Speed by slope: Tobler, Three presentations on geographical analysis and modeling, NCGIA 93-1 (1993), as a
part of the walking speed on the level."""

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components, dijkstra

from kardo.core.arrays import Floats, Ints
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature
from kardo.core.site.things import shape_of_feature

BLOCKS = {"keep_out", "no_permission", "hazard", "water", "obstacle", "traffic"}
BESIDE = {"hazard": 10.0}  # metres kept from a thing
SLOW = {"canopy": 2.0, "livestock": 1.5, "tide": 2.0}  # times as long as in the open
PATH = 0.8  # of the open ground's time, along a path
GATE, MARGIN, FARTHEST, FINEST = (
    6.0,
    60.0,
    500.0,
    2.0,
)  # metres: about a gate that is open; about the places; beyond them; of the smallest cell
MOST_CELLS = 14_000
SAMPLES = 12  # of the ground along a straight way
STEEPEST = math.tan(math.radians(45.0))
GENTLE = 0.05  # rise over run below which a straight way counts as level
MOVES = [(r, c) for r in range(-2, 3) for c in range(-2, 3) if math.gcd(abs(r), abs(c)) == 1]


@dataclass(frozen=True)
class Ways:
    """Ways between k places: minutes and metres on the ground, each (k, k), infinite where none leads; and the way
    itself, from and to a place, as grid metres (m, 2)."""

    minutes: Floats
    metres: Floats
    _cells: "_Cells | None"
    _before: Ints | None
    _places: Floats
    _straight: np.ndarray

    def line(self, a: int, b: int) -> list[tuple[float, float]]:
        """The way from place a to place b, grid metres, both ends included."""
        (e0, n0), (e1, n1) = self._places[a], self._places[b]
        ends = [(float(e0), float(n0)), (float(e1), float(n1))]
        if self._straight[a, b] or self._cells is None or self._before is None or not np.isfinite(self.minutes[a, b]):
            return ends
        at, cells = int(self._cells.nearest[b]), []
        while at >= 0:
            cells.append(at)
            at = int(self._before[a, at])
        middle = [tuple(map(float, self._cells.centre[k])) for k in reversed(cells)][1:-1]
        line = shapely.LineString([ends[0], *middle, ends[1]]).simplify(self._cells.side / 2)
        return [(float(x), float(y)) for x, y in line.coords]


@dataclass(frozen=True)
class _Cells:
    """Cells about some places: their side, centres (n, 2) in grid metres, and the open cell nearest to each place
    (k,)."""

    side: float
    centre: Floats
    nearest: Ints


def ways(
    plan: Plan, places: list[tuple[float, float]], m_per_min: float, scale: float = 1.0, on_paths: bool = False
) -> Ways:
    """Ways between places in grid metres, at a speed on the level; scale: grid metres for one on the ground. on_paths:
    along paths alone, as a vehicle goes, at the same speed up and down."""
    at = np.array(places, dtype=float).reshape(-1, 2)
    away = np.linalg.norm(at[:, None] - at, axis=2) / scale
    straight = np.eye(len(at), dtype=bool) if on_paths else _free(plan, at)
    if straight.all():
        return Ways(minutes=away / m_per_min, metres=away, _cells=None, _before=None, _places=at, _straight=straight)
    cells, graph = _graph(plan, at, on_paths)
    cost, before = dijkstra(graph, indices=cells.nearest, return_predecessors=True)
    cost = cost[:, cells.nearest]
    minutes = np.where(straight, away / m_per_min, cost / scale / m_per_min)
    found = Ways(minutes=minutes, metres=away, _cells=cells, _before=before, _places=at, _straight=straight)
    metres = np.where(straight, away, np.inf)
    for a, b in zip(*np.nonzero(~straight & np.isfinite(minutes)), strict=True):
        metres[a, b] = _length(found.line(int(a), int(b))) / scale
    return Ways(minutes=minutes, metres=metres, _cells=cells, _before=before, _places=at, _straight=straight)


def leads_to(plan: Plan, start: tuple[float, float], places: list[tuple[float, float]]) -> np.ndarray:
    """Whether a way on foot leads from a place to each of others (k,), grid metres."""
    at = np.array([start, *places], dtype=float).reshape(-1, 2)
    cells, graph = _graph(plan, at, False)
    _, part = connected_components(graph, directed=False)
    return np.asarray(part[cells.nearest[1:]] == part[cells.nearest[0]])


def _length(line: list[tuple[float, float]]) -> float:
    return sum(math.dist(a, b) for a, b in pairwise(line))


def _free(plan: Plan, at: Floats) -> np.ndarray:
    """Whether the straight way (k, k) crosses nothing that bounds or eases it, over ground that is known to be nearly
    level all along."""
    matter = [_wide(f) for f in plan.site.features if f.kind in BLOCKS or f.kind in SLOW or f.kind == "access"]
    a, b = np.triu_indices(len(at), 1)
    ok = _level(plan, at[a], at[b])
    if matter:
        lines = shapely.linestrings(np.stack([at[a], at[b]], axis=1))
        ok &= ~shapely.intersects(_prepared(shapely.union_all(matter)), lines)
    free = np.eye(len(at), dtype=bool)
    free[a, b] = free[b, a] = ok
    return free


def _level(plan: Plan, a: Floats, b: Floats) -> np.ndarray:
    """Whether the ground rises gently all along each of some straight ways from a to b, (m, 2) each."""
    if plan.surface is None:
        return np.ones(len(a), dtype=bool)
    t = np.linspace(0, 1, SAMPLES)[None, :, None]
    along = a[:, None] + t * (b - a)[:, None]
    heights = plan.surface.at(along[..., 0], along[..., 1])
    step = np.maximum(np.linalg.norm(b - a, axis=1) / (SAMPLES - 1), 1e-6)
    rise = np.abs(np.diff(heights, axis=1)) / step[:, None]
    return np.asarray((np.nan_to_num(rise) < GENTLE).all(axis=1))


def _wide(feature: Feature) -> shapely.Geometry:
    shape = shape_of_feature(feature)
    return shape.buffer(BESIDE[feature.kind]) if feature.kind in BESIDE else shape


def _graph(plan: Plan, at: Floats, on_paths: bool) -> tuple[_Cells, csr_array]:
    """Cells, and the metres on the level that each move between two of them is worth."""
    low, high = _about(plan, at)
    side = max(FINEST, math.sqrt(float(np.prod(high - low)) / MOST_CELLS))
    columns, rows = (int(v) + 1 for v in (high - low) / side)
    x, y = low[0] + side * (np.arange(columns) + 0.5), low[1] + side * (np.arange(rows) + 0.5)
    e, n = (v.ravel() for v in np.meshgrid(x, y))
    centre = np.column_stack([e, n])
    open_, factor = _cover(plan, centre, side)
    heights = np.nan_to_num(plan.surface.at(e, n)) if plan.surface is not None and not on_paths else np.zeros(len(e))
    if on_paths:
        paths = shapely.union_all([shape_of_feature(f) for f in plan.site.features if f.kind == "access"])
        open_, factor = shapely.dwithin(shapely.points(centre), paths, max(side, 2.0)), np.ones(len(e))
    edges = [_moves(rows, columns, move, side, open_, factor, heights) for move in MOVES]
    start, end, cost = (np.concatenate(part) for part in zip(*edges, strict=True))
    barriers = _barriers(plan)
    if barriers is not None:
        near = shapely.dwithin(shapely.points(centre), barriers, 2.3 * side)  # no move reaches farther
        asked = np.flatnonzero(near[start])
        lines = shapely.linestrings(np.stack([centre[start[asked]], centre[end[asked]]], axis=1))
        keep = np.ones(len(start), dtype=bool)
        keep[asked[shapely.intersects(barriers, lines)]] = False
        start, end, cost = start[keep], end[keep], cost[keep]
    joined = np.zeros(len(e), dtype=bool)
    joined[start] = True
    reachable = np.flatnonzero(joined)
    nearest = (
        reachable[[int(np.argmin(((centre[reachable] - p) ** 2).sum(axis=1))) for p in at]]
        if len(reachable)
        else np.zeros(len(at), dtype=int)
    )
    return _Cells(side, centre, nearest), csr_array((cost, (start, end)), shape=(len(e), len(e)))


def _about(plan: Plan, at: Floats) -> tuple[Floats, Floats]:
    """The south-west and north-east corners of what ways may take: the places, and the things among them with what is
    beyond their ends."""
    low, high = at.min(axis=0) - MARGIN, at.max(axis=0) + MARGIN
    box = shapely.box(*low, *high)
    corners = [np.array(f.vertices) for f in plan.site.features if shape_of_feature(f).intersects(box)]
    if corners:
        reach = np.concatenate(corners)
        low = np.minimum(low, np.maximum(reach.min(axis=0) - MARGIN / 2, low - FARTHEST))
        high = np.maximum(high, np.minimum(reach.max(axis=0) + MARGIN / 2, high + FARTHEST))
    return low, high


def _cover(plan: Plan, centre: Floats, side: float) -> tuple[np.ndarray, Floats]:
    """Which cells (n,) may be walked, and how many times as long each takes as open ground."""
    points = shapely.points(centre)
    open_, factor = np.ones(len(centre), dtype=bool), np.ones(len(centre))
    for f in plan.site.features:
        if f.kind in BLOCKS and f.shape == "area":
            open_ &= ~shapely.contains(_prepared(_wide(f)), points)
        elif f.kind in SLOW and f.shape == "area":
            factor = np.where(shapely.contains(_prepared(_wide(f)), points), factor * SLOW[f.kind], factor)
    for f in plan.site.features:
        if f.kind == "gate" or (f.kind == "access" and f.shape != "place"):
            near = shapely.dwithin(points, shape_of_feature(f), GATE if f.kind == "gate" else max(side, 2.0))
            open_ |= near
            factor = np.where(near & (f.kind == "access"), PATH, factor)
    return open_, factor


def _prepared(shape: shapely.Geometry) -> shapely.Geometry:
    shapely.prepare(shape)
    return shape


def _barriers(plan: Plan) -> shapely.Geometry | None:
    """What no step may cross, but at gates and where a path does: a wall drawn as a line, and a thing thinner than a
    cell."""
    shapes = [_wide(f) for f in plan.site.features if f.kind in BLOCKS]
    if not shapes:
        return None
    ways_in = [
        shape_of_feature(f).buffer(GATE)
        for f in plan.site.features
        if f.kind == "gate" or (f.kind == "access" and f.shape != "place")
    ]
    barrier = shapely.difference(shapely.union_all(shapes), shapely.union_all(ways_in))
    return None if barrier.is_empty else _prepared(barrier)


def _moves(
    rows: int, columns: int, move: tuple[int, int], side: float, open_: np.ndarray, factor: Floats, heights: Floats
) -> tuple[Ints, Ints, Floats]:
    """All moves of one kind: from, to, and metres on the level that each is worth."""
    r, c = np.mgrid[max(0, -move[0]) : rows - max(0, move[0]), max(0, -move[1]) : columns - max(0, move[1])]
    start, end = (r * columns + c).ravel(), ((r + move[0]) * columns + c + move[1]).ravel()
    keep = open_[start] & open_[end]
    run = side * math.hypot(*move)
    slope = (heights[end] - heights[start]) / run
    keep &= np.abs(slope) < STEEPEST
    start, end, slope = start[keep], end[keep], slope[keep]
    slower = math.exp(-3.5 * 0.05) / np.exp(-3.5 * np.abs(slope + 0.05))  # Tobler, as times the level's
    return start, end, run * slower * (factor[start] + factor[end]) / 2
