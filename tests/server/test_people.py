"""People: who may do what, route by route; sign-ins that are guessed; passwords; sessions that end; and whoever keeps
the accounts."""

import io
import json
import re
import threading
from datetime import timedelta

import pytest
from django.contrib.auth.models import User
from django.core.management import CommandError, call_command
from django.test import Client
from django.utils import timezone

from kardo.server.accounts import ended, throttle
from kardo.server.accounts.models import Member, Organisation, SignInFailure
from kardo.server.accounts.roles import MAY, ROLES, right_needed
from kardo.server.accounts.seen import Seen
from tests.server.conftest import ApiClient, person
from tests.server.test_scoping import ALL, SCOPED, call

pytestmark = pytest.mark.django_db

# what each right opens, told once more: a route that is new belongs to one of these, or is reading
BOOK = {"/api/jobs/{job_id}/book", "/api/jobs/{job_id}/pictures"}
SIGN = {"/api/jobs/{job_id}/close/sign", "/api/jobs/{job_id}/close/reopen"}
RULES = {"/api/rules", "/api/rules/paper"}
SAVES_NOTHING = {
    *("/api/session", "/api/session/password", "/api/verify", "/api/where"),
    *(
        f"/api/jobs/{{job_id}}/{path}"
        for path in (
            *(
                "live",
                "sky",
                "log",
                "stations/log",
                "card/{setup}/{device}/read-back",
                "casters/mounts",
                "casters/heard",
            ),
            *("receivers/heard", "antennas/read", "local/read", "local/marks", "local/points", "library/read"),
            *("library/certificate", "close/read", "close/shift/preview", "close/shift/positions", "read/boundary"),
            *(
                "read/points",
                "read/features",
                "read/risen",
                "flight/flown",
                "flight/camera",
                "flight/lens",
                "control/names",
            ),
        )
    ),
}


def expected(method, path):
    if method == "get" or path in SAVES_NOTHING:
        return "read"
    if (method, path) == ("delete", "/api/jobs/{job_id}"):
        return "delete"
    return "book" if path in BOOK else "sign" if path in SIGN else "rules" if path in RULES else "plan"


@pytest.mark.parametrize(("method", "path"), ALL)
def test_every_route_needs_the_right_that_the_table_says(method, path):
    asked = path.replace("{job_id}", "7c9e6679-7425-40de-944b-e07fc1f90ae7")
    asked = re.sub(r"[{}]", "", asked)
    assert right_needed(method.upper(), asked.removeprefix("/api/")) == expected(method, path)


def test_what_others_planned_is_computed_for_whoever_looks_at_it_and_a_search_is_not():
    assert right_needed("POST", "jobs/7c9e6679-7425-40de-944b-e07fc1f90ae7/prediction/start") == "read"
    assert right_needed("POST", "jobs/7c9e6679-7425-40de-944b-e07fc1f90ae7/layouts/start") == "plan"


@pytest.mark.parametrize("role", ROLES)
def test_each_role_is_refused_what_it_has_no_right_to_and_nothing_else(office, job, role):
    client = person(f"the-{role}", office, role)
    for method, path in SCOPED:
        right, status = expected(method, path), call(client, method, path, job).status_code
        if right not in MAY[role]:
            assert status == 403, (method, path)
            continue
        if right in ("read", "book"):
            assert status != 403, (method, path)


def test_a_refusal_says_who_may(office, job):
    told = person("r", office, "reviewer").patch_plan(job.pk, [], 1)
    assert told.status_code == 403 and told.json()["right"] == "plan"
    assert "a planner" in told.json()["mend"] and "an administrator" in told.json()["mend"]
    assert "surveyor in charge" in told.json()["mend"]
    nobody = person("n", office)
    Member.objects.filter(user=nobody.user).update(roles=[])
    assert nobody.get("/api/jobs").status_code == 403, "without a role one reads nothing"


def test_the_session_says_what_one_may(office):
    told = person("f", office, "field", "reviewer").get("/api/session").json()
    assert told["roles"] == ["field", "reviewer"] and told["rights"] == ["book", "read"]


def sign_in(name, password, address="10.0.0.1"):
    body = json.dumps({"username": name, "password": password})
    return Client().post("/api/session", body, content_type="application/json", REMOTE_ADDR=address)


def test_who_guesses_a_password_waits_and_nobody_else_does(planner):
    for _ in range(throttle.MOST_OF_NAME):
        assert sign_in("planner", "guess").status_code == 401
    put_off = sign_in("Planner", "corvane-test")
    assert put_off.status_code == 429 and 0 < int(put_off["Retry-After"]) <= throttle.WITHIN.total_seconds()
    assert sign_in("planner", "corvane-test", "10.0.0.2").status_code == 200, "its owner signs in from elsewhere"
    SignInFailure.objects.update(at=timezone.now() - throttle.WITHIN - timedelta(seconds=1))
    assert sign_in("planner", "corvane-test").status_code == 200
    assert not SignInFailure.objects.filter(address="10.0.0.1").exists(), "and is not suspected any more"


def test_who_tries_many_names_from_one_address_waits(planner, monkeypatch):
    monkeypatch.setattr(throttle, "MOST_OF_ADDRESS", 5)
    for k in range(5):
        assert sign_in(f"name{k}", "guess").status_code == 401
    assert sign_in("planner", "corvane-test").status_code == 429
    assert sign_in("planner", "corvane-test", "10.0.0.2").status_code == 200


