"""Control and Site in a real browser: a layout searched and taken, points and features brought in, findings accepted,
rounds, files, and the airspace."""

import contextlib
import re
import time

from playwright.sync_api import Error as PlaywrightError
from playwright.sync_api import expect

from tests.browser.test_story import ready_to_drag, settled, spot
from tests.browser.test_verdict import add_job
from tests.conftest import E0, N0, small_plan
from tests.formats.test_map import kml


def opened(page, django_db_blocker, title, plan=None):
    """A small job of this title, or another plan under it, as it is seen once it is predicted."""
    plan = plan or small_plan()
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
    page.get_by_role("group", name="Points that may not move").get_by_role("button", name="G5").click()
    settled(page)
    page.get_by_role("button", name="search a layout").click()
    view = page.get_by_test_id("search")
    expect(view.get_by_text(re.compile("to pass, 90 % wanted"))).to_be_visible(timeout=60_000)
    expect(view.get_by_text("places tried, 1 of 9 points pinned.")).to_be_visible()
    proposal = view.get_by_role("row").filter(has=page.get_by_role("button", name="use this"))
    targets, checks = (int(proposal.get_by_role("cell").nth(k).inner_text()) for k in (0, 1))
    assert targets >= 1, "the pinned one stays"
    proposal.get_by_role("button", name="use this").click()
    line = page.get_by_role("navigation", name="Stations").get_by_role("button", name=re.compile("5 Control"))
    expect(line).to_contain_text(f"{targets} control point{'' if targets == 1 else 's'} · {checks} check points")
    settled(page)
    page.get_by_role("button", name="Undo").click()
    expect(line).to_contain_text("5 control points · 4 check points")


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


