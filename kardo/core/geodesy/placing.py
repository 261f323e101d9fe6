"""A position in space, in a system of its own and at a year, brought to a job's grid."""

from dataclasses import dataclass

import numpy as np
from pyproj.exceptions import ProjError

from kardo.core.errors import GeodesyError
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.transformations import spatial


@dataclass(frozen=True)
class Placed:
    """Degrees on the grid's datum, grid metres and a height in the job's system; how it came there."""

    lat: float
    lon: float
    e: float
    n: float
    h: float
    words: str


def placed(grid: Grid, crs: str, epoch: float, xyz: tuple[float, float, float], where: str) -> Placed:
    """A position (earth-centred metres in a system by code, at a year) in a grid. Raises GeodesyError, naming where,
    where PROJ knows no way whose accuracy it knows, and for a place that the grid does not hold."""
    way = spatial(crs, grid.geodetic.to_wkt())
    if way is None:
        raise GeodesyError(
            f"Nothing with a known accuracy leads from {crs} to {grid.geodetic.name}.",
            where=where,
            mend="Ask for the position on the job's own datum.",
        )
    try:
        lon, lat, up, _ = (float(v) for v in way.transform(*xyz, epoch, errcheck=True))
    except ProjError as fault:
        raise GeodesyError("This position is none on the earth.", where=where, mend="Ask for it again.") from fault
    e, n = (float(v) for v in grid.from_geodetic(lon, lat))
    grid.require_inside(np.array([e]), np.array([n]), where)
    words = f"From {crs} at {epoch:g} by {way.description}, good to {way.accuracy:g} m."
    return Placed(lat=lat, lon=lon, e=e, n=n, h=up - float(grid.separation(e, n)), words=words)
