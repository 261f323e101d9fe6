"""The frame that satellite receivers work in at a place: the grid's own datum where that is made for satellites, else
the continent's realisation or WGS 84, and how it is reached from the grid."""

import math
import warnings
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from pyproj import CRS, Geod, Transformer
from pyproj.transformer import AreaOfInterest, TransformerGroup

from kardo.core.arrays import Floats
from kardo.core.errors import GeodesyError
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.systems import ELLIPSOIDAL
from kardo.core.geodesy.transformations import Transformation, spatial, transformation

# Of continents, by their area of use: ETRS89, NAD83(2011), GDA2020, NZGD2000, SIRGAS 2000, JGD2011; WGS 84 everywhere.
FRAMES = ("EPSG:4937", "EPSG:6319", "EPSG:7843", "EPSG:4959", "EPSG:4989", "EPSG:6667", "EPSG:4979")
SATELLITES_AXIS, SATELLITES_FLAT = 6_378_137.0, 298.2572  # of GRS 1980 and WGS 84: metres, inverse flattening

Place = tuple[float, float, float]  # latitude, longitude in degrees, ellipsoidal metres


@dataclass(frozen=True)
class SatelliteFrame:
    """A frame with ellipsoidal heights: its name; whether it is the grid's own datum; the accuracy in metres of the way
    from that and what is said of it; and the file that a better way would need, empty where none is known. Shape: half
    axis in metres and inverse flattening."""

    name: str
    own: bool
    accuracy: float
    words: str
    better_file: str
    shape: tuple[float, float]
    in_plan: Transformation | None = None
    in_height: Transformer | None = None

    def of(self, grid: Grid, e: float, n: float, h: float) -> Place:
        """A place in grid metres with a height in the job's system. A geoid's separation is that of the satellites'
        ellipsoid, so only heights above the grid's own ellipsoid are brought over."""
        own_lon, own_lat = (float(v) for v in grid.to_geodetic(e, n))
        lat, lon = self.from_own(own_lat, own_lon)
        if grid.heights != ELLIPSOIDAL:
            return lat, lon, h + float(grid.separation(e, n))
        return lat, lon, self.up_from_own(own_lat, own_lon, h)

    def from_own(self, lat: float, lon: float) -> tuple[float, float]:
        """Latitude and longitude, from the grid's own datum."""
        if self.in_plan is None:
            return lat, lon
        there = self.in_plan.there(lon, lat)
        return float(there[1]), float(there[0])

    def to_own(self, lat: float, lon: float) -> tuple[float, float]:
        """Latitude and longitude, to the grid's own datum."""
        if self.in_plan is None:
            return lat, lon
        back = self.in_plan.back(lon, lat)
        return float(back[1]), float(back[0])

    def up_from_own(self, lat: float, lon: float, up: float) -> float:
        """An ellipsoidal height at a place, both on the grid's own datum, above this frame's ellipsoid. Raises
        GeodesyError where nothing leads there."""
        if self.own:
            return up
        if self.in_height is None:
            raise GeodesyError(
                f"Nothing leads from ellipsoidal heights of the grid's datum to those of {self.name}.",
                where="Base",
                mend="Choose a height system with a geoid in the Brief.",
            )
        return float(self.in_height.transform(lon, lat, up)[2])

    def up_to_own(self, lat: float, lon: float, up: float) -> float:
        """The same back: a height above this frame's ellipsoid above that of the grid's datum, where its place is
        given."""
        return up - (self.up_from_own(lat, lon, up) - up)

    @property
    def geod(self) -> Geod:
        """Of its ellipsoid."""
        return Geod(a=self.shape[0], rf=self.shape[1])

    def earth_centred(self, place: Place) -> Floats:
        """(3,) earth-centred metres."""
        lat, lon, up = place
        return np.array(_cart(*self.shape).transform(lon, lat, up))

    def of_earth_centred(self, x: float, y: float, z: float) -> Place:
        """Of earth-centred metres."""
        lon, lat, up = _cart(*self.shape).transform(x, y, z, direction="INVERSE")
        return float(lat), float(lon), float(up)

    def between(self, planned: Place, other: Place) -> Floats:
        """(3,) metres east, north, up at one place of another, by the straight line between them."""
        lat, lon = math.radians(planned[0]), math.radians(planned[1])
        s, c, sl, cl = math.sin(lat), math.cos(lat), math.sin(lon), math.cos(lon)
        turn = np.array([[-sl, cl, 0.0], [-s * cl, -s * sl, c], [c * cl, c * sl, s]])
        return np.asarray(turn @ (self.earth_centred(other) - self.earth_centred(planned)))


