"""The Flight in the browser: what is covered fills the sheet while it is looked at; the wind; card and files."""

import re

import pypdfium2
from PIL.TiffImagePlugin import IFDRational
from playwright.sync_api import expect

from kardo.core.flight.lines.pattern import all_flown
from kardo.demo import demo_plan
from tests.browser.test_control import opened
from tests.browser.test_screens import barriers
from tests.browser.test_story import settled
from tests.browser.test_verdict import add_job
from tests.conftest import small_plan
from tests.formats.test_camera import image

LEGEND = "images that see the ground"


def test_coverage_fills_the_sheet_while_it_is_looked_at(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Well covered")
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="coverage")).to_be_visible()
    page.keyboard.press("Alt+2")
    view, sheet = page.get_by_test_id("coverage"), page.get_by_test_id("sheet")
    expect(view).to_contain_text("Every place is seen by 12 to 16 images", timeout=20_000)
    expect(sheet.get_by_text(LEGEND)).to_be_visible()
    expect(sheet.get_by_label("Layer")).to_be_disabled()
    view.get_by_role("tab", name="pixel").click()
    expect(sheet.get_by_text("pixel on the ground, mm")).to_be_visible()
    row = view.get_by_role("row", name=re.compile("^forward"))
    assert abs(float(row.get_by_role("cell").nth(3).inner_text()) - 75) < 1
    row.get_by_role("button", name="go there").click()
    assert barriers(page) == []
    page.keyboard.press("Alt+1")
    expect(sheet.get_by_text("pixel on the ground, mm")).to_have_count(0)
    expect(sheet.get_by_text(re.compile("height standard deviation, mm"))).to_be_visible()
    assert page.console_errors == []


def test_the_wind_costs_time_and_battery_and_the_card_comes_as_a_page(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Windy")
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="air time")).to_be_visible()
    page.keyboard.press("Alt+3")
    view = page.get_by_test_id("air-time")
    expect(view).to_contain_text("min in the air in 1 sortie", timeout=20_000)
    wind = view.get_by_label("Wind, m/s")
    wind.fill("12")
    wind.press("Enter")
    direction = view.get_by_label("Wind from, ° (grid)")
    direction.fill("0")
    direction.press("Enter")
    expect(view).to_contain_text("With its lines across the wind it takes")
    view.get_by_role("button", name="lay them across").click()
    courses = view.get_by_role("cell", name="90.0", exact=True)
    expect(courses.first).to_be_visible()
    expect(view).not_to_contain_text("lines across the wind")
    direction.fill("75")
    direction.press("Enter")
    expect(view.get_by_role("cell", name="165.0", exact=True).first).to_be_visible()
    settled(page)
    page.reload()
    page.keyboard.press("Alt+3")
    expect(wind).to_have_value("12.0")  # kept with the flight
    wind.fill("40")
    wind.press("Enter")
    expect(view).to_contain_text("does not come forward")
    wind.fill("5")
    wind.press("Enter")
    expect(view).to_contain_text("min in the air")
    assert barriers(page) == []
    page.get_by_role("tab", name="card and files").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="card of main flight").click()
    assert len(pypdfium2.PdfDocument(download.value.path())) == 1
    with page.expect_download() as download:
        page.get_by_role("link", name="waypoints (CSV)").click()
    assert download.value.path().read_text().startswith("flight,sortie,line")


def test_what_was_flown_is_held_against_the_plan_and_what_it_missed_is_drawn(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Flown")
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="flown")).to_be_visible()
    page.keyboard.press("Alt+6")
    view = page.get_by_test_id("flown")
    (f,) = all_flown(small_plan())
    rows = "".join(
        f"p{k},{e:.3f},{n:.3f},{h:.3f}\n"
        for k, (e, n, h) in enumerate(zip(f.e, f.n, f.h, strict=True))
        if f.strip[k] != 4
    )
    file = {"name": "positions.csv", "mimeType": "text/csv", "buffer": f"name,E,N,H\n{rows}".encode()}
    view.get_by_label("File of what was flown").set_input_files(file)
    missed = int((f.strip == 4).sum())
    expect(view).to_contain_text(f"{missed} of {len(f.e)} exposures were missed", timeout=20_000)
    expect(view.get_by_role("row").nth(1)).to_contain_text(re.compile(rf"main flight\s*5\s*{missed}\s*{missed}"))
    assert barriers(page) == []
    page.keyboard.press("Alt+1")
    expect(view).to_have_count(0)
    assert page.console_errors == []


