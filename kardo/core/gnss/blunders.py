"""What goes wrong at a base: how far each usual blunder would move this very set-up, and who would see it.

A blunder is told as the error of the position that the base gives out, typed less true; everything that rests on the
base moves by it. Which blunders people make: docs/accuracy.md, section 12."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import permutations

import numpy as np
from pyproj import Geod
from pyproj.exceptions import ProjError

from kardo.core.arrays import Floats
from kardo.core.geodesy.frame import from_grid
from kardo.core.geodesy.transformations import spatial
from kardo.core.geodesy.units import UNITS, length
from kardo.core.gnss.heights import SetUpHeights, frame_of_chain
from kardo.core.gnss.occupations import autonomous_sigma
from kardo.core.plan.model import Plan
from kardo.core.plan.stands import OnInstrument, OnSetUp, PositionSource

FOOT_NAMES = {"ft": "international", "us-ft": "survey", "ind-ft": "indian"}
GLOBAL = "EPSG:7912"  # ITRF2014 with ellipsoidal heights: what a service of the whole world gives positions in


@dataclass(frozen=True)
class Blunder:
    """One blunder and what it does: metres east, north and up, typed less true, and in plan altogether. remark: what
    more is to be said of these figures, where they are not simply what everything on the base moves by."""

    id: str
    words: str
    east: float
    north: float
    up: float
    horizontal: float
    remark: str = ""

    @property
    def vector(self) -> Floats:
        """(3,) metres."""
        return np.array([self.east, self.north, self.up])


@dataclass(frozen=True)
class SetUpBlunders:
    """What can go wrong at one set-up, the usual first, and who would see it: the words are of the plan's checks."""

    setup: str
    rows: list[Blunder]
    seen: str


def blunders(plan: Plan, chain: SetUpHeights) -> SetUpBlunders:
    """Every blunder of a set-up, with its errors. Source: the height chain (docs/accuracy.md, section 6), the grid,
    PROJ."""
    rows = [*_of_height(plan, chain), *_of_mark(plan, chain), *_of_position(plan, chain), *_of_scale(plan, chain)]
    return SetUpBlunders(chain.setup, [b for b in rows if b.horizontal or b.up], seen_by(plan, chain.setup))


def _blunder(key: str, words: str, east: float, north: float, up: float, remark: str = "") -> Blunder:
    return Blunder(
        id=key, words=words, east=east, north=north, up=up, horizontal=math.hypot(east, north), remark=remark
    )


def _of_height(plan: Plan, chain: SetUpHeights) -> Iterator[Blunder]:
    height, offset, n = chain.arp_above_mark, chain.apc_above_arp, chain.separation
    setup, foot = plan.setup(chain.setup), float(UNITS["ft"].metres)
    assert setup is not None
    if n:
        yield _blunder("orthometric", f"{chain.system} typed where the device wants the ellipsoidal height", 0, 0, -n)
        yield _blunder("ellipsoidal", f"ellipsoidal height typed where the device wants {chain.system}", 0, 0, n)
    yield _blunder("no_antenna", "the mark's height typed as the ARP's: antenna height left out", 0, 0, -height)
    yield _blunder("twice", "antenna height in twice: in the height typed and in the device", 0, 0, height)
    if slants := chain.slants:
        yield _blunder("slant", "slant height taken for the vertical one", 0, 0, sum(slants) / len(slants) - height)
    if setup.adapter and len(slants) < len(chain.readings):
        yield _blunder("adapter", "adapter and spacer under the antenna left out", 0, 0, -setup.adapter)
    yield _blunder("arp_as_apc", "the ARP's height typed where the device wants the APC's", 0, 0, -offset)
    yield _blunder("apc_as_arp", "the APC's height typed where the device wants the ARP's", 0, 0, offset)
    yield _blunder(
        "feet_as_metres", "antenna height in feet typed where the device wants metres", 0, 0, height / foot - height
    )
    yield _blunder(
        "metres_as_feet", "antenna height in metres typed where the device wants feet", 0, 0, height * foot - height
    )


def _of_mark(plan: Plan, chain: SetUpHeights) -> Iterator[Blunder]:
    mark = plan.mark(chain.mark_id)
    assert mark is not None
    if mark.known == "here":
        east, north, up = autonomous_sigma(plan.assume)
        words = "position taken “here” and never shifted"
        yield _blunder("here", words, east, north, up, "in any direction: one standard deviation")
    if moved := _by_realisation(plan, chain):
        remark = f"ITRF2014 at {plan.brief.epoch}, by PROJ"
        words = f"a position in the global frame of today typed as {chain.datum}"
        yield _blunder("realisation", words, *moved, remark)


def _by_realisation(plan: Plan, chain: SetUpHeights) -> tuple[float, float, float] | None:
    """Metres east, north, up from a place on the grid's datum to where the global frame has it at the job's epoch; None
    where that datum is not the satellites', PROJ knows no way that has an accuracy, or the epoch is not a year."""
    frame = frame_of_chain(plan, chain)
    way = spatial(GLOBAL, plan.grid.geodetic.to_wkt()) if frame.own else None
    try:
        epoch = float(plan.brief.epoch)
        if way is None:
            return None
        place = chain.longitude, chain.latitude, chain.mark_ellipsoidal
        lon, lat, up, _ = way.transform(*place, epoch, direction="INVERSE", errcheck=True)
    except (ValueError, ProjError):
        return None
    east, north = moved_on_ground(frame.geod, chain.latitude, chain.longitude, lat, lon)
    return east, north, up - chain.mark_ellipsoidal