@lru_cache(maxsize=8)
def _cart(axis: float, flat: float) -> Transformer:
    shape = f"+a={axis!r} +rf={flat!r}"
    return Transformer.from_pipeline(
        f"+proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=cart {shape}"
    )


def frame_at(grid: Grid, e: float, n: float) -> SatelliteFrame:
    """At a place in grid metres. Raises GeodesyError where nothing with a known accuracy leads from the grid's datum to
    any."""
    lon, lat = (float(v) for v in grid.to_geodetic(e, n))
    return _frame(grid.geodetic.to_wkt(), math.floor(lon), math.floor(lat))


@lru_cache(maxsize=32)
def _frame(own_wkt: str, west: int, south: int) -> SatelliteFrame:
    own = CRS.from_wkt(own_wkt)
    if _of_satellites(own):
        return SatelliteFrame(name=str(own.name), own=True, accuracy=0.0, words="", better_file="", shape=_shape(own))
    lon, lat = west + 0.5, south + 0.5
    for code in FRAMES:
        crs = CRS(code)
        area = crs.area_of_use
        if area is None or not (area.west <= lon <= area.east and area.south <= lat <= area.north):
            continue
        try:
            way = transformation(own, crs.to_2d(), lon, lat)
        except GeodesyError:
            continue
        if way.accuracy is None:
            continue
        spatial_own = own.to_3d().to_wkt()
        in_height = spatial(spatial_own, code, lon, lat) or spatial(spatial_own, FRAMES[-1], lon, lat)
        better = _better_file(own, crs, lon, lat, way.accuracy)
        said = f"from {own.name} by {way.name}, good to {way.accuracy:g} m"
        return SatelliteFrame(
            name=str(crs.name),
            own=False,
            accuracy=way.accuracy,
            words=said,
            better_file=better,
            shape=_shape(crs),
            in_plan=way,
            in_height=in_height,
        )
    raise GeodesyError(
        f"Nothing with a known accuracy leads from {own.name} to a frame that satellite receivers work in.",
        where="Base",
        mend="Choose a grid on the continent's satellite datum, or type the mark's coordinates there.",
    )


def _of_satellites(crs: CRS) -> bool:
    axis, flat = _shape(crs)
    return abs(axis - SATELLITES_AXIS) < 0.5 and abs(flat - SATELLITES_FLAT) < 0.001


def _shape(crs: CRS) -> tuple[float, float]:
    assert crs.ellipsoid is not None
    return float(crs.ellipsoid.semi_major_metre), float(crs.ellipsoid.inverse_flattening)


def _better_file(own: CRS, to: CRS, lon: float, lat: float, accuracy: float) -> str:
    """The grid file of the best way that this machine has not, and how good that is."""
    about = AreaOfInterest(lon - 0.5, lat - 0.5, lon + 0.5, lat + 0.5)
    with warnings.catch_warnings(action="ignore"):
        missing = TransformerGroup(own, to.to_2d(), always_xy=True, area_of_interest=about).unavailable_operations
    known = [o for o in missing if 0 <= o.accuracy < accuracy]
    best = min(known, key=lambda o: o.accuracy, default=None)
    names = [g.short_name for g in best.grids if not g.available] if best else []
    return f"{', '.join(names)} (good to {best.accuracy:g} m)" if best and names else ""
