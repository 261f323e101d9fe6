"""GeoTIFFs of many habits: what the file leaves open is asked for, what it does not cover is a gap, what is unsound is
refused."""

import re
import resource
import time

import numpy as np
import pytest
from affine import Affine
from pyproj import CRS, Transformer
from rasterio.io import MemoryFile
from rasterio.transform import from_origin

from kardo.core.errors import KardoError, ReadError
from kardo.core.geodesy.crs import grid
from kardo.core.terrain.surface import Surface
from kardo.formats.raster import TerrainChoices, read_terrain
from tests.conftest import E0, N0

GRID = grid("EPSG:25828", "EPSG:5773")
SITE = (E0, N0, E0 + 100, N0 + 100)
METRES = TerrainChoices("EPSG:5773", "m")
HERE = from_origin(E0 - 50, N0 + 150, 5, 5)


def tiff(values, transform=HERE, crs="EPSG:25828", unit=None, scale=None, offset=None, **profile):
    values = np.asarray(values)
    rows, cols = values.shape
    kind = {"driver": "GTiff", "width": cols, "height": rows, "count": 1, "dtype": values.dtype} | profile
    with MemoryFile() as memory:
        with memory.open(crs=crs, transform=transform, **kind) as out:
            if unit:
                out.units = (unit,)
            if scale:
                out.scales = (scale,)
            if offset:
                out.offsets = (offset,)
            out.write(values, 1)
        return memory.read()


def slope(rows=40, cols=40):
    return (20 + 0.1 * np.arange(cols) + np.zeros((rows, 1))).astype("float32")


def test_what_another_crs_leaves_outside_is_a_gap_and_not_sea_level():
    """A tile in another zone, turned against the grid: its corners hold nothing, and no nodata tag says so."""
    to = Transformer.from_crs(25828, 25829, always_xy=True)
    west, north = to.transform(E0 - 50, N0 + 150)
    surface = read_terrain(tiff(slope(), from_origin(west, north, 5, 5), "EPSG:25829"), GRID, METRES, None).surface
    assert np.isnan(surface.heights[0, 0]) and np.isnan(surface.heights).mean() > 0.01
    assert np.nanmin(surface.heights) > 19.9


def test_what_a_turned_picture_leaves_outside_is_a_gap():
    turned = Affine.translation(E0 + 50, N0 + 150) @ Affine.rotation(30) @ Affine.scale(5, -5)
    surface = read_terrain(tiff(slope(), turned), GRID, METRES, None).surface
    assert 0.2 < np.isnan(surface.heights).mean() < 0.8 and np.nanmin(surface.heights) > 19.9


@pytest.mark.parametrize("void", [-9999.0, -32768.0, 1e38, -3.4028234663852886e38])
def test_a_value_that_no_height_has_is_a_gap_without_its_tag(void):
    values = slope()
    values[:10, :10] = void
    found = read_terrain(tiff(values), GRID, METRES, None)
    assert np.nanmin(found.surface.heights) > 19.9 and np.nanmax(found.surface.heights) < 30
    assert np.isnan(found.surface.heights[-1, 0])
    assert any("gaps" in line for line in found.how)


def test_two_values_that_no_height_has_are_refused():
    values = slope()
    values[0, 0], values[5, 5] = -9999, 1e38
    with pytest.raises(ReadError, match="not heights in metres"):
        read_terrain(tiff(values), GRID, METRES, None)


def test_many_zeros_are_asked_about():
    values = slope()
    values[:10, :10] = 0
    with pytest.raises(ReadError) as caught:
        read_terrain(tiff(values), GRID, METRES, None)
    assert caught.value.where == "heights of 0"
    gaps = read_terrain(tiff(values), GRID, TerrainChoices("EPSG:5773", "m", "gaps"), None).surface
    sea = read_terrain(tiff(values), GRID, TerrainChoices("EPSG:5773", "m", "heights"), None).surface
    assert np.nanmin(gaps.heights) > 19.9 and np.nanmin(sea.heights) == 0
    tagged = read_terrain(tiff(values, nodata=0), GRID, METRES, None).surface
    assert np.nanmin(tagged.heights) > 19.9


@pytest.mark.parametrize("word", ["ft", "Feet", "FOOT", "International foot", "foot (international)"])
def test_feet_in_any_spelling(word):
    found = read_terrain(tiff(slope(), unit=word), GRID, TerrainChoices("EPSG:5773"), SITE)
    assert np.nanmax(found.surface.heights) == pytest.approx(0.3048 * 23, abs=0.15)


@pytest.mark.parametrize("word", ["US survey foot", "us-ft", "ftUS", "US_survey_foot", "foot_us"])
def test_survey_feet_in_any_spelling(word):
    found = read_terrain(tiff(slope(), unit=word), GRID, TerrainChoices("EPSG:5773"), SITE)
    assert any("US survey feet" in line for line in found.how)


@pytest.mark.parametrize("word", [None, "fathom", "1/10 m"])
def test_a_unit_that_is_not_stated_or_not_known_is_asked_for(word):
    with pytest.raises(ReadError) as caught:
        read_terrain(tiff(slope(), unit=word), GRID, TerrainChoices("EPSG:5773"), SITE)
    assert caught.value.where == "the unit of the heights"
    assert np.nanmax(read_terrain(tiff(slope(), unit=word), GRID, METRES, SITE).surface.heights) > 20


