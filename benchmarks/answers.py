"""What each main request costs the server: questions to the database, milliseconds, bytes sent. Before and after in one
run.

    python -m benchmarks.answers --before ../other-checkout

Requests go through the whole stack of middleware in one process, one at a time, without a network; the two checkouts
take turns, and the middle of all turns counts. Each is asked what a browser asks, with what its cache holds."""

import argparse
import json
import os
import statistics
import sys
import time
from pathlib import Path

TURNS, ROUNDS, MANY = 9, 3, 500
DATABASE = "kardo_answers"


class Asking:
    """One checkout, asked in this process."""

    def __init__(self, fields: bool) -> None:
        from django.contrib.auth.models import User
        from django.test import Client

        self.fields, self.told, self._assets = fields, {}, None
        self.browser, self.plain = Client(HTTP_ACCEPT_ENCODING="gzip, br"), Client()
        for client in (self.browser, self.plain):
            client.force_login(User.objects.get(username="planner"))

    def ask(self, name: str, method: str, path: str, body: dict | None = None, **headers):
        """Ask, and note what it cost under a name."""
        from django.db import connection
        from django.test.utils import CaptureQueriesContext

        more = {} if body is None else {"data": json.dumps(body), "content_type": "application/json"}
        with CaptureQueriesContext(connection) as asked:
            started = time.perf_counter()
            answer = getattr(self.browser, method)(path, headers=headers, **more)
            content = b"".join(answer.streaming_content) if answer.streaming else answer.content
            took = (time.perf_counter() - started) * 1000
        assert answer.status_code < 400, (name, answer.status_code, content[:400])
        self.told.setdefault(name, []).append((len(asked), took, len(content)))
        return answer

    def file(self, name: str, path: str) -> None:
        """Ask for a file of the front end, which is answered before Django is asked."""
        from kardo.server.door.assets import Assets

        if self._assets is None:
            self._assets = Assets()
        packed = [(b"accept-encoding", b"gzip, br")]
        started = time.perf_counter()
        answer = self._assets.answer({"path": path, "method": "GET", "headers": packed})
        took = (time.perf_counter() - started) * 1000
        assert answer is not None and answer.status == 200, (name, path)
        self.told.setdefault(name, []).append((0, took, len(answer.body)))

    def again(self, name: str, path: str) -> None:
        """Ask twice: the first time with an empty cache, then with what the first answer left there."""
        first = self.ask(name, "get", path)
        held = {"If-None-Match": tag} if (tag := first.headers.get("ETag")) else {}
        self.ask(f"{name}, unchanged", "get", path, **held)


def side(fields: bool, turns: int) -> None:
    """In a process of its own: one checkout's turns."""
    import django

    django.setup()
    from checkouts import put  # beside this file, for `benchmarks` may be the other checkout's
    from django.core.management import call_command

    from kardo.server.jobs.models import Job

    call_command("migrate", verbosity=0)
    call_command("reset_demo", stdout=sys.stderr)
    call_command("load_demo", stdout=sys.stderr)
    if fields:  # in the other checkout they are in this process anyway
        from kardo.server.predictions.solved_networks import Networks
        from kardo.server.questions import live

        live.networks = Networks()
    job = Job.objects.get(title__startswith="Sallow")
    asking, at = Asking(fields), f"/api/jobs/{job.pk}"
    for turn in range(turns + 1):
        if turn == 1:
            asking.told.clear()  # the first turn loads what is loaded once
        _turn(asking, at, put, turn)
    print(json.dumps(asking.told))


