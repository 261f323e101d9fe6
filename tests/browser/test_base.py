"""Base in a real browser: the schemes side by side, a device's card, what it shows held against it."""

import gzip
import re

import pypdfium2
from playwright.sync_api import expect

from kardo.core.gnss.heights import frame_of_chain, heights
from kardo.demo import demo_plan
from tests.browser.test_screens import add_job, barriers
from tests.browser.test_story import commit, figure, settled
from tests.formats.rinex_logs import log_3
from tests.formats.test_antex import FILE

# Hask 1 of the demo, earth-centred metres on the grid's own datum
PLAN = demo_plan("hask-quarry")
CHAIN = heights(PLAN, "base")
AT = CHAIN.latitude, CHAIN.longitude, CHAIN.mark_ellipsoidal
HASK = tuple(frame_of_chain(PLAN, CHAIN).earth_centred(AT).tolist())


def opened(page, django_db_blocker, title, demo="sallow-bank"):
    """A job of a demo's plan under a name of its own, at Base."""
    plan = demo_plan(demo)
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
    assert figure(page, "absolute-v") == said != own, "the gauges show what the scheme promised"
    page.get_by_role("button", name="Undo").click()
    settled(page)
    assert figure(page, "absolute-v") == own
    expect(page.get_by_test_id("scheme-own_both")).to_contain_text("in the plan")  # computed before
    assert [e for e in page.console_errors if "422" not in e] == []


