"""Pictures of a site: to their place in the job's grid, whatever they come in; and hostile ones."""

import io

import numpy as np
import pytest
import rasterio
from PIL import Image
from rasterio.io import MemoryFile
from rasterio.transform import from_origin

from kardo.core.errors import KardoError
from kardo.core.geodesy.crs import grid
from kardo.formats.backdrop import read_backdrop
from tests.conftest import E0, N0

GRID = grid("EPSG:25828", "EPSG:5773")
ROUND = (E0 - 50, N0 - 50, E0 + 250, N0 + 170)


def pixels(red_at=(60, 100), size=(120, 200)):
    """Grey with one red square of 10 pixels, its upper left at a row and a column."""
    out = np.full((3, *size), 128, dtype=np.uint8)
    row, column = red_at
    out[:, row : row + 10, column : column + 10] = np.array([220, 20, 20])[:, None, None]
    return out


def geotiff(bands, transform, crs="EPSG:25828"):
    with MemoryFile() as memory:
        with memory.open(
            driver="GTiff", count=len(bands), height=bands.shape[1], width=bands.shape[2], dtype=bands.dtype, crs=crs,
            transform=transform,
        ) as out:  # fmt: skip
            out.write(bands)
        return bytes(memory.read())


def red_in(reading):
    """The middle of what is red, grid metres."""
    image = np.asarray(Image.open(io.BytesIO(reading.jpeg)).convert("RGB")).astype(int)
    rows, columns = np.nonzero((image[..., 0] > 170) & (image[..., 1] < 90))
    west, south, east, north = reading.extent
    high, wide = image.shape[:2]
    return west + (columns.mean() + 0.5) * (east - west) / wide, north - (rows.mean() + 0.5) * (north - south) / high


UP = from_origin(E0, N0 + 120, 1.0, 1.0)
RED = (E0 + 105, N0 + 55)


def test_a_geotiff_lies_where_it_says():
    found = read_backdrop(geotiff(pixels(), UP), "site.tif", "", GRID, ROUND)
    assert found.extent == pytest.approx((E0, N0, E0 + 200, N0 + 120), abs=0.6)
    assert red_in(found) == pytest.approx(RED, abs=1.0)


def test_one_of_another_zone_is_brought_to_the_grid():
    with rasterio.Env():
        from rasterio.warp import Resampling, calculate_default_transform, reproject

        there, width, height = calculate_default_transform(
            "EPSG:25828", "EPSG:25829", 200, 120, *(E0, N0, E0 + 200, N0 + 120)
        )
        other = np.zeros((3, height, width), dtype=np.uint8)
        reproject(
            pixels(),
            other,
            src_transform=UP,
            src_crs="EPSG:25828",
            dst_transform=there,
            dst_crs="EPSG:25829",
            resampling=Resampling.nearest,
        )
    found = read_backdrop(geotiff(other, there, "EPSG:25829"), "site.tif", "", GRID, ROUND)
    assert red_in(found) == pytest.approx(RED, abs=2.0) and "Brought from" in found.how[-1]


@pytest.mark.parametrize("kind", ["JPEG", "PNG"])
def test_a_picture_with_its_world_file_lies_where_that_says(kind):
    out = io.BytesIO()
    Image.fromarray(np.moveaxis(pixels(), 0, -1)).save(out, kind, quality=95)
    world = f"1.0\n0.0\n0.0\n-1.0\n{E0 + 0.5}\n{N0 + 119.5}\n"
    found = read_backdrop(out.getvalue(), "site.jpg", world, GRID, ROUND)
    assert red_in(found) == pytest.approx(RED, abs=1.0) and "its world file" in found.how[0]
    comma = read_backdrop(out.getvalue(), "site.jpg", world.replace(".", ","), GRID, ROUND)
    assert comma.extent == found.extent and comma.digest == found.digest


def test_a_large_one_is_kept_small_and_a_deep_one_is_stretched():
    deep = (pixels(size=(400, 700)).astype(np.uint16) * 40) + 3000
    found = read_backdrop(geotiff(deep, from_origin(E0, N0 + 120, 0.3, 0.3)), "deep.tif", "", GRID, ROUND)
    image = np.asarray(Image.open(io.BytesIO(found.jpeg)))
    assert image.shape[1] <= 3000 and len(found.jpeg) < 400_000 and image.max() > 200


def _jpeg():
    out = io.BytesIO()
    Image.fromarray(np.moveaxis(pixels(), 0, -1)).save(out, "JPEG")
    return out.getvalue()


HOSTILE = {
    "no place": (_jpeg, "", "says nothing of where"),
    "no figures": (_jpeg, "one two three", "six figures"),
    "no place on the ground": (_jpeg, "0 0 0 0 1 1", "no place"),
    "no picture": (lambda: b"not a picture at all", "1 0 0 -1 1 1", "no JPEG"),
    "heights": (lambda: geotiff(np.zeros((1, 9, 9), dtype=np.float32), UP), "", "no picture"),
    "elsewhere": (lambda: geotiff(pixels(), from_origin(E0 + 9000, N0, 1, 1)), "", "about the site"),
    "cut": (lambda: geotiff(pixels(), UP)[:3000], "", "cannot be read"),
}


@pytest.mark.parametrize("what", HOSTILE)
def test_what_is_no_picture_of_the_site_ends_in_one_clear_error(what):
    make, world, words = HOSTILE[what]
    with pytest.raises(KardoError, match=words) as told:
        read_backdrop(make(), "a file", world, GRID, ROUND)
    assert told.value.mend
