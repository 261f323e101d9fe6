"""What the images really cover: how many see each place of the ground, from how many flight lines, how fine, and how
far off the middle.

Every cell of a grid over the site is projected into every image near it, over the terrain as it is: docs/coverage.md.
Ground that turns its back on a camera is not seen by it, nor what lies behind other ground, or behind a thing as tall
as it is said to be."""

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from itertools import product
from typing import NamedTuple

import numpy as np
import shapely
from numba import njit, prange
from scipy.ndimage import distance_transform_edt
from scipy.spatial import cKDTree
from shapely import Polygon

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.errors import PlanError
from kardo.core.flight.ground.imaging import project, rotations
from kardo.core.flight.ground.shade import OPAQUE, Shade, blocked, shade_of
from kardo.core.flight.ground.sight import Cells, Sight
from kardo.core.flight.lines.areas import ground_scale, site_polygon
from kardo.core.flight.lines.pattern import FlightPlan, all_flown, imaged, over_ground
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.geodesy.units import area, small
from kardo.core.kept import kept
from kardo.core.plan.model import Plan
from kardo.core.terrain.surface import AnySurface, Surface

MOST_CELLS = 1_100_000
FINE = 40  # cells along the shorter side of a frame, where the terrain is not finer, or there is none
MESH = 41  # nodes along each side from which the local frame is interpolated: exact to 0.1 mm over 5 km
FEW, NARROW = 2, 3  # images below which nothing is mapped; flight lines below which a part leans on its edges
CORNER = 0.75  # of half a frame's diagonal from its middle, beyond which only its corners see
ALIKE = 0.1  # sine of the angle up to which two flight lines run the same way
MOST_STRIPS = 64  # of one flight over one cell that are counted
ABOUT = (-0.25, 0.0, 0.25)  # of a footprint, about the middle between two images: where their overlap is looked at


@dataclass(frozen=True)
class Spread:
    """The least, the middle and the most of something."""

    least: float
    median: float
    most: float

    @classmethod
    def of(cls, values: Floats | Ints) -> "Spread":
        """Of values (n,), which are not none."""
        return cls(float(values.min()), float(np.median(values)), float(values.max()))


@dataclass(frozen=True)
class Overlaps:
    """Overlap of one flight's neighbouring images in percent, by how far the same ground lies apart in both: the least
    anywhere, and the middle. None where there are no neighbours. Places (grid metres) of the least."""

    flight: str
    forward: float | None
    forward_median: float | None
    forward_at: tuple[float, float] | None
    side: float | None
    side_median: float | None
    side_at: tuple[float, float] | None


@dataclass(frozen=True)
class GroundCells:
    """Cells of the ground (rows, cols), at e0 + col * step, n0 + row * step in grid metres. inside: cells of the site;
    unknown: cells inside without a height; cell: square metres on the ground of one."""

    e0: float
    n0: float
    step: float
    inside: Bools
    unknown: Bools
    cell: float

    def area(self, where: Bools) -> float:
        """Square metres on the ground of the cells inside where something holds."""
        return float(np.count_nonzero(where & self.inside)) * self.cell

    @property
    def seen(self) -> Bools:
        """Cells inside of which the height is known."""
        return self.inside & ~self.unknown

    def middle_of(self, where: Bools) -> tuple[float, float]:
        """A cell of those where something holds, near the middle of the largest patch of them, in grid metres."""
        row, col = np.unravel_index(int(np.argmax(distance_transform_edt(np.pad(where, 1))[1:-1, 1:-1])), where.shape)
        return self.e0 + float(col) * self.step, self.n0 + float(row) * self.step


@dataclass(frozen=True)
class Coverage(GroundCells):
    """What is seen of each cell: images, flight lines, metres on the ground of the finest pixel (NaN where nothing sees
    it), and how far off the middle the best image has it, of half its diagonal."""

    images: Ints
    strips: Ints
    gsd: Floats
    off_middle: Floats
    overlaps: tuple[Overlaps, ...]

    @property
    def grid(self) -> tuple[Floats, Floats, float]:
        """The cells' middles to the east (cols,) and to the north (rows,), and their side."""
        rows, cols = self.images.shape
        e, n = (np.arange(k, dtype=np.float64) * self.step for k in (cols, rows))
        return self.e0 + e, self.n0 + n, self.step

    @property
    def holes(self) -> Bools:
        """Cells (rows, cols) that fewer than two images see."""
        return self.seen & (self.images < FEW)

    @property
    def narrow(self) -> Bools:
        """Cells (rows, cols) that are mapped, by fewer than three flight lines."""
        return self.seen & (self.images >= FEW) & (self.strips < NARROW)

    @property
    def by_corners(self) -> Bools:
        """Cells (rows, cols) that are mapped by the corners of frames alone."""
        return self.seen & (self.images >= FEW) & (self.off_middle > CORNER)


