"""A load as a program: so many people on as many jobs, reading and editing, some dragging. Loopback only, bounded in
time.

    python -m benchmarks.load --users 50 --seconds 60 --dragging 10

Starts PostgreSQL, the web server and the workers itself, on a database of its own, and prints what people would have
felt. Each person listens to the job's events, reads plan, summary and prediction every two seconds and edits every ten;
who drags asks for live figures at most five times a second beside it, as the browser does; and somebody comes by now
and then, signs in, brings a file of points and takes one out. What was read is held with its tag and asked for again
with it, as a browser's cache does. `--checkout` serves another checkout's code instead of this one's."""

import argparse
import json
import random
import subprocess
import sys
import threading
from pathlib import Path
from typing import Any
from urllib.parse import urlencode
from uuid import uuid4

import gevent.monkey

gevent.monkey.patch_all()

import gevent  # noqa: E402
import requests  # noqa: E402
from locust import FastHttpUser, constant_pacing, task  # noqa: E402
from locust.env import Environment  # noqa: E402

from benchmarks.checkouts import HERE, by_field, fresh_database, put, python, served  # noqa: E402

DATABASE = "kardo_load"
MOST_USERS, MOST_SECONDS = 200, 600
PASSWORD, TOKEN = "load-of-fifty", "a" * 32
TOLD: dict[str, int] = {"ready": 0, "preparing": 0, "refused": 0, "events": 0}
AIMS = {
    "read": 0.3,
    "edit": 0.6,
    "live": 0.25,
}  # seconds, 95 % under; and of live answers so many a second for each who drags
AIM_LIVE = 4.0


class Person(FastHttpUser):
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
        self.cookie = (  # fifty passwords checked at once are another load than this one
            f"sessionid={key}; csrftoken={TOKEN}"
        )
        self.listening = gevent.spawn(self._listen)
        gevent.sleep(random.Random(number).uniform(0, 2))  # nobody keeps step with anybody

    def on_stop(self) -> None:
        self.listening.kill()

    def _listen(self) -> None:
        """To the job's events, as long as it is open."""
        url = f"{self.host}/api/jobs/{self.job}/events"
        with requests.get(url, headers={"Cookie": self.cookie}, stream=True, timeout=60) as stream:
            for _ in stream.iter_lines():
                TOLD["events"] += 1

    def _headers(self) -> dict[str, str]:
        return {"Cookie": self.cookie, "X-CSRFToken": TOKEN, "Content-Type": "application/json"}

    def _post(self, path: str, body: dict, name: str):
        return self.client.post(path, data=json.dumps(body), headers=self._headers(), name=name)

    def _read(self, what: str) -> Any:
        """As a browser with a cache reads."""
        tag, held = self.held.get(what, ("", None))
        asked = {"Cookie": self.cookie, "If-None-Match": tag}
        answer = self.client.get(f"/api/jobs/{self.job}/{what}", name=f"read {what}", headers=asked)
        if answer.status_code == 200:
            held = answer.json() if what == "plan" else None  # what a browser makes of the rest is no part of this
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
    wait_time = constant_pacing(0.2)

    def on_start(self) -> None:
        super().on_start()
        self.plan = self._read("plan")["plan"]
        self.reading = gevent.spawn(self._keep_reading)

    def on_stop(self) -> None:
        self.reading.kill()
        super().on_stop()

    def _keep_reading(self) -> None:
        while True:
            self.look_round()
            self.plan = self.held["plan"][1]["plan"]
            gevent.sleep(2)

    @task
    def turn_round(self) -> None:
        point = next(p for p in self.plan["control"] if p["id"] == "G2")
        there = point | {"e": point["e"] + random.uniform(-20, 20)}
        answer = self._post(f"/api/jobs/{self.job}/live", put(self.by_field, {"control/G2": (point, there)}), "live")
        if answer.status_code == 200:
            TOLD[str(answer.content[:40]).split('"')[3]] += 1  # the state comes first


