"""Starts everything the demo needs, keeps it running, and stops all of it on Ctrl-C: PostgreSQL, the web server, what
works behind it (scripts/behind.py) and the stand-ins for what is outside."""

import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from urllib.request import urlopen

ROOT = Path(__file__).resolve().parents[1]
WEB = "web server"
PYTHON = str(ROOT / ".venv" / "bin" / "python")
sys.path.insert(0, str(ROOT))
from scripts import cluster  # noqa: E402
from scripts.supervisor import Kept, Supervisor  # noqa: E402


def _port(wanted: int) -> int:
    """The wanted port, or a free one when somebody else has it."""
    with socket.socket() as s:
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind(("127.0.0.1", wanted))
        except OSError:
            s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


def _manage(*words: str, **options) -> subprocess.CompletedProcess:
    return subprocess.run([PYTHON, "manage.py", *words], cwd=ROOT, check=True, **options)


def web(port: int) -> list[str]:
    """The web server's command."""
    options = ["--bind", f"127.0.0.1:{port}", "--worker-class", "kardo.server.door.connection.Worker", "--workers", "2"]
    return [
        PYTHON,
        "-m",
        "gunicorn",
        "kardo.server.asgi",
        *options,
        "--graceful-timeout",
        "3",
        "--keep-alive",
        "75",
        "--log-level",
        "warning",
        "--preload",  # what the processes load is in memory once
    ]


def answers(port: int) -> Callable[[], bool]:
    """Whether the web server answers, in time."""

    def well() -> bool:
        try:
            return urlopen(f"http://127.0.0.1:{port}/healthz", timeout=8).status == 200
        except OSError:
            return False

    return well


def beside(caster: int, processing: int, receiver: int, network: int, airspace: int) -> dict[str, list[str]]:
    """The commands of what stands in for the outside, by name."""
    ports = ["--caster", str(caster), "--processing", str(processing), "--receiver", str(receiver)]
    ports += ["--network", str(network), "--airspace", str(airspace)]
    return {"stand-ins": [PYTHON, "-m", "kardo.standins", *ports]}


def behind() -> dict[str, list[str]]:
    """The command of all that works behind the web server, by name."""
    return {"live server and workers": [PYTHON, str(ROOT / "scripts" / "behind.py")]}


def _say(words: str) -> None:
    """What is waited for."""
    print(words, flush=True)


def _say_when_open(port: int, words: str) -> None:
    """An address that nobody answers yet is not told."""
    while True:
        try:
            socket.create_connection(("127.0.0.1", port), timeout=1).close()
        except OSError:
            time.sleep(0.2)
        else:
            return print(words, flush=True)


def main() -> int:
    _say("Starting PostgreSQL")
    cluster.start()
    if "--reset" in sys.argv:
        _manage("reset_demo")
    _say("Bringing the database up to date")
    _manage("migrate", "--verbosity", "0")
    _say("Loading the demo jobs and what they predict (half a minute the first time)")
    people = _manage("load_demo", "--predict", stdout=subprocess.PIPE, text=True).stdout
    _say("Starting the web server and the workers")
    port = _port(int(os.environ.get("KARDO_PORT", "8000")))
    caster = _port(int(os.environ.get("KARDO_CASTER_PORT", "2101")))
    processing = _port(int(os.environ.get("KARDO_PROCESSING_PORT", "2102")))
    os.environ.setdefault("KARDO_CASTERS", f"127.0.0.1:{caster}")
    receiver = _port(int(os.environ.get("KARDO_RECEIVER_PORT", "2103")))
    os.environ.setdefault("KARDO_PROCESSING", f"127.0.0.1:{processing}")
    network = _port(int(os.environ.get("KARDO_NETWORK_PORT", "2104")))
    os.environ.setdefault("KARDO_NETWORKS", f"127.0.0.1:{network}")
    os.environ.setdefault("KARDO_RECEIVERS", f"127.0.0.1:{receiver}")
    airspace = _port(int(os.environ.get("KARDO_AIRSPACE_PORT", "2105")))
    os.environ.setdefault("KARDO_AUTHORITIES", f"127.0.0.1:{airspace}")
    all_of_it = {WEB: web(port), **behind(), **beside(caster, processing, receiver, network, airspace)}
    keep = Supervisor(
        ROOT,
        [Kept(name, command, answers(port) if name == WEB else None) for name, command in all_of_it.items()],
        mend=cluster.revive,
    )
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, keep.stop)
    words = f"\nKardo is at http://127.0.0.1:{port}\nSign in as one of:\n{people}\nCtrl-C stops everything."
    threading.Thread(target=_say_when_open, args=(port, words), daemon=True).start()
    keep.run()
    cluster.stop()
    return 0


if __name__ == "__main__":
    sys.exit(main())
