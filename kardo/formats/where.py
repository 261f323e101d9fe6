"""Where a job is, from whatever is at hand: a coordinate, a list, an outline, a terrain. It is asked before there is a
grid."""

from dataclasses import dataclass

import numpy as np
from pyproj import CRS, Transformer
from pyproj.exceptions import CRSError, ProjError

from kardo.core.errors import GeodesyError, ReadError
from kardo.core.geodesy.transformations import WGS84, geodetic_of, transformation
from kardo.formats.boundary import outlines_of
from kardo.formats.cells import decoded
from kardo.formats.coordinates import Option, read_places
from kardo.formats.map.reading import is_map_file, read_map_file
from kardo.formats.map.things import MapFile
from kardo.formats.raster import MAGIC, place_of


@dataclass(frozen=True)
class Where:
    """A place in degrees on WGS 84, how it was read, the ways it can be read where there are several, the code of the
    projected system that the file itself is in (empty where there is none), and whether it holds an outline that can be
    a boundary."""

    lon: float
    lat: float
    how: tuple[str, ...]
    options: tuple[Option, ...] = ()
    crs: str = ""
    outline: bool = False


def read_where(data: bytes, name: str, chosen: str = "") -> Where:
    """The place that a file or a pasted text tells. Raises ReadError, GeodesyError."""
    if data[:4] in MAGIC:
        source, x, y = place_of(data)
        return _in(source, x, y, [f"The middle of a GeoTIFF in {source.name}."], outline=False)
    if is_map_file(data):
        return _of_map(read_map_file(data, name))
    text, _ = decoded(data, name)
    try:
        places, how, options = read_places(text, chosen)
    except (ReadError, GeodesyError) as fault:
        raise ReadError(
            "No latitude and longitude can be read here.",
            where=fault.where or "where",
            mend=(
                "Coordinates of a grid do not say which grid: search for it by name, country or code, or give one place"
                " in latitude and longitude."
            ),
        ) from fault
    lon, lat = np.mean(places, axis=0)
    return Where(float(lon), float(lat), tuple(how), tuple(options), outline=len(places) > 2)


def _of_map(found: MapFile) -> Where:
    """The middle of a file's first outline, or of its points."""
    if found.source is None:
        raise ReadError(
            "The file names no coordinate system, so that it does not say where it is.",
            where="where",
            mend="Choose the job's grid first; Site takes the file then.",
        )
    outlines = outlines_of(found.things)
    places = outlines[0].vertices if outlines else [t.vertices[0] for t in found.things]
    x, y = np.mean(places, axis=0)
    return _in(found.source, float(x), float(y), list(found.how), outline=bool(outlines))


def _in(source: CRS, x: float, y: float, how: list[str], outline: bool) -> Where:
    """A place of a CRS, on WGS 84."""
    geodetic = geodetic_of(source)
    try:
        lon, lat = Transformer.from_crs(source, geodetic, always_xy=True).transform(x, y)
        lon, lat = transformation(source, WGS84, float(lon), float(lat)).there(x, y)
        number = source.to_epsg() if source.is_projected else None
    except (CRSError, ProjError) as fault:
        raise ReadError(
            "The file's place cannot be told.", where="coordinate system", mend="Export it again."
        ) from fault
    if not (abs(lon) <= 180 and abs(lat) <= 90):
        raise ReadError(
            f"The file's coordinates are none of {source.name}.", where="coordinates", mend="Export it again."
        )
    return Where(
        lon=float(lon),
        lat=float(lat),
        how=tuple(how),
        options=(),
        crs=f"EPSG:{number}" if number else "",
        outline=outline,
    )
