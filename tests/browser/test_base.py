"""Base in a real browser: the schemes side by side, a device's card, what it shows held against it."""

import gzip
import re

import pypdfium2
from playwright.sync_api import expect

from kardo.demo import demo_plan
from tests.browser.test_house import add_job, barriers
from tests.browser.test_story import commit, figure, settled
from tests.formats.rinex_logs import log_3


def opened(page, django_db_blocker, title):
    """A job of the demo's plan under a name of its own, at Base."""
    plan = demo_plan("sallow-bank")
    plan = plan.model_copy(update={"brief": plan.brief.model_copy(update={"title": title})})
    add_job(django_db_blocker, plan)
    page.reload()
    page.get_by_role("link", name=re.compile(title)).first.click()
    expect(page.get_by_test_id("absolute-v")).to_be_visible(timeout=90_000)
    settled(page)
    page.keyboard.press("4")
    expect(page.get_by_test_id("schemes")).to_be_visible()


def test_a_scheme_is_compared_chosen_and_taken_back(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank by network")
    own = figure(page, "absolute-v")
    page.get_by_role("button", name="compare the schemes").click()
    network = page.get_by_test_id("scheme-network_virtual")
    expect(network).to_be_visible(timeout=90_000)
    expect(page.get_by_test_id("scheme-own_both")).to_contain_text("in the plan")
    expect(page.get_by_test_id("scheme-network_nearest")).to_contain_text("No reference station is known")
    said = float(network.get_by_role("cell").nth(3).inner_text())
    page.get_by_role("button", name="base “here”, as taken", exact=True).click()
    expect(page.get_by_text("no check on the same base sees it")).to_be_visible()
    assert barriers(page) == []
    network.get_by_role("button", name="choose network, virtual station").click()
    settled(page)
    assert figure(page, "absolute-v") == said != own, "the staff shows what the scheme promised"
    page.get_by_role("button", name="Undo").click()
    settled(page)
    assert figure(page, "absolute-v") == own
    expect(page.get_by_test_id("scheme-own_both")).to_contain_text("in the plan")  # computed before
    assert [e for e in page.console_errors if "422" not in e] == []


def test_a_card_is_made_printed_and_read_back(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank with a card")
    page.keyboard.press("Alt+3")
    page.get_by_role("button", name="another device").click()
    make = page.get_by_role("button", name="make its card")
    page.get_by_label("Device", exact=True).fill("aircraft's remote")
    page.get_by_label("Device", exact=True).press("Enter")
    expect(make).to_be_disabled()  # nothing is assumed
    page.get_by_label("It wants the position of").select_option("apc")
    page.get_by_label("It wants the height").select_option("ellipsoidal")
    page.get_by_label("Position as").select_option("dms")
    page.get_by_label("Lengths in").select_option("us-ft")
    make.click()
    card = page.get_by_test_id("card")
    expect(card).to_contain_text("aircraft's remote: the phase centre (APC)")
    expect(card).to_contain_text("46°17'55.84983\" N")
    apc = float(card.get_by_role("row").nth(3).get_by_role("cell").nth(1).inner_text().replace("\u202f", "").split()[0])
    with page.expect_download() as got:
        page.get_by_role("link", name="card, PDF").click()
    document = pypdfium2.PdfDocument(got.value.path())
    text = "".join(document[0].get_textpage().get_text_range().split())
    document.close()
    assert f"{apc:.4f}" in text and "55.84983" in text

    back = page.get_by_test_id("read-back")
    for label, value in (("latitude", "46 17 55.84983 N"), ("longitude", "13 24 07.56803 W"), ("height", f"{apc}")):
        back.get_by_label(f"{label} it shows").fill(value)
    back.get_by_role("button", name="hold against the card").click()
    expect(back.get_by_role("status")).to_contain_text("As planned")
    back.get_by_label("height it shows").fill(f"{apc + 1.82971 / (1200 / 3937):.4f}")
    back.get_by_role("button", name="hold against the card").click()
    expect(back.get_by_role("status")).to_contain_text("1.830 m higher than planned. Antenna height in twice")
    expect(page.get_by_test_id("blunders")).to_contain_text("Only 1 of 8 checks hangs elsewhere")
    assert barriers(page) == []
    page.get_by_role("button", name="Undo").click()
    settled(page)
    expect(page.get_by_role("tab", name="aircraft's remote")).to_have_count(0)


def test_a_finding_about_the_base_opens_where_it_can_be_typed(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank with findings")
    finding = page.get_by_role("region", name="Findings").locator("div", has_text="taped only once")
    finding.get_by_role("button", name="go there").click()
    expect(page.get_by_label("Slant height 1, m")).to_be_visible()
    page.get_by_test_id("datum-strip").click()
    expect(page.get_by_role("img", name="Height chain on Heron 4")).to_be_visible()


def test_the_sky_over_a_point_on_the_day(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank under satellites")
    page.keyboard.press("Alt+4")
    view = page.get_by_test_id("satellites")
    expect(view.get_by_role("img", name="The sky over base · Heron 4")).to_be_visible()
    expect(view).to_contain_text("typical numbers, not this day's")
    counted = re.compile(r"\d+ satellites of \d+ under an open sky · PDOP \d\.\d\d")
    before = view.get_by_text(counted).inner_text()
    view.get_by_label("moment of the day").press("Home")
    expect(view.get_by_text(counted)).not_to_have_text(before)
    view.get_by_label("Over", exact=True).select_option("control/K7")
    expect(view.get_by_role("img", name="The sky over K7")).to_be_visible()
    view.get_by_label("On", exact=True).fill("2027-06-21")
    expect(view).to_contain_text("fewest")
    assert barriers(page) == []
    page.reload()
    expect(page.get_by_role("img", name="The sky over base · Heron 4")).to_be_visible()  # the view is in the address


def test_a_base_log_is_held_against_the_plan(signed_in, django_db_blocker, tmp_path):
    page = signed_in
    opened(page, django_db_blocker, "Bank with a log")
    page.keyboard.press("Alt+5")
    view = page.get_by_test_id("sessions")
    expect(view.get_by_role("row", name=re.compile("set-up on Heron 4"))).to_contain_text("1 s")
    commit(view.get_by_label("For σ V of, mm"), "18.25")
    expect(view).to_contain_text("log 4.0 h, which gives")
    log = tmp_path / "heron.rnx.gz"
    log.write_bytes(gzip.compress(log_3(600, marker="Heron 4", height=1.872, approx=None).encode()))
    view.get_by_label("Raw log of a base").set_input_files(log)
    told = view.get_by_test_id("log-told")
    expect(told).to_contain_text("600 epochs every 1 s")
    expect(told).to_contain_text("that is the slant height")
    expect(told).to_contain_text("before the last landing as planned")
    assert barriers(page) == []
    (tmp_path / "photo.jpg").write_bytes(b"\xff\xd8" + bytes(500))
    view.get_by_label("Raw log of a base").set_input_files(tmp_path / "photo.jpg")
    expect(view.get_by_role("alert")).to_contain_text("This is no RINEX file.")