def _covered_by(plan: Plan) -> Hashable:
    site, hiding = plan.site, tuple(f for f in plan.site.features if f.kind in OPAQUE)
    return plan.flights, plan.kit, site.boundary, site.areas, site.ground, plan.brief, hiding


@kept(1, by=_covered_by)  # it takes up to forty megabytes
def coverage(plan: Plan) -> Coverage:
    """What a plan's flights cover of its site; kept, for it does not change with control. Raises PlanError where there
    is no boundary, no ground or no flight."""
    surface, polygon = plan.surface, site_polygon(plan)
    if surface is None:
        raise PlanError("There is no ground.", where="Site", mend="Bring in a terrain, or type a level.")
    flights = tuple(over_ground(f) for f in imaged(all_flown(plan)))
    if not flights:
        raise PlanError("There is no flight that takes images.", where="Flight", mend="Add one.")
    return covered(plan, flights, surface, polygon)


def covered(
    plan: Plan, flights: Sequence[FlightPlan], surface: AnySurface, polygon: Polygon, like: Coverage | None = None
) -> Coverage:
    """The same for flights that are laid out already, over a part of the ground; like: with the cells of another."""
    e, n, step = _grid(flights, surface, polygon) if like is None else like.grid
    ground = np.asarray(surface.at(*np.meshgrid(e, n)), dtype=np.float64)
    middle = polygon.representative_point()
    frame = LocalFrame(plan.grid, middle.x, middle.y, float(np.nan_to_num(surface.at(middle.x, middle.y))))
    points, normals = _local(frame, e, n, ground, step)
    shape = ground.shape
    images, strips = np.zeros(shape, dtype=np.int64), np.zeros(shape, dtype=np.int64)
    gsd, off = np.full(shape, np.inf), np.full(shape, np.inf)
    hidden = _Hidden.of(shade_of(plan), e, n, ground)
    for flight in flights:
        _of_flight(Sight(flight, frame), points, normals, hidden, images, strips, gsd, off)
    gsd[~np.isfinite(gsd)] = np.nan
    inside = shapely.contains_xy(polygon, *np.meshgrid(e, n))
    overlaps = tuple(_overlaps(f, surface, ground_scale(plan)) for f in flights)
    cell = (step / ground_scale(plan)) ** 2
    unknown = inside & np.isnan(ground)
    return Coverage(
        e0=float(e[0]),
        n0=float(n[0]),
        step=step,
        inside=inside,
        unknown=unknown,
        cell=cell,
        images=images,
        strips=strips,
        gsd=gsd,
        off_middle=off,
        overlaps=overlaps,
    )


class _Hidden(NamedTuple):
    """What hides the cells (rows, cols): tops on a lattice in grid metres from a corner (2,), so many apart, and the
    highest of them; of each cell its column and row there (cols,), (rows,), its height with what stands on it, and how
    steeply lines must leave it to be free. Empty where nothing hides anything."""

    tops: Floats
    corner: Floats
    step: float
    highest: float
    x: Floats
    y: Floats
    z: Floats
    steepest: Floats

    @classmethod
    def of(cls, shade: Shade | None, e: Floats, n: Floats, ground: Floats) -> "_Hidden":
        """Of cells at e (cols,) and n (rows,) on the ground (rows, cols)."""
        if shade is None:
            none = np.zeros((0, 0))
            return cls(none, np.zeros(2), 1.0, 0.0, e, n, none, none)
        tops, steepest = shade.under(e, n)
        x, y = (e - shade.e0) / shade.step, (n - shade.n0) / shade.step
        corner = np.array([shade.e0, shade.n0])
        return cls(shade.tops, corner, shade.step, float(np.nanmax(shade.tops)), x, y, np.fmax(ground, tops), steepest)


