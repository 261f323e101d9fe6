"""A planner's first job, from a boundary to files for the field, in a real browser."""

import csv
import io
import json
import re

import pytest
from playwright.sync_api import expect

from kardo.formats.raster import write_terrain
from tests.conftest import E0, N0
from tests.formats.test_files import RING, geojson, surface


def figure(page, name):
    return float(page.get_by_test_id(name).inner_text())


def settled(page):
    """Wait until what is on screen belongs to what is saved: every step sent, and its summary and prediction here."""
    expect(page.locator('[data-testid="saved"][data-settled="true"]')).to_have_count(1, timeout=90_000)


def ready_to_drag(page):
    """Wait until the server answers live what is dragged in the open job."""
    base, _, rest = page.url.partition("/jobs/")
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    for _ in range(1200):
        said = page.request.post(
            f"{base}/api/jobs/{rest.split('/')[0]}/live",
            data={"edits": []},
            headers={"X-CSRFToken": token, "Origin": base},
        )
        if said.json()["state"] == "ready":
            return
        page.wait_for_timeout(50)
    raise AssertionError("live answers never came")


def spot(page, e, n):
    """Where a grid position is drawn, in pixels of the page."""
    box = page.get_by_role("application").bounding_box()
    x, y = page.evaluate("([e, n]) => kardoMap.getPixelFromCoordinate([e, n])", [e, n])
    return box["x"] + x, box["y"] + y


def commit(field, value):
    field.fill(value)
    field.press("Enter")
    field.blur()


def drag(page, start, end):
    page.mouse.move(*start)
    page.mouse.down()
    for k in range(1, 9):
        page.mouse.move(*(a + (b - a) * k / 8 for a, b in zip(start, end, strict=True)))
    page.mouse.up()


def test_from_a_boundary_to_a_verdict_and_out(signed_in, tmp_path):  # noqa: PLR0915 - one story, told in order
    page = signed_in
    page.get_by_label("New job").fill("Pilot field")
    page.get_by_role("button", name="Start").click()
    page.get_by_test_id("sheet").wait_for()

    # Brief, where a new job opens
    expect(page.get_by_test_id("tray-brief")).to_be_visible()
    page.get_by_label("Horizontal grid").fill("etrs89 utm 28n")
    page.get_by_role("option", name=re.compile("EPSG:25828")).click()
    expect(page.get_by_test_id("datum-strip")).to_contain_text("ETRS89 / UTM zone 28N")
    commit(page.get_by_label(re.compile("Tolerance H")), "30")
    commit(page.get_by_label(re.compile("Tolerance V")), "50")
    settled(page)

    # Site
    page.get_by_role("button", name=re.compile("2 Site")).click()
    crossed = tmp_path / "crossed.geojson"
    crossed.write_bytes(geojson([RING[0], RING[2], RING[1], RING[3]]))
    page.get_by_label("Boundary file").set_input_files(crossed)
    expect(page.get_by_role("alert")).to_contain_text("crosses itself near")
    expect(page.get_by_role("alert")).to_contain_text("ringed on the sheet")
    site = tmp_path / "site.geojson"
    site.write_bytes(geojson())
    page.get_by_label("Boundary file").set_input_files(site)
    expect(page.get_by_text("This is how I read it")).to_be_visible()
    page.get_by_role("button", name="Use this boundary").click()
    expect(page.get_by_text(re.compile("2.4 ha")).first).to_be_visible()
    terrain = tmp_path / "ground.tif"
    terrain.write_bytes(write_terrain(surface(), "EPSG:25828"))
    page.get_by_label("Terrain file").set_input_files(terrain)
    expect(page.get_by_text(re.compile("ground.tif: "))).to_be_visible()

    # Flight
    page.get_by_role("button", name=re.compile("3 Flight")).click()
    commit(page.get_by_label(re.compile("Height above ground")), "80")
    expect(page.get_by_text("21.9 mm")).to_be_visible()

    # Base: a new mark placed on the sheet, then its published coordinates typed.
    page.get_by_role("button", name=re.compile("4 Base")).click()
    page.keyboard.press("o")
    page.mouse.click(*spot(page, E0 + 20, N0 + 20))
    commit(page.get_by_label("E of M1", exact=True), f"{E0 + 21.5}")
    commit(page.get_by_label("H of M1", exact=True), "5.600")
    expect(page.get_by_label("Base stands on")).to_have_value("M1")
    expect(page.get_by_label("How M1 is known")).to_have_value("here")
    page.get_by_label("How M1 is known").select_option("published")
    commit(page.get_by_label(re.compile("Antenna height 1")), "1.872")
    page.keyboard.press("Escape")
    page.get_by_role("tab", name="height chain and card").click()
    expect(page.get_by_role("img", name="Height chain on M1")).to_contain_text("1.8297")

    # Control, by pointer and keyboard.
    page.get_by_role("button", name=re.compile("5 Control")).click()
    for key, places in (("g", [(15, 15), (185, 15), (100, 100)]), ("k", [(60, 60), (140, 70), (100, 30)])):
        for x, y in places:
            page.keyboard.press(key)
            page.mouse.click(*spot(page, E0 + x, N0 + y))
            page.wait_for_timeout(120)
    expect(page.get_by_test_id("control-table").locator("tbody tr")).to_have_count(6)
    settled(page)

    # Verdict: drag a target and see both figures change, then undo.
    expect(page.get_by_test_id("absolute-v")).to_be_visible()
    settled(page)
    before = {k: figure(page, k) for k in ("absolute-h", "absolute-v", "seen-h", "seen-v")}
    assert 5 < before["absolute-v"] < 60
    drag(page, spot(page, E0 + 100, N0 + 100), spot(page, E0 + 16, N0 + 28))
    settled(page)
    expect(page.get_by_test_id("absolute-v")).not_to_have_text(f"{before['absolute-v']:.1f}")
    after = {k: figure(page, k) for k in before}
    assert after["absolute-v"] != before["absolute-v"] and after["seen-v"] != before["seen-v"]
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_test_id("absolute-v")).to_have_text(f"{before['absolute-v']:.1f}")
    assert {k: figure(page, k) for k in before} == before

    # Out: the point list, right to a tenth of a millimetre.
    page.get_by_role("button", name=re.compile("6 Verdict")).click()
    with page.expect_download() as got:
        page.get_by_role("link", name="point list, CSV").click()
    rows = {r["point"]: r for r in csv.DictReader(io.StringIO(got.value.path().read_text()))}
    with page.expect_download() as got:
        page.get_by_role("link", name="Kardo plan").click()
    plan = json.loads(got.value.path().read_text())
    assert len(rows) == 7
    for p in plan["control"]:
        assert abs(float(rows[p["name"]]["E"]) - p["e"]) <= 1e-4
        assert abs(float(rows[p["name"]]["N"]) - p["n"]) <= 1e-4
    assert float(rows["M1"]["E"]) == pytest.approx(E0 + 21.5, abs=1e-4)
    assert abs(float(rows["G1"]["E"]) - (E0 + 15)) < 1.0
    assert [e for e in page.console_errors if "422" not in e] == []


