"""Nothing that is typed is lost: the server killed between edits, the page reloaded while it is away, the session run
out."""

import os
import re
import signal

from playwright.sync_api import expect

from benchmarks.fill import session_of
from scripts import cluster
from tests.browser.conftest import SESSIONS, start_web, wait_for
from tests.browser.test_story import commit, open_demo, settled


def test_edits_wait_while_the_server_is_dead_and_survive_a_reload(signed_in, product, web_process):
    page = signed_in
    page.wait_for_function("() => !!navigator.serviceWorker.controller")  # it keeps the page and its files
    open_demo(page)
    page.wait_for_timeout(1500)  # answers are kept half a second after they come
    commit(page.get_by_label("E of K1", exact=True), "622521")
    settled(page)
    page.wait_for_timeout(1500)
    os.killpg(web_process.current.pid, signal.SIGKILL)  # master and worker at once
    web_process.current.wait()
    commit(page.get_by_label("E of K1", exact=True), "622522")
    expect(page.get_by_test_id("saved")).to_contain_text("not reached since")
    commit(page.get_by_label("E of K2", exact=True), "622831")
    expect(page.get_by_test_id("saved")).to_contain_text("2 edits waiting")
    page.wait_for_timeout(1200)
    page.reload()
    expect(page.get_by_label("E of K1", exact=True)).to_have_value("622522.000")
    expect(page.get_by_label("E of K2", exact=True)).to_have_value("622831.000")
    expect(page.get_by_test_id("absolute-v")).to_be_visible()
    page.keyboard.press("3")
    expect(page.get_by_label(re.compile("Height above ground"))).to_have_value("70.0")
    commit(page.get_by_label("Side overlap, %"), "72")
    expect(page.get_by_test_id("saved")).to_contain_text("3 edits waiting")
    web_process.current = start_web(product)
    wait_for(product)
    expect(page.get_by_test_id("saved")).to_contain_text(re.compile("^saved"))
    page.reload()
    expect(page.get_by_label("Side overlap, %")).to_have_value("72")
    page.keyboard.press("5")
    undo = page.get_by_role("button", name="Undo")
    for field, value in (("E of K2", "622830.000"), ("E of K1", "622521.000"), ("E of K1", "622520.000")):
        if field == "E of K2":
            undo.click()  # the overlap, at another station
            page.wait_for_timeout(300)
        undo.click()
        expect(page.get_by_label(field, exact=True)).to_have_value(value)
    expect(undo).to_be_disabled()
    settled(page)


def test_a_session_that_ran_out_is_signed_in_again_over_the_open_sheet(signed_in, django_db_blocker):
    from django.contrib.auth.models import User
    from django.contrib.sessions.models import Session

    page = signed_in
    open_demo(page)
    with django_db_blocker.unblock():
        Session.objects.filter(pk=SESSIONS["planner"]).delete()
        SESSIONS["planner"] = session_of(User.objects.get(username="planner"))  # for whoever comes after
    commit(page.get_by_label("E of K1", exact=True), "622525")
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("not signed in any more")
    expect(page.get_by_label("E of K1", exact=True)).to_have_value("622525.000")
    dialog.get_by_label("Name").fill("planner")
    dialog.get_by_label("Password").fill("corvane-demo")
    dialog.get_by_role("button", name="Sign in").click()
    expect(dialog).to_have_count(0)
    expect(page.get_by_test_id("saved")).to_contain_text(re.compile("^saved"))
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("E of K1", exact=True)).to_have_value("622520.000")
    settled(page)


def test_workers_and_web_outlive_a_database_restart(signed_in):
    from django.db import connection

    page, name = signed_in, connection.settings_dict["NAME"]
    open_demo(page)
    connection.close()  # this test's own would be cut off with the others, and found so by the next test
    connection.close_pool()
    cluster.away(name)  # this database alone, for others test on the same cluster
    commit(page.get_by_label("E of K1", exact=True), "622523")
    expect(page.get_by_test_id("saved")).to_contain_text("waiting")
    cluster.back(name)
    expect(page.get_by_test_id("saved")).to_contain_text(re.compile("^saved"))
    expect(page.get_by_role("progressbar")).to_have_count(0, timeout=90_000)
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("E of K1", exact=True)).to_have_value("622520.000")
    settled(page)


def test_an_answer_that_comes_late_is_not_the_last_word(signed_in, product):
    """The answer to "how far?" arrives after the computation has been told done: the figures are asked for once
    more."""
    page = signed_in
    open_demo(page)
    settled(page)
    held = []

    def hold_the_first(route):
        if held or route.request.method != "GET":
            return route.continue_()
        answer = route.fetch()
        if answer.json()["state"] == "done":
            return route.fulfill(response=answer)
        held.append((route, answer))

    page.route("**/prediction", hold_the_first)
    asked = f"{product}/api/jobs/{page.url.split('/jobs/')[1].split('/')[0]}/prediction"
    commit(page.get_by_label("E of K1", exact=True), "622527")
    for _ in range(600):
        page.wait_for_timeout(100)
        if held and page.request.get(asked).json()["state"] == "done":
            break
    route, early = held[0]
    assert early.json()["state"] in ("queued", "running"), "the answer held back is one from before the end"
    route.fulfill(response=early)
    page.wait_for_timeout(1000)  # for it to be shown, if it were believed
    expect(page.get_by_role("progressbar")).to_have_count(0, timeout=8_000)
    page.get_by_role("button", name="Undo").click()
    settled(page)
