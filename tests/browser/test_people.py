"""People on the screen: who only reads is told so and changes nothing; a password is changed; guessing is put off."""

from urllib.error import HTTPError
from urllib.request import Request, urlopen

import pytest
from django.contrib.auth.models import User
from playwright.sync_api import expect

from kardo.server.accounts.models import Member, Organisation, SignInFailure

PASSWORD, NEXT = "sluice-tideline-4", "heron-tideline-9"


@pytest.fixture
def people(product, django_db_blocker):
    """A reviewer and an administrator of the demo's office, with passwords."""
    with django_db_blocker.unblock():
        firm = Organisation.objects.get(name="Corvane Survey Office")
        for name, role in (("reader", "reviewer"), ("keeper", "administrator")):
            user, _ = User.objects.get_or_create(username=name, defaults={"first_name": name.title()})
            user.set_password(PASSWORD)
            user.save()
            Member.objects.update_or_create(user=user, defaults={"organisation": firm, "roles": [role]})
        yield
        User.objects.filter(username__in=("reader", "keeper")).delete()
        SignInFailure.objects.all().delete()


def sign_in(page, product, name, password=PASSWORD):
    page.goto(product)
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password", exact=True).fill(password)
    page.get_by_role("button", name="Sign in").click()


def test_who_reads_is_told_so_and_changes_nothing(page, product, people):
    sign_in(page, product, "reader")
    expect(page.get_by_text("(reviewer)")).to_be_visible()
    expect(page.get_by_text("New job")).to_have_count(0)
    expect(page.get_by_role("button", name="archive", exact=True)).to_have_count(0)
    page.get_by_role("link", name="Sallow Bank").click()
    expect(page.get_by_text("You read this job")).to_be_visible()
    expect(page.get_by_label("Tolerance H, mm")).not_to_be_editable()
    page.get_by_role("button", name="add control point").first.click()
    expect(page.get_by_role("alert").filter(has_text="your role changes no plan")).to_be_visible()
    page.keyboard.press("8")
    expect(page.get_by_test_id("book")).to_be_visible()
    expect(page.get_by_role("button", name="done", exact=True)).to_have_count(0)


def test_a_password_is_changed_where_one_is_signed_in(page, product, people):
    sign_in(page, product, "keeper")
    page.get_by_role("button", name="password…").click()
    page.get_by_label("Password now").fill("wrong")
    page.get_by_label("New password, 8").fill(NEXT)
    page.get_by_label("New password, once").fill("heron")
    expect(page.get_by_text("The two are not the same.")).to_be_visible()
    expect(page.get_by_role("button", name="Change the password")).to_be_disabled()
    page.get_by_label("New password, once").fill(NEXT)
    page.get_by_role("button", name="Change the password").click()
    expect(page.get_by_text("This is not your password.")).to_be_visible()
    page.get_by_label("Password now").fill(PASSWORD)
    page.get_by_role("button", name="Change the password").click()
    expect(page.get_by_label("Password now")).to_have_count(0)
    page.get_by_role("button", name="sign out").click()
    sign_in(page, product, "keeper", NEXT)
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()


def test_after_signing_out_no_process_answers_the_old_session(page, product, people):
    sign_in(page, product, "reader")
    expect(page.get_by_role("heading", name="Jobs")).to_be_visible()
    kept = {"Cookie": f"sessionid={next(c['value'] for c in page.context.cookies() if c['name'] == 'sessionid')}"}

    def statuses():
        """Of twelve connections of their own: both processes answer some."""
        return {status(f"{product}/api/jobs", kept) for _ in range(12)}

    assert statuses() == {200}, "and both remember whose it is"
    page.get_by_role("button", name="sign out").click()
    page.get_by_label("Password", exact=True).wait_for()
    assert statuses() == {401}


def status(url, headers):
    try:
        return urlopen(Request(url, headers=headers)).status
    except HTTPError as refused:
        return refused.code


def test_who_guesses_is_put_off_in_words(page, product, people):
    page.goto(product)
    for _ in range(9):
        page.get_by_label("Name").fill("reader")
        page.get_by_label("Password", exact=True).fill("guess")
        with page.expect_response(lambda r: r.request.method == "POST"):
            page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_text("Too many sign-ins were refused.")).to_be_visible()
    expect(page.get_by_text("Try again in")).to_be_visible()
