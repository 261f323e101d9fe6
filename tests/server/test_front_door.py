"""What stands at the door: the token at sign-in, the policy on every page, problem details where something is
refused."""

import json

import pytest
from django.db import OperationalError
from django.test import Client

from kardo.server.door.content_security import POLICY

pytestmark = pytest.mark.django_db
GIVEN = {"username": "planner", "password": "corvane-test"}


def sign_in(client, **headers):
    return client.post("/api/session", json.dumps(GIVEN), content_type="application/json", headers=headers)


def test_signing_in_needs_the_token_that_the_page_was_given(planner):
    client = Client(enforce_csrf_checks=True)
    assert sign_in(client).status_code == 403
    client.get("/api/session")
    answer = sign_in(client, **{"X-CSRFToken": client.cookies["csrftoken"].value})
    assert answer.status_code == 200


def test_a_wrong_password_is_refused_in_words(planner):
    answer = Client().post("/api/session", json.dumps(GIVEN | {"password": "no"}), content_type="application/json")
    assert answer.status_code in {401, 422}
    assert answer.json()["title"]


def test_every_page_says_that_it_reaches_nowhere(client):
    answer = client.get("/")
    assert answer.headers["Content-Security-Policy"] == POLICY
    assert "http" not in POLICY.replace("'self'", "")


@pytest.mark.parametrize(("method", "path", "status"), [("get", "/api/nothing", 404), ("put", "/api/session", 405)])
def test_refusals_are_problem_details(planner, method, path, status):
    answer = getattr(planner, method)(path)
    assert answer.status_code == status
    assert answer["Content-Type"].startswith("application/problem+json")
    assert {"title", "mend"} <= answer.json().keys()


def test_while_the_database_is_away_one_is_told_to_come_back(planner, job, monkeypatch):
    def away(*_):
        raise OperationalError("the connection is closed")

    monkeypatch.setattr("kardo.server.api.plan.stored_plan", away)
    answer = planner.get(f"/api/jobs/{job.pk}/plan")
    assert answer.status_code == 503 and int(answer["Retry-After"]) > 0
