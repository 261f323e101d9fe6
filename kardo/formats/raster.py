"""Terrain from and to GeoTIFF."""

import math
from dataclasses import dataclass

import numpy as np
import rasterio
from pyproj import CRS
from rasterio.enums import Resampling
from rasterio.errors import RasterioError
from rasterio.io import MemoryFile
from rasterio.transform import Affine, from_origin
from rasterio.vrt import WarpedVRT

from kardo.core.errors import GeodesyError, ReadError
from kardo.core.geodesy.crs import ELLIPSOIDAL, Grid
from kardo.core.geodesy.crs import grid as grid_of
from kardo.core.terrain.surface import Surface

MAX_BYTES, MAX_PIXELS, MAX_NODES = 200_000_000, 400_000_000, 250_000
FEET = {"ft": 0.3048, "foot": 0.3048, "us-ft": 1200 / 3937, "us survey foot": 1200 / 3937, "ftus": 1200 / 3937}


@dataclass(frozen=True)
class TerrainReading:
    """A surface in the job's grid and height system, and in words how it was read."""

    surface: Surface
    how: tuple[str, ...]


def read_terrain(
    data: bytes, grid: Grid, heights: str, around: tuple[float, float, float, float] | None
) -> TerrainReading:
    """Read a GeoTIFF of heights into the job's grid. heights: the height system the file is in; around: the part wanted
    (west, south, east, north in grid metres). Raises ReadError."""
    if len(data) > MAX_BYTES:
        raise ReadError("The file is larger than 200 MB.", mend="Cut it to the site.")
    if data[:4] not in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        raise ReadError("This is not a GeoTIFF, whatever its name.", mend="Export the terrain as GeoTIFF.")
    try:
        with (
            rasterio.Env(GDAL_DISABLE_READDIR_ON_OPEN="EMPTY_DIR", GDAL_HTTP_MAX_RETRY="0"),
            MemoryFile(data) as memory,
            memory.open(driver="GTiff") as source,
        ):
            return _read(source, grid, heights, around)
    except RasterioError as fault:
        raise ReadError(f"The GeoTIFF cannot be read ({fault}).", mend="Export it again.") from fault


def _read(source, grid: Grid, heights: str, around) -> TerrainReading:
    if source.crs is None:
        raise ReadError("The GeoTIFF names no coordinate system.", mend="Export it with its coordinate system.")
    if source.width * source.height > MAX_PIXELS:
        raise ReadError(
            f"The GeoTIFF has {source.width} by {source.height} pixels, too many.",
            mend="Cut it to the site or lower its resolution.",
        )
    if source.count != 1:
        raise ReadError(
            f"The GeoTIFF has {source.count} bands; a terrain has one.", mend="Give a height model, not a picture."
        )
    declared = CRS.from_user_input(source.crs.to_wkt())
    vertical = next((c for c in declared.sub_crs_list if c.is_vertical), None)
    if vertical is not None:
        _require_same_system(vertical, heights)
    horizontal = CRS.from_wkt(grid.crs.to_wkt())
    with WarpedVRT(source, crs=horizontal.to_wkt(), resampling=Resampling.bilinear) as warped:
        surface = _sample(warped, grid, around)
    values = surface.heights * FEET.get((source.units[0] or "").casefold(), 1.0)
    how = [f"GeoTIFF in {declared.name}, {source.width} by {source.height} pixels, taken at {surface.step:.1f} m."]
    if heights != grid.heights:
        values, said = _convert(Surface(surface.e0, surface.n0, surface.step, values), grid, heights)
        how.append(said)
    if np.isnan(values).all():
        raise ReadError("The GeoTIFF has no heights over the site.", mend="Check that it covers the site.")
    low, high = float(np.nanmin(values)), float(np.nanmax(values))
    if low < -1000 or high > 9500:
        raise ReadError(
            f"Heights run from {low:.0f} to {high:.0f} m: these are not heights in metres.",
            mend="Check the file's unit and its mark for empty pixels.",
        )
    how.append(f"Heights from {low:.2f} to {high:.2f} m.")
    return TerrainReading(Surface(surface.e0, surface.n0, surface.step, values), tuple(how))


def _require_same_system(vertical: CRS, heights: str) -> None:
    """The file says which heights it holds; it must agree with what the user says."""
    code = f"EPSG:{vertical.to_epsg()}" if vertical.to_epsg() else vertical.name
    if heights == ELLIPSOIDAL or (vertical.to_epsg() and code != heights):
        raise ReadError(
            f"The file says its heights are {vertical.name}, not {'ellipsoidal' if heights == ELLIPSOIDAL else heights}.",
            where="the terrain's heights",
            mend=f"Choose {vertical.name} as the file's height system.",
        )


def _sample(warped, grid: Grid, around) -> Surface:
    k = grid.metres_per_unit
    west, south, east, north = (v * k for v in warped.bounds)
    if around:
        west, south, east, north = (
            max(west, around[0]),
            max(south, around[1]),
            min(east, around[2]),
            min(north, around[3]),
        )
    if west >= east or south >= north:
        raise ReadError(
            "The GeoTIFF does not cover the site.",
            where="the terrain",
            mend="Check its coordinate system, or the job's grid.",
        )
    pixel = min(abs(warped.transform.a), abs(warped.transform.e)) * k
    step = max(pixel, math.sqrt((east - west) * (north - south) / MAX_NODES))
    cols, rows = int((east - west) / step), int((north - south) / step)
    if rows < 2 or cols < 2:
        raise ReadError("The GeoTIFF has fewer than two pixels over the site.", mend="Give a finer terrain.")
    window = rasterio.windows.from_bounds(
        west / k, (north - rows * step) / k, (west + cols * step) / k, north / k, warped.transform
    )
    data = warped.read(
        1, window=window, out_shape=(rows, cols), resampling=Resampling.bilinear, masked=True, boundless=False
    )
    values = np.ma.filled(data.astype(float), np.nan)[::-1]
    return Surface(west + step / 2, north - rows * step + step / 2, step, np.round(values, 3))


def _convert(surface: Surface, grid: Grid, heights: str):
    """Heights of another system into the job's, by the two geoid separations."""
    rows, cols = surface.heights.shape
    e, n = np.meshgrid(surface.e0 + surface.step * np.arange(cols), surface.n0 + surface.step * np.arange(rows))
    try:
        source = grid_of(grid.code, heights)
        shift = source.separation(e.ravel(), n.ravel()) - grid.separation(e.ravel(), n.ravel())
    except GeodesyError as fault:
        raise ReadError(fault.what, where="the terrain's heights", mend=fault.mend) from fault
    return surface.heights + shift.reshape(
        rows, cols
    ), f"Heights converted to the job's system ({np.mean(shift):+.2f} m on average)."


def write_terrain(surface: Surface, crs: str) -> bytes:
    """A GeoTIFF of a surface in a metric grid."""
    rows, cols = surface.heights.shape
    transform: Affine = from_origin(
        surface.e0 - surface.step / 2, surface.n0 + (rows - 0.5) * surface.step, surface.step, surface.step
    )
    with MemoryFile() as memory:
        with memory.open(
            driver="GTiff",
            width=cols,
            height=rows,
            count=1,
            dtype="float32",
            crs=crs,
            transform=transform,
            nodata=-9999,
            compress="deflate",
        ) as out:
            out.write(np.nan_to_num(surface.heights[::-1], nan=-9999).astype("float32"), 1)
        return bytes(memory.read())
