"""A load as a program: so many people on as many jobs, reading and editing, some dragging. Loopback only, bounded in time.

    python -m benchmarks.load --users 50 --seconds 60 --dragging 10

Starts PostgreSQL, the web server and the workers itself, on a database of its own, and prints what people would have felt.
Each person reads plan, summary and prediction every two seconds and edits every ten; who drags asks for live figures five
times a second, as the browser does.
"""

import argparse
import json
import os
import random
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from pathlib import Path
from uuid import uuid4

import gevent.monkey

gevent.monkey.patch_all()

from locust import HttpUser, between, constant_pacing, task  # noqa: E402
from locust.env import Environment  # noqa: E402

ROOT = Path(__file__).resolve().parents[1]
DATABASE = "kardo_load"
MOST_USERS, MOST_SECONDS = 200, 600
TOLD: dict[str, int] = {"ready": 0, "preparing": 0, "refused": 0}


class Person(HttpUser):
    """Somebody with one job open."""

    abstract = True
    wait_time = constant_pacing(2.0)
    drags = False
    jobs: list[tuple[str, str]] = []
    names = iter(range(10**6))

    def on_start(self) -> None:
        number = next(Person.names)
        self.turn = random.Random(number).randrange(5)
        self.job, key = self.jobs[number % len(self.jobs)]
        self.client.cookies.set("sessionid", key)  # fifty passwords checked at once are another load than this one
        self.client.get("/api/session", name="who am I")

    def _headers(self) -> dict[str, str]:
        return {"X-CSRFToken": self.client.cookies.get("csrftoken", ""), "Content-Type": "application/json"}

    def _post(self, path: str, body: dict, name: str):
        return self.client.post(path, data=json.dumps(body), headers=self._headers(), name=name)

    @task
    def turn_round(self) -> None:
        plan = self.client.get(f"/api/jobs/{self.job}/plan", name="read plan").json()
        self.client.get(f"/api/jobs/{self.job}/summary", name="read summary")
        self.client.get(f"/api/jobs/{self.job}/prediction", name="read prediction")
        self.turn += 1
        if self.turn % 5 == 0:
            self._edit(plan)

    def _edit(self, plan: dict) -> None:
        point = plan["plan"]["control"][0]
        step = {"path": "control/G1/e", "before": point["e"], "after": point["e"] + 0.1}
        self.client.patch(
            f"/api/jobs/{self.job}/plan",
            data=json.dumps({"edits": [step], "id": str(uuid4())}),
            headers=self._headers() | {"If-Match": f'"{plan["revision"]}"'},
            name="edit",
        )


class Reader(Person):
    """Reads and edits."""

    weight = 4


class Dragger(Person):
    """Reads and edits, and drags a target all the while."""

    weight = 1
    wait_time = between(0.2, 0.2)

    def on_start(self) -> None:
        super().on_start()
        self.read_at = 0.0
        self.plan: dict = {}

    @task
    def turn_round(self) -> None:
        if time.monotonic() - self.read_at > 2:
            self.read_at = time.monotonic()
            super().turn_round()
            self.plan = self.client.get(f"/api/jobs/{self.job}/plan", name="read plan").json()["plan"]
        point = self.plan["control"][1]
        step = {"path": "control/G2/e", "before": point["e"], "after": point["e"] + random.uniform(-20, 20)}
        answer = self._post(f"/api/jobs/{self.job}/live", {"edits": [step]}, "live")
        if answer.ok:
            TOLD[answer.json()["state"]] += 1


def prepare(users: int) -> list[tuple[str, str]]:
    """A database with so many jobs, each with its person; their ids and the session of each."""
    os.environ.update(KARDO_DB_NAME=DATABASE, DJANGO_SETTINGS_MODULE="kardo.server.settings")
    sys.path.insert(0, str(ROOT))
    from scripts import cluster

    cluster.start()
    known = json.loads(cluster.WRITTEN.read_text())
    for sql in (f"DROP DATABASE IF EXISTS {DATABASE} WITH (FORCE)", f"CREATE DATABASE {DATABASE}"):
        cluster._psql(known, "postgres", sql)
    made = subprocess.run(
        [sys.executable, "-m", "benchmarks.load", "--fill", str(users)],
        cwd=ROOT,
        check=True,
        capture_output=True,
        text=True,
    )
    return json.loads(made.stdout.splitlines()[-1])


