"""How a grid lies on the ground at a place: what makes it fit for planning, or not."""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from pyproj import CRS, Transformer
from pyproj.exceptions import ProjError

MOST_SCALE = 0.005  # of a length, by which grid and ellipsoid may differ: a country in one zone reaches 0.003
MOST_STRETCH = (
    1e-4  # by which the scale may differ between directions: a Cassini grid reaches it 90 km from its meridian
)
STEP = 1e-4  # degrees over which the scale is measured, some ten metres


@dataclass(frozen=True)
class Fit:
    """Grid lengths over ellipsoid lengths at a place, by how much of it that differs between directions, whether the
    grid is a mirror image of the ground, and where on it the place lies, in metres."""

    scale: float
    stretch: float
    mirrored: bool
    at: tuple[float, float]

    @property
    def fault(self) -> str:
        """What makes the grid unfit, as the rest of a sentence that its name begins; empty where it fits."""
        if not math.isfinite(self.scale):
            return "does not reach this place"
        if self.mirrored:
            return "is a mirror image of the ground here"
        if abs(self.scale - 1) > MOST_SCALE:
            return (
                f"makes lengths {100 * abs(self.scale - 1):.1f} % {'longer' if self.scale > 1 else 'shorter'} than they"
                " are here"
            )
        if self.stretch > MOST_STRETCH:
            return f"does not keep angles here: lengths differ by {100 * self.stretch:.2f} % between directions"
        return ""


NOWHERE = Fit(math.nan, math.nan, False, (math.nan, math.nan))


@lru_cache(maxsize=1024)
def fit_at(code: str, lon: float, lat: float) -> Fit:
    """Of a projected system of PROJ's database, or as PROJ reads it, at a place in degrees on its own datum. Measured
    over a few metres, not asked of the projection: a web map's says that it keeps angles, on a sphere that the earth is
    not. Source: Snyder, Map projections: a working manual (1987), chapter 4."""
    crs = CRS.from_user_input(code)
    geodetic = crs.geodetic_crs
    assert geodetic is not None and geodetic.ellipsoid is not None
    unit = float(crs.axis_info[0].unit_conversion_factor)
    a, b = geodetic.ellipsoid.semi_major_metre, geodetic.ellipsoid.semi_minor_metre
    s, c = math.sin(math.radians(lat)), math.cos(math.radians(lat))
    w = math.sqrt((a * c) ** 2 + (b * s) ** 2)
    east, north = a * a / w * c, (a * b) ** 2 / w**3  # metres a radian: prime vertical times cos, meridian
    try:
        way = Transformer.from_crs(geodetic, crs, always_xy=True)
    except ProjError:
        return NOWHERE  # of some that the database holds PROJ has no formula
    e, n = map(np.asarray, way.transform([lon - STEP, lon + STEP, lon, lon], [lat, lat, lat - STEP, lat + STEP]))
    if not (np.isfinite(e).all() and np.isfinite(n).all()):
        return NOWHERE
    across, along = 2 * math.radians(STEP) * east, 2 * math.radians(STEP) * north
    jacobian = unit * np.array([[(v[1] - v[0]) / across, (v[3] - v[2]) / along] for v in (e, n)])
    major, minor = np.linalg.svd(jacobian, compute_uv=False)
    mirrored = bool(np.linalg.det(jacobian) < 0)
    return Fit(math.sqrt(major * minor), major / minor - 1, mirrored, (unit * float(e.mean()), unit * float(n.mean())))


def counts_backwards(crs: CRS) -> bool:
    """Whether a projected system counts towards west, or towards south: as some national grids do. (About the north
    pole every way is south, and both axes say so.)"""
    directions = [str(axis.direction).casefold() for axis in crs.axis_info]
    return "west" in directions or directions.count("south") == 1