def test_a_camera_is_taken_from_its_image_and_flown_with(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Own camera")
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="air time")).to_be_visible()
    page.keyboard.press("Alt+7")
    view = page.get_by_test_id("kit")
    sample = image(size=(5472, 3648), focal=IFDRational(88, 10), focal_35=24, model="Own sensor")
    view.get_by_label("Sample image").set_input_files({"name": "a.jpg", "mimeType": "image/jpeg", "buffer": sample})
    expect(view).to_contain_text("The data sheet is better")
    view.get_by_role("button", name="Use this camera").click()
    settled(page)
    pixel = view.get_by_label("Pixel in micrometres of Own sensor")
    expect(pixel).to_have_value("2.412")
    pixel.fill("2.41")
    pixel.press("Enter")
    settled(page)
    assert barriers(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("tab", name="flights").click()
    page.get_by_label("Camera or scanner", exact=True).select_option(label="Own sensor")
    settled(page)
    line = page.get_by_role("navigation", name="Stations").get_by_role("button", name=re.compile("3 Flight"))
    expect(line).to_contain_text("exposures")
    assert page.console_errors == []


def test_a_scanner_is_taken_and_its_density_fills_the_sheet(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Scanned")
    page.keyboard.press("3")
    page.get_by_label("Camera or scanner", exact=True).select_option(label="scanner, 90°, tactical inertial unit")
    settled(page)
    line = page.get_by_role("navigation", name="Stations").get_by_role("button", name=re.compile("3 Flight"))
    expect(line).to_contain_text("lines scanned")
    tray = page.get_by_test_id("tray-flight")
    expect(tray).to_contain_text("pulses on a m², one pass")
    expect(tray.get_by_label("Forward overlap, %")).to_have_count(0)
    tray.get_by_label("Adjust to control").select_option(label="flight lines matched, mounting and attitude")
    settled(page)
    tray.get_by_label("fly the inertial unit's sequence").uncheck()
    settled(page)
    expect(page.get_by_text("the inertial unit is not started as its profile asks")).to_be_visible(timeout=30_000)
    assert barriers(page) == []
    page.get_by_role("tab", name="coverage").click()
    view, sheet = page.get_by_test_id("coverage"), page.get_by_test_id("sheet")
    expect(view).to_contain_text("pulses on a square metre in the middle", timeout=20_000)
    expect(sheet.get_by_text("pulses on a m²")).to_be_visible()
    assert barriers(page) == []
    page.get_by_role("tab", name="exposure").click()
    expect(tray).to_contain_text("A scanner brings its own light")
    assert page.console_errors == []


def test_lines_follow_a_line_of_the_site_and_are_then_ones_own(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Along")
    page.keyboard.press("3")
    page.get_by_label("Pattern").select_option(label="flight lines of my own")
    settled(page)
    before = page.get_by_role("row", name=re.compile(r"^\d+ ")).count()
    page.get_by_role("button", name="remove flight line 1").click()
    settled(page)
    expect(page.get_by_label("E of the start of flight line 1")).to_be_visible()
    place = page.get_by_label("E of the start of flight line 1")
    east = float(place.input_value())
    place.fill(str(east + 5))
    place.press("Enter")
    settled(page)
    expect(place).to_have_value(f"{east + 5:.1f}")
    assert page.get_by_role("row", name=re.compile(r"^\d+ ")).count() <= before
    page.get_by_label("Pattern").select_option(label="corridor")
    expect(page.get_by_test_id("tray-flight")).to_contain_text("has no line of the corridor")
    assert barriers(page) == []


def test_a_take_off_place_is_sought_typed_and_put_on_the_sheet(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Pad")
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="air time")).to_be_visible()
    page.keyboard.press("Alt+3")
    view = page.get_by_test_id("air-time")
    expect(view).to_contain_text("not chosen; taken as starting", timeout=20_000)
    view.get_by_role("button", name="find the best take-off point").click()
    expect(view.get_by_role("status")).to_contain_text("all lines in sight", timeout=20_000)
    view.get_by_role("button", name="take off there").click()
    settled(page)
    expect(view).not_to_contain_text("not chosen; taken as starting")
    east = view.get_by_label("Take-off, E")
    east.fill("621000")
    east.press("Enter")
    settled(page)
    expect(page.get_by_text(re.compile(r"The pilot does not see 100\s% of its lines"))).to_be_visible(timeout=20_000)
    expect(view).to_contain_text("out of sight for")
    side = page.get_by_test_id("from-the-side")
    expect(side).to_contain_text("Line 1, ")
    side.get_by_label("From the side").select_option(label="home from sortie 1")
    expect(side.get_by_role("img", name=re.compile("Home from sortie 1, .* clear of"))).to_be_visible()
    view.get_by_role("button", name="on the sheet").click()
    page.get_by_role("application").click()
    settled(page)
    assert abs(float(east.input_value()) - 621000) > 100
    assert barriers(page) == []
    page.get_by_role("tab", name="flights").click()
    page.get_by_label("Pattern").select_option(label="flight lines of my own")
    settled(page)
    rows = page.get_by_role("button", name=re.compile("^remove flight line"))
    before = rows.count()
    page.get_by_role("button", name="another flight line").click()
    settled(page)
    expect(rows).to_have_count(before + 1)
    assert page.console_errors == []


def test_a_camera_is_kept_for_all_jobs_with_its_record(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Kept")
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="air time")).to_be_visible()
    page.keyboard.press("Alt+7")
    view, kit = page.get_by_test_id("kit"), page.get_by_test_id("organisation-kit")
    expect(kit.get_by_role("button", name="keep for all jobs")).to_have_count(0)
    length = view.get_by_label("Focal length in millimetres of 20 MP, mechanical shutter")
    length.fill("8.9")
    length.press("Enter")
    settled(page)
    view.get_by_role("button", name="put on record").click()
    settled(page)
    kit.get_by_role("button", name="keep for all jobs").click()
    expect(kit.get_by_role("row", name=re.compile("cameras"))).to_contain_text("1")
    settled(page)
    expect(kit.get_by_role("button", name="keep for all jobs")).to_have_count(0)
    length.fill("9.1")
    length.press("Enter")
    settled(page)
    kit.get_by_role("button", name="keep as revision 2").click()
    expect(kit.get_by_role("row", name=re.compile("cameras"))).to_contain_text("2")
    kit.get_by_role("button", name="20 MP, mechanical shutter", exact=True).click()
    expect(kit).to_contain_text("focal mm 8.9 → 9.1")
    assert barriers(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("tab", name="exposure").click()
    expect(page.get_by_test_id("light")).to_contain_text("bright enough")
    page.get_by_role("tab", name="flights").click()
    page.get_by_role("button", name="a calibration flight").click()
    settled(page)
    expect(page.get_by_role("tab", name="calibration 1")).to_be_visible()
    assert page.console_errors == []


def test_the_wood_is_planned_from_end_to_end(signed_in, django_db_blocker):
    """The demo that is scanned: from its verdict to the day, the card and the base's station."""
    page = signed_in
    add_job(django_db_blocker, demo_plan("tarn-wood"))
    page.reload()
    page.get_by_role("link", name="Tarn Wood").first.click()
    settled(page)
    line = page.get_by_role("navigation", name="Stations")
    for station, said in (
        ("3 Flight", "9 lines scanned"), ("4 Base", "Corvane reference network"), ("5 Control", "1 control point · 10 check points"), ("6 Verdict", "passes > 99 %"),
    ):  # fmt: skip
        expect(line.get_by_role("button", name=re.compile(station))).to_contain_text(said)
    expect(page.get_by_text("K10 lies where nobody should stand")).to_have_count(
        0
    )  # what a scan finds under trees is checked there
    page.keyboard.press("5")
    expect(page.get_by_role("columnheader", name="lines")).to_be_visible()
    page.get_by_role("heading", name="Control").click()
    page.keyboard.press("6")
    expect(page.get_by_test_id("tray-verdict")).to_contain_text("noise of the returns")
    page.keyboard.press("7")
    expect(page.get_by_test_id("tray-day")).to_contain_text("before the first line: stand still 120 s", timeout=30_000)
    page.keyboard.press("3")
    page.get_by_role("tab", name="card and files").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="card of scan").click()
    assert len(pypdfium2.PdfDocument(download.value.path())) == 1
    assert barriers(page) == []
    assert page.console_errors == []


def test_sorties_take_off_from_places_of_their_own(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Two pads", demo_plan("sallow-bank"))
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="air time")).to_be_visible()
    page.keyboard.press("Alt+3")
    view = page.get_by_test_id("air-time")
    view.get_by_role("button", name="another from sortie 2").click()
    settled(page)
    east = view.get_by_label("Take-off 2, E")
    east.fill("622800")
    east.press("Enter")
    settled(page)
    view.get_by_role("button", name="find the best take-off point").click()
    expect(view.get_by_role("status")).to_contain_text("then from sortie", timeout=20_000)
    view.get_by_role("button", name=re.compile("use these 2 places")).click()
    settled(page)
    expect(view.get_by_label("Take-off 2, E")).not_to_have_value("622800.0")
    view.get_by_role("button", name="remove take-off 2").click()
    settled(page)
    expect(view.get_by_label("Take-off 2, E")).to_have_count(0)
    assert barriers(page) == []
    assert page.console_errors == []