def _grid(flights: Sequence[FlightPlan], surface: AnySurface, polygon: Polygon) -> tuple[Floats, Floats, float]:
    """Cells over the site: those of the terrain where it has no more than are counted, else as fine as that allows."""
    west, south, east, north = polygon.bounds
    step = min(min(f.footprint_along, f.footprint_across) for f in flights) / FINE
    if isinstance(surface, Surface):
        step = min(surface.step, 4 * step)
    step = max(step, math.sqrt((east - west) * (north - south) / MOST_CELLS))
    return np.arange(west, east + step, step), np.arange(south, north + step, step), step


def _local(frame: LocalFrame, e: Floats, n: Floats, ground: Floats, step: float) -> tuple[Floats, Floats]:
    """Cells in the local frame (rows, cols, 3), NaN where no height is known, and the ground's upward normals there,
    not of unit length."""
    mesh_e, mesh_n = np.linspace(e[0], e[-1], MESH), np.linspace(n[0], n[-1], MESH)
    at = [a.ravel() for a in np.meshgrid(mesh_e, mesh_n)]
    low = frame.to_enu(at[0], at[1], np.zeros(MESH * MESH)).reshape(MESH, MESH, 3)
    up = frame.to_enu(at[0], at[1], np.full(MESH * MESH, 1000.0)).reshape(MESH, MESH, 3) - low
    along_n, along_e = _weights(n, mesh_n), _weights(e, mesh_e)
    points = np.empty((*ground.shape, 3))
    for k in range(3):
        points[..., k] = along_n @ low[..., k] @ along_e.T + along_n @ up[..., k] @ along_e.T * (ground / 1000.0)
    dn, de = np.gradient(ground, step)
    normals = np.stack([-np.nan_to_num(de), -np.nan_to_num(dn), np.ones_like(ground)], axis=-1)
    return points, normals


def _weights(at: Floats, nodes: Floats) -> Floats:
    """(k, nodes): of linear interpolation between evenly spaced nodes."""
    x = (at - nodes[0]) / (nodes[1] - nodes[0])
    return np.maximum(0.0, 1.0 - np.abs(x[:, None] - np.arange(len(nodes))))


def _of_flight(
    sight: Sight, points: Floats, normals: Floats, hidden: _Hidden, images: Ints, strips: Ints, gsd: Floats, off: Floats
) -> None:
    """Add what one flight sees to what others do."""
    cam, ground = sight.flight.camera, points[..., 2][np.isfinite(points[..., 2])]
    if not ground.size:
        return
    reach = sight.reach_over(float(ground.min()))
    frame = np.array([cam.width_px / 2, cam.height_px / 2]) / cam.f_px
    around = Cells.of(sight.c, reach)
    strip = np.ascontiguousarray(sight.flight.strip)
    f = sight.flight
    eyes = np.column_stack([(f.e - hidden.corner[0]) / hidden.step, (f.n - hidden.corner[1]) / hidden.step, f.h])
    tall = hidden.tops, hidden.highest, hidden.step, hidden.x, hidden.y, hidden.z, hidden.steepest, eyes
    out = images, strips, gsd, off
    _count(points, normals, sight.c, sight.rotation, strip, frame, cam.f_px, reach, *around, *tall, *out)


