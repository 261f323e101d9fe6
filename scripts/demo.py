"""Starts everything the demo needs and stops all of it on Ctrl-C: PostgreSQL, the web server, one worker for quick work and one for
patient work too."""

import ctypes
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
PYTHON = str(ROOT / ".venv" / "bin" / "python")
sys.path.insert(0, str(ROOT / "scripts"))
import cluster  # noqa: E402


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


def _end_with_parent() -> None:
    """In a child: should the parent be killed outright, the kernel ends the child too (prctl PR_SET_PDEATHSIG)."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


def main() -> int:
    cluster.start()
    if "--reset" in sys.argv:
        _manage("reset_demo")
    _manage("migrate", "--verbosity", "0")
    people = _manage("load_demo", capture_output=True, text=True).stdout
    port = _port(int(os.environ.get("KARDO_PORT", "8000")))
    bind = [
        "--bind",
        f"127.0.0.1:{port}",
        "--worker-class",
        "gthread",
        "--workers",
        "1",
        "--threads",
        "8",
        "--timeout",
        "120",
    ]
    children = [
        subprocess.Popen(
            [PYTHON, "-m", "gunicorn", "kardo.server.wsgi", *bind, "--log-level", "warning"],
            cwd=ROOT,
            preexec_fn=_end_with_parent,
        ),
        *(
            subprocess.Popen([PYTHON, "manage.py", "worker", *words], cwd=ROOT, preexec_fn=_end_with_parent)
            for words in (["--only", "quick"], ["--only", "patient", "--nice", "10"])
        ),
    ]
    stopping = []
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stopping.append(True))
    print(f"\nKardo is at http://127.0.0.1:{port}\nSign in as one of:\n{people}\nCtrl-C stops everything.", flush=True)
    failed = False
    while not stopping and not failed:
        failed = any(child.poll() is not None for child in children)
        time.sleep(0.2)
    for child in children:
        child.terminate()
    for child in children:
        try:
            child.wait(10)
        except subprocess.TimeoutExpired:
            child.kill()
    cluster.stop()
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
