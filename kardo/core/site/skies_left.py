"""What trees, walls and ground leave of the satellites to a rover: how many in the expectation, how noisy, and whether
"fixed" is to be believed.

A direction through trees loses its satellite with the share that the assumptions have for leaves or none, and what
comes through is noisier; behind walls and ground all are lost. Expectations are over a day of the nominal
constellations, for a plan does not know its hour; they enter the normal equations of the position by their information,
and what these lose against an open sky is how much noisier the position is. Source: docs/accuracy.md, section 6;
Langley, Dilution of precision, 1999."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from shapely import Point

from kardo.core.arrays import Bools, Floats, Ints
from kardo.core.kept import kept
from kardo.core.plan.control import ControlPoint
from kardo.core.plan.model import Plan
from kardo.core.plan.site import Feature
from kardo.core.site.occupiable import AROUND, LOWEST, POLE, ground_hides, reach_of, shapes_of
from kardo.core.site.things import tops_of
from kardo.core.sky.orbits import SYSTEMS, nominal
from kardo.core.sky.visibility import CLOCKS, sky
from kardo.core.terrain.horizon import things_horizon

WALLS, TREES = {"obstacle", "vehicle"}, {"canopy"}
MOMENTS = 24  # of a day
FIGURES = ("canopy_loss_leaf", "canopy_loss_bare", "canopy_noise", "wall_loss", "fix_satellites", "fix_pdop")
MOST_REMEMBERED = 20_000  # places of one site
SLOWEST_FIX = 6.0  # times as long as in the open, at most: then it is given up
Place = tuple[float, float, float]


@dataclass(frozen=True)
class SkyLeft:
    """Of the satellites over a place, in the expectation: how many, of how many in the open; PDOP; by how many times a
    position is noisier than there, in plan and in height; whether a fixed solution is to be trusted; and the trees or
    walls that take most, by id, empty in the open."""

    satellites: float
    in_the_open: float
    pdop: float
    noise_h: float
    noise_v: float
    fixed: bool
    behind: str

    @property
    def fixing(self) -> float:
        """Times as long as in the open that fixing takes: as many epochs as make up for the noise."""
        return min(max(self.noise_h, self.noise_v) ** 2, SLOWEST_FIX)


def skies_left(plan: Plan, points: Sequence[ControlPoint], heights: Floats) -> list[SkyLeft]:
    """Over control (k,) whose heights (k,) in the job's system may be NaN; places that were looked at before are not
    again."""
    known = _remembered(plan)
    eyes = np.nan_to_num(heights) + POLE
    wanted = [(p.e, p.n, float(eye)) for p, eye in zip(points, eyes, strict=True)]
    new = [one for one in dict.fromkeys(wanted) if one not in known]
    if len(known) + len(new) > MOST_REMEMBERED:
        known.clear()
        new = list(dict.fromkeys(wanted))
    if new:
        known.update(zip(new, _skies_left(plan, new), strict=True))
    return [known[one] for one in wanted]


@kept(16, by=lambda plan: (plan.site.ground, plan.site.features, plan.brief.system, _figures(plan)))
def _remembered(plan: Plan) -> dict[Place, SkyLeft]:
    """What was found over a site, by place and eye."""
    return {}


def _figures(plan: Plan) -> tuple[float, ...]:
    return tuple(plan.assume[key] for key in FIGURES)


def _skies_left(plan: Plan, places: list[Place]) -> list[SkyLeft]:
    open_sky = _satellites(plan, places[0])
    in_the_open = open_sky.expected(np.ones_like(open_sky.up), np.ones_like(open_sky.up))
    bare = SkyLeft(
        satellites=in_the_open[0],
        in_the_open=in_the_open[0],
        pdop=in_the_open[1],
        noise_h=1.0,
        noise_v=1.0,
        fixed=True,
        behind="",
    )
    at = np.array(places)
    ground = ground_hides(plan, at[:, :2], at[:, 2])
    things = [(f, shape) for f, shape in shapes_of(plan) if f.kind in WALLS | TREES and f.height]
    out = []
    for k, place in enumerate(places):
        near = [(f, s) for f, s in things if s.distance(Point(*place[:2])) < reach_of(f)]
        out.append(_left(plan, place, near, ground[k], open_sky, bare) if near or (ground[k] > LOWEST).any() else bare)
    return out


def _left(
    plan: Plan,
    place: Place,
    near: list[tuple[Feature, shapely.Geometry]],
    ground: Floats,
    satellites: "_Satellites",
    bare: SkyLeft,
) -> SkyLeft:
    """Over one place, near things or below ground that rise over the mask."""
    gets, noise = np.ones_like(satellites.up), np.ones_like(satellites.up)
    lost = {"": _behind(satellites, ground)}
    gets[lost[""]] = 1 - plan.assume["wall_loss"]
    for feature, shape in near:
        hides = lost[feature.id] = _behind(satellites, _horizon_of(plan, feature, shape, place))
        if feature.kind in TREES:
            leaf = plan.assume["canopy_loss_leaf" if feature.in_leaf else "canopy_loss_bare"]
            gets[hides] = np.minimum(gets[hides], 1 - leaf)
            noise[hides] = plan.assume["canopy_noise"]
        else:
            gets[hides] = np.minimum(gets[hides], 1 - plan.assume["wall_loss"])
    count, pdop, h, v = satellites.expected(gets, noise)
    _, _, open_h, open_v = satellites.expected(np.ones_like(gets), np.ones_like(gets))
    fixed = count >= plan.assume["fix_satellites"] and pdop <= plan.assume["fix_pdop"]
    behind = max(lost, key=lambda key: int(lost[key].sum()))
    return SkyLeft(
        satellites=count,
        in_the_open=bare.in_the_open,
        pdop=pdop,
        noise_h=max(1.0, h / open_h),
        noise_v=max(1.0, v / open_v),
        fixed=fixed,
        behind=behind,
    )


def _horizon_of(plan: Plan, feature: Feature, shape: shapely.Geometry, place: Place) -> Floats:
    """Degrees (36,) up to which a thing hides, by grid azimuth; under trees the whole sky."""
    e, n, eye = place
    if shape.distance(Point(e, n)) == 0.0:
        return np.full(360 // AROUND, 90.0 if feature.kind in TREES else 0.0)
    pieces = tops_of(plan, feature) or [(shape, eye - POLE + feature.height)]
    return things_horizon(pieces, e, n, eye)[::AROUND]


def _behind(satellites: "_Satellites", horizon: Floats) -> Bools:
    """Which directions (m, n) lie below a horizon (36,)."""
    return np.asarray(satellites.up < horizon[satellites.sector])


@dataclass(frozen=True)
class _Satellites:
    """Those over the mask at m moments, n of them: elevation in degrees (m, n), -90 where below; sector of grid azimuth
    (m, n); rows (m, n, 7) of the position's equations, three coordinates and four clocks."""

    up: Floats
    sector: Ints
    rows: Floats

    def expected(self, gets: Floats, noise: Floats) -> tuple[float, float, float, float]:
        """How many come through, PDOP, and what a position's noise is in plan and in height, by the share of each
        direction that comes through and its noise (m, n)."""
        shown = np.where(self.up > 0, gets, 0.0)
        variance = self._variances(shown)
        noisy = self._variances(shown / noise**2)
        pdop = float(np.sqrt(np.median(variance.sum(axis=1))))
        h, v = np.sqrt(np.median(noisy[:, :2].sum(axis=1))), np.sqrt(np.median(noisy[:, 2]))
        return float(shown.sum(axis=1).mean()), pdop, float(h), float(v)

    def _variances(self, weight: Floats) -> Floats:
        """East, north, up (m, 3). A system without satellites has no clock to solve for."""
        normal = np.einsum("mn,mna,mnb->mab", weight, self.rows, self.rows)
        idle = np.einsum("maa->ma", normal) < 1e-9
        normal += np.einsum("ma,ab->mab", idle + 1e-9, np.eye(7))
        return np.asarray(np.einsum("maa->ma", np.linalg.inv(normal))[:, :3])


