"""The verdict in a real browser: figures under the pointer, what would help, areas, pins, stopping."""

import re

from playwright.sync_api import expect

from benchmarks.prediction import block_plan
from kardo.core.plan.brief import Brief
from tests.browser.test_story import commit, figure, open_demo, ready_to_drag, settled, spot

FOLLOW = """async ([x, y, steps]) => {
  const shown = document.querySelector('[data-testid=absolute-v]');
  const target = document.querySelector('[role=application] canvas');
  const point = (type, dx) => target.dispatchEvent(new PointerEvent(type, {
    bubbles: true, cancelable: true, pointerId: 1, isPrimary: true, button: 0, buttons: 1, clientX: x + dx, clientY: y }));
  const took = [], fetched = [];
  new PerformanceObserver((list) => list.getEntries().forEach((e) => e.name.endsWith('/live') && fetched.push(Math.round(e.duration))))
    .observe({ type: 'resource' });
  point('pointerdown', 0);
  for (let k = 1; k <= steps; k++) {
    const before = document.querySelector('[data-testid=absolute-v]').textContent
      + document.querySelector('[data-testid=absolute-h]').textContent;
    const started = performance.now();
    point('pointermove', 9 * k);
    let now = before;
    while (now === before && performance.now() - started < 4000) {
      await new Promise(requestAnimationFrame);
      now = document.querySelector('[data-testid=absolute-v]').textContent
        + document.querySelector('[data-testid=absolute-h]').textContent;
    }
    if (now !== before) took.push(performance.now() - started);
  }
  const provisional = !!document.querySelector('[data-testid=provisional]');
  point('pointerup', 9 * steps);
  return { took: took.sort((a, b) => a - b), fetched, provisional };
}"""


def tight_block():
    """Two thousand exposures whose figures rest on the targets: camera positions without corrections."""
    plan = block_plan(2000)
    return plan.model_copy(
        update={
            "brief": Brief(title="Two thousand", crs="EPSG:25828", tolerance_h=0.03, tolerance_v=0.05),
            "flights": (plan.flights[0].model_copy(update={"corrections": "none"}),),
        }
    )


def add_job(django_db_blocker, plan):
    from django.contrib.auth.models import User

    from kardo.server.actions.edit_plan import create_job

    with django_db_blocker.unblock():
        user = User.objects.get(username="planner")
        create_job(user.member.organisation, user, plan)


def test_figures_follow_a_dragged_target_over_two_thousand_exposures(signed_in, django_db_blocker):
    """From the pointer's move to new figures on the gauges: 200 ms is the contract, on a machine that does nothing
    else."""
    page = signed_in
    add_job(django_db_blocker, tight_block())
    page.reload()
    page.get_by_role("link", name=re.compile("Two thousand")).first.click()
    expect(page.get_by_test_id("absolute-v")).to_be_visible(timeout=180_000)
    settled(page)
    ready_to_drag(page)
    e, n = page.evaluate(
        "() => kardoMap.getLayers().getArray().at(-2).getSource().getFeatures().find(f => f.getId() ==="
        " 'control/G5').getGeometry().getCoordinates()"
    )
    x, y = spot(page, e, n)
    told = page.evaluate(FOLLOW, [x, y, 12])
    took = told["took"]
    print(f"figures under the pointer after {[round(t) for t in took]} ms; the server's part {told['fetched']} ms")
    assert told["provisional"], "figures under the pointer say that they are provisional"
    assert len(took) >= 6 and took[0] < 1000, "200 ms is the aim; the rest is for a busy machine"
    settled(page)
    expect(page.get_by_test_id("provisional")).to_have_count(0, timeout=90_000)


def test_one_click_tries_an_offer_and_undo_takes_it_back(signed_in):
    page = signed_in
    open_demo(page)
    page.keyboard.press("6")
    before = figure(page, "absolute-v")
    page.get_by_role("button", name="look for changes").click()
    row = page.get_by_test_id("advice").get_by_role("row").filter(has_text="oblique lines")
    expect(row).to_be_visible(timeout=180_000)
    promised = float(row.get_by_role("cell").nth(2).inner_text())
    row.get_by_role("button", name="try it").click()
    expect(page.get_by_test_id("absolute-v")).to_have_text(f"{promised:.1f}", timeout=90_000)
    assert promised < before
    page.keyboard.press("3")
    expect(page.get_by_label("Oblique lines", exact=True)).to_have_value("2")
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_test_id("absolute-v")).to_have_text(f"{before:.1f}", timeout=90_000)


