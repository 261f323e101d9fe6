"""Small things that cost an afternoon: a field that keeps the keys, a view that opens in its middle, tools over each
other in a low sheet."""

import re

from playwright.sync_api import expect

from kardo.core.plan.stands import OnNothing
from tests.browser.test_control import opened
from tests.browser.test_story import commit, open_demo, settled
from tests.conftest import E0, N0, small_plan
from tests.formats.test_files import geojson


def test_a_field_is_left_with_enter_and_says_in_place_what_it_cannot_read(signed_in):
    page = signed_in
    open_demo(page)
    field = page.get_by_label("E of K1", exact=True)
    before = field.input_value()
    field.fill("somewhere")
    field.press("Enter")
    said = page.get_by_role("alert").filter(has_text="cannot be read")
    expect(said).to_be_visible()
    expect(field).to_be_focused()  # to be mended where it stands
    field.press("Escape")
    expect(said).to_have_count(0)
    expect(field).to_have_value(before)
    field.fill(f"{float(before) + 1:.3f}")
    field.press("Enter")
    expect(field).not_to_be_focused()
    page.keyboard.press("6")  # a shortcut again, no digit
    expect(page.get_by_test_id("tray-verdict")).to_be_visible()
    settled(page)
    page.get_by_role("button", name="Undo").click()
    settled(page)


def test_a_view_opens_at_its_top_and_a_low_sheet_shows_the_drawing_alone(signed_in):
    page = signed_in
    open_demo(page)
    page.keyboard.press("3")
    tray = page.get_by_test_id("tray-flight")
    expect(tray).to_be_visible()
    tray.evaluate("tray => tray.scrollTo(0, 10_000)")
    assert tray.evaluate("tray => tray.scrollTop") > 0
    page.get_by_role("button", name="more…").click()
    page.get_by_role("tab", name="kit").click()
    expect(tray.get_by_role("heading", name=re.compile("Flight")).first).to_be_in_viewport()
    assert tray.evaluate("tray => tray.scrollTop") == 0
    tools = page.get_by_role("button", name=re.compile("^G control point"))
    expect(tools).to_be_visible()
    page.get_by_role("heading", name="Flight").first.click()
    page.keyboard.press("t")
    expect(tools).to_be_hidden()
    page.keyboard.press("t")
    expect(tools).to_be_visible()


def test_a_job_by_network_corrections_needs_no_mark(signed_in, django_db_blocker):
    bare = {"marks": (), "setups": (), "control": (), "flight": {"positioned_from": OnNothing()}}
    page = opened(signed_in, django_db_blocker, "Networked", small_plan(**bare))
    expect(page.get_by_text("or take corrections from a service")).to_have_count(0)
    page.keyboard.press("4")
    page.get_by_role("button", name="Take corrections from a service").click()
    settled(page)
    expect(page.get_by_role("button", name="Take corrections from a service")).to_have_count(0)
    expect(page.get_by_test_id("absolute-v")).to_be_visible(timeout=60_000)


def test_a_key_counts_while_another_station_is_on_its_way(signed_in):
    """6 and 5 within one beat: the later one is what is meant, though the first is not drawn yet."""
    page = signed_in
    open_demo(page)
    expect(page.get_by_test_id("tray-control")).to_be_visible()
    page.evaluate("() => ['6', '5'].forEach((key) => window.dispatchEvent(new KeyboardEvent('keydown', { key })))")
    page.wait_for_timeout(1500)  # for the first to come, if it were the last word
    expect(page.get_by_test_id("tray-control")).to_be_visible()
    expect(page.get_by_test_id("tray-verdict")).to_have_count(0)


def test_back_goes_to_the_view_before_and_ticks_stay(signed_in):
    page = signed_in
    open_demo(page)
    for key in ("3", "4", "5"):
        page.keyboard.press(key)
    page.get_by_label("Mark K3").check()
    page.get_by_label("Mark K5").check()
    page.get_by_role("tab", name="observe").click()
    expect(page.get_by_test_id("observed")).to_be_visible()
    page.keyboard.press("4")
    page.get_by_role("tab", name="satellites").click()
    expect(page).to_have_url(re.compile("/base/satellites$"))
    for address in ("/base$", "/control/observe$", "/control$", "/base$", "/flight$"):
        page.go_back()
        expect(page).to_have_url(re.compile(address))
    page.keyboard.press("5")
    expect(page.get_by_test_id("control-table")).to_be_visible()
    expect(page.get_by_text("2 marked:")).to_be_visible()
    commit(page.get_by_label("N of K3", exact=True), "5128437")
    settled(page)
    expect(page.get_by_label("Mark K3")).to_be_checked()
    page.get_by_role("button", name="unmark").click()
    page.get_by_role("button", name="Undo").click()
    settled(page)