def _of_position(plan: Plan, chain: SetUpHeights) -> Iterator[Blunder]:
    lat, lon, frame = chain.latitude, chain.longitude, frame_of_chain(plan, chain)
    if not frame.own:
        own = frame.to_own(lat, lon)
        east, north = moved_on_ground(frame.geod, lat, lon, *own)
        words = f"latitude and longitude on {plan.grid.geodetic.name} typed where the device takes {frame.name}"
        yield _blunder("datum", words, east, north, 0)
    moved = {
        "dms_as_degrees": (
            "degrees, minutes and seconds typed as decimal degrees",
            _run_together(lat),
            _run_together(lon),
        ),
        "east_for_west": ("the sign of the longitude lost", lat, -lon),
        "south_for_north": ("the sign of the latitude lost", -lat, lon),
        "swapped": ("latitude and longitude in each other's box", lon, lat),
    }
    for key, (words, other_lat, other_lon) in moved.items():
        east, north = moved_on_ground(frame.geod, lat, lon, other_lat, other_lon)
        if math.hypot(east, north) > 1e-3:
            yield _blunder(key, words, east, north, 0)
    zone = plan.grid.crs.utm_zone
    for side, turn in (("eastern", 6), ("western", -6)) if zone else ():
        east, north = moved_on_ground(frame.geod, lat, lon, lat, lon + turn)
        yield _blunder(f"zone_{side}", f"the {side} neighbour taken for zone {zone}", east, north, 0)
    units = {plan.brief.unit} | {d.unit for s in plan.setups if s.id == chain.setup for d in s.devices}
    if units != {"m"}:
        mark = plan.mark(chain.mark_id)
        assert mark is not None
        feet = {"ft", "us-ft"} | ({"ind-ft"} & units)
        for typed, wanted in permutations(sorted(feet), 2):
            ratio = float(UNITS[wanted].metres / UNITS[typed].metres) - 1
            words = f"{UNITS[typed].plural} typed where the device wants the {UNITS[wanted].name}"
            e, n = _true(plan, chain, ratio * mark.e, ratio * mark.n)
            yield _blunder(f"{FOOT_NAMES[typed]}_for_{FOOT_NAMES[wanted]}", words, e, n, 0)


def _run_together(degrees: float) -> float:
    """46°18'14.8" typed as 46.18148: what a device that wants decimal degrees takes it for.

    >>> round(_run_together(46 + 18 / 60 + 14.8 / 3600), 5)
    46.18148
    """
    seconds = round(abs(degrees) * 3600, 5)
    whole, rest = divmod(seconds, 3600)
    minutes, left = divmod(rest, 60)
    return math.copysign(whole + minutes / 100 + left / 10_000, degrees)


def moved_on_ground(geod: Geod, lat: float, lon: float, other_lat: float, other_lon: float) -> tuple[float, float]:
    """Metres east and north on the ground from one place to another, in degrees: the shortest way over the ellipsoid,
    along its first bearing. Source: Karney, J. Geodesy 87, 2013, through PROJ."""
    bearing, _, metres = geod.inv(lon, lat, other_lon, max(-90.0, min(90.0, other_lat)))
    return metres * math.sin(math.radians(bearing)), metres * math.cos(math.radians(bearing))


def _true(plan: Plan, chain: SetUpHeights, e: float, n: float) -> tuple[float, float]:
    """Metres along true east and north from metres along the grid's axes."""
    mark = plan.mark(chain.mark_id)
    assert mark is not None
    east, north, _ = from_grid(plan.grid.convergence_and_scale(mark.e, mark.n)[0]) @ np.array([e, n, 0.0])
    return float(east), float(north)


def _of_scale(plan: Plan, chain: SetUpHeights) -> Iterator[Blunder]:
    """Grid distances taken as ground distances: at the corner of the site that lies farthest from the mark."""
    mark = plan.mark(chain.mark_id)
    assert mark is not None
    if not plan.site.boundary:
        return
    e, n = max(plan.site.boundary, key=lambda p: math.hypot(p[0] - mark.e, p[1] - mark.n))
    ppm = plan.grid.combined_factor(mark.e, mark.n, chain.mark) - 1
    away = math.hypot(e - mark.e, n - mark.n)
    remark = f"at the far end of the site, {length(away, plan.brief.unit)} away ({ppm * 1e6:+.0f} ppm)"
    words = "grid distances taken for ground distances"
    yield _blunder("grid_as_ground", words, *_true(plan, chain, ppm * (e - mark.e), ppm * (n - mark.n)), 0, remark)


def seen_by(plan: Plan, setup: str) -> str:
    """Who sees an error that everything positioned from a set-up shares, in words."""
    flights = [f for f in plan.flights if _hangs(f.positioned_from, setup)]
    checks = [c for c in plan.checks if any(_hangs(on, setup) for on in c.by_source)]
    targets = [t for t in plan.targets if any(_hangs(on, setup) for on in t.by_source)]
    others, count = len(plan.checks) - len(checks), len(plan.checks)
    if not flights and not targets:
        if not checks:
            return "Nothing is positioned from this set-up."
        return (
            f"Only checks are positioned from it ({len(checks)} of {count}): they would show an error of the base as"
            " one of the map."
        )
    if not count:
        return "There are no checks: nothing in this plan would show it."
    if not others:
        return (
            f"The map and {'the only check' if count == 1 else f'all {count} checks'} move together: no check sees it."
        )
    alone = f"{others} of {count} checks {'is' if others == 1 else 'are'} positioned from elsewhere"
    if away := len(plan.targets) - len(targets):
        return f"{alone}, and {away} of {len(plan.targets)} control points: the misfit at them shows it."
    return f"Only {alone} and would show it; the others move with the map."


def _hangs(on: PositionSource, setup: str) -> bool:
    return isinstance(on, OnSetUp | OnInstrument) and on.setup == setup