@njit(cache=True, parallel=True, nogil=True)
def _count(  # type: ignore[no-untyped-def]
    points,
    normals,
    c,
    rotation,
    strip,
    frame,
    f_px,
    reach,
    west,
    south,
    side,
    columns,
    rows,
    start,
    order,
    tops,
    highest,
    step,
    across,
    along,
    heights,
    steepest,
    eyes,
    images,
    strips,
    gsd,
    off,
):
    """For each cell of the ground the images that hold it, row by row."""
    half, tall = np.hypot(frame[0], frame[1]), tops.size > 0
    for i in prange(points.shape[0]):
        met = np.empty(MOST_STRIPS, dtype=np.int64)
        for j in range(points.shape[1]):
            x, y, z = points[i, j, 0], points[i, j, 1], points[i, j, 2]
            if not np.isfinite(z):
                continue
            a, b, g = normals[i, j, 0], normals[i, j, 1], normals[i, j, 2]
            column, row = int(np.floor((x - west) / side)), int(np.floor((y - south) / side))
            seen, known, nearest, middle = 0, 0, np.inf, np.inf
            for r in range(max(row - 1, 0), min(row + 2, rows)):
                for k in range(max(column - 1, 0), min(column + 2, columns)):
                    cell = r * columns + k
                    for o in range(start[cell], start[cell + 1]):
                        e = order[o]
                        dx, dy, dz = x - c[e, 0], y - c[e, 1], z - c[e, 2]
                        if dx * dx + dy * dy > reach * reach:
                            continue
                        if a * dx + b * dy + g * dz >= 0:
                            continue  # the ground turns its back
                        m = rotation[e]
                        depth = m[2, 0] * dx + m[2, 1] * dy + m[2, 2] * dz
                        if depth <= 0:
                            continue
                        u = (m[0, 0] * dx + m[0, 1] * dy + m[0, 2] * dz) / depth
                        v = (m[1, 0] * dx + m[1, 1] * dy + m[1, 2] * dz) / depth
                        if abs(u) > frame[0] or abs(v) > frame[1]:
                            continue
                        if tall:
                            east, north = eyes[e, 0] - across[j], eyes[e, 1] - along[i]
                            rise = eyes[e, 2] - heights[i, j]
                            if rise < steepest[i, j] * step * np.hypot(east, north) and blocked(
                                tops, highest, across[j], along[i], heights[i, j], east, north, eyes[e, 2]
                            ):
                                continue
                        seen += 1
                        nearest = min(nearest, depth)
                        middle = min(middle, np.hypot(u, v) / half)
                        old = False
                        for q in range(known):
                            if met[q] == strip[e]:
                                old = True
                                break
                        if not old and known < MOST_STRIPS:
                            met[known] = strip[e]
                            known += 1
            images[i, j] += seen
            strips[i, j] += known
            gsd[i, j] = min(gsd[i, j], nearest / f_px)
            off[i, j] = min(off[i, j], middle)


def _overlaps(flight: FlightPlan, surface: AnySurface, scale: float) -> Overlaps:
    """Of each image with the next of its flight line, and with the nearest of the next flight line beside it."""
    ahead = np.abs(np.sin(flight.yaw - flight.course)) < ALIKE  # what looks sideways has its frames turned
    after = np.flatnonzero((flight.strip[1:] == flight.strip[:-1]) & ahead[1:])
    forward = _overlap(flight, surface, scale, after, after + 1, 1)
    side = _overlap(flight, surface, scale, *_beside(flight, scale), 0)
    return Overlaps(flight.flight.id, *forward, *side)


def _beside(flight: FlightPlan, scale: float) -> tuple[Ints, Ints]:
    """Pairs of images along the block: each with the nearest of a flight line to its right that runs the same way, at
    about the spacing."""
    own = np.flatnonzero(np.array([s.kind == "main" for s in flight.strips], dtype=bool)[flight.strip])
    if len(own) < 2:
        return own[:0], own[:0]
    course = flight.course[own] % math.pi  # there or back
    right = np.stack([np.cos(course), -np.sin(course)], axis=1)
    places = np.stack([flight.e[own], flight.n[own]], axis=1) / scale
    near = flight.spacing / 2 + flight.trigger_distance
    away, found = cKDTree(places).query(places + flight.spacing * right, distance_upper_bound=near)
    met = np.flatnonzero(np.isfinite(away))
    beside = np.einsum("ka,ka->k", places[found[met]] - places[met], right[met]) > flight.spacing / 4
    alike = np.abs(np.sin(course[found[met]] - course[met])) < ALIKE
    met = met[beside & alike]
    return own[met], own[found[met]]


