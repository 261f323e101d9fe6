"""The Book on a phone: written without signal, the tab killed in the middle, sent when the signal is back; nothing
lost, nothing twice."""

import json
import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import signed_in_as


@pytest.fixture
def phone(browser, product):
    """A phone in the field: a context of its own, signed in as the party chief, the page's worker at rest."""
    options = {"viewport": {"width": 390, "height": 844}, "has_touch": True}
    context, page = signed_in_as(browser, product, "chief", **options)
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    yield context, page
    context.close()


def now(page):
    return page.get_by_role("region", name="Now")


def unsent(page):
    return page.get_by_test_id("unsent")


def entries(page):
    """The book as the server holds it."""
    job = re.search(r"/jobs/([0-9a-f-]+)", page.url)[1]
    return json.loads(page.evaluate(f"fetch('/api/jobs/{job}/book').then(r => r.text())"))["entries"]


def test_a_book_is_written_without_signal_and_survives_a_killed_tab(phone):
    context, page = phone
    page.get_by_role("link", name=re.compile("Sallow Bank")).last.tap()
    expect(now(page).get_by_role("button", name="done", exact=True)).to_be_visible()
    address = page.url
    assert address.endswith("/book")
    page.wait_for_timeout(1500)  # what was answered is kept on the device
    before = len(entries(page))

    context.set_offline(True)
    for _ in range(5):
        words = now(page).inner_text()
        now(page).get_by_role("button", name="done", exact=True).tap()
        expect(now(page)).not_to_have_text(words)
    now(page).get_by_role("button", name="we are on site").tap()
    expect(now(page)).to_contain_text("Heron 4")
    expect(unsent(page)).to_contain_text("6 waiting to be sent")
    expect(unsent(page)).to_contain_text("no signal")
    page.close()  # the tab is killed

    page = context.new_page()
    page.set_default_timeout(60_000)
    page.goto(address)  # cold, without signal
    expect(now(page)).to_contain_text("Heron 4")
    expect(page.get_by_text("height of the ARP, ellipsoidal")).to_be_visible()
    now(page).get_by_role("button", name="stands, plummet on the mark").tap()
    height = now(page).get_by_label(re.compile("height read"))
    for typed in ("1.872", "6' 2\""):
        height.fill(typed)
        now(page).get_by_role("button", name="height read", exact=True).tap()
        expect(height).to_have_value("")
    expect(now(page)).to_contain_text("mm apart: read again")
    expect(unsent(page)).to_contain_text("9 waiting to be sent")

    context.set_offline(False)
    expect(unsent(page)).to_have_count(0, timeout=30_000)
    expect(page.get_by_test_id("enough")).to_contain_text("Still to do")
    kept = entries(page)
    assert len(kept) == before + 9 and len({k["entry"]["id"] for k in kept}) == len(kept)
    kinds = [k["entry"]["said"]["kind"] for k in kept][-9:]
    assert kinds == ["tick"] * 5 + ["arrival", "set_up", "height", "height"]
    assert kept[-1]["entry"]["said"]["metres"] == pytest.approx(1.8796, abs=1e-4)

    page.get_by_text(re.compile(r"book \(\d+ entries\)")).tap()
    page.get_by_role("button", name="take back").first.tap()  # the last height was misread
    expect(now(page)).not_to_contain_text("read again")
    expect(unsent(page)).to_have_count(0)
    told = entries(page)
    assert told[-1]["entry"]["said"]["kind"] == "withdrawn" and not told[-2]["stands"]
    expect(page.get_by_text(re.compile("as done"))).to_be_visible(timeout=120_000)


@pytest.mark.parametrize(("width", "height"), [(390, 844), (820, 1180)])
def test_book_and_day_fit_a_phone_and_a_tablet_with_targets_for_gloves(phone, width, height):
    _, page = phone
    page.set_viewport_size({"width": width, "height": height})
    page.get_by_role("link", name=re.compile("Sallow Bank")).last.tap()
    expect(now(page)).to_be_visible()
    for station in ("book", "day"):
        page.get_by_role("button", name=re.compile(rf"(^|\d ){station}$", re.IGNORECASE)).first.tap()
        page.get_by_test_id(f"tray-{station}").wait_for()
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.get_by_role("button", name=re.compile(r"(^|\d )book$", re.IGNORECASE)).first.tap()
    now(page).wait_for()
    low = page.evaluate(
        """[...document.querySelectorAll('[data-testid=book] button, header button')]
           .filter(b => b.getBoundingClientRect().height < 44 && b.getBoundingClientRect().height > 0).map(b => b.innerText)"""
    )
    assert low == []
