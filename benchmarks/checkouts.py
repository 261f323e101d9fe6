"""Two checkouts asked the same things: how each is started, and how an edit is put to each.

The program being measured runs with the checkout as its working directory and first on its path, so that `kardo` is
that checkout's. The older grammar changes whole objects ({object, value}), the present one fields ({path, before,
after})."""

import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from dataclasses import dataclass
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
    if by_field(checkout):  # as its own demo starts them
        told = (
            f"import json; from scripts.demo import behind, web; print(json.dumps([web({port}), *behind().values()]))"
        )
        said = subprocess.run([sys.executable, "-c", told], cwd=checkout, check=True, stdout=subprocess.PIPE, text=True)
        return [[sys.executable, *command[1:]] for command in json.loads(said.stdout)]
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


@dataclass(frozen=True)
class Served:
    """A checkout that is served: its address, and its processes, the web server's first."""

    address: str
    processes: list[subprocess.Popen]

    def megabytes(self) -> float:
        """Memory of all its processes and their children, of what several share each its part (PSS)."""
        return sum(_proportional(pid) for pid in self._pids(self.processes))

    def web_seconds(self) -> float:
        """What the web's processes have worked until now; of those that have ended, what their parents waited for."""
        return sum(_worked(pid) for pid in self._pids(self.processes[:1]))

    def _pids(self, of: list[subprocess.Popen]) -> list[str]:
        own = [str(p.pid) for p in of]
        found = subprocess.run(["ps", "-eo", "pid=,pgid="], check=True, capture_output=True, text=True).stdout.split()
        return [pid for pid, group in zip(found[::2], found[1::2], strict=True) if group in own]


def _worked(pid: str) -> float:
    """Seconds of processor of one process and its ended children: fields 14 to 17 of proc_pid_stat(5)."""
    with contextlib.suppress(OSError):
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        return sum(map(int, fields[11:15])) / os.sysconf("SC_CLK_TCK")
    return 0.0


def _proportional(pid: str) -> float:
    """Megabytes of one process; nothing of one that has ended."""
    with contextlib.suppress(OSError):
        for line in Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines():
            if line.startswith("Pss:"):
                return int(line.split()[1]) / 1024
    return 0.0


@contextlib.contextmanager
def served(checkout: Path, database: str) -> Iterator[Served]:
    """A checkout served on a database, as long as the block runs; all in one session, as from one terminal, for the
    system shares the processor among sessions before it looks at who gives way to whom."""
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        port = s.getsockname()[1]
    env = environment(checkout, database)
    running = [subprocess.Popen(c, cwd=checkout, env=env, process_group=0) for c in commands(checkout, port)]
    try:
        address = f"http://127.0.0.1:{port}"
        wait_for(address)
        yield Served(address, running)
    finally:
        for process in running:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()


def wait_for(address: str) -> None:
    """Until something answers there, for a minute at most."""
    for _ in range(300):
        try:
            urllib.request.urlopen(address, timeout=1)
            return
        except OSError:
            time.sleep(0.2)


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


def demo_database(name: str) -> None:
    """A database of that name with the demo of this checkout."""
    fresh_database(name)
    for what in ("migrate", "load_demo"):
        words = [sys.executable, "manage.py", what]
        subprocess.run(words, cwd=HERE, env=environment(HERE, name), check=True, stdout=subprocess.DEVNULL)