def test_a_unit_against_that_of_the_height_system_is_asked_about():
    with pytest.raises(ReadError, match=r"metre.*foot|foot.*metre"):
        read_terrain(tiff(slope(), crs="EPSG:25828+5773", unit="foot"), GRID, TerrainChoices("EPSG:5773"), SITE)


def test_scale_and_offset_of_the_band():
    coded = np.round((slope() - 10) / 0.01).astype("int16")
    found = read_terrain(tiff(coded, scale=0.01, offset=10.0), GRID, METRES, None)
    assert np.nanmin(found.surface.heights) == pytest.approx(20, abs=0.01)
    assert any("0.01" in line and "10" in line for line in found.how)


LOCAL = CRS.from_wkt(
    'ENGCRS["site",EDATUM["peg"],CS[Cartesian,2],AXIS["x",east],AXIS["y",north],LENGTHUNIT["metre",1]]'
)


@pytest.mark.parametrize(
    "crs", [LOCAL.to_wkt(), "EPSG:4978", "EPSG:5773"], ids=["engineering", "geocentric", "vertical"]
)
def test_systems_that_no_map_is_in_are_refused(crs):
    with pytest.raises(KardoError):
        read_terrain(tiff(slope(), crs=crs), GRID, METRES, SITE)


@pytest.mark.parametrize(
    "transform", [Affine(0, 0, E0, 0, 0, N0), Affine(5, 5, E0, 5, 5, N0), Affine(np.nan, 0, E0, 0, -5, N0)]
)
def test_pixels_without_a_place_are_refused(transform):
    with pytest.raises(KardoError):
        read_terrain(tiff(slope(), transform), GRID, METRES, SITE)


def test_a_small_file_that_unpacks_to_gigabytes_is_refused_at_once():
    big = tiff(np.zeros((2, 30_000), dtype="float64"), compress="deflate")
    with MemoryFile() as memory:
        with memory.open(
            driver="GTiff",
            width=30_000,
            height=30_000,
            count=1,
            dtype="uint8",
            crs="EPSG:25828",
            transform=HERE,
            sparse_ok=True,
        ):
            pass
        vast = memory.read()
    assert len(big) < 10_000
    before, started = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, time.perf_counter()
    with pytest.raises(ReadError, match="too many"):
        read_terrain(vast, GRID, METRES, SITE)
    assert time.perf_counter() - started < 1
    assert (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024 < 300


def test_a_file_of_another_kind_of_number_is_refused():
    with pytest.raises(ReadError, match="no plain numbers"):
        read_terrain(tiff(slope().astype("complex64")), GRID, METRES, SITE)


@pytest.mark.parametrize(
    ("of_file", "of_job", "place", "words"),
    [
        ("EPSG:27700", "EPSG:25830", (-1.5, 52.5), "good to 3 m; .*needs a grid file that is not on this machine"),
        ("EPSG:26718", "EPSG:26918", (-72.57, 44.26), "good to 13 m; .*good to 0.15 m, needs a grid file"),
    ],
)
def test_an_approximate_transformation_is_told_with_what_it_loses_and_taken_only_when_that_is_accepted(
    of_file, of_job, place, words
):
    """A grid of an old datum, tens of metres from the new one; the grid file that tells how much is not on this
    machine."""
    job = grid(of_job, "EPSG:5773")
    e, n = (float(v) for v in grid(of_file, "EPSG:5773").from_geodetic(*place))
    data = tiff(slope(), from_origin(e, n, 5, 5), of_file, "metre")
    with pytest.raises(ReadError, match=words) as fault:
        read_terrain(data, job, METRES, None)
    assert "good enough" in fault.value.mend
    taken = read_terrain(data, job, TerrainChoices("EPSG:5773", approximate="accept"), None)
    assert any(re.search(words, line) for line in taken.how)


def test_terrain_lies_where_the_named_transformation_says():
    """Between two grids of one datum: each node of the new holds what the old has at its place, and the way is exact,
    so nothing is said of it."""
    other = grid("EPSG:25829", "EPSG:5773")
    lon, lat = GRID.to_geodetic(E0, N0 + 400)
    west, north = (float(v) for v in other.from_geodetic(lon, lat))
    values = slope(80, 90)
    found = read_terrain(
        tiff(values, from_origin(west, north, 5, 5), "EPSG:25829", "metre"), GRID, TerrainChoices("EPSG:5773"), None
    )
    assert not any("From" in line for line in found.how)
    at = Surface(west + 2.5, north - 5 * len(values) + 2.5, 5.0, values[::-1].astype(float))
    e, n = np.array([E0 + 100.0, E0 + 210.0]), np.array([N0 + 120.0, N0 + 300.0])
    x, y = other.from_geodetic(*GRID.to_geodetic(e, n))
    assert found.surface.at(e, n) == pytest.approx(at.at(x, y), abs=0.02)


def test_terrain_in_degrees_is_taken_at_its_own_fineness():
    lon, lat = GRID.to_geodetic(E0, N0 + 400)
    data = tiff(slope(90, 90), from_origin(float(lon), float(lat), 6e-5, 4e-5), "EPSG:4258", "metre")
    found = read_terrain(data, GRID, TerrainChoices("EPSG:5773"), None)
    assert found.surface.step == pytest.approx(
        4.0, abs=0.6
    )  # metres: 4e-5 degrees north, as much east at this latitude
    assert np.isfinite(found.surface.at(E0 + 150.0, N0 + 200.0))
