"""The Flight in the browser: what is covered fills the sheet while it is looked at; the wind; card and files."""

import re

import pypdfium2
from PIL.TiffImagePlugin import IFDRational
from playwright.sync_api import expect

from kardo.core.flight.pattern import all_flown
from tests.browser.test_control import opened
from tests.browser.test_house import barriers
from tests.browser.test_story import settled
from tests.conftest import small_plan
from tests.formats.test_camera import image

LEGEND = "images that see the ground"


def test_coverage_fills_the_sheet_while_it_is_looked_at(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Well covered")
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="coverage")).to_be_visible()
    page.keyboard.press("Alt+3")
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
    expect(sheet.get_by_text(re.compile("height error, mm"))).to_be_visible()
    assert page.console_errors == []


def test_the_wind_costs_time_and_battery_and_the_card_comes_as_a_page(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Windy")
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="air time")).to_be_visible()
    page.keyboard.press("Alt+4")
    view = page.get_by_test_id("air-time")
    expect(view).to_contain_text("min in the air in 1 leg", timeout=20_000)
    wind = view.get_by_label("Wind at flying height, metres a second")
    wind.fill("12")
    wind.press("Enter")
    expect(view).to_contain_text("Across the wind it takes")
    wind.fill("40")
    wind.press("Enter")
    expect(view).to_contain_text("does not come forward")
    assert barriers(page) == []
    page.get_by_role("tab", name="card and files").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="card of main flight").click()
    assert len(pypdfium2.PdfDocument(download.value.path())) == 1
    with page.expect_download() as download:
        page.get_by_role("link", name="waypoints (CSV)").click()
    assert download.value.path().read_text().startswith("flight,leg,strip")


def test_what_was_flown_is_held_against_the_plan_and_what_it_missed_is_drawn(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Flown")
    page.keyboard.press("3")
    expect(page.get_by_role("tab", name="flown")).to_be_visible()
    page.keyboard.press("Alt+5")
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
    expect(page.get_by_role("tab", name="kit")).to_be_visible()
    page.keyboard.press("Alt+2")
    view = page.get_by_test_id("kit")
    sample = image(size=(5472, 3648), focal=IFDRational(88, 10), focal_35=24, model="Own sensor")
    view.get_by_label("Sample image").set_input_files({"name": "a.jpg", "mimeType": "image/jpeg", "buffer": sample})
    expect(view).to_contain_text("The data sheet is better")
    view.get_by_role("button", name="Take this camera").click()
    settled(page)
    pixel = view.get_by_label("Pixel in micrometres of Own sensor")
    expect(pixel).to_have_value("2.412")
    pixel.fill("2.41")
    pixel.press("Enter")
    settled(page)
    assert barriers(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("tab", name="flights").click()
    page.get_by_label("Camera", exact=True).select_option(label="Own sensor")
    settled(page)
    line = page.get_by_role("navigation", name="Stations").get_by_role("button", name=re.compile("3 Flight"))
    expect(line).to_contain_text("exposures")
    assert page.console_errors == []
