"""A new user's first job, from the empty list to a verdict: in metres with terrain, and in US survey feet without and
with."""

import re

import numpy as np
from playwright.sync_api import expect
from rasterio.transform import from_origin

from kardo.core.geodesy.crs import grid
from kardo.formats.raster import write_terrain
from tests.browser.test_ground import gauges
from tests.browser.test_screens import barriers
from tests.browser.test_story import commit, settled, spot
from tests.conftest import E0, N0
from tests.formats.test_files import geojson, surface
from tests.formats.test_terrain import tiff

FOOT = 1200 / 3937
FEET = grid("EPSG:6590", "EPSG:5773")
CORNER = tuple(float(v) for v in FEET.from_geodetic(-72.57, 44.26))


def station(page, name):
    page.get_by_role("button", name=re.compile(name)).click()


def started(page, title):
    page.get_by_label("New job").fill(title)
    page.get_by_role("button", name="Start").click()
    expect(page.get_by_role("heading", name="Where?")).to_be_visible()


def take_offer(page):
    page.get_by_role("button", name="Use this grid and these heights").click()
    expect(page.get_by_role("heading", name="Where?")).to_have_count(0)


def placed(page, e, n, base, height):
    """A base on a published mark, three targets and two checks, by pointer."""
    station(page, "4 Base")
    page.keyboard.press("o")
    page.mouse.click(*spot(page, e + 20, n + 20))
    commit(page.get_by_label("H of M1", exact=True), height)
    page.get_by_label("How M1 is known").select_option("published")
    commit(page.get_by_label(re.compile("Antenna height 1")), base)
    station(page, "5 Control")
    for key, x, y in (("g", 15, 15), ("g", 185, 15), ("g", 100, 100), ("k", 60, 60), ("k", 140, 70)):
        page.keyboard.press(key)
        page.mouse.click(*spot(page, e + x, n + y))
        page.wait_for_timeout(120)
    settled(page)
    expect(page.get_by_test_id("absolute-v")).to_be_visible(timeout=60_000)


def test_in_metres_by_an_outline_and_a_terrain(signed_in, tmp_path):
    page = signed_in
    started(page, "First field")
    outline = tmp_path / "site.geojson"
    outline.write_bytes(geojson())
    page.get_by_label("A file of the site").set_input_files(outline)
    expect(page.get_by_role("radio", name=re.compile("EPSG:25828"))).to_be_checked()
    expect(page.get_by_role("radio", name=re.compile("EGM96 height"))).to_be_checked()
    expect(page.get_by_text(re.compile("us_nga_egm08_25.tif")).first).to_be_visible()
    take_offer(page)
    page.get_by_role("button", name="to the site").click()
    expect(page.get_by_text("This is how I read it")).to_be_visible()
    page.get_by_role("button", name="Use this boundary").click()
    expect(page.get_by_text(re.compile("2.4 ha")).first).to_be_visible()
    terrain = tmp_path / "ground.tif"
    terrain.write_bytes(write_terrain(surface(), "EPSG:25828"))
    page.get_by_label("Terrain file").set_input_files(terrain)
    expect(page.get_by_text(re.compile("ground.tif: "))).to_be_visible()
    placed(page, E0, N0, "1.872", "5.600")
    assert 5 < float(page.get_by_test_id("absolute-v").inner_text()) < 100
    page.goto(page.url.partition("/jobs")[0])
    line = page.get_by_role("listitem").filter(has_text="First field")
    expect(line).to_contain_text(re.compile(r"H \d+\.\d of 30\.0 · V \d+\.\d of 50\.0 mm"))
    expect(line.get_by_role("img", name="The site")).to_be_visible()
    assert [e for e in page.console_errors if "422" not in e] == []


def test_a_height_system_whose_geoid_is_not_at_hand_is_taken_with_a_stated_separation(signed_in):
    page = signed_in
    started(page, "Levelled field")
    page.get_by_label("A place").fill("46°18'14\"N 13°25'40\"W")
    page.get_by_role("button", name="Look there").click()
    page.get_by_role("radio", name=re.compile("EGM2008 height")).check()
    take_offer(page)
    expect(page.get_by_role("alert").filter(has_text="cannot be reached")).to_contain_text("State its separation")
    page.get_by_role("button", name="State the geoid separation…").click()
    stated = page.get_by_test_id("stated-separation")
    n = stated.get_by_label("N, m", exact=True)
    n.fill("56.2")
    n.press("Enter")
    expect(page.get_by_role("alert").filter(has_text="cannot be reached")).to_have_count(0)
    sigma = stated.get_by_label(re.compile("Standard deviation"))
    sigma.fill("30")
    sigma.press("Enter")
    station(page, "2 Site")
    page.get_by_label("Corners").fill(
        "\n".join(f"{x:.2f} {y:.2f}" for x, y in ((E0, N0), (E0 + 200, N0), (E0 + 200, N0 + 120)))
    )
    page.get_by_role("button", name="Read corners").click()
    page.get_by_role("button", name="Use this boundary").click()
    expect(page.get_by_test_id("datum-strip")).to_contain_text("EGM2008, N 56.20 m stated")
    expect(page.get_by_label("Height system of the file").get_by_role("option", name="EGM96 height")).to_have_count(1)