def test_points_of_a_file_are_drawn_and_told_before_they_are_taken(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Brought in")
    page.keyboard.press("5")
    page.get_by_role("button", name="import points").click()
    g1 = small_plan().control[0]
    rows = (
        f"name;E;N;H\nG1;{g1.e};{g1.n};4\nN1;{E0 + 60};{N0 + 20};4\nN2;{E0 + 120};{N0 + 100};4\nN3;{E0 + 9000};{N0};4\n"
    )
    file = {"name": "points.csv", "mimeType": "text/csv", "buffer": rows.replace(".", ",").encode()}
    page.get_by_label("File of points").set_input_files(file)
    panel = page.get_by_test_id("import")
    expect(panel.get_by_text("4 points", exact=True)).to_be_visible()
    expect(panel.get_by_text("1 stand where the plan has a point already")).to_be_visible()
    expect(panel.get_by_text("1 lie more than 1000 m from the site")).to_be_visible()
    panel.get_by_role("button", name="Take 2 points").click()
    line = page.get_by_role("navigation", name="Stations").get_by_role("button", name=re.compile("5 Control"))
    expect(line).to_contain_text("7 control points · 4 check points")
    page.get_by_role("button", name="names…").click()
    page.get_by_role("button", name="show the names").click()
    page.get_by_role("button", name=re.compile(r"Name \d+ points so")).click()
    expect(page.get_by_test_id("row-G7")).to_have_count(1)


def test_five_thousand_points_are_told_and_drawn_at_once(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Thousands")
    page.keyboard.press("5")
    page.get_by_role("button", name="import points").click()
    rows = "".join(f"P{k},{E0 + k % 100 * 2:.3f},{N0 + k // 100 * 2.3:.3f},4.000\n" for k in range(5000))
    file = {"name": "many.csv", "mimeType": "text/csv", "buffer": f"name,E,N,H\n{rows}".encode()}
    began = time.monotonic()
    page.get_by_label("File of points").set_input_files(file)
    panel = page.get_by_test_id("import")
    expect(panel.get_by_text("5,000 points", exact=True)).to_be_visible()
    assert time.monotonic() - began < 6.0, "0.3 s on a quiet machine, docs/benchmarks.md"
    expect(panel.get_by_text(re.compile("A plan holds 2,000 points"))).to_be_visible()
    panel.get_by_role("button", name="Leave them").click()
    assert page.console_errors == []


def test_a_finding_is_accepted_with_a_reason_and_opened_again(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Accepted")
    findings = page.get_by_role("region", name="Findings")
    accept = findings.get_by_role("button", name=re.compile("Accept with a reason: Every check is positioned"))
    accept.click()
    findings.get_by_label("It stands, because").fill("one mark is all there is")
    findings.get_by_role("button", name="accept", exact=True).click()
    expect(accept).to_have_count(0)
    accepted = page.get_by_test_id("accepted")
    accepted.locator("summary").click()
    expect(accepted.get_by_text(re.compile("one mark is all there is"))).to_be_visible()
    accepted.get_by_role("button", name="open again").click()
    expect(accept).to_be_visible()


def test_what_stands_against_a_point_is_told_while_it_is_dragged(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Dragged")
    page.keyboard.press("5")
    expect(page.get_by_test_id("row-G5")).to_be_visible()
    ready_to_drag(page)
    page.mouse.move(*spot(page, E0 + 100, N0 + 60))
    page.mouse.down()
    for k in range(1, 9):
        page.mouse.move(*spot(page, E0 + 100, N0 + 60 + 12 * k))
        page.wait_for_timeout(120)
    tried = page.get_by_test_id("tried")
    expect(tried.get_by_text(re.compile("G5 lies .* outside the boundary"))).to_be_visible()
    page.mouse.up()


def test_rounds_observing_and_files(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Walked round")
    page.keyboard.press("5")
    expect(page.get_by_role("tab", name="observe")).to_be_visible()
    page.keyboard.press("Alt+3")
    expect(page.get_by_test_id("observed").get_by_text("live from the set-up on A").first).to_be_visible()
    page.keyboard.press("Alt+4")
    rounds = page.get_by_test_id("rounds")
    expect(rounds.get_by_role("row")).to_have_count(3)
    rounds.get_by_label("How many people").select_option("2")
    expect(rounds.get_by_role("row")).to_have_count(5)
    page.keyboard.press("Alt+5")
    files = page.get_by_test_id("files")
    with page.expect_download() as saved:
        files.get_by_role("link", name="DXF").click()
    assert saved.value.suggested_filename == "control.dxf"
    with page.expect_download() as saved:
        files.get_by_role("link", name="control sketch").click()
    assert saved.value.path().read_bytes().startswith(b"%PDF")
    expect(files.get_by_role("row").filter(has_text="G1")).to_contain_text("°")


def test_features_come_from_a_map_file_and_their_corners_are_dragged(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Features brought in")
    page.keyboard.press("2")
    expect(page.get_by_role("tab", name="features")).to_be_visible()
    page.keyboard.press("Alt+2")
    page.get_by_label("File of features").set_input_files({"name": "site.kml", "mimeType": "text/xml", "buffer": kml()})
    read = page.get_by_test_id("features-read")
    expect(read.get_by_role("row")).to_have_count(4)
    read.get_by_label("What site, lines is").select_option("leave")
    read.get_by_role("button", name="Take 2").click()
    expect(page.get_by_label("Name of barn")).to_be_visible()
    settled(page)
    page.mouse.move(*spot(page, E0 + 40, N0 + 30))
    page.mouse.down()
    page.mouse.move(*spot(page, E0 + 60, N0 + 45), steps=6)
    page.mouse.up()
    settled(page)
    where = (
        "kardoMap.getLayers().getArray().map(l => l.getSource?.()?.getFeatureById?.('site/features/F2')).find(f =>"
        " f).getGeometry().getCoordinates()[0]"
    )
    corners = page.evaluate(where)
    assert min(abs(e - E0 - 60) + abs(n - N0 - 45) for e, n in corners) < 3


def test_the_airspace_is_looked_up_and_leave_is_asked_for(signed_in, django_db_blocker):
    page = opened(signed_in, django_db_blocker, "Under a ceiling")
    page.keyboard.press("2")
    expect(page.get_by_role("tab", name="airspace")).to_be_visible()
    page.keyboard.press("Alt+4")
    view = page.get_by_test_id("airspace")
    view.get_by_role("button", name="look up the airspace").click()
    view.get_by_role("button", name="Use this in the plan").click()
    expect(view.get_by_role("row").filter(has_text="CV-1")).to_contain_text("60 m")
    stop = page.get_by_text(re.compile("It flies .* above ground in Corvane harbour"))
    expect(stop).to_be_visible(timeout=30_000)
    view.get_by_role("button", name="ask for leave…").click()
    view.get_by_label("on", exact=True).fill("2027-03-16")
    view.get_by_role("button", name="ask", exact=True).click()
    asking, granted = view.get_by_role("button", name="what became of it?"), view.get_by_text("granted")
    for _ in range(20):  # whoever is asked takes their time
        expect(asking.or_(granted).first).to_be_visible()
        if granted.is_visible():
            break
        with contextlib.suppress(PlaywrightError):  # it may be granted just now
            asking.click(timeout=500)
    expect(stop).to_have_count(0, timeout=30_000)
