"""Control in a real browser: a layout searched, looked at, taken and taken back."""

import re

from playwright.sync_api import expect

from tests.browser.test_story import settled, spot
from tests.browser.test_verdict import add_job
from tests.conftest import E0, N0, small_plan


def opened(page, django_db_blocker, title):
    """A small job of this title, as it is seen once it is predicted."""
    plan = small_plan()
    add_job(django_db_blocker, plan.model_copy(update={"brief": plan.brief.model_copy(update={"title": title})}))
    page.reload()
    page.get_by_role("link", name=title).click()
    settled(page)
    return page


def test_a_layout_is_searched_drawn_and_taken_with_what_is_pinned(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Few will do")
    page.keyboard.press("5")
    expect(page.get_by_role("tab", name="search")).to_be_visible()
    page.keyboard.press("Alt+2")
    page.get_by_role("group", name="Points that stay").get_by_role("button", name="G5").click()
    settled(page)
    page.get_by_role("button", name="search a layout").click()
    view = page.get_by_test_id("search")
    expect(view.get_by_text(re.compile("to pass, 90% wanted"))).to_be_visible(timeout=60_000)
    expect(view.get_by_text("places tried, 1 of 9 points pinned.")).to_be_visible()
    proposal = view.get_by_role("row").filter(has=page.get_by_role("button", name="take this"))
    targets, checks = (int(proposal.get_by_role("cell").nth(k).inner_text()) for k in (0, 1))
    assert targets >= 1, "the pinned one stays"
    proposal.get_by_role("button", name="take this").click()
    line = page.get_by_role("navigation", name="Stations").get_by_role("button", name=re.compile("5 Control"))
    expect(line).to_contain_text(f"{targets} targets · {checks} checks")
    settled(page)
    page.get_by_role("button", name="Undo").click()
    expect(line).to_contain_text("5 targets · 4 checks")


def test_what_is_drawn_on_the_site_forbids_and_is_told(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Fenced in")
    page.keyboard.press("2")
    expect(page.get_by_role("tab", name="features")).to_be_visible()
    page.keyboard.press("Alt+2")
    page.get_by_label("What it is").select_option("keep_out")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="draw on the sheet (H)").click()
    for x, y in ((2, 2), (24, 2), (24, 24), (2, 24), (2, 2)):  # about G1
        page.mouse.click(*spot(page, E0 + x, N0 + y))
        page.wait_for_timeout(350)
    table = page.get_by_test_id("features")
    expect(table.get_by_label("Name of keep out 1")).to_be_visible()
    found = page.get_by_text(re.compile("G1 lies where nobody should stand: keep-out"))
    expect(found).to_be_visible(timeout=20_000)
    settled(page)
    table.get_by_role("button", name="remove").click()
    expect(found).to_have_count(0, timeout=20_000)