def test_a_card_is_made_printed_and_read_back(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank with a card")
    page.keyboard.press("Alt+4")
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
    expect(page.get_by_test_id("blunders")).to_contain_text("Only 1 of 8 checks is positioned from elsewhere")
    assert barriers(page) == []
    page.get_by_role("button", name="Undo").click()
    settled(page)
    expect(page.get_by_role("tab", name="aircraft's remote")).to_have_count(0)


def test_a_finding_about_the_base_opens_where_it_can_be_typed(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank with findings")
    finding = page.get_by_role("region", name="Findings").locator("div", has_text="taped only once")
    finding.get_by_role("button", name="go there").click()
    expect(page.get_by_label("Antenna height 1")).to_be_visible()
    page.get_by_test_id("datum-strip").click()
    expect(page.get_by_role("img", name="Height chain on Heron 4")).to_be_visible()


def test_the_sky_over_a_point_on_the_day(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank under satellites")
    page.keyboard.press("Alt+6")
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
    page.keyboard.press("Alt+7")
    view = page.get_by_test_id("sessions")
    expect(view.get_by_role("row", name=re.compile("set-up on Heron 4.* 1.0 s"))).to_be_visible()
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


def test_what_a_base_broadcasts_is_held_against_its_set_up(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank on the air")
    page.keyboard.press("Alt+4")
    air = page.get_by_test_id("on-air")
    air.get_by_label("Name there").fill("corvane")
    air.get_by_label("Password there").fill("guess")
    air.get_by_role("button", name="which are there?").click()
    air.get_by_role("button", name="SALLOW_TWICE").click()
    air.get_by_role("button", name="listen").click()
    expect(air.get_by_role("alert")).to_contain_text("another name or password")
    air.get_by_label("Password there").fill("corvane-demo")
    air.get_by_role("button", name="listen").click()
    expect(air).to_contain_text("1.830 m higher than planned. Antenna height in twice", timeout=20_000)
    air.get_by_role("button", name="SALLOW", exact=True).click()
    air.get_by_role("button", name="listen").click()
    expect(air).to_contain_text("broadcasts the position that was planned", timeout=20_000)
    air.get_by_role("button", name="SALLOW_STALLS").click()
    air.get_by_role("button", name="listen").click()
    page.keyboard.press("Alt+1")  # a caster that says nothing does not hold the page
    expect(page.get_by_test_id("schemes")).to_be_visible()
    assert barriers(page) == []


def test_a_base_taken_here_is_shown_in_both_states_and_its_files_are_shifted(signed_in, django_db_blocker, tmp_path):
    page = signed_in
    opened(page, django_db_blocker, "Quarry in two states", "hask-quarry")
    states = page.get_by_role("group", name="Which state is shown")
    expect(states.get_by_role("button", name="as taken “here”")).to_have_attribute("aria-pressed", "true")
    before = figure(page, "absolute-v")
    other = page.get_by_test_id("other-state").first
    after = float(other.get_by_role("cell").nth(2).inner_text())
    assert before > 3000 and after < 60
    states.get_by_role("button", name="once shifted").click()
    settled(page)
    assert figure(page, "absolute-v") == after, "what was named beside is now what is shown"
    page.keyboard.press("6")
    expect(page.get_by_test_id("state")).to_contain_text("Shown once it is shifted.")
    expect(page.get_by_test_id("state")).to_contain_text("until it is shifted, the whole map lies about 2.12 m off")
    page.keyboard.press("4")
    expect(page.get_by_test_id("schemes")).to_be_visible()
    page.keyboard.press("Alt+3")
    commit(page.get_by_label("Hours of its own log that shift Hask 1"), "9")
    settled(page)
    assert figure(page, "absolute-v") < after, "a longer log fixes it better"
    assert barriers(page) == []

    page.keyboard.press("9")
    page.get_by_role("tab", name="mend").click()
    log = tmp_path / "hask.rnx.gz"
    log.write_bytes(gzip.compress(log_3(14401, 60, interval=60.0, marker="Hask 1", approx=HASK).encode()))
    page.get_by_label(re.compile("The base’s raw log")).set_input_files(log)
    fixed = page.get_by_test_id("from-log").get_by_role("status")
    expect(fixed).to_contain_text("Done: static, 4 h against Corvane North", timeout=30_000)
    east = float(page.get_by_label("E, m", exact=True).input_value())
    assert 626635 - 3 < east < 626635 + 3 and east != 626635
    expect(page.get_by_label("Where they come from")).to_have_value(re.compile("static, 4 h"))
    commit(page.get_by_label("E, m", exact=True), "626636.5")
    page.get_by_label("Where they come from").fill("static, 9 h")
    page.get_by_label("Where they come from").press("Enter")
    page.get_by_role("button", name="show what it does").click()
    page.get_by_role("button", name="Apply the shift").click()
    photos = tmp_path / "photos.csv"
    photos.write_text("photo,E,N,H\nP1,626500,5131200,240\n")
    with page.expect_download() as got:
        page.get_by_label("Photo positions, CSV").set_input_files(photos)
    assert got.value.suggested_filename == "photos-shifted.csv"
    assert "626501.5000" in got.value.path().read_text()
    assert barriers(page) == []


def test_marks_are_kept_found_taken_and_published_anew(signed_in, django_db_blocker, tmp_path):
    page = signed_in
    opened(page, django_db_blocker, "Bank with a library")
    page.keyboard.press("Alt+8")
    library = page.get_by_test_id("library")
    library.get_by_role("button", name="keep Heron 2").click()
    row = library.get_by_role("row", name=re.compile("Heron 2"))
    expect(row).to_contain_text("in the plan")
    marks = tmp_path / "marks.csv"
    marks.write_text("name,E,N,H\nHeron 7,623100,5128400,4.5\nHeron 8,633100,5128400,4.6\n")
    library.get_by_label("Marks from a file").set_input_files(marks)
    read = library.get_by_test_id("marks-read")
    expect(read).to_contain_text("2 marks: Heron 7, Heron 8")
    commit(read.get_by_label("95 % circle, mm"), "25")
    commit(read.get_by_label("95 % height, mm"), "40")
    read.get_by_label("Where they come from").fill("survey of 2026")
    read.get_by_label("Where they come from").press("Enter")
    read.get_by_role("button", name="keep 2 marks").click()
    near = library.get_by_role("row", name=re.compile("Heron 7"))
    near.get_by_role("button", name="base on it").click()
    expect(page.get_by_label("Base stands on")).to_have_value("Heron-7")
    expect(page.get_by_role("button", name="plan a height")).to_be_visible()  # all that is left to say
    page.get_by_role("button", name="plan a height").click()
    settled(page)

    page.keyboard.press("Alt+8")
    library.get_by_role("button", name="Heron 7").click()
    details = library.get_by_test_id("mark-details")
    commit(details.get_by_label("New E, m"), "623100.012")
    details.get_by_role("button", name="keep as newer coordinates").click()
    offer = library.get_by_text("has newer coordinates in the library")
    expect(offer).to_contain_text("12.0 H, 0.0 up mm")
    offer.get_by_role("button", name="take the newer").click()
    expect(offer).to_have_count(0)
    expect(details.get_by_role("row")).to_have_count(3)  # the old ones stay on record
    details.get_by_label("It is a").select_option("carries a target")
    near.get_by_role("button", name="its control point").click()
    expect(near.get_by_role("button", name="its control point")).to_have_count(0)
    expect(page.get_by_role("button", name=re.compile("5 Control"))).to_contain_text("6 control points")
    assert barriers(page) == []
    assert page.console_errors == []


def test_what_corrections_do_not_reach_is_shown_and_a_better_standpoint_found(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Quarry by wireless", "hask-quarry")
    page.keyboard.press("3")
    page.get_by_label("applied").select_option("both")
    settled(page)
    page.keyboard.press("4")
    page.keyboard.press("Alt+5")
    view = page.get_by_test_id("reach-main")
    expect(view).to_contain_text("flown from where it takes off, 27 m from the base")
    view.get_by_role("button", name="beside the base").click()
    settled(page)
    expect(view).to_contain_text("flown from beside the base")
    expect(view).to_contain_text("The others are saved by the log")
    reached = view.get_by_text(re.compile(r"^\d+ of 494$"))
    before = int(reached.inner_text().split()[0])
    assert before < 494
    view.get_by_role("button", name="find the best take-off point").click()
    view.get_by_role("button", name="take off there").click()
    settled(page)
    expect(reached).not_to_have_text(f"{before} of 494")
    card = page.get_by_test_id("settings-card")
    card.get_by_label("Mount point").fill("HASK")
    card.get_by_label("Mount point").press("Enter")
    expect(card).to_contain_text("The password is kept nowhere in Kardo")
    page.get_by_label(re.compile("Corrections leave")).select_option("")
    expect(view).to_have_count(0)
    assert barriers(page) == []


def test_an_antenna_is_taken_from_an_antex_file(signed_in, django_db_blocker, tmp_path):
    page = signed_in
    opened(page, django_db_blocker, "Bank with another antenna")
    page.keyboard.press("Alt+3")
    page.get_by_label("Antenna", exact=True).select_option("another antenna")
    form = page.get_by_test_id("new-antenna")
    (tmp_path / "all.atx").write_bytes(b"".join(FILE))
    form.get_by_label("ANTEX 1.4 file").set_input_files(tmp_path / "all.atx")
    form.get_by_label("2 found").select_option(label="SMALL HELIX DOME 17")
    commit(form.get_by_label("Radius that a slant is read to, m"), "0.06")
    form.get_by_role("button", name="use this antenna").click()
    settled(page)
    expect(page.get_by_label("Antenna", exact=True)).to_contain_text("SMALL HELIX DOME 17")
    page.keyboard.press("Alt+4")
    expect(page.get_by_role("img", name="Height chain on Heron 4")).to_contain_text("0.0420")
    assert barriers(page) == []


def test_a_site_is_calibrated_to_its_own_grid_and_told_in_it(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank in works coordinates")
    own = figure(page, "absolute-h")
    page.keyboard.press("Alt+9")
    view = page.get_by_test_id("local-grid")
    corners = demo_plan("sallow-bank").site.boundary[::2]
    rows = [
        f"W{k}\t{e:.3f}\t{n:.3f}\t4.000\t{n - 5.1e6:.3f}\t{-e + 1e6:.3f}\t2.500" for k, (e, n) in enumerate(corners)
    ]
    view.get_by_label(re.compile("Points in both")).fill("\n".join([*rows[:-1], rows[-1].replace("2.500", "2.900")]))
    view.get_by_role("button", name="take", exact=True).click()
    expect(view).to_contain_text(f"W{len(rows) - 1} does not fit")
    expect(page.get_by_test_id("datum-strip")).to_contain_text("delivered in local grid")
    settled(page)  # once the points are read and taken
    assert figure(page, "absolute-h") > own, "what the points are good for is in the figures"
    view.get_by_label(f"W{len(rows) - 1} counts in height").uncheck()
    settled(page)
    expect(view).not_to_contain_text("does not fit")
    expect(view).to_contain_text("90.000000")  # bearings turned
    with page.expect_download() as saved:
        view.get_by_role("link", name="control in it").click()
    assert b"K1" in saved.value.path().read_bytes()
    e, n = corners[0]
    view.get_by_label(re.compile("Marks that it has")).fill(f"Works 1\t{n - 5.1e6:.3f}\t{-e + 1e6:.3f}\t2.500")
    view.get_by_role("button", name="take", exact=True).last.click()
    settled(page)
    page.keyboard.press("Alt+3")
    expect(page.get_by_label("How Works 1 is known")).to_have_value("local")
    expect(page.get_by_label("E of Works 1", exact=True)).to_have_value(re.compile(rf"^{e:.1f}"))
    page.keyboard.press("Alt+9")
    assert barriers(page) == []
    view.get_by_role("button", name="ground coordinates").click()
    expect(view.get_by_label("Factor")).to_have_value(re.compile(r"^1\.000[12]"))
    view.get_by_role("button", name="deliver in the job’s grid").click()
    settled(page)
    assert figure(page, "absolute-h") == own
    assert page.console_errors == []


def test_places_for_the_base_are_ranked_drawn_and_taken(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Bank with a better base")
    page.keyboard.press("Alt+2")
    view = page.get_by_test_id("base-places")
    expect(view).to_contain_text(re.compile("The base stands on (one of )?the best of them"), timeout=30_000)
    expect(view.get_by_role("row", name=re.compile(r"Heron 4 \(the base\)"))).to_contain_text("1.00")
    assert barriers(page) == []
    view.get_by_role("row", name=re.compile("on the site")).first.get_by_role("button", name="base here").click()
    settled(page)
    expect(view).to_contain_text("M1 (the base)", timeout=30_000)
    expect(page.get_by_role("button", name=re.compile("4 Base"))).to_contain_text("M1")
    view.get_by_role("row", name=re.compile("Heron 4")).get_by_role("button", name="base here").click()
    settled(page)
    expect(view).to_contain_text("Heron 4 (the base)", timeout=30_000)
    assert page.console_errors == []


def test_what_is_heard_of_a_base_goes_into_the_book_and_keeps_the_crew(signed_in, django_db_blocker):
    page = signed_in
    opened(page, django_db_blocker, "Quarry heard in the field", "hask-quarry")
    page.keyboard.press("Alt+4")
    asked = page.get_by_test_id("receiver")
    asked.get_by_role("button", name="ask it").click()
    expect(asked).to_contain_text("from the plan on Hask 1, within what it is good to", timeout=20_000)
    assert barriers(page) == []
    page.keyboard.press("8")
    now = page.get_by_role("region", name="Now")
    for _ in range(12):
        if now.get_by_role("button", name="stands, plummet on the mark").count():
            break
        words = now.inner_text()
        now.get_by_role("button", name=re.compile("^(done|we are on site)$")).click()
        expect(now).not_to_have_text(words)
    now.get_by_role("button", name="stands, plummet on the mark").click()
    now.get_by_text("hear where it says it is").click()
    air = now.get_by_test_id("on-air")
    air.get_by_label("Name there").fill("corvane")
    air.get_by_label("Password there").fill("corvane-demo")
    air.get_by_label("Mount point").fill("HASK_TWICE")
    air.get_by_role("button", name="listen").click()
    air.get_by_role("button", name="into the book").click(timeout=20_000)
    expect(
        page.get_by_text(re.compile("Not enough to leave: the set-up on Hask 1 was heard elsewhere"))
    ).to_be_visible()
    now.get_by_test_id("receiver").get_by_role("button", name="ask it").click()
    now.get_by_test_id("receiver").get_by_role("button", name="into the book").click(timeout=20_000)
    expect(now).to_contain_text("Fixed: ")
    expect(page.get_by_text(re.compile("was heard elsewhere than planned"))).to_be_visible()  # it is still on the air
    air.get_by_label("Mount point").fill("HASK")
    air.get_by_role("button", name="listen").click()
    air.get_by_role("button", name="into the book").click(timeout=20_000)
    expect(page.get_by_text(re.compile("was heard elsewhere than planned"))).to_have_count(0)
    assert page.console_errors == []