def test_few_passwords_are_checked_at_once(monkeypatch):
    monkeypatch.setattr(throttle, "PATIENCE", 0.05)
    held, go = threading.Barrier(throttle.HASHES_AT_ONCE + 1), threading.Event()

    def hold():
        with throttle.turn():
            held.wait(5)
            go.wait(5)

    threads = [threading.Thread(target=hold) for _ in range(throttle.HASHES_AT_ONCE)]
    for one in threads:
        one.start()
    held.wait(5)
    with pytest.raises(throttle.TooMany), throttle.turn():
        pass
    go.set()
    for one in threads:
        one.join()
    with throttle.turn():
        pass


def change(client, now, wanted):
    return client.post_json("/api/session/password", {"now": now, "next": wanted})


def test_a_password_is_changed_and_every_other_session_ends(planner):
    other = ApiClient()
    other.force_login(planner.user)
    assert change(planner, "corvane-test", "short").status_code == 422
    assert change(planner, "corvane-test", "password123").status_code == 422
    assert change(planner, "wrong", "tideline-sluice-9").status_code == 422
    assert change(planner, "corvane-test", "tideline-sluice-9").status_code == 200
    assert planner.get("/api/jobs").status_code == 200 and other.get("/api/session").json()["signed_in"] is False
    assert sign_in("planner", "corvane-test").status_code == 401
    assert sign_in("planner", "tideline-sluice-9").status_code == 200


def test_a_job_is_deleted_by_an_administrator_on_its_title_or_after_thirty_days(office, planner, job):
    keeper = person("keeper", office, "administrator")
    planner.post_json(f"/api/jobs/{job.pk}/archive", {"archived": True})
    assert planner.delete(f"/api/jobs/{job.pk}?title={job.title}").status_code == 403
    assert keeper.delete(f"/api/jobs/{job.pk}").status_code == 422
    assert keeper.delete(f"/api/jobs/{job.pk}?title=Another").status_code == 422
    type(job).objects.filter(pk=job.pk).update(archived_at=timezone.now() - timedelta(days=31))
    assert keeper.delete(f"/api/jobs/{job.pk}").status_code == 204


def run(*words):
    out = io.StringIO()
    call_command(*words, stdout=out)
    return out.getvalue()


def test_an_office_is_set_up_by_command():
    run("organisation", "add", "Tide Office")
    told = run(
        "member", "add", "ines", "--organisation", "Tide Office", "--role", "surveyor", "--role", "administrator"
    )
    password = told.split()[-1]
    assert sign_in("ines", password).json()["roles"] == ["administrator", "surveyor in charge"]
    assert "1 member" in run("organisation", "list") and "ines" in run("member", "list")
    run("member", "role", "ines", "reviewer")
    assert sign_in("ines", password).json()["rights"] == ["read"]
    again = run("member", "reset", "ines").split()[-1]
    assert sign_in("ines", password).status_code == 401 and sign_in("ines", again).status_code == 200


def test_who_is_retired_is_shut_out_at_once_and_stays_on_record(planner, job):
    assert "signs in no more" in run("member", "retire", "planner")
    assert planner.get("/api/session").json()["signed_in"] is False
    assert sign_in("planner", "corvane-test").status_code == 401
    job.refresh_from_db()
    assert job.saved_by.username == "planner" and "retired" in run("member", "list")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("organisation", "add", "x"), "2 to 120"),
        (("organisation", "add", "Survey Office"), "already"),
        (("member", "add", "planner", "--organisation", "Survey Office", "--role", "field"), "already"),
        (("member", "add", "new", "--organisation", "Nowhere", "--role", "field"), "no organisation"),
        (("member", "role", "nobody", "field"), "no member"),
        (("member", "retire", "nobody"), "no member"),
    ],
)
def test_what_a_command_cannot_do_it_says(planner, words, said):
    before = User.objects.count(), Organisation.objects.count()
    with pytest.raises(CommandError, match=said):
        run(*words)
    assert before == (User.objects.count(), Organisation.objects.count())


@pytest.mark.django_db(transaction=True)
def test_a_session_that_ends_elsewhere_is_not_remembered_here():
    here = Seen()
    here.listen()
    for _ in range(200):
        if here._ended.hears:
            break
        threading.Event().wait(0.05)
    for key in ("one", "two"):
        here._seen[key] = (1e12, object())
    ended.tell("one")
    waited(lambda: "one" not in here._seen)
    assert "two" in here._seen
    ended.tell_all()
    waited(lambda: not here._seen)


def waited(done):
    for _ in range(100):
        if done():
            return
        threading.Event().wait(0.05)
    raise AssertionError("not told in time")


NUL = "\\u0000"
UNSTORABLE = [
    ("/api/session", f'{{"username": "a{NUL}", "password": "b"}}'),
    ("/api/jobs", f'{{"title": "a{NUL}"}}'),
    ("/api/jobs/{job}/book", f'{{"now": "2027-03-16T09:00:00Z", "entries": [{{"id": "{NUL}"}}]}}'),
    ("/api/jobs/{job}/close/reopen", f'{{"reason": "because{NUL}"}}'),
    ("/api/rules", f'{{"rule": "target-width", "threshold": 9, "reason": "because{NUL}"}}'),
    ("/api/jobs/{job}/library/of-plan", f'{{"mark": "A{NUL}"}}'),
]


@pytest.mark.parametrize(("path", "body"), UNSTORABLE)
def test_a_nul_is_refused_in_words(office, job, path, body):
    client = person("all", office, "surveyor")
    answer = client.post(path.replace("{job}", str(job.pk)), body, content_type="application/json")
    assert 400 <= answer.status_code < 500 and answer.json()["title"]
