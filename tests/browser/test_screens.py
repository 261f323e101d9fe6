"""The screens as a person meets them: several flights, feet, a long table, and no barrier."""

import json
import re

import pytest
from playwright.sync_api import expect

from kardo.core.plan.control import ControlPoint
from kardo.demo import demo_plan
from tests.browser.conftest import ROOT
from tests.browser.test_story import commit, figure, open_demo, settled
from tests.browser.test_verdict import add_job

AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"


EVERY = "['wcag2a', 'wcag2aa', 'best-practice']"
OF_COLOURS = "{ type: 'rule', values: ['color-contrast', 'link-in-text-block'] }"


def barriers(page, rules=EVERY):
    """What axe finds on the page, as `rule: where`."""
    if not page.evaluate("!!window.axe"):
        page.evaluate(AXE.read_text())
    told = page.evaluate(f"axe.run(document, {{ resultTypes: ['violations'], runOnly: {rules} }})")
    return [f"{found['id']}: {found['nodes'][0]['html'][:120]}" for found in told["violations"]]


def test_the_list_of_jobs_has_no_barrier_that_axe_finds(signed_in):
    assert barriers(signed_in) == []  # the stations are walked in test_line


def test_two_flights_from_two_set_ups_by_two_cameras(signed_in, django_db_blocker):
    page = signed_in
    plan = demo_plan("sallow-bank")
    plan = plan.model_copy(update={"brief": plan.brief.model_copy(update={"title": "Two flights"})})
    add_job(django_db_blocker, plan)
    page.reload()
    page.get_by_role("link", name=re.compile("Two flights")).first.click()
    expect(page.get_by_test_id("absolute-v")).to_be_visible(timeout=90_000)
    settled(page)
    alone = figure(page, "absolute-v")
    page.keyboard.press("4")
    page.get_by_role("tab", name="set-ups").click()
    page.get_by_role("button", name="another set-up").click()
    page.get_by_label("Base stands on").select_option(index=1)
    page.get_by_role("button", name="plan a height").click()
    page.keyboard.press("3")
    page.get_by_role("button", name="another flight").click()
    expect(page.get_by_role("tablist", name="Flights").get_by_role("tab", selected=True)).to_have_text("flight 2")
    page.get_by_label("Camera or scanner", exact=True).select_option(index=1)
    page.get_by_label("Corrections from").select_option(index=1)
    settled(page)
    expect(page.get_by_role("button", name=re.compile("3 Flight"))).to_contain_text("2 flights")
    page.keyboard.press("6")
    assert figure(page, "absolute-v") < alone, "a second flight, tilted, strengthens the height"
    budget = page.get_by_test_id("budget")
    for source in (
        "camera position noise of 20 MP",
        "camera position noise of 45 MP",
        "positioning per sortie of main flight",
        "positioning per sortie of flight 2",
    ):
        expect(budget).to_contain_text(source)
    page.keyboard.press("3")
    page.get_by_role("tab", name="flight 2").click()
    page.get_by_role("button", name="remove flight 2").click()
    settled(page)
    assert figure(page, "absolute-v") == pytest.approx(alone, abs=0.11)


def test_a_job_in_feet_speaks_feet_with_millimetres_beside(signed_in):
    page = signed_in
    open_demo(page)
    settled(page)
    metric = figure(page, "absolute-v")
    page.keyboard.press("1")
    page.get_by_label("Unit shown").select_option("ft")
    page.keyboard.press("6")
    cell = page.get_by_test_id("absolute-v")
    expect(cell).to_contain_text(re.compile(r"^0\.\d{3}"))
    feet = float(cell.inner_text().split()[0])
    assert feet == pytest.approx(metric / 304.8, abs=0.0006)
    expect(cell).to_contain_text(f"{metric:.1f}")
    expect(page.get_by_role("button", name=re.compile("1 Brief"))).to_contain_text("ft")
    page.keyboard.press("5")
    table, gauges = page.get_by_test_id("control-table"), page.get_by_label("Accuracy gauges", exact=True)
    for appearance in (
        "field",
        "light",
    ):  # every column in sight, also with the longer figures of feet in large letters
        page.get_by_label("Appearance").select_option(appearance)
        for box in (table.locator(".."), gauges):
            assert box.evaluate("b => b.scrollWidth - b.clientWidth") <= 0, appearance
    commit(page.get_by_label("H of K1", exact=True), "20 ft")
    expect(page.get_by_label("H of K1", exact=True)).to_have_value("20.000")
    page.keyboard.press("1")
    page.get_by_label("Unit shown").select_option("m")
    page.keyboard.press("5")
    expect(page.get_by_label("H of K1", exact=True)).to_have_value("6.096")
    for _ in range(3):
        page.get_by_role("button", name="Undo").click()
    settled(page)


def test_a_target_occupied_from_two_bases(signed_in):
    """Its second occupation rests on another mark: the map's height leans less on the first, and one step brings it
    back."""
    page = signed_in
    open_demo(page)
    settled(page)
    before = figure(page, "absolute-v")
    page.keyboard.press("5")
    page.get_by_test_id("row-G1").click()
    page.get_by_role("button", name="occupations").click()
    page.get_by_role("button", name="another", exact=True).click()
    second = page.get_by_label("Occupation 2 of G1 positioned from")
    second.select_option(label="second base · Heron 2")
    expect(page.get_by_label("G1 positioned from", exact=True).locator("option:checked")).to_have_text("mixed")
    settled(page)
    assert figure(page, "absolute-v") < before - 0.5
    page.get_by_label("G1 positioned from", exact=True).select_option(label="base")
    expect(second).to_have_value("")
    expect(page.get_by_label("Minutes before occupation 2 of G1")).to_have_value("45")
    for _ in range(3):
        page.get_by_role("button", name="Undo").click()
    expect(second).to_have_count(0)
    settled(page)