def open_demo(page):
    page.get_by_role("link", name=re.compile("Sallow Bank")).first.click()
    expect(page.get_by_test_id("absolute-v")).to_be_visible(timeout=180_000)
    settled(page)
    page.keyboard.press("5")


def test_a_move_on_the_demo_is_answered_within_two_seconds(signed_in):
    """From the key press to new figures: the gauges of the demo job, with its thousand exposures."""
    page = signed_in
    open_demo(page)
    page.get_by_label("E of G3", exact=True).click()
    ready_to_drag(page)
    page.evaluate("""() => { window.changed = 0; window.busy = false; const started = performance.now();
        new MutationObserver(() => { const b = document.querySelector('[role=progressbar]');
          if (b) window.busy = true; if (window.busy && !b && !window.changed) window.changed = performance.now() - started; })
          .observe(document.body, {subtree: true, childList: true, characterData: true, attributes: true}); }""")
    commit(page.get_by_label("E of G3", exact=True), "623195")
    for _ in range(900):
        page.wait_for_timeout(100)
        if took := page.evaluate("window.changed"):
            break
    print(f"the full computation replaced the provisional figures after {took:.0f} ms")
    seconds = page.evaluate(
        "() => fetch('/api/jobs/' + location.pathname.split('/')[2] + '/prediction').then((r) => r.json()).then((p) =>"
        " p.result.seconds)"
    )
    print(f"of which the computation {1000 * seconds:.0f} ms")
    assert 0 < took < 1000 * (2 * seconds + 2), (
        "the way there and back is short beside the computation, also on a busy machine"
    )
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_test_id("saved")).to_contain_text("saved")
    expect(page.get_by_role("progressbar")).to_have_count(
        0, timeout=3000
    )  # computed before, so it comes from the store


def test_keyboard_alone(signed_in):
    page = signed_in
    open_demo(page)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("nudge")
    page.keyboard.press("Escape")
    for key, name in zip(
        "123456789", ["Brief", "Site", "Flight", "Base", "Control", "Verdict", "Day", "Book", "Close"], strict=True
    ):
        page.keyboard.press(key)
        expect(page.get_by_test_id(f"tray-{name.lower()}")).to_be_visible()
    expect(page.get_by_test_id("close")).to_be_visible()
    page.keyboard.press("5")
    page.keyboard.press("k")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("row-K9")).to_be_visible()
    east = float(page.get_by_label("E of K9", exact=True).input_value())
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_label("E of K9", exact=True)).to_have_value(f"{east + 1.1:.3f}")
    page.keyboard.press("Control+z")
    expect(page.get_by_label("E of K9", exact=True)).to_have_value(f"{east:.3f}")
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("row-K9")).to_have_count(0)
    for layer in ("h", "images", "none", "v"):
        page.keyboard.press("e")
        expect(page.get_by_label("Layer")).to_have_value(layer)
    page.keyboard.press("]")
    expect(page.locator("nav [aria-current=step]")).to_be_visible()
    page.keyboard.press("p")
    page.keyboard.press("6")
    expect(page.get_by_test_id("compare")).to_contain_text("pin 1")


