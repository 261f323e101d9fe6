"""Two checkouts asked the same things: how each is started, and how an edit is put to each.

The program being measured runs with the checkout as its working directory and first on its path, so that `kardo` is that
checkout's. The older grammar changes whole objects ({object, value}), the present one fields ({path, before, after}).
"""

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

HERE = Path(__file__).resolve().parents[1]


def by_field(checkout: Path) -> bool:
    """Whether a checkout's edits are by field."""
    return (checkout / "kardo" / "core" / "plan" / "edits.py").exists()


def put(fields: bool, changes: dict[str, tuple[dict | None, dict]]) -> dict[str, Any]:
    """The body of an edit that makes rows what they become: by path, what stood there and what comes."""
    if not fields:
        return {"changes": [{"object": path, "value": after} for path, (_, after) in changes.items()]}
    edits = []
    for path, (before, after) in changes.items():
        if before is None:
            edits.append({"path": path, "before": None, "after": after})
            continue
        edits += [
            {"path": f"{path}/{name}", "before": before[name], "after": value}
            for name, value in after.items()
            if before[name] != value
        ]
    return {"edits": edits}


def commands(checkout: Path, port: int) -> list[list[str]]:
    """All the processes that serve a checkout."""
    if by_field(checkout):
        from scripts.demo import behind, web

        return [web(port), *behind().values()]
    web = ["-m", "gunicorn", "kardo.server.wsgi", "--bind", f"127.0.0.1:{port}", "--worker-class", "gthread"]
    behind_it = (["--only", "quick"], ["--only", "patient", "--nice", "10"])
    return [
        [sys.executable, *web, "--workers", "1", "--threads", "8", "--timeout", "120", "--log-level", "warning"],
        *([sys.executable, "manage.py", "worker", *words] for words in behind_it),
    ]


def environment(checkout: Path, database: str) -> dict[str, str]:
    """For a process of a checkout on a database of this one's cluster."""
    from scripts import cluster

    known = json.loads(cluster.WRITTEN.read_text())
    return {
        **os.environ,
        "PYTHONPATH": str(checkout),
        "DJANGO_SETTINGS_MODULE": "kardo.server.settings",
        "KARDO_DB_NAME": database,
        "KARDO_DB_USER": known["user"],
        "KARDO_DB_PASSWORD": known["password"],
        "KARDO_DB_PORT": str(known["port"]),
    }


def fresh_database(name: str) -> None:
    """An empty database on the project's cluster, in the place of one of that name."""
    from scripts import cluster

    cluster.start()
    known = json.loads(cluster.WRITTEN.read_text())
    for sql in (f"DROP DATABASE IF EXISTS {name} WITH (FORCE)", f"CREATE DATABASE {name}"):
        cluster._psql(known, "postgres", sql)


def python(checkout: Path, database: str, *words: str) -> str:
    """Run this checkout's Python on a file with another's `kardo`; what it printed last."""
    made = subprocess.run(
        [sys.executable, *words],
        cwd=checkout,
        env=environment(checkout, database),
        check=True,
        stdout=subprocess.PIPE,
        text=True,
    )
    return made.stdout.splitlines()[-1]
