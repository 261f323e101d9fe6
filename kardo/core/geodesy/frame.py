"""The local east-north-up frame in which the network is computed, with its origin at the site."""

import numpy as np
from pyproj import Transformer

from kardo.core.arrays import Floats
from kardo.core.geodesy.crs import Grid


def _shape(grid: Grid) -> str:
    """The ellipsoid of a grid's datum as PROJ's operations have it."""
    ellipsoid = grid.geodetic.ellipsoid
    assert ellipsoid is not None
    return f"+a={ellipsoid.semi_major_metre!r} +rf={ellipsoid.inverse_flattening!r}"


def from_grid(convergence: float) -> Floats:
    """(3, 3): from grid axes to true east, north and up. convergence in radians: grid north as seen from true north,
    clockwise."""
    c, s = np.cos(convergence), np.sin(convergence)
    return np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])


class LocalFrame:
    """Topocentric ENU at a grid position (metres) and height; a rigid frame, so distances are true.

    Source: PROJ's cart and topocentric operations (IOGP Guidance Note 7-2, methods 9602 and 9837)."""

    def __init__(self, grid: Grid, e: float, n: float, h: float) -> None:
        self.grid = grid
        lon, lat = grid.to_geodetic(e, n)
        up = h + float(grid.separation(e, n))
        shape = _shape(grid)
        self._pipeline = Transformer.from_pipeline(
            f"+proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=cart {shape} "
            f"+step +proj=topocentric {shape} +lon_0={float(lon)!r} +lat_0={float(lat)!r} +h_0={up!r}"
        )
        self.convergence, self.scale = grid.convergence_and_scale(e, n)

    def to_enu(self, e: Floats, n: Floats, h: Floats) -> Floats:
        """(k, 3) ENU metres from grid metres and heights of the job's system."""
        lon, lat = self.grid.to_geodetic(e, n)
        return np.stack(self._pipeline.transform(lon, lat, self.grid.to_ellipsoidal(e, n, np.asarray(h))), axis=-1)

    def from_enu(self, enu: Floats) -> tuple[Floats, Floats, Floats]:
        """Grid metres and heights of the job's system from ENU."""
        lon, lat, up = self._pipeline.transform(enu[:, 0], enu[:, 1], enu[:, 2], direction="INVERSE")
        e, n = self.grid.from_geodetic(lon, lat)
        return e, n, np.asarray(up) - self.grid.separation(e, n)
