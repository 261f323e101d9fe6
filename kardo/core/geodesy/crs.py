"""The job's grid and height system, through PROJ. Grid coordinates are always in metres here, whatever the grid's
own unit; heights are in the job's height system."""

import math
from copy import copy
from functools import lru_cache

import numpy as np
import pyproj
from pyproj import CRS, Transformer
from pyproj.exceptions import CRSError, ProjError

from kardo.core.arrays import Bools, Floats
from kardo.core.errors import GeodesyError
from kardo.core.geodesy.fit import counts_backwards, fit_at
from kardo.core.geodesy.geoid import OWN, GeoidGrid, Stated, separation_in, stated_at
from kardo.core.geodesy.systems import DEPTH, ELLIPSOIDAL, better_grids, how_to_bring
from kardo.core.geodesy.transformations import WGS84, Transformation, geodetic_of, transformation

NEIGHBOUR = 6.5  # degrees beside its area of use that a zone's neighbour, and a little, reaches
BESIDE, FAR = (
    0.5,
    2.0,
)  # degrees beside the area of use at which coordinates are still believed, and from which no way to them is sought


class Grid:
    """A projected CRS with the job's height system.

    Raises GeodesyError for a code that is not a projected CRS, or a height system that PROJ cannot reach here; a system
    on a geoid model of one's own has it, and one whose separation is stated needs none."""

    def __init__(self, code: str, heights: str, model: GeoidGrid | None = None, stated: Stated | None = None) -> None:
        self.code, self.heights = code, heights
        self._stated = stated if heights != ELLIPSOIDAL else None
        try:
            self.crs = CRS.from_user_input(code)
        except CRSError as fault:
            raise GeodesyError(
                f"“{code}” is not a coordinate system PROJ knows.",
                where="Brief, grid",
                mend="Search for it by name or EPSG code.",
            ) from fault
        if not self.crs.is_projected or len(self.crs.axis_info) != 2:
            raise GeodesyError(
                f"{self.crs.name} is not a projected grid.",
                where="Brief, grid",
                mend="Choose a projected system, such as a UTM zone.",
            )
        geodetic = self.crs.geodetic_crs
        assert geodetic is not None
        if counts_backwards(self.crs):
            raise GeodesyError(
                f"{self.crs.name} counts towards south or west, which Kardo does not draw.",
                where="Brief, grid",
                mend=_better_within(self.crs),
            )
        self.metres_per_unit = float(self.crs.axis_info[0].unit_conversion_factor)
        self.geodetic = geodetic
        self._beside = BESIDE
        self._to_geodetic = Transformer.from_crs(self.crs, geodetic, always_xy=True)
        self._model = _own(heights, model) if self._stated is None else None
        held = self._model is not None or (self._stated is not None and _is_heights(heights))
        self._geoid, self._height_unit = (None, 1.0) if held else _geoid(heights)

    def with_neighbours(self) -> "Grid":
        """The same grid, taking also what lies in the zone beside it: for coordinates that are to be brought there."""
        wider = copy(self)
        wider._beside = NEIGHBOUR
        return wider

    @property
    def name(self) -> str:
        """What PROJ calls the grid."""
        return str(self.crs.name)

    def to_geodetic(self, e: Floats | float, n: Floats | float) -> tuple[Floats, Floats]:
        """Longitude and latitude (k,) in degrees, on the grid's own datum, from grid metres (k,)."""
        k = self.metres_per_unit
        lon, lat = self._to_geodetic.transform(np.asarray(e) / k, np.asarray(n) / k)
        return np.asarray(lon), np.asarray(lat)

    def from_geodetic(self, lon: Floats | float, lat: Floats | float) -> tuple[Floats, Floats]:
        """Grid metres (k,) from longitude and latitude (k,) in degrees on the grid's own datum."""
        e, n = self._to_geodetic.transform(np.asarray(lon), np.asarray(lat), direction="INVERSE")
        return np.asarray(e) * self.metres_per_unit, np.asarray(n) * self.metres_per_unit

    def to_world(self, e: Floats | float, n: Floats | float) -> tuple[Floats, Floats]:
        """Longitude and latitude (k,) in degrees on WGS 84 from grid metres (k,). Raises GeodesyError where nothing
        leads there."""
        e, n = np.asarray(e), np.asarray(n)
        if not e.size:
            return e, n
        k = self.metres_per_unit
        return self.world_at(e.flat[0], n.flat[0]).there(e / k, n / k)

    def world_at(self, e: float, n: float) -> Transformation:
        """How coordinates near a place in grid metres come to WGS 84."""
        lon, lat = self.to_geodetic(e, n)
        return transformation(self.crs, WGS84, float(lon), float(lat))

    def way_to(self, source: CRS, x: float, y: float) -> Transformation:
        """The best transformation at hand, from grid units to another CRS of maps, near one of its places (x east, y
        north). Raises GeodesyError where nothing leads there, and for a place far from all that the grid is for: PROJ
        would seek a way for a second first."""
        lon, lat = Transformer.from_crs(source, geodetic_of(source), always_xy=True).transform(x, y)
        if math.isfinite(lon) and math.isfinite(lat) and not self._holds(np.asarray(lon), np.asarray(lat), FAR):
            raise self._outside(f"{source.name} places this", float(lon), float(lat), "coordinate system")
        return transformation(self.crs, source, float(lon), float(lat))  # from the grid, so that WGS 84 goes as it came

    def from_other(self, way: Transformation, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Grid metres (k,) from coordinates (x east, y north) of the CRS that a transformation of `way_to` leads to."""
        e, n = way.back(x, y)
        return e * self.metres_per_unit, n * self.metres_per_unit

    def separation(self, e: Floats | float, n: Floats | float) -> Floats:
        """Geoid separation N (k,) in metres (ellipsoidal = height + N) at grid metres (k,); zero where heights are
        ellipsoidal. Raises GeodesyError where the geoid's grid cannot be reached."""
        if self._stated is not None:
            return stated_at(self._stated, np.asarray(e, float), np.asarray(n, float))
        lon, lat = self.to_geodetic(e, n)
        if self._model is not None:
            return self._own_separation(lon, lat)
        if self._geoid is None:
            return np.zeros_like(lon)
        try:
            height = np.asarray(self._geoid.transform(lon, lat, np.zeros_like(lon))[2]) * self._height_unit
        except ProjError as fault:
            raise _no_grid(self.heights) from fault
        if not np.isfinite(height).all():
            raise _no_grid(self.heights)
        return -height

    def _own_separation(self, lon: Floats, lat: Floats) -> Floats:
        assert self._model is not None
        n = separation_in(self._model, lon, lat)
        if not np.isfinite(n).all():
            k = int(np.flatnonzero(~np.isfinite(n))[0])
            raise GeodesyError(
                f"The geoid {height_name(self.heights)} has no value at {lat.flat[k]:.4f}, {lon.flat[k]:.4f}: the plan"
                " holds what lies about its site.",
                where="Brief, heights",
                mend="Take it from its file again, now that the site is here; or choose another height system.",
            )
        return n

    def to_ellipsoidal(self, e: Floats, n: Floats, h: Floats) -> Floats:
        """Ellipsoidal heights (k,) in metres from heights of the job's system at grid metres (k,)."""
        return h + self.separation(e, n)

    def require_inside(self, e: Floats, n: Floats, where: str, brought: bool = False) -> None:
        """Raises GeodesyError when any point (k,), in grid metres, lies outside the area the grid is defined for.
        brought: they came from another system, so that neither unit nor order can be wrong."""
        lon, lat = self.to_geodetic(e, n)
        if not (np.isfinite(lon).all() and np.isfinite(lat).all()):
            raise GeodesyError(
                f"These coordinates cannot exist in {self.name}.",
                where=where,
                mend="Check the grid in the Brief, the unit, and that easting comes before northing.",
            )
        inside = self._holds(lon, lat, self._beside)
        if not inside.all():
            k = int(np.flatnonzero(~inside)[0])
            raise self._outside(f"Point {k + 1} would lie", float(lon.flat[k]), float(lat.flat[k]), where, brought)

    def _holds(self, lon: Floats, lat: Floats, slack: float) -> Bools:
        """Which places (k,) in degrees lie in the area of use, or not farther from it than so many degrees."""
        area = self.crs.area_of_use
        if area is None:
            return np.ones(np.shape(lon), dtype=bool)
        after, before = lon >= area.west - slack, lon <= area.east + slack
        inside_lon = after & before if area.west <= area.east else after | before
        return np.asarray(inside_lon & (lat >= area.south - slack) & (lat <= area.north + slack))

    def _outside(self, what: str, lon: float, lat: float, where: str, brought: bool = False) -> GeodesyError:
        assert self.crs.area_of_use is not None
        mend = ["Check the grid in the Brief, the zone, the unit, and that easting comes before northing."]
        beside = bool(self._holds(np.asarray(lon), np.asarray(lat), NEIGHBOUR))
        if brought or beside:  # which grids are made for a place takes a while to find out
            mend = [*([] if brought else mend), better_grids(round(lon, 1), round(lat, 1))]
        if beside:
            mend.append("They lie in the zone beside: `kardo convert` brings them over.")
        return GeodesyError(
            f"{what} at {lat:.4f}, {lon:.4f}, outside the area of {self.name} ({self.crs.area_of_use.name}).",
            where=where,
            mend=" ".join(mend),
        )

    def require_fit(self, e: float, n: float) -> None:
        """Raises GeodesyError, with grids that are made for the place, where this one does not fit the ground at grid
        metres: far from scale, not conformal, mirrored."""
        lon, lat = (float(v) for v in self.to_geodetic(e, n))
        if fault := fit_at(self.code, round(lon, 3), round(lat, 3)).fault:
            raise GeodesyError(
                f"{self.name} {fault}.", where="Brief, grid", mend=better_grids(round(lon, 1), round(lat, 1))
            )

    def convergence_and_scale(self, e: float, n: float) -> tuple[float, float]:
        """Meridian convergence in radians (grid north east of true north) and point scale factor."""
        lon, lat = self.to_geodetic(e, n)
        factors = pyproj.Proj(self.crs).get_factors(float(lon), float(lat))
        return math.radians(factors.meridian_convergence), float(factors.meridional_scale)

    def combined_factor(self, e: float, n: float, h: float) -> float:
        """Grid distance over ground distance: point scale times the ellipsoid's R / (R + h)."""
        _, lat = self.to_geodetic(e, n)
        ellipsoid = self.geodetic.ellipsoid
        assert ellipsoid is not None
        a, b = ellipsoid.semi_major_metre, ellipsoid.semi_minor_metre
        s, c = math.sin(math.radians(float(lat))), math.cos(math.radians(float(lat)))
        w2 = (a * c) ** 2 + (b * s) ** 2
        radius = math.sqrt((a * a / math.sqrt(w2)) * ((a * b) ** 2 / w2**1.5))
        return self.convergence_and_scale(e, n)[1] * radius / (radius + h + float(self.separation(e, n)))


@lru_cache(maxsize=64)
def grid(code: str, heights: str, model: GeoidGrid | None = None, stated: Stated | None = None) -> Grid:
    """The grid of a job, kept: PROJ pipelines are slow to build."""
    return Grid(code, heights, model, stated)


def _is_heights(heights: str) -> bool:
    """Whether a height system is one of the database's, and upright. Raises GeodesyError for one that is none."""
    try:
        vertical = CRS.from_user_input(heights)
    except CRSError as fault:
        raise _no_grid(heights) from fault
    if not vertical.is_vertical or how_to_bring(heights) == DEPTH:
        raise _no_grid(heights)
    return True


def _own(heights: str, model: GeoidGrid | None) -> GeoidGrid | None:
    """The geoid model of one's own that a height system stands on. Raises GeodesyError where it is not at hand."""
    if not heights.startswith(OWN):
        return None
    if model is None:
        raise GeodesyError(
            f"Heights above {height_name(heights)} are known only in a job that holds this geoid.",
            where="heights",
            mend="Take the geoid from its file in the Brief, or give ellipsoidal heights.",
        )
    return model


def _geoid(heights: str) -> tuple[Transformer | None, float]:
    """What leads from ellipsoidal heights to those of a system, and the metres of its unit."""
    if heights == ELLIPSOIDAL:
        return None, 1.0
    try:
        vertical = CRS.from_user_input(heights)
        if not vertical.is_vertical:
            raise CRSError(f"{heights} is not vertical")
        if how_to_bring(heights):
            raise CRSError(f"{heights} cannot be reached")
        compound = CRS(f"EPSG:4326+{vertical.to_epsg()}")
        way = Transformer.from_crs(CRS(4979), compound, always_xy=True, allow_ballpark=False, only_best=True)
        return way, float(vertical.axis_info[0].unit_conversion_factor)
    except (CRSError, ProjError) as fault:
        raise _no_grid(heights) from fault


def _better_within(crs: CRS) -> str:
    """Grids for the middle of what another is made for, also where that lies across the 180th meridian."""
    area = crs.area_of_use
    if area is None:
        return "Choose a grid that counts east and north."
    lon = area.west + (area.east - area.west) % 360 / 2
    return better_grids(round((lon + 180) % 360 - 180, 1), round((area.south + area.north) / 2, 1))


def _no_grid(heights: str) -> GeodesyError:
    return GeodesyError(
        f"Height system {heights} cannot be reached on this machine{_why(heights)}.",
        where="Brief, heights",
        mend=(
            "State its separation in the Brief, or bring its geoid there under geoids of your own; or choose EGM96"
            " height (EPSG:5773) or ellipsoidal heights."
        ),
    )


def _why(heights: str) -> str:
    try:
        missing = how_to_bring(heights)
    except CRSError:
        return ""
    return f": {missing.partition(':')[0]}" if missing else ""  # what mends it is told beside


def height_name(heights: str) -> str:
    """What to call the height system on screen."""
    if heights.startswith(OWN):
        return heights.removeprefix(OWN)
    return "ellipsoidal" if heights == ELLIPSOIDAL else str(CRS.from_user_input(heights).name)
