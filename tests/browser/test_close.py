"""The line complete, in a real browser: a job planned, its day solved, its book written on a phone without signal and
with the tab killed in the middle, residuals in, signed, and the report read back."""

import csv
import io
import re

import numpy as np
import pypdfium2
import pytest
from playwright.sync_api import expect

from kardo.cli import main
from kardo.core.accuracy.jointly import checks_jointly
from kardo.demo import demo_plan
from tests.browser.conftest import signed_in_as
from tests.browser.test_book import entries, now, unsent
from tests.browser.test_story import settled
from tests.browser.test_verdict import add_job

TITLE = "The crest, closed"
CERTIFIED = "The surface of the crest of Sallow Bank, as delivered, within the tolerance of the brief."
TASKS = 120


def closed_plan():
    plan = demo_plan("sallow-bank")
    return plan.model_copy(update={"brief": plan.brief.model_copy(update={"title": TITLE})})


def residuals(plan):
    """What a block as predicted shows at its checks, in millimetres, as a program might write it."""
    joint = checks_jointly(plan)
    rng = np.random.default_rng(8)
    d = (np.linalg.cholesky(joint.covariance) @ rng.standard_normal(len(joint.covariance))).reshape(-1, 3) * 1000
    rows = {key: [round(float(x), 1) for x in row] for key, row in zip(joint.points, d, strict=True)}
    text = io.StringIO()
    out = csv.writer(text, delimiter=";")
    out.writerow(["marker", "error E (mm)", "error N (mm)", "error H (mm)", "projections"])
    out.writerows([[p.name, 0.5, -0.4, 1.1, 20] for p in plan.targets])
    out.writerows([[key, *row, 14] for key, row in rows.items()])
    return text.getvalue(), rows


def do(page):
    """What the task at hand asks for, as it was planned; its large button."""
    task = now(page)
    words = task.inner_text()
    plummet = task.get_by_role("button", name="plummet still on the mark")
    if "No height read yet" in words:
        for typed in ("1.872", "1.8722"):
            height = task.get_by_label(re.compile("height read"))
            height.fill(typed)
            task.get_by_role("button", name="height read", exact=True).click()
            expect(height).to_have_value("")
    if plummet.count():
        plummet.click()
        expect(plummet).to_have_count(0)
    words = task.inner_text()
    task.locator("button.bg-ink").first.click()
    expect(page.get_by_test_id("book")).not_to_have_text(words)
    return words


