"""Terrain from and to GeoTIFF."""

import math
import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import rasterio
from pyproj import CRS
from pyproj.exceptions import CRSError, ProjError
from rasterio._err import CPLE_BaseError  # what GDAL itself raises has no public name
from rasterio.enums import Resampling
from rasterio.errors import RasterioError
from rasterio.io import MemoryFile
from rasterio.transform import Affine, from_origin
from rasterio.vrt import WarpedVRT

from kardo.core.arrays import Floats
from kardo.core.errors import GeodesyError, ReadError
from kardo.core.geodesy.crs import Grid
from kardo.core.geodesy.crs import grid as grid_of
from kardo.core.geodesy.systems import ELLIPSOIDAL
from kardo.core.geodesy.transformations import Transformation, geodetic_of
from kardo.core.geodesy.units import UNITS, UnitId
from kardo.core.terrain.surface import Surface

MAX_BYTES, MAX_UNPACKED, MAX_BLOCK, MAX_NODES = 200_000_000, 256_000_000, 64_000_000, 250_000
MAGIC = (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")
SCANNED = 1000  # rows and columns looked at for values that are no heights
LOWEST, HIGHEST = -1000.0, 9500.0  # metres: beyond, nothing on land is
ZEROS = 0.001  # share of values of exactly 0 from which they are asked about
METRES = {key: float(unit.metres) for key, unit in UNITS.items()}
SPELLED = {
    "m": {"m", "metre", "metres", "meter", "meters"},
    "ft": {"ft", "foot", "feet", "international foot", "international feet", "foot (international)"},
    "us-ft": {
        "us-ft",
        "usft",
        "ftus",
        "us foot",
        "us feet",
        "us survey foot",
        "us survey feet",
        "foot us",
        "survey foot",
    },
    "ind-ft": {"ind-ft", "indian foot", "indian feet", "indian foot (1937)"},
}
FAULTS = (RasterioError, CPLE_BaseError, CRSError, ProjError, ValueError, ArithmeticError)


@dataclass(frozen=True)
class TerrainReading:
    """A surface in the job's grid and height system, and in words how it was read."""

    surface: Surface
    how: tuple[str, ...]


@dataclass(frozen=True)
class TerrainChoices:
    """What the user says of a file: the height system it is in, the unit of its heights (empty: what the file says),
    what heights of exactly 0 are where many are, and whether an approximate transformation is good enough (both empty:
    ask)."""

    heights: str
    unit: Literal[""] | UnitId = ""
    zeros: Literal["", "gaps", "heights"] = ""
    approximate: Literal["", "accept"] = ""


def read_terrain(
    data: bytes, grid: Grid, said: TerrainChoices, around: tuple[float, float, float, float] | None
) -> TerrainReading:
    """Read a GeoTIFF of heights into the job's grid; around: the part wanted (west, south, east, north in grid metres).
    What the file leaves open is asked for, never taken; what it does not cover is a gap. Raises ReadError."""
    if len(data) > MAX_BYTES:
        raise ReadError("The file is larger than 200 MB.", mend="Cut it to the site.")
    if data[:4] not in MAGIC:
        raise ReadError("This is not a GeoTIFF, whatever its name.", mend="Export the terrain as GeoTIFF.")
    with opened(data) as source:
        return _read(source, grid, said, around)


def place_of(data: bytes) -> tuple[CRS, float, float]:
    """The coordinate system of a GeoTIFF, and the middle of it (x east, y north). Raises ReadError."""
    if len(data) > MAX_BYTES:
        raise ReadError("The file is larger than 200 MB.", mend="Cut it to the site.")
    with opened(data) as source:
        return _flat(_require_sound(source)), *source.transform @ (source.width / 2, source.height / 2)


@contextmanager
def opened(data: bytes) -> Iterator[Any]:
    """A GeoTIFF in memory; what goes wrong in reading it is a ReadError."""
    try:
        with (
            rasterio.Env(GDAL_DISABLE_READDIR_ON_OPEN="EMPTY_DIR", GDAL_HTTP_MAX_RETRY="0", GDAL_CACHEMAX=64),
            MemoryFile(data) as memory,
            memory.open(driver="GTiff") as source,
        ):
            yield source
    except FAULTS as fault:
        raise ReadError(f"The GeoTIFF cannot be read ({_plainly(fault)}).", mend="Export it again.") from fault


def _plainly(fault: Exception) -> str:
    return ascii(str(fault))[1:121] or type(fault).__name__


def _read(source: Any, grid: Grid, said: TerrainChoices, around: "Box | None") -> TerrainReading:
    declared = _require_sound(source)
    vertical = next((c for c in declared.sub_crs_list if c.is_vertical), None)
    if vertical is not None:
        _require_same_system(vertical, said.heights)
    unit = _unit(source, vertical, said)
    scale, offset = source.scales[0] * METRES[unit], source.offsets[0] * METRES[unit]
    void, how = _void(source, scale, offset, said)
    upright = {"resampling": Resampling.bilinear, "src_nodata": void, "nodata": math.nan, "dtype": "float64"}
    with WarpedVRT(source, warp_mem_limit=64, **upright) as warped:
        surface, told = _into(grid, warped, _flat(declared), said, around)
    values = surface.heights * scale + offset
    how = [
        f"GeoTIFF in {declared.name}, {source.width} by {source.height} pixels, taken at {surface.step:.1f} m.",
        f"Heights in {UNITS[unit].plural}{'' if said.unit else ', as the file says'}.",
        *told,
        *how,
    ]
    if source.scales[0] != 1 or source.offsets[0] != 0:
        how.append(f"Each value times {source.scales[0]:g}, plus {source.offsets[0]:g}, as the file says.")
    if said.heights != grid.heights:
        values, converted = _convert(Surface(surface.e0, surface.n0, surface.step, values), grid, said.heights)
        how.append(converted)
    if np.isnan(values).all():
        raise ReadError("The GeoTIFF has no heights over the site.", mend="Check that it covers the site.")
    low, high = float(np.nanmin(values)), float(np.nanmax(values))
    if low < LOWEST or high > HIGHEST:
        raise _no_heights(low, high)
    how.append(f"Heights from {low:.2f} to {high:.2f} m.")
    values = np.round(values, 3)
    return TerrainReading(Surface(surface.e0, surface.n0, surface.step, values), tuple(how))


def _require_sound(source: Any) -> CRS:
    """The file's coordinate system, once it is one that ground can lie in, and the rest of the file can be read
    safely."""
    if source.crs is None:
        raise ReadError("The GeoTIFF names no coordinate system.", mend="Export it with its coordinate system.")
    each = np.dtype(source.dtypes[0]).itemsize
    block_rows, block_cols = source.block_shapes[0]
    if source.width * source.height * each > MAX_UNPACKED or block_rows * block_cols * each > MAX_BLOCK:
        raise ReadError(
            f"The GeoTIFF has {source.width} by {source.height} pixels, too many.",
            mend="Cut it to the site or lower its resolution, and export it in tiles.",
        )
    if source.count != 1:
        raise ReadError(
            f"The GeoTIFF has {source.count} bands; a terrain has one.", mend="Give a height model, not a picture."
        )
    if np.dtype(source.dtypes[0]).kind not in "iuf":
        raise ReadError("The GeoTIFF holds no plain numbers.", mend="Export the heights as 32-bit floats.")
    t = source.transform
    if t.is_identity or not (math.isfinite(sum(abs(v) for v in t[:6])) and abs(t.determinant) > 0):
        raise ReadError("The GeoTIFF's pixels have no place on the ground.", mend="Export it again.")
    declared = CRS.from_user_input(source.crs.to_wkt())
    geodetic_of(_flat(declared))  # raises for one that no map is in
    return declared


def _flat(declared: CRS) -> CRS:
    return declared.sub_crs_list[0] if declared.is_compound else declared


def _unit(source: Any, vertical: CRS | None, said: TerrainChoices) -> str:
    """The unit of the heights: as the user says, or as the file does. Raises ReadError where neither does, or the file
    in a word that is not known."""
    if said.unit:
        return said.unit
    words = [source.units[0] or "", vertical.axis_info[0].unit_name if vertical is not None else ""]
    found = {unit_named(word) for word in words if word.strip()}
    if len(found) != 1 or None in found:
        stated = " and ".join(f"“{ascii(w)[1:41]}”" for w in words if w.strip())
        raise ReadError(
            (
                f"The file says its heights are in {stated}."
                if stated
                else "The file does not say whether its heights are metres or feet."
            ),
            where="the unit of the heights",
            mend="Choose the unit beside the file and read it again.",
        )
    return str(found.pop())


def unit_named(word: str) -> str | None:
    plain = re.sub(r"[\s_-]+", " ", word.casefold()).strip()
    return next((unit for unit, ways in SPELLED.items() if plain in ways or word.casefold().strip() in ways), None)


def _void(source: Any, scale: float, offset: float, said: TerrainChoices) -> tuple[float | None, list[str]]:
    """The value that marks pixels without a height, and what is said of it: the file's own, or the one value that can
    be none; asked about where it could be. Raises ReadError."""
    shape = (min(source.height, SCANNED), min(source.width, SCANNED))
    raw = source.read(1, out_shape=shape, resampling=Resampling.nearest).astype(np.float64)
    own = source.nodata
    known = raw[np.isfinite(raw) & (raw != (math.nan if own is None else own))]
    heights = known * scale + offset
    wild = np.unique(known[(heights < LOWEST) | (heights > HIGHEST)])
    if len(wild) > 1 or (len(wild) == 1 and own is not None and not math.isnan(own)):
        raise _no_heights(float(heights.min()), float(heights.max()))
    if len(wild) == 1:
        return float(wild[0]), [f"Pixels of {wild[0]:g} are gaps: no height is that."]
    if own is not None or not known.size:
        return own, []
    zeros = float((known == 0).mean())
    if zeros < ZEROS or said.zeros == "heights":
        return None, []
    if said.zeros == "gaps":
        return 0.0, [f"Pixels of exactly 0 ({100 * zeros:.0f} %) are gaps, as you say."]
    raise ReadError(
        f"{100 * zeros:.1f} % of the heights are exactly 0, and the file does not say whether that is a height or a"
        " gap.",
        where="heights of 0",
        mend="Say which beside the file and read it again.",
    )


def _no_heights(low: float, high: float) -> ReadError:
    return ReadError(
        f"Heights run from {low:.5g} to {high:.5g} m: these are not heights in metres.",
        mend="Check the file's unit and its mark for empty pixels.",
    )


def _require_same_system(vertical: CRS, heights: str) -> None:
    """The file says which heights it holds; it must agree with what the user says."""
    code = f"EPSG:{vertical.to_epsg()}" if vertical.to_epsg() else vertical.name
    if heights == ELLIPSOIDAL or (vertical.to_epsg() and code != heights):
        raise ReadError(
            f"The file says its heights are {vertical.name}, not"
            f" {'ellipsoidal' if heights == ELLIPSOIDAL else heights}.",
            where="the terrain's heights",
            mend=f"Choose {vertical.name} as the file's height system.",
        )


Box = tuple[float, float, float, float]  # west, south, east, north


def _into(grid: Grid, warped: Any, flat: CRS, said: TerrainChoices, around: Box | None) -> tuple[Surface, list[str]]:
    """The heights at the nodes of a regular grid in the job's, in the file's values, and what is said of the way there.
    Each node is looked up where the named transformation says that it lies in the file. Raises ReadError,
    GeodesyError."""
    if flat.equals(grid.crs, ignore_axis_order=True):
        return _sample(warped, grid.metres_per_unit, around), []
    way = grid.way_to(flat, *_middle(warped.bounds))
    if way.approximate and said.approximate != "accept":
        raise ReadError(
            f"The file is in {flat.name}, and comes into the job's grid {way.words}.",
            where="the terrain's coordinate system",
            mend="Say beside the file that this is good enough, or export it in the job's grid.",
        )
    k = grid.metres_per_unit
    wanted = _bounds(*grid.from_other(way, *_outline(warped.bounds)))
    wanted = _common(wanted, around) if around else wanted
    e, n = _outline(wanted)
    own = _sample(warped, 1.0, _bounds(*way.there(e / k, n / k), margin=2 * max(warped.res)))
    step = max(_on_grid(grid, way, own), math.sqrt((wanted[2] - wanted[0]) * (wanted[3] - wanted[1]) / MAX_NODES))
    west, north = wanted[0] + step / 2, wanted[3] - step / 2
    rows, cols = int((wanted[3] - wanted[1]) / step), int((wanted[2] - wanted[0]) / step)
    _require_nodes(rows, cols)
    south = north - (rows - 1) * step
    e, n = np.meshgrid(west + step * np.arange(cols), south + step * np.arange(rows))
    values = own.at(*way.there(e / k, n / k))
    return Surface(west, south, step, values), [] if way.exact else [f"From {flat.name} {way.words}."]


def _on_grid(grid: Grid, way: Transformation, own: Surface) -> float:
    """Metres on the grid of a step of the file's, the mean of its two directions."""
    x, y = _middle(own.extent)
    e, n = grid.from_other(way, np.array([x, x + own.step, x]), np.array([y, y, y + own.step]))
    return math.sqrt(abs((e[1] - e[0]) * (n[2] - n[0]) - (e[2] - e[0]) * (n[1] - n[0])))


def _middle(box: Box) -> tuple[float, float]:
    return (box[0] + box[2]) / 2, (box[1] + box[3]) / 2


def _outline(box: Box) -> tuple[Floats, Floats]:
    """Places along the sides of a box, close enough for what a transformation makes of them."""
    west, south, east, north = box
    t = np.linspace(0, 1, 21)
    x, y = west + t * (east - west), south + t * (north - south)
    return np.r_[x, x, np.full(21, west), np.full(21, east)], np.r_[np.full(21, south), np.full(21, north), y, y]


def _bounds(x: Floats, y: Floats, margin: float = 0.0) -> Box:
    known = np.isfinite(x) & np.isfinite(y)
    if not known.any():
        raise _elsewhere()
    x, y = x[known], y[known]
    return float(x.min()) - margin, float(y.min()) - margin, float(x.max()) + margin, float(y.max()) + margin


def _common(box: Box, other: Box) -> Box:
    """What two boxes share. Raises ReadError where that is nothing."""
    west, south = max(box[0], other[0]), max(box[1], other[1])
    east, north = min(box[2], other[2]), min(box[3], other[3])
    if west >= east or south >= north:
        raise _elsewhere()
    return west, south, east, north


def _elsewhere() -> ReadError:
    return ReadError(
        "The GeoTIFF does not cover the site.",
        where="the terrain",
        mend="Check its coordinate system, or the job's grid.",
    )


def _require_nodes(rows: int, cols: int) -> None:
    if rows < 2 or cols < 2:
        raise ReadError("The GeoTIFF has fewer than two pixels over the site.", mend="Give a finer terrain.")


def _sample(warped: Any, k: float, around: Box | None) -> Surface:
    """The part of a file inside a box, no finer than its pixels; k metres, or what the box is in, a unit of the
    file's."""
    left, bottom, right, top = (v * k for v in warped.bounds)
    west, south, east, north = _common((left, bottom, right, top), around) if around else (left, bottom, right, top)
    pixel = min(abs(warped.transform.a), abs(warped.transform.e)) * k
    step = max(pixel, math.sqrt((east - west) * (north - south) / MAX_NODES))
    cols, rows = int((east - west) / step), int((north - south) / step)
    _require_nodes(rows, cols)
    window = rasterio.windows.from_bounds(
        west / k, (north - rows * step) / k, (west + cols * step) / k, north / k, warped.transform
    )
    data = warped.read(
        1, window=window, out_shape=(rows, cols), resampling=Resampling.bilinear, masked=True, boundless=False
    )
    values = np.ma.filled(data.astype(float), np.nan)[::-1]
    return Surface(west + step / 2, north - rows * step + step / 2, step, values)


def _convert(surface: Surface, grid: Grid, heights: str) -> tuple[Floats, str]:
    """Heights of another system into the job's, by the two geoid separations."""
    rows, cols = surface.heights.shape
    e, n = np.meshgrid(surface.e0 + surface.step * np.arange(cols), surface.n0 + surface.step * np.arange(rows))
    try:
        source = grid_of(grid.code, heights)
        shift = source.separation(e.ravel(), n.ravel()) - grid.separation(e.ravel(), n.ravel())
    except GeodesyError as fault:
        raise ReadError(fault.what, where="the terrain's heights", mend=fault.mend) from fault
    return (
        surface.heights + shift.reshape(rows, cols),
        f"Heights converted to the job's system ({np.mean(shift):+.2f} m on average).",
    )


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
            out.units = ("metre",)
            out.write(np.nan_to_num(surface.heights[::-1], nan=-9999).astype("float32"), 1)
        return bytes(memory.read())