def _satellites(plan: Plan, place: Place) -> _Satellites:
    lon, lat = (float(v) for v in plan.grid.to_geodetic(place[0], place[1]))
    if not (math.isfinite(lon) and math.isfinite(lat)):
        return _nominal(0.0, 0.0, 0.0)  # a place that the grid does not reach is told elsewhere
    gamma = math.degrees(plan.grid.convergence_and_scale(place[0], place[1])[0])
    return _nominal(round(lon, 1), round(lat, 1), round(gamma, 1))


@kept(16, by=lambda lon, lat, gamma: (lon, lat, gamma))
def _nominal(lon: float, lat: float, gamma: float) -> _Satellites:
    """Of the constellations as they are meant to be, over a day."""
    own = nominal()
    moments = 86_400.0 * np.arange(MOMENTS) / MOMENTS
    found = sky(own, moments, np.array([[lon, lat, 0.0]]), np.zeros((1, 360)), LOWEST)
    azimuth, up, seen = found.azimuth[0], found.elevation[0], found.seen[0]
    a, z = np.radians(azimuth), np.radians(up)
    systems = [list(SYSTEMS).index(CLOCKS.get(s, s)) for s in own.usable().systems]
    clocks = np.zeros((*up.shape, 4))
    clocks[:, np.arange(len(systems)), systems] = 1.0
    rows = np.concatenate(
        [np.stack([np.sin(a) * np.cos(z), np.cos(a) * np.cos(z), np.sin(z)], axis=-1), clocks], axis=-1
    )
    sector = np.rint((azimuth - gamma) / AROUND).astype(np.int64) % (360 // AROUND)
    return _Satellites(np.where(seen, up, -90.0), sector, rows)