class Visitor(Person):
    """Comes by, signs in, brings points and takes them out again."""

    wait_time = constant_pacing(5.0)

    @task
    def turn_round(self) -> None:
        self.client.cookiejar.clear()
        known, job = self.cookie, self.job
        self.cookie = f"csrftoken={TOKEN}"
        self._post("/api/session", {"username": "load0", "password": PASSWORD}, "sign in")
        self.cookie = known
        points = "\n".join(f"P{k},{622_500 + 3 * k},{5_128_400 + 2 * k},4.2" for k in range(200))
        form = self._headers() | {"Content-Type": "application/x-www-form-urlencoded"}
        self.client.post(f"/api/jobs/{job}/read/points", urlencode({"text": points}), headers=form, name="bring a file")
        self.client.get(f"/api/jobs/{job}/export/control.dxf", headers={"Cookie": known}, name="take a file out")


def prepare(users: int, checkout: Path) -> list[tuple[str, str]]:
    """A database with so many jobs, each with its person; their ids and the session of each."""
    fresh_database(DATABASE)
    return json.loads(python(checkout, DATABASE, str(Path(__file__).with_name("fill.py")), str(users)))


def run(users: int, seconds: int, dragging: int, warm: int, checkout: Path) -> dict:
    """Serve, load, measure."""
    Person.jobs, Person.by_field = prepare(users, checkout), by_field(checkout)
    with served(checkout, DATABASE) as server:
        Reader.fixed_count, Dragger.fixed_count, Visitor.fixed_count = users - dragging, dragging, 1
        env = Environment(user_classes=[Reader, Dragger, Visitor], host=server.address)
        runner = env.create_local_runner()
        runner.start(users + 1, spawn_rate=users / 20)
        gevent.sleep(warm)
        env.stats.reset_all()
        TOLD.update(dict.fromkeys(TOLD, 0))
        worked = server.web_seconds()
        gevent.sleep(seconds)
        worked = server.web_seconds() - worked
        threads = _threads(server.processes[0].pid)
        runner.quit()
        told = _figures(env, users, seconds, dragging, threads)
        answers = sum(row["requests"] for row in told["requests"].values())
        each = 1000 * worked / max(answers, 1)
        return told | {"megabytes": server.megabytes(), "processor_ms_an_answer": each}


def _threads(pid: int) -> int:
    """Threads of the web server and its children."""
    group = subprocess.run(
        ["ps", "-o", "nlwp=", "-g", str(pid)], check=False, capture_output=True, text=True
    ).stdout.split()
    return sum(map(int, group))


def _figures(env: Environment, users: int, seconds: int, dragging: int, threads: int) -> dict:
    rows = {}
    for (name, _), entry in sorted(env.stats.entries.items()):
        rows[name] = {
            "requests": entry.num_requests,
            "failures": entry.num_failures,
            "median_ms": entry.median_response_time,
            "p95_ms": entry.get_response_time_percentile(0.95),
        }
    for failure in env.stats.errors.values():
        print(failure.to_name(), failure.occurrences, file=sys.stderr)
    return {
        "users": users,
        "seconds": seconds,
        "threads": threads,
        "requests": rows,
        "live": {name: TOLD[name] for name in ("ready", "preparing", "refused")},
        "live_per_s": TOLD["ready"] / seconds / max(dragging, 1),
        "events": TOLD["events"],
    }


def aims(told: dict) -> str:
    """What was asked for, and what came, a line each."""
    lines = []
    for name, row in told["requests"].items():
        if (aim := AIMS.get(name.split()[0])) is not None:
            lines.append(f"{name}: 95 % under {row['p95_ms'] / 1000:.2f} s (aim {aim:g} s)")
    lines.append(f"live answers a second, each of who drags: {told['live_per_s']:.1f} (aim {AIM_LIVE:g})")
    lines.append(f"processor of the web for an answer: {told['processor_ms_an_answer']:.0f} ms")
    return "\n".join(lines)


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
    print(aims(told))
    if args.json:
        args.json.write_text(json.dumps(told, indent=1))


if __name__ == "__main__":
    main()