def _turn(asking: Asking, at: str, put, turn: int) -> None:
    asking.ask("who is signed in", "get", "/api/session")
    asking.ask("list of jobs", "get", "/api/jobs")
    asking.again("plan", f"{at}/plan")
    asking.again("summary", f"{at}/summary")
    _computed(asking, at)
    asking.again("prediction", f"{at}/prediction")
    plan = asking.plain.get(f"{at}/plan").json()
    point = next(p for p in plan["plan"]["control"] if p["id"] == "G1")
    moved = point | {"e": point["e"] + 0.01 * (turn + 1)}
    revision = plan["revision"]
    body = put(asking.fields, {"control/G1": (point, moved)})
    asking.ask("edit of one point", "patch", f"{at}/plan", body, **{"If-Match": f'"{revision}"'})
    asking.ask("prediction under way", "get", f"{at}/prediction")
    new = {f"control/P{k}": (None, point | _place(plan, k)) for k in range(MANY)}
    asking.ask(
        "edit of 500 points", "patch", f"{at}/plan", put(asking.fields, new), **{"If-Match": f'"{revision + 1}"'}
    )
    asking.ask("undo of that", "post", f"{at}/plan/undo", {})
    asking.plain.post(f"{at}/plan/undo", data="{}", content_type="application/json")
    question = put(asking.fields, {"control/G1": (point, moved)})
    for _ in range(600):
        told = asking.plain.post(f"{at}/live", data=question, content_type="application/json").json()
        if told["state"] != "preparing":
            break
        time.sleep(0.1)
    assert told["state"] == "ready", told
    asking.ask("live answer", "post", f"{at}/live", question)
    _page(asking)


def _place(plan: dict, k: int) -> dict:
    ring = plan["plan"]["site"]["boundary"]
    (e, n), (e1, n1) = ring[0], ring[1]
    share = k / MANY
    return {"id": f"P{k}", "name": f"P{k}", "role": "check", "e": e + (e1 - e) * share, "n": n + (n1 - n) * share + 5}


def _computed(asking: Asking, at: str) -> None:
    """The prediction of the plan as it stands, done as a worker does it."""
    from kardo.server.predictions import models, tasks

    asking.plain.post(f"{at}/prediction/start", data="{}", content_type="application/json")
    job = at.rpartition("/")[2]
    rows = models.Computation if asking.fields else models.Prediction
    row = rows.objects.filter(job_id=job, kind="prediction").order_by("-pk").first()
    if row.state != "done":
        tasks.run(str(row.key) if hasattr(row, "key") else row.pk)


def _page(asking: Asking) -> None:
    """The page itself and the largest script it asks for."""
    from django.conf import settings

    asking.ask("page", "get", "/")
    script = max((settings.WEB_DIST / "assets").glob("*.js"), key=lambda p: p.stat().st_size)
    asking.file("its largest script", f"/assets/{script.name}")


def compare(before: Path | None, rounds: int = ROUNDS) -> dict[str, dict[str, tuple[float, float, float]]]:
    """Middle of queries, milliseconds and bytes by side and request."""
    from benchmarks import checkouts

    sides = {"after": checkouts.HERE} | ({"before": before.resolve()} if before else {})
    for name in sides:
        checkouts.fresh_database(f"{DATABASE}_{name}")
    told: dict[str, dict[str, list]] = {name: {} for name in sides}
    for _ in range(rounds):
        for name, checkout in sides.items():
            fields = checkouts.by_field(checkout)
            said = checkouts.python(checkout, f"{DATABASE}_{name}", str(Path(__file__)), "--side", str(int(fields)))
            for request, costs in json.loads(said).items():
                told[name].setdefault(request, []).extend(costs)
    return {
        name: {
            request: tuple(statistics.median(column) for column in zip(*costs, strict=True))
            for request, costs in one.items()
        }
        for name, one in told.items()
    }


def table(told: dict[str, dict[str, tuple[float, float, float]]]) -> str:
    """As a table for docs/benchmarks.md."""
    head = ["request"] + [f"{what}, {name}" for what in ("queries", "ms", "bytes") for name in reversed(list(told))]
    lines = ["| " + " | ".join(head) + " |", "|---" * len(head) + "|"]
    for request in told["after"]:
        cells = [request]
        for k, form in enumerate(("{:.0f}", "{:.1f}", "{:,.0f}")):
            cells += [form.format(told[n][request][k]) if request in told[n] else "-" for n in reversed(list(told))]
        lines.append("| " + " | ".join(cells) + " |")
    return "\n".join(lines)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--before", type=Path, help="another checkout to measure beside this one")
    parser.add_argument("--side", type=int, help=argparse.SUPPRESS)
    args = parser.parse_args()
    if args.side is not None:
        return side(bool(args.side), TURNS)
    print(table(compare(args.before)))
    return None


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")
    main()