def fill(users: int) -> None:
    """In a process of its own: the jobs of the demo, a little apart, so that no two share a prediction."""
    os.environ.update(KARDO_DB_NAME=DATABASE, DJANGO_SETTINGS_MODULE="kardo.server.settings")
    import django
    from django.conf import settings

    django.setup()
    from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
    from django.contrib.auth.models import User
    from django.contrib.sessions.backends.db import SessionStore
    from django.core.management import call_command

    from kardo.demo import demo_plan
    from kardo.server.accounts.models import Member, Organisation
    from kardo.server.plans.editing import create_job

    call_command("migrate", verbosity=0)
    plan, told = demo_plan("sallow-bank"), []
    for k in range(users):
        office = Organisation.objects.get_or_create(name=f"Office {k % 10}")[0]
        user = User.objects.create(username=f"load{k}")
        Member.objects.create(user=user, organisation=office)
        moved = plan.control[4].model_copy(update={"e": plan.control[4].e + 0.1 * k})
        job = create_job(
            office, user, plan.model_copy(update={"control": (*plan.control[:4], moved, *plan.control[5:])})
        )
        session = SessionStore()
        session[SESSION_KEY] = str(user.pk)
        session[BACKEND_SESSION_KEY] = settings.AUTHENTICATION_BACKENDS[0]
        session[HASH_SESSION_KEY] = user.get_session_auth_hash()
        session.save()
        told.append((str(job.pk), session.session_key))
    print(json.dumps(told))


def run(users: int, seconds: int, dragging: int, warm: int) -> dict:
    """Serve, load, measure."""
    from scripts.demo import web, worker

    Person.jobs = prepare(users)
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    commands = [web(port), worker("--only", "quick"), worker("--only", "patient", "--nice", "10")]
    running = [subprocess.Popen(c, cwd=ROOT, start_new_session=True) for c in commands]
    try:
        host = f"http://127.0.0.1:{port}"
        _await(host)
        Reader.fixed_count, Dragger.fixed_count = users - dragging, dragging
        env = Environment(user_classes=[Reader, Dragger], host=host)
        runner = env.create_local_runner()
        runner.start(users, spawn_rate=users / 20)
        gevent.sleep(warm)
        env.stats.reset_all()
        TOLD.update(dict.fromkeys(TOLD, 0))
        gevent.sleep(seconds)
        threads = _threads(running[0].pid)
        runner.quit()
        return _figures(env, users, seconds, threads)
    finally:
        for process in running:
            os.killpg(process.pid, 9)


def _await(host: str) -> None:
    for _ in range(300):
        try:
            urllib.request.urlopen(host, timeout=1)
            return
        except OSError:
            gevent.sleep(0.2)


def _threads(pid: int) -> int:
    """Threads of the web server and its children."""
    group = subprocess.run(
        ["ps", "-o", "nlwp=", "-g", str(pid)], check=False, capture_output=True, text=True
    ).stdout.split()
    return sum(map(int, group))


def _figures(env: Environment, users: int, seconds: int, threads: int) -> dict:
    rows = {}
    for (name, _), entry in sorted(env.stats.entries.items()):
        rows[name] = {
            "requests": entry.num_requests,
            "failures": entry.num_failures,
            "median_ms": entry.median_response_time,
            "p95_ms": entry.get_response_time_percentile(0.95),
        }
    answers = sum(TOLD.values())
    return {
        "users": users,
        "seconds": seconds,
        "threads": threads,
        "requests": rows,
        "live": TOLD | {"ready_share": TOLD["ready"] / answers if answers else None},
    }


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--users", type=int, default=50)
    parser.add_argument("--seconds", type=int, default=60)
    parser.add_argument(
        "--warm", type=int, default=90, help="seconds before the measuring begins: networks are made ready"
    )
    parser.add_argument("--dragging", type=int, default=10)
    parser.add_argument("--json", type=Path)
    parser.add_argument("--fill", type=int, help=argparse.SUPPRESS)
    args = parser.parse_args()
    if args.fill:
        return fill(args.fill)
    if not (0 < args.users <= MOST_USERS and 0 < args.seconds <= MOST_SECONDS):
        sys.exit(f"up to {MOST_USERS} users and {MOST_SECONDS} seconds")
    threading.stack_size(256 * 1024)
    told = run(args.users, args.seconds, args.dragging, args.warm)
    print(json.dumps(told, indent=1))
    if args.json:
        args.json.write_text(json.dumps(told, indent=1))
    return None


if __name__ == "__main__":
    main()
