"""A load as a program: so many people on as many jobs, reading and editing, some dragging. Loopback only, bounded in time.

    python -m benchmarks.load --users 50 --seconds 60 --dragging 10

Starts PostgreSQL, the web server and the workers itself, on a database of its own, and prints what people would have felt.
Each person reads plan, summary and prediction every two seconds and edits every ten; who drags asks for live figures five
times a second, as the browser does. What was read is held with its tag and asked for again with it, as a browser's cache does.
`--checkout` serves another checkout's code instead of this one's.
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
from typing import Any
from uuid import uuid4

import gevent.monkey

gevent.monkey.patch_all()

from locust import HttpUser, between, constant_pacing, task  # noqa: E402
from locust.env import Environment  # noqa: E402

from benchmarks.checkouts import HERE, by_field, commands, environment, fresh_database, put, python  # noqa: E402

DATABASE = "kardo_load"
MOST_USERS, MOST_SECONDS = 200, 600
TOLD: dict[str, int] = {"ready": 0, "preparing": 0, "refused": 0}


class Person(HttpUser):
    """Somebody with one job open."""

    abstract = True
    wait_time = constant_pacing(2.0)
    drags = False
    by_field = True
    jobs: list[tuple[str, str]] = []
    names = iter(range(10**6))

    def on_start(self) -> None:
        number = next(Person.names)
        self.turn = random.Random(number).randrange(5)
        self.held: dict[str, tuple[str, Any]] = {}
        self.job, key = self.jobs[number % len(self.jobs)]
        self.client.cookies.set("sessionid", key)  # fifty passwords checked at once are another load than this one
        self.client.get("/api/session", name="who am I")
        gevent.sleep(random.Random(number).uniform(0, 2))  # nobody keeps step with anybody

    def _headers(self) -> dict[str, str]:
        return {"X-CSRFToken": self.client.cookies.get("csrftoken", ""), "Content-Type": "application/json"}

    def _post(self, path: str, body: dict, name: str):
        return self.client.post(path, data=json.dumps(body), headers=self._headers(), name=name)

    def _read(self, what: str) -> Any:
        """As a browser with a cache reads."""
        tag, held = self.held.get(what, ("", None))
        answer = self.client.get(f"/api/jobs/{self.job}/{what}", name=f"read {what}", headers={"If-None-Match": tag})
        if answer.status_code == 200:
            held = answer.json()
            self.held[what] = answer.headers.get("ETag", ""), held
        return held

    def look_round(self) -> None:
        """Read everything, and edit at every fifth time."""
        plan = self._read("plan")
        self._read("summary")
        self._read("prediction")
        self.turn += 1
        if self.turn % 5 == 0 and plan:
            self._edit(plan)

    def _edit(self, plan: dict) -> None:
        point = next(p for p in plan["plan"]["control"] if p["id"] == "G1")
        body = put(self.by_field, {"control/G1": (point, point | {"e": point["e"] + 0.1})})
        self.client.patch(
            f"/api/jobs/{self.job}/plan",
            data=json.dumps(body | ({"id": str(uuid4())} if self.by_field else {})),
            headers=self._headers() | {"If-Match": f'"{plan["revision"]}"'},
            name="edit",
        )


class Reader(Person):
    """Reads and edits."""

    weight = 4

    @task
    def turn_round(self) -> None:
        self.look_round()


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
            self.look_round()
            self.plan = self._read("plan")["plan"]
        point = next(p for p in self.plan["control"] if p["id"] == "G2")
        there = point | {"e": point["e"] + random.uniform(-20, 20)}
        answer = self._post(f"/api/jobs/{self.job}/live", put(self.by_field, {"control/G2": (point, there)}), "live")
        if answer.ok:
            TOLD[answer.json()["state"]] += 1


def prepare(users: int, checkout: Path) -> list[tuple[str, str]]:
    """A database with so many jobs, each with its person; their ids and the session of each."""
    fresh_database(DATABASE)
    return json.loads(python(checkout, DATABASE, str(Path(__file__).with_name("fill.py")), str(users)))


def run(users: int, seconds: int, dragging: int, warm: int, checkout: Path) -> dict:
    """Serve, load, measure."""
    Person.jobs, Person.by_field = prepare(users, checkout), by_field(checkout)
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    running = [
        subprocess.Popen(c, cwd=checkout, env=environment(checkout, DATABASE), start_new_session=True)
        for c in commands(checkout, port)
    ]
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
    for failure in env.stats.errors.values():
        print(failure.to_name(), failure.occurrences, file=sys.stderr)
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
    parser.add_argument("--checkout", type=Path, default=HERE, help="whose code is served")
    args = parser.parse_args()
    if not (0 < args.users <= MOST_USERS and 0 < args.seconds <= MOST_SECONDS):
        sys.exit(f"up to {MOST_USERS} users and {MOST_SECONDS} seconds")
    threading.stack_size(256 * 1024)
    told = run(args.users, args.seconds, args.dragging, args.warm, args.checkout.resolve())
    print(json.dumps(told, indent=1))
    if args.json:
        args.json.write_text(json.dumps(told, indent=1))


if __name__ == "__main__":
    main()
