"""Two organisations, their people, and a job."""

import json

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client

from kardo.server.accounts.models import Member, Organisation
from kardo.server.actions.edit_plan import create_job
from kardo.server.predictions.solved_networks import Networks
from kardo.server.questions import live
from tests.conftest import small_plan


class ApiClient(Client):
    """A signed-in browser that speaks JSON."""

    def patch_plan(self, job, edits, revision, uid=None):
        return self.patch(
            f"/api/jobs/{job}/plan",
            json.dumps({"edits": edits, "id": uid}),
            content_type="application/json",
            headers={"If-Match": f'"{revision}"'},
        )

    def post_json(self, path, body):
        return self.post(path, json.dumps(body), content_type="application/json")


@pytest.fixture(scope="session", autouse=True)
def nobody_else_at_the_end(django_db_setup, django_db_blocker):
    """Requests that were made in threads have connections of their own, which would keep the database from being
    dropped."""
    yield
    with django_db_blocker.unblock(), connection.cursor() as cursor:
        cursor.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <>"
            " pg_backend_pid()"
        )


@pytest.fixture(autouse=True)
def quick_passwords(settings):
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


@pytest.fixture(autouse=True)
def networks(monkeypatch):
    """Kept in this process, and new for each test."""
    kept = Networks()
    monkeypatch.setattr(live, "networks", kept)
    return kept


def person(name, organisation, *roles):
    user = User.objects.create_user(name, password="corvane-test")
    Member.objects.create(user=user, organisation=organisation, roles=list(roles) or ["planner"])
    client = ApiClient()
    client.force_login(user)
    client.user = user
    return client


@pytest.fixture
def office(db):
    return Organisation.objects.create(name="Survey Office")


@pytest.fixture
def planner(office):
    return person("planner", office)


@pytest.fixture
def chief(office):
    return person("chief", office)


@pytest.fixture
def stranger(db):
    return person("stranger", Organisation.objects.create(name="Somebody else"), "surveyor", "administrator")


@pytest.fixture
def job(office, planner):
    return create_job(office, planner.user, small_plan())


def edit(path, before, after):
    """One change by field, as it is sent."""
    return {"path": path, "before": before, "after": after}


@pytest.fixture
def empty_queue(db):
    """The queue's tables are procrastinate's own and are not emptied between tests."""
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("TRUNCATE procrastinate_jobs CASCADE")