def test_a_mark_is_typed_as_its_certificate_prints_it(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Certified", small_plan())
    page.keyboard.press("4")
    page.get_by_role("tab", name="set-ups").click()
    page.get_by_role("button", name=re.compile("^new mark from its certificate")).click()
    form = page.get_by_test_id("certificate")
    text = form.get_by_label("The mark as its certificate prints it")
    text.fill("Latitude 46 18\nLongitude rubbish")
    form.get_by_role("button", name="Read the mark").click()
    expect(form.get_by_role("alert")).to_contain_text("is not an angle")
    text.fill("Designation: Heron 9\nLatitude 46°17'53.20\"N\nLongitude 13°24'33.84\"W\nHeight 61.232 m")
    form.get_by_role("button", name="Read the mark").click()
    expect(form).to_contain_text("does not say what it is")
    take = form.get_by_role("button", name="Use this mark")
    expect(take).to_be_disabled()  # which height it is has to be said first
    form.get_by_label("The height is").select_option("ellipsoidal")
    page.get_by_label("Accuracy is typed as").first.select_option("published")
    commit(form.get_by_label("95 % circle, mm"), "24.477")
    take.click()
    expect(page.get_by_label("Name of Heron 9")).to_be_visible()
    expect(page.get_by_label("Horizontal σ of Heron 9")).to_have_value("24.5")
    page.get_by_label("Accuracy is typed as").first.select_option("sigma")
    expect(page.get_by_label("Horizontal σ of Heron 9")).to_have_value("10.0")
    assert (
        float(page.get_by_label("H of Heron 9", exact=True).input_value()) < 10
    )  # metres in the job's heights, not 61


def test_schemes_are_compared_from_what_there_is(signed_in, django_db_blocker):
    bare = {"marks": (), "setups": (), "control": (), "flight": {"positioned_from": OnNothing()}}
    page = opened(signed_in, django_db_blocker, "Compared without a base", small_plan(**bare))
    page.keyboard.press("4")
    page.get_by_role("tab", name="scheme").click()
    page.get_by_role("button", name="compare the schemes").click()
    rows = page.get_by_test_id("schemes")
    expect(page.get_by_test_id("scheme-network_virtual")).to_contain_text("choose", timeout=60_000)
    expect(rows).to_contain_text("No set-up stands on a mark yet")
    expect(rows).to_contain_text("No reference station is known")


DROP = """([name, text]) => {
  const carried = new DataTransfer();
  carried.items.add(new File([text], name));
  const over = { dataTransfer: carried, bubbles: true, cancelable: true };
  const at = document.querySelector('[data-testid=sheet]');
  at.dispatchEvent(new DragEvent('dragover', over));
  at.dispatchEvent(new DragEvent('drop', over));
}"""


def test_a_file_dropped_on_the_sheet_goes_to_the_station_that_reads_it(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Dropped upon", small_plan())
    page.evaluate(DROP, ["new points.csv", f"name,E,N,H,class\nG9,{E0 + 40},{N0 + 40},5.1,1"])
    page.get_by_role("dialog").get_by_role("button", name="control points").click()
    expect(page.get_by_test_id("tray-control")).to_contain_text("Not taken: class.")
    expect(page.get_by_test_id("row-G9")).to_have_count(0)  # read, and not yet taken
    page.evaluate(DROP, ["site.geojson", geojson().decode()])
    page.get_by_role("dialog").get_by_role("button", name="the boundary of the site").click()
    expect(page.get_by_test_id("tray-site")).to_contain_text("This is how I read it")
    page.evaluate(DROP, ["base.26o", "anything"])
    expect(page.get_by_role("dialog")).to_contain_text("no file that the sheet takes")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
