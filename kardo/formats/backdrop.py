"""A picture of the site: a GeoTIFF in colours, or a picture with its world file; brought into the job's grid, north
up."""

import hashlib
import io
import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import rasterio
from PIL import Image
from pyproj import CRS
from rasterio.enums import Resampling
from rasterio.io import MemoryFile
from rasterio.transform import Affine
from rasterio.vrt import WarpedVRT

from kardo.core.errors import GeodesyError, ReadError
from kardo.core.geodesy.crs import Grid
from kardo.formats.picture import picture_kind
from kardo.formats.raster import FAULTS, MAGIC

MAX_BYTES = 200_000_000
MOST_SIDE, MOST_PIXELS = 3000, 400_000_000  # pixels along the side that is kept, and of a file that is opened
QUALITY = 82  # of the JPEG that is kept
ABOUT = 500.0  # metres about the site that are kept


@dataclass(frozen=True)
class BackdropReading:
    """The picture as JPEG with its digest; west, south, east, north in grid metres; and in words how it was read."""

    jpeg: bytes
    digest: str
    extent: tuple[float, float, float, float]
    how: tuple[str, ...]


Box = tuple[float, float, float, float]


def read_backdrop(data: bytes, name: str, world: str, grid: Grid, around: Box | None) -> BackdropReading:
    """Read a picture into the job's grid. world: the text of its world file, empty where the picture is a GeoTIFF; its
    figures are taken as of the job's own grid, in the grid's unit. around: the part that is kept, grid metres. Raises
    ReadError, GeodesyError."""
    if len(data) > MAX_BYTES:
        raise ReadError("The picture is larger than 200 MB.", mend="Cut it to the site.")
    try:
        with rasterio.Env(GDAL_DISABLE_READDIR_ON_OPEN="EMPTY_DIR", GDAL_HTTP_MAX_RETRY="0", GDAL_CACHEMAX=64):
            if world:
                return _of_world_file(data, name, world, grid, around)
            if data[:4] not in MAGIC:
                raise ReadError(
                    "This picture says nothing of where it lies.",
                    where=name,
                    mend="Bring its world file with it (.jgw, .pgw, .tfw), or export it as GeoTIFF.",
                )
            with MemoryFile(data) as memory, memory.open(driver="GTiff") as source:
                if source.crs is None:
                    raise ReadError("The GeoTIFF names no coordinate system.", mend="Export it with its system.")
                return _kept(
                    source,
                    CRS.from_user_input(source.crs.to_wkt()),
                    grid,
                    around,
                    f"GeoTIFF, {source.width} by {source.height} pixels.",
                )
    except FAULTS as fault:
        raise ReadError(f"The picture cannot be read ({ascii(str(fault))[1:100]}).", mend="Export it again.") from fault


def _of_world_file(data: bytes, name: str, world: str, grid: Grid, around: Box | None) -> BackdropReading:
    """A picture whose place is told beside it: six figures, a line each, of the upper left pixel's middle."""
    if data[:4] not in MAGIC:
        picture_kind(data[:12_000_000] if len(data) <= 12_000_000 else data)
    figures = world.replace(",", ".").split()
    try:
        a, d, b, e, c, f = (float(v) for v in figures)
    except ValueError:
        raise ReadError(
            "A world file is six figures, a line each.", where="the world file", mend="Bring the one of this picture."
        ) from None
    k = grid.metres_per_unit
    place = Affine(a, b, c - (a + b) / 2, d, e, f - (d + e) / 2)
    if not all(map(math.isfinite, place[:6])) or abs(place.determinant) < 1e-12:
        raise ReadError("The world file gives the picture no place.", where="the world file", mend="Export it again.")
    driver = "GTiff" if data[:4] in MAGIC else None
    allowed = {"driver": driver} if driver else {"driver": ["JPEG", "PNG"]}
    with MemoryFile(data) as memory, memory.open(**allowed) as found:
        if found.width * found.height > MOST_PIXELS:
            raise _too_large(found.width, found.height)
        pixels = found.read()
        profile = {
            "driver": "GTiff",
            "count": found.count,
            "width": found.width,
            "height": found.height,
            "dtype": pixels.dtype,
        }
        with MemoryFile() as placed:
            with placed.open(**profile, crs=grid.crs.to_wkt(), transform=place) as out:
                out.write(pixels)
            with placed.open() as source:
                how = (
                    f"Picture of {found.width} by {found.height} pixels, its world file taken as of {grid.name}, in"
                    f" units of {k:g} m."
                )
                return _kept(source, grid.crs, grid, around, how)


def _too_large(width: int, height: int) -> ReadError:
    return ReadError(f"The picture has {width} by {height} pixels, too many.", mend="Cut it to the site.")


def _kept(source: Any, declared: CRS, grid: Grid, around: Box | None, how: str) -> BackdropReading:
    if source.width * source.height > MOST_PIXELS:
        raise _too_large(source.width, source.height)
    if (
        source.count not in (1, 3, 4)
        or np.dtype(source.dtypes[0]).kind != "u"
        or np.dtype(source.dtypes[0]).itemsize > 2
    ):
        raise ReadError(
            f"This is no picture: {source.count} bands of {source.dtypes[0]}.",
            mend="Heights belong under boundary and ground.",
        )
    flat = declared.sub_crs_list[0] if declared.is_compound else declared
    same = flat.equals(grid.crs, ignore_axis_order=True)
    k = grid.metres_per_unit
    with WarpedVRT(
        source, crs=grid.crs.to_wkt(), resampling=Resampling.bilinear, add_alpha=source.count != 4, warp_mem_limit=64
    ) as warped:
        west, south, east, north = (v * k for v in warped.bounds)
        if around is not None:
            west, south = max(west, around[0]), max(south, around[1])
            east, north = min(east, around[2]), min(north, around[3])
        if west >= east or south >= north:
            raise GeodesyError(
                "The picture does not lie about the site.",
                where="the picture",
                mend="Check its system, or the job's grid.",
            )
        window = rasterio.windows.from_bounds(west / k, south / k, east / k, north / k, warped.transform)
        shrink = max(1.0, max(window.width, window.height) / MOST_SIDE)
        shape = max(1, round(window.height / shrink)), max(1, round(window.width / shrink))
        pixels = warped.read(window=window, out_shape=(warped.count, *shape), boundless=False)
    jpeg = _jpeg(pixels)
    told = [how, f"Kept at {(east - west) / shape[1]:.2f} m a pixel."]
    if not same:
        told.append(f"Brought from {flat.name}; a picture is to be looked at, not measured in.")
    return BackdropReading(jpeg, hashlib.sha256(jpeg).hexdigest(), (west, south, east, north), tuple(told))


def _jpeg(pixels: np.ndarray) -> bytes:
    """Bands and a mask as a JPEG, white where there is nothing; deeper bands stretched to their middle 96 %."""
    *bands, mask = pixels
    seen = mask > 0
    if not seen.any():
        raise ReadError("The picture shows nothing about the site.", mend="Check that it covers the site.")
    if pixels.dtype != np.uint8:
        low, high = np.percentile(np.array(bands)[:, seen], (2, 98))
        bands = [np.clip((b.astype(float) - low) / max(high - low, 1.0) * 255, 0, 255) for b in bands]
    colours = [np.where(seen, b, 255).astype(np.uint8) for b in (bands if len(bands) == 3 else [bands[0]] * 3)]
    out = io.BytesIO()
    Image.fromarray(np.stack(colours, axis=-1)).save(out, "JPEG", quality=QUALITY, optimize=True)
    return out.getvalue()
