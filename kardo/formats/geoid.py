"""Geoid models that an organisation brings: GTX and GeoTIFF, of which a plan takes the part about its site.

GTX is NOAA's binary grid: latitude and longitude of the south-west node, steps, rows and columns, then separations from
the south, all big-endian."""

import hashlib
import math
import struct
from dataclasses import dataclass
from typing import Any

import numpy as np
from pyproj import CRS
from rasterio.windows import Window

from kardo.core.arrays import Floats
from kardo.core.errors import ReadError
from kardo.core.plan.geoid import LARGEST, MOST_NODES, Geoid
from kardo.formats.raster import MAGIC, MAX_BLOCK, MAX_UNPACKED, opened, unit_named

MAX_BYTES = 64_000_000
HEAD = struct.Struct(">4d2i")
GTX_VOID = -88.8888  # NOAA's mark of a node without a value


@dataclass(frozen=True)
class GeoidFile:
    """Where a file has a geoid: its south-west node, the steps between nodes (degrees), rows and columns; its kind."""

    kind: str
    west: float
    south: float
    step_lon: float
    step_lat: float
    rows: int
    columns: int

    @property
    def words(self) -> str:
        """In words, for who chooses it."""
        north = self.south + (self.rows - 1) * self.step_lat
        east = self.west + (self.columns - 1) * self.step_lon
        return (
            f"{self.kind}, {self.south:.2f} to {north:.2f} north, {self.west:.2f} to {east:.2f} east, "
            f"a value every {self.step_lat * 60:.3g} by {self.step_lon * 60:.3g} minutes"
        )


def geoid_file(data: bytes) -> GeoidFile:
    """What a file of a geoid covers. Raises ReadError for one that is none."""
    if len(data) > MAX_BYTES:
        raise ReadError(f"The file is larger than {MAX_BYTES // 1_000_000} MB.", mend="Cut it to the country.")
    if data[:4] in MAGIC:
        with opened(data) as source:
            return _of_tiff(source)
    return _of_gtx(data)


def read_geoid(data: bytes, name: str, lon: float, lat: float) -> Geoid:
    """The part of a geoid about a place in degrees that a plan takes. Raises ReadError for a file that is none, that
    holds no separations in metres, or that does not reach the place."""
    file = geoid_file(data)
    column, row = ((lon - file.west) % 360) / file.step_lon, (lat - file.south) / file.step_lat
    if not (0 <= column <= file.columns - 1 and 0 <= row <= file.rows - 1):
        raise ReadError(
            f"The geoid does not reach the site at {lat:.3f}, {lon:.3f}: it has {file.words}.",
            mend="Give the file of the site's country.",
        )
    columns, rows = (_about(at, count) for at, count in ((column, file.columns), (row, file.rows)))
    values = _tiff_part(data, file, rows, columns) if data[:4] in MAGIC else _gtx_part(data, file, rows, columns)
    _require_separations(values)
    return Geoid(
        name=name,
        digest=hashlib.sha256(data).hexdigest(),
        west=(file.west + columns[0] * file.step_lon + 180) % 360 - 180,
        south=file.south + rows[0] * file.step_lat,
        step_lon=file.step_lon,
        step_lat=file.step_lat,
        columns=values.shape[1],
        values=tuple(None if math.isnan(v) else round(float(v), 4) for v in values.ravel()),
    )


def _about(at: float, count: int) -> tuple[int, int]:
    """The nodes about a place, first and one past the last, as many as a plan takes."""
    first = max(0, min(int(at) - MOST_NODES // 2 + 1, count - MOST_NODES))
    return first, min(count, first + MOST_NODES)


def _require_separations(values: Floats) -> None:
    known = values[np.isfinite(values)]
    if not known.size:
        raise ReadError("The geoid has no values about the site.", mend="Give the file of the site's country.")
    if np.abs(known).max() > LARGEST:
        raise ReadError(
            f"Values run from {known.min():.5g} to {known.max():.5g}: these are not separations of a geoid in metres.",
            mend="Give a geoid model, not a terrain.",
        )


def _of_gtx(data: bytes) -> GeoidFile:
    if len(data) < HEAD.size:
        raise _neither()
    south, west, step_lat, step_lon, rows, columns = HEAD.unpack_from(data)
    sound = all(map(math.isfinite, (south, west, step_lat, step_lon))) and min(rows, columns) >= 2
    if not sound or len(data) != HEAD.size + 4 * rows * columns:
        raise _neither()
    return _required(
        GeoidFile(kind="GTX", west=west, south=south, step_lon=step_lon, step_lat=step_lat, rows=rows, columns=columns)
    )


def _neither() -> ReadError:
    return ReadError(
        "This is neither a GTX grid nor a GeoTIFF, whatever its name.",
        mend="Give the geoid as its publisher has it, or as GeoTIFF.",
    )


def _of_tiff(source: Any) -> GeoidFile:
    t = source.transform
    each = np.dtype(source.dtypes[0]).itemsize
    block = math.prod(source.block_shapes[0]) * each
    if source.width * source.height * each > MAX_UNPACKED or block > MAX_BLOCK:
        raise ReadError(
            f"The GeoTIFF has {source.width} by {source.height} nodes, too many.", mend="Cut it to the country."
        )
    declared = CRS.from_user_input(source.crs.to_wkt()) if source.crs else None
    flat = declared.sub_crs_list[0] if declared is not None and declared.is_compound else declared
    if flat is None or not flat.is_geographic or t.b or t.d or t.e >= 0 or t.a <= 0:
        raise ReadError(
            "The GeoTIFF is not laid out by latitude and longitude.", mend="Give the geoid as its publisher has it."
        )
    if source.units[0] and unit_named(source.units[0]) != "m":
        raise ReadError(
            f"The GeoTIFF says its values are in {ascii(source.units[0])[1:41]}.", mend="Give it in metres."
        )
    return _required(
        GeoidFile(
            kind="GeoTIFF",
            west=t.c + t.a / 2,
            south=t.f + t.e * (source.height - 0.5),
            step_lon=t.a,
            step_lat=-t.e,
            rows=source.height,
            columns=source.width,
        )
    )


def _required(file: GeoidFile) -> GeoidFile:
    """The file, once it can lie on the earth."""
    north, width = file.south + (file.rows - 1) * file.step_lat, (file.columns - 1) * file.step_lon
    steps = 1e-5 < file.step_lat <= 5 and 1e-5 < file.step_lon <= 5
    if (
        not steps
        or min(file.rows, file.columns) < 2
        or file.south < -90.001
        or north > 90.001
        or width > 360.001
        or not -361 <= file.west <= 361
    ):
        raise ReadError(
            f"The geoid would lie off the earth: {file.words}.", mend="Give the geoid as its publisher has it."
        )
    return file


def _gtx_part(data: bytes, file: GeoidFile, rows: tuple[int, int], columns: tuple[int, int]) -> Floats:
    nodes = np.frombuffer(data, ">f4", offset=HEAD.size).reshape(file.rows, file.columns)
    part = nodes[slice(*rows), slice(*columns)].astype(float)
    part[np.isclose(part, GTX_VOID, atol=1e-3)] = np.nan
    return part


def _tiff_part(data: bytes, file: GeoidFile, rows: tuple[int, int], columns: tuple[int, int]) -> Floats:
    with opened(data) as source:
        top = file.rows - rows[1]
        window = Window(columns[0], top, columns[1] - columns[0], rows[1] - rows[0])
        raw = source.read(1, window=window, masked=True).astype(float).filled(np.nan)
        return np.asarray(raw * source.scales[0] + source.offsets[0])[::-1]