def test_grid_and_heights_are_found_by_the_keyboard_alone(signed_in):
    page = signed_in
    started(page, "Keyboard field")
    grid_ = page.get_by_label("Horizontal grid")
    grid_.focus()
    page.keyboard.type("9999999")
    expect(page.get_by_text("There is no such code.")).to_be_visible()
    page.keyboard.press("Escape")
    expect(grid_).to_have_value("")
    page.keyboard.type("vermont ftus")
    listed = page.get_by_role("listbox")
    options = listed.get_by_role("option")
    expect(listed).to_have_attribute("aria-busy", "false")  # what is shown answers all that was typed
    expect(options.first).to_have_attribute("aria-selected", "true")
    second = options.nth(1).inner_text().split(" ")[0]
    page.keyboard.press("ArrowDown")
    expect(options.nth(1)).to_have_attribute("aria-selected", "true")
    page.keyboard.press("Enter")
    expect(page.get_by_text(f"({second})")).to_be_visible()
    expect(page.get_by_label("Unit shown")).to_have_value("us-ft")  # a grid in feet brings its unit
    page.get_by_label("Height system").focus()
    page.keyboard.type("egm96")
    expect(options.first).to_contain_text("EPSG:5773")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("datum-strip")).to_contain_text("EGM96")
    assert barriers(page) == []


def test_in_survey_feet_on_level_ground_and_then_a_terrain_in_feet(signed_in, tmp_path):
    page = signed_in
    started(page, "Feet field")
    page.get_by_label("A place").fill("44.26 -72.57")
    page.get_by_label("lengths in").select_option("us-ft")
    page.get_by_role("button", name="Look there").click()
    page.get_by_role("button", name=re.compile("44.26000° N")).click()
    expect(page.get_by_role("radio", name=re.compile("EPSG:6590"))).to_be_checked()
    expect(page.get_by_text(re.compile("us_noaa_g2018u0.tif")).first).to_be_visible()
    take_offer(page)
    expect(page.get_by_test_id("datum-strip")).to_contain_text("ftUS")

    station(page, "2 Site")
    e, n = CORNER
    ring = [(e, n), (e + 200, n), (e + 200, n + 120), (e, n + 120)]
    page.get_by_label("Corners").fill("\n".join(f"{x / FOOT:.2f} {y / FOOT:.2f}" for x, y in ring))
    page.get_by_role("button", name="Read corners").click()
    expect(page.get_by_text(re.compile("Easting and northing in .*in US survey feet"))).to_be_visible()
    page.get_by_role("button", name="Use this boundary").click()
    expect(page.get_by_text(re.compile(r"5\.9\d? ac")).first).to_be_visible()
    commit(page.get_by_label(re.compile("Or level ground at, ftUS")), "600")
    placed(page, e, n, "6.142", "601.5")
    expect(gauges(page)).to_contain_text("This plan stands on level ground at 600.0 ftUS")
    assert 0.02 < float(page.get_by_test_id("absolute-v").inner_text().split()[0]) < 0.4  # feet

    station(page, "2 Site")
    heights = np.full((60, 80), 601.0, dtype="float32")
    # it covers the site and the margin that is flown about it
    corner = from_origin((e - 100) / FOOT, (n + 220) / FOOT, 16, 16)
    ground = tmp_path / "feet.tif"
    ground.write_bytes(tiff(heights, corner, "EPSG:6590", "US survey foot"))
    page.get_by_label("Terrain file").set_input_files(ground)
    expect(page.get_by_text(re.compile("feet.tif: "))).to_be_visible()
    settled(page)
    expect(gauges(page)).not_to_contain_text("level ground")
    expect(page.get_by_test_id("absolute-v")).to_be_visible(timeout=60_000)
    assert [e for e in page.console_errors if "422" not in e] == []


def test_the_list_of_jobs_is_searched_copied_and_put_away(signed_in):
    page = signed_in
    demo = page.get_by_role("listitem").filter(has_text="demo").first
    expect(demo).to_contain_text("Sallow Bank")
    page.get_by_label("Search jobs").fill("nothing of that name")
    expect(page.get_by_text("No job of that name.")).to_be_visible()
    page.get_by_label("Search jobs").fill("sallow plan")
    demo.get_by_role("button", name="duplicate").click()
    expect(page.get_by_text(re.compile("Sallow Bank.*, again")).first).to_be_visible()
    page.goto(page.url.partition("/jobs")[0])
    again = page.get_by_role("listitem").filter(has_text=", again")
    again.get_by_role("button", name="archive").click()
    expect(again).to_have_count(0)
    page.get_by_role("button", name="archived jobs").click()
    again.get_by_role("button", name="fetch back").click()
    expect(again).to_have_count(0)
    page.get_by_role("button", name="back to the jobs").click()
    expect(again).to_have_count(1)
    assert [e for e in page.console_errors if "422" not in e] == []


def test_a_boundary_is_drawn_where_the_place_is(signed_in):
    """From one coordinate alone: the sheet goes there, and the boundary is drawn on it."""
    page = signed_in
    started(page, "Drawn field")
    page.get_by_label("A place").fill("46°18'14\"N 13°25'40\"W")
    page.get_by_role("button", name="Look there").click()
    take_offer(page)
    page.wait_for_timeout(600)  # for the sheet to have gone there
    e, n = (
        float(v)
        for v in grid("EPSG:25828", "EPSG:5773").from_geodetic(-(13 + 25 / 60 + 40 / 3600), 46 + 18 / 60 + 14 / 3600)
    )
    station(page, "2 Site")
    page.keyboard.press("a")
    for x, y in ((-60, -40), (60, -40), (60, 40), (-60, 40), (-60, -40)):
        page.mouse.click(*spot(page, e + x, n + y))
        page.wait_for_timeout(350)  # or two would be a double click
    expect(page.get_by_text(re.compile(r"1\.0 ha · 4 corners"))).to_be_visible()
    assert [e for e in page.console_errors if "422" not in e] == []