def test_the_demo_from_plan_to_signed_report(signed_in, browser, product, django_db_blocker, tmp_path):  # noqa: PLR0915 - one story, told in order
    plan = closed_plan()
    add_job(django_db_blocker, plan)
    page = signed_in
    page.reload()
    page.get_by_role("link", name=TITLE).first.click()
    expect(page.get_by_test_id("absolute-v")).to_be_visible(timeout=180_000)
    settled(page)
    planned_v = float(page.get_by_test_id("seen-v").inner_text())
    page.keyboard.press("7")
    expect(page.get_by_test_id("day-told")).to_contain_text("first take-off", timeout=60_000)

    # The book, on a phone.
    context, phone = signed_in_as(browser, product, "chief", viewport={"width": 390, "height": 844}, has_touch=True)
    phone.evaluate("navigator.serviceWorker.ready.then(() => true)")
    phone.get_by_role("link", name=TITLE).first.tap()
    expect(now(phone)).to_be_visible(timeout=60_000)
    address = phone.url
    phone.wait_for_timeout(1500)  # what was answered is kept on the device
    context.set_offline(True)
    done = 0
    for done in range(1, TASKS):
        if not now(phone).count():
            break
        do(phone)
        if done == 12:
            phone.close()  # the tab is killed
            phone = context.new_page()
            phone.set_default_timeout(60_000)
            phone.goto(address)
            expect(now(phone)).to_be_visible()
        if done == 14:
            picture = {"name": "p.png", "mimeType": "image/png", "buffer": phone.screenshot()}
            now(phone).get_by_label("photo").set_input_files(picture)
    assert 30 < done < TASKS - 1
    expect(phone.get_by_text("All that was planned is done.")).to_be_visible()
    expect(unsent(phone)).to_contain_text("no signal")
    context.set_offline(False)
    expect(unsent(phone)).to_have_count(0, timeout=60_000)
    kept = [k["entry"] for k in entries(phone)]
    kinds = [e["said"]["kind"] for e in kept]
    assert kinds.count("occupation") == len(plan.control) and kinds.count("leg") == 3 and "departure" in kinds
    shot = next(e for e in kept if e["said"]["kind"] == "photo")
    job = re.search(r"/jobs/([0-9a-f-]+)", phone.url)[1]
    seen = phone.evaluate(
        f"fetch('/api/jobs/{job}/pictures/{shot['attachments'][0]}').then(r => r.headers.get('content-type'))"
    )
    assert seen == "image/jpeg"
    expect(phone.get_by_test_id("enough")).to_contain_text("Enough to leave", timeout=120_000)
    context.close()

    # Residuals in, and the verdict as done.
    page.keyboard.press("9")
    text, rows = residuals(plan)
    page.get_by_label("File (CSV or text)").set_input_files(
        {"name": "residuals.csv", "mimeType": "text/csv", "buffer": text.encode()}
    )
    expect(page.get_by_text("This is how I read it")).to_be_visible()
    expect(page.get_by_test_id("columns")).to_contain_text("projections")
    expect(page.get_by_label("How K4 was used")).to_have_value("checked")
    expect(page.get_by_label("How G2 was used")).to_have_value("adjusted")
    page.get_by_role("button", name="Judge these").click()
    page.get_by_role("tab", name="verdict").click()
    expect(page.get_by_test_id("closed-verdict")).to_contain_text("Keeps its tolerance")
    d = np.array(list(rows.values()))
    assert float(page.get_by_test_id("rmse-V").first.inner_text()) == pytest.approx(
        np.sqrt((d[:, 2] ** 2).mean()), abs=0.06
    )
    page.get_by_role("tab", name="against the prediction").click()
    expect(page.get_by_test_id("against-words")).to_contain_text("Global test", timeout=120_000)
    promised = page.get_by_test_id("promised")
    expect(promised.locator("tr").nth(1)).to_contain_text(f"{planned_v:.1f}")
    expect(page.get_by_test_id("achieved-V")).to_have_text(f"{np.sqrt((d[:, 2] ** 2).mean()):.1f}")
    expect(page.get_by_text(re.compile("residual in plan"))).to_be_visible()

    # What a point was used for may be said otherwise after judging; the earlier set stays on record.
    page.get_by_role("tab", name="residuals").click()
    use = page.get_by_label("What K4 is used for")
    use.select_option("unused")
    expect(page.get_by_text("K4: not used, said after judging.")).to_be_visible()
    use.select_option("checked")
    expect(page.get_by_text("2 earlier on record")).to_be_visible()

    # The planner may not sign; the chief signs.
    page.get_by_role("tab", name="report").click()
    expect(page.get_by_text("You may not sign")).to_be_visible()
    context, page2 = signed_in_as(browser, product, "chief", viewport={"width": 1280, "height": 800})
    page2.goto(f"{product}/jobs/{job}/close/report")
    page2.get_by_label("What you certify").fill(CERTIFIED)
    page2.get_by_role("button", name="Sign and freeze").click()
    expect(page2.get_by_text(re.compile(r"^frozen .* revision 1: signed"))).to_be_visible(timeout=60_000)
    files = {}
    for kind in ("PDF", "HTML"):
        with page2.expect_download() as download:
            page2.get_by_test_id("reports").get_by_role("link", name=kind).click()
        files[kind] = tmp_path / f"report.{kind.lower()}"
        download.value.save_as(files[kind])
        assert main(["verify", str(files[kind])]) == 0
    document = pypdfium2.PdfDocument(files["PDF"])
    pages = [document[k].get_textpage().get_text_range() for k in range(len(document))]
    document.close()
    page2.get_by_role("tab", name="verdict").click()
    for axis in "ENHV":
        assert f"{page2.get_by_test_id(f'rmse-{axis}').first.inner_text()} mm" in pages[0]
    assert CERTIFIED[:60] in pages[0].replace("\r\n", " ") and "Party chief" in pages[0]
    evidence = " ".join(" ".join(pages[1:]).split())
    for line in ("1.8722", "photo: ", "K8", "Heron 4", "on the mark, after"):
        assert line in evidence
    altered = tmp_path / "altered.html"
    altered.write_bytes(files["HTML"].read_bytes().replace(b"KEEPS ITS", b"BREAKS IT"))
    assert main(["verify", str(altered)]) == 1

    # Nothing changes any more, for anybody.
    page2.keyboard.press("5")
    field = page2.get_by_label("E of G3", exact=True)
    assert field.get_attribute("readonly") is not None
    page2.get_by_role("button", name="add control point").first.click()
    expect(page2.get_by_role("alert")).to_contain_text("signed and frozen")
    expect(page2.get_by_text(re.compile(r"^5 control points, 8 check points"))).to_be_visible()
    context.close()
    assert page.console_errors == []
