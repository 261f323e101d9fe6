"""Level ground, and the three habits of wrong ground: each ends in a finding on the screen with its place."""

import json
import re

from playwright.sync_api import expect
from pyproj import Transformer
from rasterio.transform import from_origin

from kardo.core.terrain.surface import Surface
from kardo.formats.raster import write_terrain
from tests.browser.test_story import commit, settled, spot
from tests.conftest import E0, N0
from tests.formats.test_files import geographic, geojson, surface
from tests.formats.test_terrain import slope, tiff


def gauges(page):
    return page.get_by_label("Accuracy gauges")


def upload(page, path, data):
    expect(page.get_by_label("Terrain file")).to_be_enabled()
    path.write_bytes(data)
    page.get_by_label("Terrain file").set_input_files(path)


def started(page, tmp_path):
    """A new job with a grid and a boundary, its Site open."""
    page.get_by_label("New job").fill("Ground")
    page.get_by_role("button", name="Start").click()
    page.get_by_label("Horizontal grid").fill("etrs89 utm 28n")
    page.get_by_role("option", name=re.compile("EPSG:25828")).click()
    page.get_by_role("button", name=re.compile("2 Site")).click()
    site = tmp_path / "site.geojson"
    site.write_bytes(geojson())
    page.get_by_label("Boundary file").set_input_files(site)
    page.get_by_role("button", name="Use this boundary").click()
    expect(page.get_by_text(re.compile("2.4 ha")).first).to_be_visible()
    expect(page.get_by_role("button", name="Use this boundary")).to_have_count(0)


def test_from_level_ground_to_a_terrain_and_its_three_usual_faults(signed_in, tmp_path):
    page = signed_in
    started(page, tmp_path)
    commit(page.get_by_label(re.compile("Or level ground at")), "6")
    expect(page.get_by_text(re.compile("This plan stands on level ground"))).to_be_visible()
    page.get_by_role("button", name=re.compile("4 Base")).click()
    page.keyboard.press("o")
    page.mouse.click(*spot(page, E0 + 20, N0 + 20))
    commit(page.get_by_label("H of M1", exact=True), "5.600")
    page.get_by_label("How M1 is known").select_option("published")
    commit(page.get_by_label(re.compile("Antenna height 1")), "1.872")
    page.get_by_role("button", name=re.compile("5 Control")).click()
    for key, x, y in (("g", 15, 15), ("g", 100, 100), ("k", 60, 60)):
        page.keyboard.press(key)
        page.mouse.click(*spot(page, E0 + x, N0 + y))
        page.wait_for_timeout(120)
    settled(page)
    expect(page.get_by_test_id("absolute-v")).to_be_visible(timeout=60_000)
    expect(gauges(page)).to_contain_text("This plan stands on level ground at 6.0 m")
    page.get_by_role("button", name=re.compile("2 Site")).click()

    # A terrain that ends inside the site.
    whole = surface()
    half = Surface(whole.e0, whole.n0, whole.step, whole.heights[:, :46])
    upload(page, tmp_path / "half.tif", write_terrain(half, "EPSG:25828"))
    expect(gauges(page)).to_contain_text(
        re.compile(r"no heights over 0\.\d+\sha of the site \(\d+\s%\), most of it about 62")
    )
    expect(gauges(page)).not_to_contain_text("level ground")

    # A tile of another zone without a nodata tag: what it does not hold is a gap, not sea level.
    west, north = Transformer.from_crs(25828, 25829, always_xy=True).transform(E0 + 60, N0 + 300)
    upload(page, tmp_path / "zone.tif", tiff(slope(80, 80), from_origin(west, north, 5, 5), "EPSG:25829", "metre"))
    expect(page.get_by_text(re.compile("zone.tif: "))).to_be_visible()
    expect(gauges(page)).to_contain_text(re.compile(r"no heights over 0\.\d+\sha of the site"), timeout=20_000)

    # Feet, of which the file says nothing: asked about; taken for metres, the mark stands off.
    feet = tiff(whole.heights[::-1].astype("float32") / 0.3048, from_origin(whole.e0, whole.n0 + 400, 5, 5))
    upload(page, tmp_path / "feet.tif", feet)
    expect(page.get_by_role("alert").first).to_contain_text("metres or feet")
    page.get_by_label("Unit of the file").select_option("m")
    expect(gauges(page)).to_contain_text(re.compile(r"M1 stands -?\d+\.\d\sm from the terrain"), timeout=20_000)
    page.get_by_label("Unit of the file").select_option("ft")
    expect(page.get_by_text(re.compile("feet.tif: "))).to_be_visible()
    upload(page, tmp_path / "feet.tif", feet)
    expect(page.get_by_text("Heights in international feet.")).to_be_visible(timeout=20_000)
    expect(gauges(page)).not_to_contain_text("M1 stands", timeout=20_000)


def test_an_open_line_is_asked_about_before_anything_is_taken(signed_in, tmp_path):
    page = signed_in
    started(page, tmp_path)
    axis = tmp_path / "axis.geojson"
    axis.write_text(json.dumps({"type": "LineString", "coordinates": geographic()[:3]}))
    page.get_by_label("Boundary file").set_input_files(axis)
    expect(page.get_by_role("button", name="Use this boundary")).to_be_disabled()
    page.get_by_role("button", name="a corridor 20 m wide along the line").click()
    expect(page.get_by_text("The open line is the axis of a corridor 20 m wide.")).to_be_visible()
    page.get_by_role("button", name="Use it, and fly along the line").click()
    expect(page.get_by_text(re.compile("0.6 ha")).first).to_be_visible()
    page.keyboard.press("3")
    expect(page.get_by_label("Pattern")).to_have_value("corridor")
    expect(page.get_by_label("Width, m", exact=True)).to_have_value("20.0")
