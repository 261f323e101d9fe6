"""The real product for a real browser: web server and worker as processes of their own, on the test database."""

import os
import socket
import subprocess
from pathlib import Path

import pytest
from playwright.sync_api import expect

from benchmarks.checkouts import wait_for
from benchmarks.fill import session_of
from scripts.demo import behind, beside, web

ROOT = Path(__file__).parents[2]
CHROMIUM = [
    "--no-sandbox",
    "--disable-gpu",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


CASTER, PROCESSING, RECEIVER, NETWORK, AIRSPACE = (free_port() for _ in range(5))
expect.set_options(timeout=30_000)
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")  # the browser driver keeps an event loop in this thread


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return {"executable_path": "/usr/bin/chromium-headless-shell", "args": CHROMIUM}


@pytest.fixture(scope="session")
def browser_context_args():
    return {"viewport": {"width": 1280, "height": 800}, "accept_downloads": True}


SESSIONS: dict[str, str] = {}  # of the demo's people: their open sessions


class Web:
    """The web server's process; a test that kills it puts another in its place."""

    current: subprocess.Popen


def _environment() -> dict:
    from django.db import connection

    name = connection.settings_dict["NAME"]
    told = {"KARDO_DB_NAME": name, "DJANGO_SETTINGS_MODULE": "kardo.server.settings"}
    outside = {"CASTERS": CASTER, "PROCESSING": PROCESSING, "RECEIVERS": RECEIVER, "NETWORKS": NETWORK}
    outside |= {"AUTHORITIES": AIRSPACE}
    return {**os.environ, **told, **{f"KARDO_{name}": f"127.0.0.1:{port}" for name, port in outside.items()}}


def start_web(address: str) -> subprocess.Popen:
    port = int(address.rpartition(":")[2])
    return subprocess.Popen(web(port), cwd=ROOT, env=_environment(), stderr=subprocess.DEVNULL, start_new_session=True)


@pytest.fixture(scope="session")
def web_process():
    return Web()


@pytest.fixture(scope="session")
def product(django_db_setup, django_db_blocker, web_process):
    """Address of a running Kardo with the demo loaded."""
    from django.contrib.auth.models import User
    from django.core.management import call_command
    from django.db import connection
    from django.test.utils import setup_databases

    from kardo.server.jobs.models import Job
    from kardo.server.plans.stored import stored_plan
    from kardo.server.predictions.models import Computation
    from kardo.server.predictions.tasks import request_computation, run

    with django_db_blocker.unblock():
        if not connection.settings_dict["NAME"].startswith("test_"):  # made only where some test asks for it itself
            setup_databases(verbosity=0, interactive=False, aliases={"default"})
        Computation.objects.all().delete()  # a killed run may have left its own
        Job.objects.all().delete()
        call_command("load_demo", stdout=open(os.devnull, "w"))  # noqa: SIM115
        for (
            job
        ) in Job.objects.all():  # the tests are about what is done with a prediction, not about waiting for the first
            run(key=str(request_computation(job, stored_plan(job)).key))
        SESSIONS.update({user.username: session_of(user) for user in User.objects.filter(member__isnull=False)})
    address = f"http://127.0.0.1:{free_port()}"
    commands = [*behind().values(), *beside(CASTER, PROCESSING, RECEIVER, NETWORK, AIRSPACE).values()]
    running = [subprocess.Popen(c, cwd=ROOT, env=_environment(), stderr=subprocess.DEVNULL) for c in commands]
    web_process.current = start_web(address)
    wait_for(address)
    yield address
    running.append(web_process.current)
    for process in running:
        process.terminate()
    for process in running:
        process.wait(60)
    with django_db_blocker.unblock():
        connection.close()


def signed_in_as(browser, product, name, **options):
    """A browser of somebody's own, signed in: its context and its page."""
    context = browser.new_context(accept_downloads=True, **options)
    wait_for(product)
    page = context.new_page()
    _sign_in(page, product, name)
    return context, page


def _sign_in(page, product, name):
    page.set_default_timeout(60_000)  # for a machine that others use too
    page.context.add_cookies([{"name": "sessionid", "value": SESSIONS[name], "url": product, "httpOnly": True}])
    page.goto(product)
    page.get_by_role("heading", name="Jobs").wait_for()


@pytest.fixture
def signed_in(page, product):
    """A page of the planner's, with every error of the browser's console collected."""
    page.console_errors = []
    page.on("console", lambda m: page.console_errors.append(m.text) if m.type in ("error", "warning") else None)
    page.on("pageerror", lambda e: page.console_errors.append(str(e)))
    _sign_in(page, product, "planner")
    return page
