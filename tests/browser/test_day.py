"""The Day: a visit is planned, a bar dragged and the rest follows, undone, printed; a day that cannot be says so."""

import re

from playwright.sync_api import expect

from tests.browser.test_story import commit, drag, open_demo


def bar(page, words):
    return page.get_by_role("group", name="The day by person").get_by_role("button", name=re.compile(words))


def times(page, words):
    return re.search(r"(\d\d:\d\d) to (\d\d:\d\d)", bar(page, words).first.get_attribute("aria-label")).groups()


def test_a_day_is_solved_dragged_and_printed(signed_in):
    page = signed_in
    open_demo(page)
    page.get_by_role("button", name=re.compile("7 Day")).click()
    told = page.get_by_test_id("day-told")
    expect(told).to_have_text(re.compile(r"Out \d\d:\d\d, first take-off \d\d:\d\d, packed \d\d:\d\d, back"))
    before, first = told.inner_text(), times(page, "sortie 1")

    box = bar(page, "sortie 1").bounding_box()
    row = page.locator("[data-person=pilot]").bounding_box()
    middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    drag(page, middle, (middle[0] + row["width"] / 10, middle[1]))
    expect(bar(page, "sortie 1, .*pinned")).to_be_visible(timeout=4000)
    assert times(page, "sortie 1")[0] > first[0] and times(page, "sortie 2")[0] > times(page, "sortie 1")[1]
    expect(told).not_to_have_text(before)
    page.get_by_role("button", name="Undo").click()
    expect(told).to_have_text(before)
    assert times(page, "sortie 1") == first

    page.get_by_role("button", name="observe check points").first.click()
    expect(page.get_by_text("The round of the chosen task is drawn on the sheet.")).to_be_visible()
    commit(page.get_by_label("Minutes of observe check points"), "30")
    expect(page.get_by_text(re.compile("settled for this visit"))).to_be_visible()
    page.get_by_role("button", name="the usual").click()
    expect(page.get_by_text(re.compile("settled for this visit"))).to_have_count(0)

    with page.expect_download() as got:
        page.get_by_role("link", name="sheet, PDF").first.click()
    assert got.value.path().read_bytes().startswith(b"%PDF")
    with page.expect_download() as got:
        page.get_by_role("link", name="calendar").first.click()
    assert "BEGIN:VEVENT" in got.value.path().read_text()

    commit(page.get_by_label("Batteries at hand"), "1")
    expect(page.get_by_role("alert")).to_contain_text("The flights take 3 batteries; 1 is at hand")
    page.get_by_role("button", name="Undo").click()
    expect(told).to_have_text(before)
    page.get_by_role("button", name=re.compile("^Out ")).click()  # the ribbon opens into the day
    assert page.console_errors == []


def test_a_visit_is_planned_from_nothing(signed_in):
    page = signed_in
    open_demo(page)
    page.get_by_role("button", name=re.compile("7 Day")).click()
    page.get_by_role("button", name="another visit").click()
    page.get_by_role("tab", name="visit 2").click()
    page.get_by_label("Date").fill("2027-04-02")
    expect(page.get_by_test_id("day-told")).to_be_visible()
    page.get_by_role("button", name="add person").click()
    expect(page.get_by_role("group", name="The day by person")).to_contain_text("P1")
    page.get_by_role("button", name="remove visit 2").click()
    expect(page.get_by_role("tab", name="visit 2")).to_have_count(0)
    assert page.console_errors == []