def _overlap(
    flight: FlightPlan, surface: AnySurface, scale: float, one: Ints, other: Ints, axis: int
) -> tuple[float, float, tuple[float, float]] | tuple[None, None, None]:
    """Overlap in percent of pairs of images, by how far apart both have the same ground about the middle between them:
    the least, the middle one, and where the least is, grid metres. axis: 0 across the image, 1 along it."""
    if not len(one):
        return None, None, None
    cam, course = flight.camera, flight.course[one]
    frame = np.array([cam.width_px, cam.height_px]) / cam.f_px
    e, n = (flight.e[one] + flight.e[other]) / 2, (flight.n[one] + flight.n[other]) / 2
    turned = np.sign(np.cos(flight.course[other] - course))  # flight lines are flown there and back
    least, where = np.full(len(one), np.nan), np.zeros((len(one), 2))
    for x, y in product(ABOUT, ABOUT):
        right, ahead = x * flight.footprint_across * scale, y * flight.footprint_along * scale
        at_e = e + right * np.cos(course) + ahead * np.sin(course)
        at_n = n - right * np.sin(course) + ahead * np.cos(course)
        ground = surface.at(at_e, at_n)
        here, there = (_in_frame(flight, k, at_e, at_n, ground, scale) for k in (one, other))
        apart = np.abs(here[:, axis] - turned * there[:, axis]) / frame[axis]
        share = 100 * np.maximum(0.0, 1 - apart)
        held = (np.abs(here[:, 1 - axis]) <= frame[1 - axis] / 2) & (np.abs(there[:, 1 - axis]) <= frame[1 - axis] / 2)
        less = held & np.isfinite(share) & ~(share >= least)
        least[less], where[less] = share[less], np.stack([at_e, at_n], axis=1)[less]
    known = np.flatnonzero(np.isfinite(least))
    if not known.size:
        return None, None, None
    worst = known[np.argmin(least[known])]
    return float(least[worst]), float(np.median(least[known])), (float(where[worst, 0]), float(where[worst, 1]))


def _in_frame(flight: FlightPlan, which: Ints, e: Floats, n: Floats, h: Floats, scale: float) -> Floats:
    """Where images have places (k,), over the focal length (k, 2): across, along."""
    down = np.stack([flight.yaw[which], flight.tilt[which] - math.pi / 2, np.zeros(len(which))], axis=1)
    off = np.stack([(e - flight.e[which]) / scale, (n - flight.n[which]) / scale, h - flight.h[which]], axis=1)
    return project(1.0, rotations(down), np.zeros(3), off)[0]


@dataclass(frozen=True)
class CoverageFigures:
    """Coverage in figures: images, flight lines and metres of the ground pixel over the site; the least overlaps in
    percent (None: no neighbours); square metres of the site, and of it of what fewer than two images, fewer than three
    flight lines, corners of frames alone see, and of unknown height; each flight's overlaps; and in a sentence."""

    images: Spread
    strips: Spread
    gsd: Spread | None
    forward: float | None
    side: float | None
    site_m2: float
    holes_m2: float
    narrow_m2: float
    corners_m2: float
    unknown_m2: float
    overlaps: tuple[Overlaps, ...]
    words: str


def told(plan: Plan, found: Coverage) -> CoverageFigures:
    """Coverage in figures and a sentence. Raises PlanError where no height of the site is known."""
    seen = found.seen
    if not seen.any():
        raise PlanError(
            "No height of the site is known.", where="Site, terrain", mend="Bring in terrain that covers it."
        )
    fine = seen & np.isfinite(found.gsd)
    gsd = Spread.of(found.gsd[fine]) if fine.any() else None
    images, unit = Spread.of(found.images[seen]), plan.brief.unit
    forward, side = (
        min((v for v in values if v is not None), default=None)
        for values in ([o.forward for o in found.overlaps], [o.side for o in found.overlaps])
    )
    words = (
        f"Every place is seen by {images.least:.0f} to {images.most:.0f} images, in the middle by {images.median:.0f}"
    )
    words += f", with pixels of {small(gsd.least, unit)} to {small(gsd.most, unit)}." if gsd else "."
    holes = found.area(found.holes)
    words += f" {area(holes, unit)} are not mapped." if holes else " Nothing is left out."
    return CoverageFigures(
        images=images,
        strips=Spread.of(found.strips[seen]),
        gsd=gsd,
        forward=forward,
        side=side,
        site_m2=found.area(found.inside),
        holes_m2=holes,
        narrow_m2=found.area(found.narrow),
        corners_m2=found.area(found.by_corners),
        unknown_m2=found.area(found.unknown),
        overlaps=found.overlaps,
        words=words,
    )
