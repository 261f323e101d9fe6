"""From one coordinate system to another by a transformation that has a name and an accuracy, chosen for the place.

PROJ knows several for most pairs, by region; the best that this machine has the grids for is taken, and a better one
that it has not is told. The same one serves there and back, so that what goes out comes back to the same place."""

import math
import warnings
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from pyproj import CRS, Transformer
from pyproj.exceptions import CRSError, ProjError
from pyproj.transformer import AreaOfInterest, TransformerGroup

from kardo.core.arrays import Floats
from kardo.core.errors import GeodesyError

WGS84 = CRS(4326)
HANDED_ON = 1e-6  # metres by which a height that is only handed on differs
ROUNDS = 3  # of putting on again what the inverse missed: each leaves some millionth
REACH = 0.5  # degrees about the place within which a transformation must hold


@dataclass(frozen=True)
class Transformation:
    """A way from one system to another: its name, its accuracy in metres (None where PROJ knows none), and the name and
    accuracy of a better one that needs a grid this machine has not."""

    name: str
    accuracy: float | None
    better: tuple[str, float] | None
    steps: tuple[Transformer, ...]

    @property
    def exact(self) -> bool:
        """Whether nothing but a projection lies between the two systems."""
        return self.accuracy == 0.0

    @property
    def approximate(self) -> bool:
        """Whether what is lost by it has to be accepted: nobody knows how good it is, or a better one is known that
        this machine has not the grid file for."""
        return self.accuracy is None or self.better is not None

    @property
    def words(self) -> str:
        """What is said of it: name and accuracy, and what is missing."""
        if self.accuracy is None:
            return f"by {self.name}: how good it is, is not known; it may be off by hundreds of metres"
        told = f"by {self.name}, good to {self.accuracy:g} m"
        if self.better:
            told += f"; {self.better[0]}, good to {self.better[1]:g} m, needs a grid file that is not on this machine"
        return told

    def there(self, x: Floats | float, y: Floats | float) -> tuple[Floats, Floats]:
        """From the first system's coordinates (k,) to the second's, east or longitude first."""
        a, b = np.asarray(x), np.asarray(y)
        for step in self.steps:
            a, b = step.transform(a, b)
        return np.asarray(a), np.asarray(b)

    def back(self, x: Floats | float, y: Floats | float) -> tuple[Floats, Floats]:
        """From the second system's coordinates (k,) to the first's, east or longitude first: what `there` brings to
        them. In plan alone a shift of datum is not its own inverse, by up to a millimetre, for the height between is
        lost: so what is missed is put on again."""
        wanted_x, wanted_y = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
        at_x, at_y = wanted_x, wanted_y
        for _ in range(ROUNDS):
            a, b = at_x, at_y
            for step in reversed(self.steps):
                a, b = (np.asarray(v) for v in step.transform(a, b, direction="INVERSE"))
            reached_x, reached_y = self.there(a, b)
            at_x, at_y = at_x + wanted_x - reached_x, at_y + wanted_y - reached_y
        return a, b


def geodetic_of(crs: CRS) -> CRS:
    """The longitude and latitude that a coordinate system of maps lies on. Raises GeodesyError for one that no map is
    in: geocentric, vertical, engineering."""
    geodetic = crs.geodetic_crs
    if geodetic is None or not (crs.is_geographic or crs.is_projected):
        raise GeodesyError(
            f"{crs.name} is not a coordinate system of maps.",
            where="coordinate system",
            mend="Export the file in a projected system, or in longitude and latitude.",
        )
    return geodetic


def transformation(source: CRS, target: CRS, lon: float, lat: float) -> Transformation:
    """The best at hand for a place in degrees, of any datum. Raises GeodesyError where there is none."""
    if not (math.isfinite(lon) and math.isfinite(lat) and abs(lat) <= 90):
        raise _none(source, target)
    return _kept(source.to_wkt(), target.to_wkt(), math.floor(lon), math.floor(lat))


@lru_cache(maxsize=64)
def _kept(source_wkt: str, target_wkt: str, west: int, south: int) -> Transformation:
    source, target = CRS.from_wkt(source_wkt), CRS.from_wkt(target_wkt)
    area = _about(west, south)
    try:
        with warnings.catch_warnings(action="ignore"):  # of grids that are missing, which `better` tells
            group = TransformerGroup(source, target, always_xy=True, area_of_interest=area)
    except (CRSError, ProjError) as fault:
        raise _none(source, target) from fault
    if not group.transformers:
        raise _none(source, target)
    best = group.transformers[0]
    accuracy = None if best.accuracy is None or best.accuracy < 0 else float(best.accuracy)
    if accuracy is None and (through := _by_world(source_wkt, target_wkt, west, south)):
        best_name, accuracy, steps = through
    else:
        best_name, steps = _name(best.description), (best,)
    missing = [o for o in group.unavailable_operations if o.accuracy >= 0 and o.accuracy < (accuracy or math.inf)]
    better = min(missing, key=lambda o: o.accuracy, default=None)
    return Transformation(best_name, accuracy, (_name(better.name), float(better.accuracy)) if better else None, steps)


