"""Production: what is unsafe is refused before anything starts, and Django's own check has nothing to say."""

import os
import secrets
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
SAFE = {"KARDO_PRODUCTION": "1", "KARDO_HOSTS": "kardo.example", "KARDO_SECRET_KEY": secrets.token_urlsafe(50)}


def check(**changed):
    told = {name: value for name, value in (SAFE | changed).items() if value is not None}
    known = {
        name: value for name, value in os.environ.items() if not name.startswith("KARDO_") or name == "KARDO_CLUSTER"
    }
    command = [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "WARNING"]
    return subprocess.run(command, cwd=ROOT, env=known | told, capture_output=True, text=True)


def test_three_settings_are_enough_and_the_check_is_clean():
    found = check()
    assert found.returncode == 0 and "no issues" in found.stdout, found.stderr


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({"KARDO_SECRET_KEY": None}, "KARDO_SECRET_KEY is not set"),
        ({"KARDO_SECRET_KEY": "short"}, "too short"),
        ({"KARDO_SECRET_KEY": "ab" * 40}, "too plain"),
        ({"KARDO_HOSTS": None}, "KARDO_HOSTS"),
        ({"KARDO_HOSTS": "*"}, "KARDO_HOSTS"),
    ],
)
def test_what_is_unsafe_is_refused(changed, words):
    found = check(**changed)
    assert found.returncode != 0 and words in found.stderr


SEEN = """
import django
django.setup()
from django.test import Client
plain = Client().get("/api/session", headers={"host": "kardo.example"})
safe = Client().get("/api/session", secure=True, headers={"host": "kardo.example"})
other = Client().get("/api/session", secure=True, headers={"host": "elsewhere.example"})
print(plain.status_code, safe.status_code, other.status_code, safe.headers["Strict-Transport-Security"])
print(safe.cookies["csrftoken"]["secure"], safe.cookies["csrftoken"]["samesite"])
"""


def test_pages_come_over_tls_alone_and_for_named_hosts_alone():
    told = os.environ | SAFE | {"DJANGO_SETTINGS_MODULE": "kardo.server.settings"}
    found = subprocess.run([sys.executable, "-c", SEEN], cwd=ROOT, env=told, capture_output=True, text=True, check=True)
    assert found.stdout.split("\n")[:2] == ["301 200 400 max-age=31536000; includeSubDomains; preload", "True Lax"]
