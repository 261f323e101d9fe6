"""What a scan covers: pulses on each square metre, flight lines that see a place, returns from the ground under trees,
and gaps. Source: docs/laser.md."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely import Polygon

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.errors import PlanError
from kardo.core.flight.ground.coverage import GroundCells, Spread
from kardo.core.flight.ground.shade import shade_of
from kardo.core.flight.ground.tracks import Aimed, Track, aimed, tracks_of
from kardo.core.flight.lines.areas import ground_scale, site_polygon
from kardo.core.flight.lines.pattern import FlightPlan, all_flown, over_ground, scanned
from kardo.core.geodesy.frame import LocalFrame
from kardo.core.geodesy.units import area
from kardo.core.kept import kept
from kardo.core.plan.model import Plan
from kardo.core.plan.site import FeatureKind
from kardo.core.site.things import shape_of_feature

MOST_CELLS = 160_000


@dataclass(frozen=True)
class Density(GroundCells):
    """Of each cell pulses and returns from the ground on a square metre, and flight lines; hidden: whether a line would
    see it, but none does for what stands between, or because the slope turns away; water: whether it is water, which
    gives next to no returns and is no ground. asked: returns from the ground on a square metre that a place needs."""

    pulses: Floats
    ground: Floats
    strips: Ints
    hidden: Bools
    water: Bools
    asked: float

    @property
    def land(self) -> Bools:
        """Cells (rows, cols) inside of known height that are not water."""
        return self.seen & ~self.water

    @property
    def holes(self) -> Bools:
        """Cells (rows, cols) of land that too few returns from the ground reach."""
        return self.land & (self.ground < self.asked)

    @property
    def gaps(self) -> Bools:
        """Cells (rows, cols) of land that no line sees."""
        return self.land & (self.strips == 0)


def reaches_ground(plan: Plan, e: Floats, n: Floats) -> Floats:
    """Share (k,) of the pulses that reach the ground at grid metres: all in the open, under trees as dense as they are
    said to be."""
    out = np.ones(len(e))
    for feature in plan.site.features:
        if feature.kind == "canopy":
            under = shapely.contains_xy(shape_of_feature(feature), e, n)
            out[under] = np.minimum(out[under], plan.assume[f"penetration_{feature.density}"])
    return out


def within(plan: Plan, kind: FeatureKind, e: Floats, n: Floats) -> Bools:
    """Whether grid metres (k,) lie in an area of a kind, such as low growth or water."""
    out = np.zeros(len(e), dtype=bool)
    for feature in plan.site.features:
        if feature.kind == kind:
            out |= shapely.contains_xy(shape_of_feature(feature), e, n)
    return out


def scans_of(plan: Plan) -> tuple[FlightPlan, ...]:
    """The flights that scan, laid out over known ground."""
    return tuple(over_ground(f) for f in scanned(all_flown(plan)))


def _scanned_by(plan: Plan) -> Hashable:
    site, assumed = plan.site, plan.assumptions
    under = assumed.edition, tuple(sorted(assumed.overrides.items()))
    return plan.flights, plan.kit, site.boundary, site.areas, site.features, site.ground, plan.brief, under


@kept(1, by=_scanned_by)
def density(plan: Plan) -> Density:
    """What a plan's scanning flights cover of its site; kept. Raises PlanError where there is no boundary, no ground or
    no such flight."""
    flights = scans_of(plan)
    if not flights:
        raise PlanError("There is no flight that scans.", where="Flight", mend="Add one.")
    return density_of(plan, flights)


def density_of(plan: Plan, flights: Sequence[FlightPlan]) -> Density:
    """The same of flights that are laid out already. Raises PlanError where there is no boundary or no ground."""
    surface, polygon = plan.surface, site_polygon(plan)
    if surface is None:
        raise PlanError("There is no ground.", where="Site", mend="Bring in a terrain, or type a level.")
    e, n, step = _cells(polygon)
    ee, nn = (a.ravel() for a in np.meshgrid(e, n))
    heights = np.asarray(surface.at(ee, nn), dtype=np.float64)
    middle = polygon.representative_point()
    frame = LocalFrame(plan.grid, middle.x, middle.y, float(np.nan_to_num(surface.at(middle.x, middle.y))))
    inside = shapely.contains_xy(polygon, ee, nn)
    known = np.flatnonzero(inside & np.isfinite(heights))
    tracks = [t for k, f in enumerate(flights) for t in tracks_of(f, frame, k)]
    places = aimed(frame, surface, ee[known], nn[known], heights[known], shade_of(plan))
    pulses, strips, hidden = np.zeros(len(ee)), np.zeros(len(ee), dtype=np.int64), np.zeros(len(ee), dtype=bool)
    pulses[known], strips[known], hidden[known] = _summed(tracks, places)
    water = within(plan, "water", ee, nn)
    ground = np.where(water, 0.0, pulses * reaches_ground(plan, ee, nn))
    shape = (len(n), len(e))
    return Density(
        e0=float(e[0]),
        n0=float(n[0]),
        step=step,
        inside=inside.reshape(shape),
        unknown=(inside & np.isnan(heights)).reshape(shape),
        cell=(step / ground_scale(plan)) ** 2,
        pulses=pulses.reshape(shape),
        ground=ground.reshape(shape),
        strips=strips.reshape(shape),
        hidden=(hidden & ~water).reshape(shape),
        water=water.reshape(shape),
        asked=plan.assume["ground_returns"] / plan.assume["scan_cell"] ** 2,
    )


def _cells(polygon: Polygon) -> tuple[Floats, Floats, float]:
    west, south, east, north = polygon.bounds
    step = max(1.0, float(np.sqrt((east - west) * (north - south) / MOST_CELLS)))
    return np.arange(west + step / 2, east, step), np.arange(south + step / 2, north, step), step


def _summed(tracks: list[Track], places: Aimed) -> tuple[Floats, Ints, Bools]:
    """Pulses on a square metre and flight lines at places (k), and whether they are hidden from all that would see
    them."""
    count = len(places.x)
    pulses, strips, hidden = np.zeros(count), np.zeros(count, dtype=np.int64), np.zeros(count, dtype=bool)
    for track in tracks:
        beams = track.beams(places)
        pulses += beams.density
        strips += beams.seen
        hidden |= beams.hidden
    return pulses, strips, hidden & (strips == 0)


@dataclass(frozen=True)
class DensityFigures:
    """In numbers and words: pulses and returns from the ground on a square metre, flight lines; square metres of the
    site, of gaps that no line sees, of those among them that are hidden, and of what too few returns from the ground
    reach."""

    pulses: Spread
    ground: Spread
    strips: Spread
    site_m2: float
    gaps_m2: float
    hidden_m2: float
    holes_m2: float
    unknown_m2: float
    words: str


def told_density(plan: Plan, found: Density) -> DensityFigures:
    """The figures of a density. Raises PlanError where no height is known in the site."""
    seen, unit = found.land, plan.brief.unit
    if not found.seen.any():
        raise PlanError(
            "The terrain has no heights inside the boundary.",
            where="Site, terrain",
            mend="Bring in terrain that covers it.",
        )
    if not seen.any():
        raise PlanError("The whole site is water.", where="Site, features", mend="Draw the water as it is.")
    pulses, ground = Spread.of(found.pulses[seen]), Spread.of(found.ground[seen])
    holes, gaps = found.area(found.holes), found.area(found.gaps)
    words = f"{pulses.median:,.0f} pulses on a square metre in the middle, {pulses.least:,.0f} at the worst place"
    words += f"; from the ground {ground.median:,.3g} and {ground.least:,.2g}." if ground.least < pulses.least else "."
    hidden = found.area(found.hidden)
    words += f" No line sees {area(gaps, unit)}" if gaps else ""
    words += f", {area(hidden, unit)} of it behind what stands there or on slopes that turn away" if hidden else ""
    words += "." if gaps else ""
    thin = holes - gaps
    words += f" Too few returns from the ground come from {area(thin, unit)}." if thin > 0 else ""
    words += "" if holes else " Nothing is left out."
    water = found.area(found.water)
    words += f" {area(water, unit)} of water are not counted: they give next to no returns." if water else ""
    return DensityFigures(
        pulses=pulses,
        ground=ground,
        strips=Spread.of(found.strips[seen]),
        site_m2=found.area(found.inside),
        gaps_m2=gaps,
        hidden_m2=hidden,
        holes_m2=holes,
        unknown_m2=found.area(found.unknown),
        words=words,
    )