def test_an_area_is_drawn_named_and_told_its_volume(signed_in):
    page = signed_in
    open_demo(page)
    page.keyboard.press("2")
    page.keyboard.press("a")
    for e, n in ((622900, 5128385), (622990, 5128385), (622990, 5128440), (622900, 5128440), (622900, 5128385)):
        page.mouse.click(*spot(page, e, n))
        page.wait_for_timeout(350)
    region = page.get_by_role("region", name="Areas")
    region.get_by_label("Name of A1").fill("Toe")
    region.get_by_label("Name of A1").press("Enter")
    settled(page)
    row = region.get_by_role("row").nth(1)
    area, mean, volume = (float(row.get_by_role("cell").nth(k).inner_text()) for k in (1, 2, 3))
    assert abs(area - 90 * 55) < 400
    assert abs(volume - area * mean / 1000) < 0.1 * volume
    page.get_by_role("button", name=re.compile("6 Verdict")).click()
    expect(page.get_by_test_id("volumes")).to_contain_text("Toe")
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
    page.keyboard.press("2")
    expect(region).to_contain_text("Draw a heap or a pit")


def test_two_pins_side_by_side_with_what_differs(signed_in):
    page = signed_in
    open_demo(page)
    settled(page)
    page.keyboard.press("6")
    page.keyboard.press("p")
    page.keyboard.press("5")
    page.get_by_label("Method of G3").select_option("rtk_twice")
    settled(page)
    page.keyboard.press("6")
    table = page.get_by_test_id("compare")
    expect(table).to_contain_text("pin 1")
    expect(table).to_contain_text("the plan now")
    expect(table).to_contain_text("G3")
    page.get_by_role("button", name="Undo").click()


def test_a_stopped_computation_says_so_and_starts_again(signed_in):
    page = signed_in
    open_demo(page)
    commit(page.get_by_label("E of K2", exact=True), "622844")
    settled(page)
    page.get_by_role("button", name=re.compile("6 Verdict")).click()
    look = page.get_by_role("button", name="look for changes")
    look.click()
    page.get_by_test_id("advice").get_by_role("button", name="stop").click()
    expect(look).to_be_visible()
    page.wait_for_timeout(1500)
    expect(look).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    settled(page)


def test_no_figure_or_finding_of_another_state_stands_beside_a_computation(signed_in):
    """The mark before stays on the rods as a ghost; numbers and findings wait for those of the plan that is shown."""
    page = signed_in
    open_demo(page)
    page.keyboard.press("6")
    settled(page)
    expect(page.get_by_test_id("absolute-h")).to_have_count(1)
    held = []

    def still_running(route):
        answer = route.fetch()
        told = answer.json()
        if held:
            told |= {
                "state": "running",
                "result": None,
                "told": None,
                "findings": None,
                "stage": "factoring them",
                "share": 0.3,
            }
        route.fulfill(response=answer, json=told)

    page.route("**/prediction", still_running)
    held.append(True)
    page.locator("summary", has_text="Assumptions").click()
    field = page.get_by_role("row", name=re.compile("tie", re.I)).get_by_role("textbox").last
    field.fill("0.9")
    field.press("Enter")
    expect(page.get_by_test_id("absolute-h")).to_have_count(0)
    for gone in ("budget", "chance", "volumes"):
        expect(page.get_by_test_id(gone)).to_have_count(0)
    expect(page.get_by_role("region", name="Findings").get_by_role("button", name=re.compile("^Accept"))).to_have_count(
        0
    )
    expect(field).to_have_value(re.compile("^0.90?0?$"))  # what was typed in stays where it is
    held.clear()
    page.reload()
    settled(page)
    expect(page.get_by_test_id("absolute-h")).to_have_count(1)