def _by_world(source: str, target: str, west: int, south: int) -> tuple[str, float, tuple[Transformer, ...]] | None:
    """By WGS 84 where PROJ has nothing better to offer between two datums than to take them for one: each of the two
    ways has its accuracy, and they add. None where that is known no better."""
    world = WGS84.to_wkt()
    if world in (source, target):
        return None
    try:
        ways = _kept(source, world, west, south), _kept(world, target, west, south)
    except GeodesyError:
        return None
    known = [way.accuracy for way in ways if way.accuracy is not None]
    if len(known) < len(ways):
        return None
    return " and ".join(way.name for way in ways), sum(known), tuple(step for way in ways for step in way.steps)


def spatial(source: str, datum: str, lon: float | None = None, lat: float | None = None) -> Transformer | None:
    """From a spatial system by code (x, y, z, or longitude, latitude and height, and a year) to a datum with
    ellipsoidal heights, longitude first: PROJ's best way that has an accuracy, near a place in degrees where one is
    given; None where there is none."""
    at = (None, None) if lon is None or lat is None else (math.floor(lon), math.floor(lat))
    return _spatial(source, datum, *at)


@lru_cache(maxsize=32)
def _spatial(source: str, datum: str, west: int | None, south: int | None) -> Transformer | None:
    area = None if west is None or south is None else _about(west, south)
    try:
        with warnings.catch_warnings(action="ignore"):  # that a better one needs a grid which is not here
            ways = TransformerGroup(
                CRS.from_user_input(source),
                CRS(datum).to_3d(),
                always_xy=True,
                allow_ballpark=False,
                area_of_interest=area,
            ).transformers
    except (CRSError, ProjError):
        return None
    known = [way for way in ways if way.accuracy is not None and way.accuracy >= 0]
    if west is None or south is None or _alike(source, datum):
        return next(iter(known), None)
    # a way in plan alone, by a grid of shifts, hands heights on as they are: of another ellipsoid they are others
    at = west + 0.5, south + 0.5, 0.0
    return next((way for way in known if abs(way.transform(*at)[2]) > HANDED_ON), None)


def _alike(source: str, datum: str) -> bool:
    """Whether two systems stand on ellipsoids of one shape."""
    one, other = CRS.from_user_input(source).ellipsoid, CRS(datum).ellipsoid
    return one is None or other is None or abs(one.semi_major_metre - other.semi_major_metre) < 1.0


def _about(west: int, south: int) -> AreaOfInterest:
    return AreaOfInterest(west - REACH, max(south - REACH, -90.0), west + 1 + REACH, min(south + 1 + REACH, 90.0))


def on_other_ellipsoid(source: CRS, target: CRS, lon: Floats, lat: Floats, h: Floats) -> tuple[Floats, str]:
    """Ellipsoidal heights (k,) at longitudes and latitudes (k,) in degrees of one datum, above the ellipsoid of
    another; and what is said of it. nan where nothing with a known accuracy leads there, for each datum has an
    ellipsoid of its own: tens of metres may lie between."""
    if source == target or not np.isfinite(h).any():
        return h, ""
    way = spatial(source.to_3d().to_wkt(), target.to_wkt(), float(lon.flat[0]), float(lat.flat[0]))
    if way is None:
        words = (
            "Ellipsoidal heights are left out: the two datums have ellipsoids of their own, and nothing with a known"
            " accuracy leads from one to the other."
        )
        return np.full(h.shape, np.nan), words
    up = np.asarray(way.transform(lon, lat, h)[2])
    return up, f"Ellipsoidal heights by {_name(way.description)}, good to {way.accuracy:g} m."


def _name(description: str) -> str:
    """Of the steps of a pipeline those from one datum to another, which is what its accuracy is about."""
    steps = [step for step in description.split(" + ") if " to " in step or "allpark" in step]
    return " and ".join(f"“{step}”" for step in steps) or "the projection alone"


def _none(source: CRS, target: CRS) -> GeodesyError:
    return GeodesyError(
        f"Nothing leads from {source.name} to {target.name}.",
        where="coordinate system",
        mend="Export the file in the job's grid, or in longitude and latitude (WGS 84).",
    )