def test_two_thousand_points_are_a_table_that_draws_only_what_is_in_sight(signed_in, django_db_blocker):
    page = signed_in
    plan = demo_plan("sallow-bank")
    like = plan.control[-1]
    place = {"role": "check", "positioned_from": like.positioned_from, "e": like.e, "n": like.n}
    more = tuple(ControlPoint(id=f"P{k}", name=f"P{k}", **place) for k in range(2000 - len(plan.control)))
    brief = plan.brief.model_copy(update={"title": "Long table"})
    nowhere = plan.setups[0].model_copy(update={"mark": None})  # so that nothing is computed
    add_job(
        django_db_blocker,
        plan.model_copy(update={"brief": brief, "control": plan.control + more, "setups": (nowhere, *plan.setups[1:])}),
    )
    page.reload()
    page.get_by_role("link", name=re.compile("Long table")).first.click()
    page.get_by_test_id("tray-brief").wait_for()
    page.keyboard.press("5")
    table = page.get_by_test_id("control-table")
    expect(table).to_have_attribute("aria-rowcount", "2000")
    assert 5 < table.get_by_role("row").count() < 80
    last = f"P{len(more) - 1}"
    expect(page.get_by_test_id(f"row-{last}")).to_have_count(0)
    table.evaluate("t => t.parentElement.scrollTo(0, t.parentElement.scrollHeight)")
    expect(page.get_by_test_id(f"row-{last}")).to_be_visible()
    expect(page.get_by_test_id("row-G1")).to_have_count(0)
    commit(page.get_by_label(f"Width of {last}", exact=True), "0.75")
    expect(page.get_by_test_id("saved")).to_contain_text("saved")
    page.get_by_role("button", name="point", exact=True).click()  # sorted by name, the other way at the second click
    page.get_by_role("button", name=re.compile("^point")).click()
    assert table.get_by_role("row").count() < 80


def test_two_edits_in_flight_while_another_person_saves(signed_in, product, browser, browser_context_args):
    page = signed_in
    open_demo(page)
    settled(page)
    chief = browser.new_context(**browser_context_args)
    token = chief.request.get(f"{product}/api/session") and chief.cookies()[0]["value"]
    chief.request.post(
        f"{product}/api/session", data={"username": "chief", "password": "corvane-demo"}, headers={"X-CSRFToken": token}
    )
    job = page.url.split("/jobs/")[1].split("/")[0]
    held, holding = [], [True]
    page.route(
        "**/plan",
        lambda route: held.append(route) if holding and route.request.method == "PATCH" else route.continue_(),
    )
    commit(page.get_by_label("E of K4", exact=True), "623400")
    commit(page.get_by_label("N of K4", exact=True), "5128450")
    page.wait_for_timeout(400)
    plan = chief.request.get(f"{product}/api/jobs/{job}/plan").json()
    width = next(p["width"] for p in plan["plan"]["control"] if p["id"] == "K4")
    token = next(c["value"] for c in chief.cookies() if c["name"] == "csrftoken")
    saved = chief.request.patch(
        f"{product}/api/jobs/{job}/plan",
        data=json.dumps({"edits": [{"path": "control/K4/width", "before": width, "after": 0.9}]}),
        headers={"X-CSRFToken": token, "If-Match": f'"{plan["revision"]}"', "Content-Type": "application/json"},
    )
    assert saved.ok, saved.text()
    holding.clear()
    for route in held:
        route.continue_()
    expect(page.get_by_test_id("saved")).to_contain_text(re.compile("^saved"))
    for field, value in (("E", "623400.000"), ("N", "5128450.000"), ("Width", "0.90")):
        expect(page.get_by_label(f"{field} of K4", exact=True)).to_have_value(value)
    now = chief.request.get(f"{product}/api/jobs/{job}/plan").json()
    point = next(p for p in now["plan"]["control"] if p["id"] == "K4")
    assert (point["e"], point["n"], point["width"]) == (623400, 5128450, 0.9)
    assert now["revision"] == plan["revision"] + 3, "each was taken once"
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
    settled(page)


def test_the_tray_is_raised_over_the_sheet_and_folded_away(signed_in):
    page = signed_in
    open_demo(page)
    page.keyboard.press("4")
    tray, sheet = page.get_by_test_id("tray-base"), page.get_by_test_id("sheet")
    expect(tray).to_be_visible()
    before = tray.bounding_box()["height"]
    page.keyboard.press("t")
    page.wait_for_function("h => document.querySelector('[data-testid=tray-base]').clientHeight > h + 100", arg=before)
    assert sheet.bounding_box()["height"] > 60, "one never loses the place"
    page.keyboard.press("t")
    page.wait_for_function("h => document.querySelector('[data-testid=tray-base]').clientHeight < h + 10", arg=before)
    page.keyboard.press("Shift+T")
    expect(tray).to_be_hidden()
    page.wait_for_function("() => document.querySelector('canvas').clientHeight > 500")
    page.keyboard.press("Shift+T")
    expect(tray).to_be_visible()
    assert page.console_errors == []