def test_conflict_between_two_people(signed_in, browser, product, browser_context_args):
    page = signed_in
    open_demo(page)
    other = browser.new_context(**browser_context_args).new_page()
    other.goto(product)
    other.get_by_label("Name").fill("chief")
    other.get_by_label("Password").fill("corvane-demo")
    other.get_by_role("button", name="Sign in").click()
    other.get_by_role("link", name=re.compile("Sallow Bank")).first.click()
    other.get_by_role("button", name=re.compile("5 Control")).click()
    commit(other.get_by_label("N of K3", exact=True), "5128436.5")
    expect(page.get_by_label("N of K3", exact=True)).to_have_value(
        "5128436.500"
    )  # told by the server, without a reload
    undo = page.get_by_role("button", name="Undo")
    at_rest = undo.bounding_box()
    page.context.set_offline(True)
    commit(other.get_by_label("E of K3", exact=True), "623151")
    expect(other.get_by_test_id("saved")).to_contain_text("saved")
    commit(page.get_by_label("E of K3", exact=True), "623155")
    commit(page.get_by_label("Width of K3", exact=True), "0.70")
    expect(page.get_by_test_id("saved")).to_contain_text("2 edits waiting")
    assert undo.bounding_box() == at_rest, "a button that moves takes no click"
    page.context.set_offline(False)
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Somebody else changed this")
    expect(dialog).to_contain_text("623151")
    dialog.get_by_role("button", name="Put mine on top").click()
    expect(page.get_by_label("E of K3", exact=True)).to_have_value("623155.000")
    page.reload()
    page.keyboard.press("5")
    expect(page.get_by_label("E of K3", exact=True)).to_have_value("623155.000")
    expect(page.get_by_label("Width of K3", exact=True)).to_have_value("0.70")
    undo.click()
    expect(page.get_by_label("Width of K3", exact=True)).to_have_value("0.60")
    undo.click()
    expect(page.get_by_label("E of K3", exact=True)).to_have_value("623151.000")


def test_appearance_and_units(signed_in):
    page = signed_in
    open_demo(page)
    for theme in ("dark", "field", "light"):
        page.get_by_label("Appearance").select_option(theme)
        assert page.evaluate("document.documentElement.dataset.theme") == theme
    page.keyboard.press("1")
    page.get_by_label("Unit shown").select_option("ft")
    page.keyboard.press("5")
    expect(page.get_by_label("E of G1", exact=True)).to_have_value(f"{622270 / 0.3048:.3f}")
    commit(page.get_by_label("Width of G1", exact=True), "2' 6\"")
    expect(page.get_by_label("Width of G1", exact=True)).to_have_value("2.50")
    field = page.get_by_label("Width of G1", exact=True)
    field.fill("wide")
    field.press("Enter")
    expect(field).to_have_attribute("aria-invalid", "true")
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
    page.keyboard.press("5")
    expect(page.get_by_label("E of G1", exact=True)).to_have_value("622270.000")


def test_nothing_reaches_out_and_the_script_is_small(page, product):
    """No request leaves the product's own address; compressed script of the first paint stays under 300 kB."""
    import gzip
    import urllib.request

    asked = []
    page.on("request", lambda r: asked.append(r.url))
    page.goto(product)
    page.get_by_label("Name").fill("planner")
    page.get_by_label("Password").fill("corvane-demo")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("link", name=re.compile("Sallow Bank")).first.click()
    page.get_by_test_id("sheet").wait_for()
    assert all(url.startswith((product, "data:", "blob:")) for url in asked)
    scripts = {url for url in asked if url.endswith(".js")}
    size = sum(len(gzip.compress(urllib.request.urlopen(url).read())) for url in scripts)
    assert 0 < size < 300_000


def test_the_drawing_keeps_its_pace(signed_in):
    """Panning the demo's sheet: the time the drawing itself takes for a frame, well under the 16.7 ms of 60 frames."""
    page = signed_in
    open_demo(page)
    times = page.evaluate(
        """async () => { const took = []; const view = kardoMap.getView(); const at = view.getCenter(); view.beginInteraction();
        for (let k = 0; k < 60; k++) { view.setCenter([at[0] + 3 * k, at[1]]); const t = performance.now();
          kardoMap.renderSync(); took.push(performance.now() - t); await new Promise(requestAnimationFrame); }
        view.endInteraction(); view.setCenter(at); return took.sort((a, b) => a - b); }"""
    )
    print(f"median frame {times[30]:.1f} ms, 95th percentile {times[57]:.1f} ms")
    assert times[30] < 16.7
