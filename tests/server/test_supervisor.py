"""What keeps the demo up: the dead are started again, ever more slowly, and all end together."""

import os
import signal
import subprocess
import sys
import threading
import time
from functools import partial
from itertools import pairwise
from pathlib import Path

import pytest

from scripts.supervisor import PAUSES, Kept, Supervisor

SLEEPS = [sys.executable, "-c", "import time; time.sleep(60)"]
DIES = [sys.executable, "-c", "raise SystemExit(7)"]


@pytest.mark.parametrize("work", [SLEEPS, partial(time.sleep, 60)], ids=["a command", "a function in a fork"])
def test_what_is_killed_is_started_again(work):
    one = Kept("sleeper", work)
    said = []
    one.look(0.0, Path("/"), said.append)
    first = one.process.pid
    os.kill(first, signal.SIGKILL)
    one.process.wait()
    one.look(10.0, Path("/"), said.append)
    assert one.process is None and "status -9" in said[0]
    one.look(10.0 + PAUSES[0], Path("/"), said.append)
    assert one.process.pid != first
    Supervisor(Path("/"), [one]).end()
    assert one.process.poll() is not None


def test_what_keeps_dying_is_tried_ever_more_slowly():
    one, now, starts = Kept("broken", DIES), 0.0, []
    for _ in range(200):
        before = one.process
        one.look(now, Path("/"), lambda _: None)
        if one.process is not None and one.process is not before:
            starts.append(now)
            one.process.wait()
        now += 0.1
    gaps = [b - a for a, b in pairwise(starts)]
    assert gaps == sorted(gaps) and gaps[-1] > 5 * gaps[0]


def test_children_end_when_the_supervisor_is_killed_outright(tmp_path):
    """The kernel sees to it, so nothing keeps the port."""
    code = f"""
import sys
import threading
from pathlib import Path
from scripts.supervisor import Kept, Supervisor
one = Kept("sleeper", {SLEEPS!r})
one.look(0.0, Path("/"), print)
print(one.process.pid, flush=True)
one.process.wait()
"""
    root = Path(__file__).resolve().parents[2]
    parent = subprocess.Popen([sys.executable, "-c", code], cwd=root, stdout=subprocess.PIPE, text=True)
    child = int(parent.stdout.readline())
    parent.kill()
    parent.wait()
    for _ in range(50):
        if not Path(f"/proc/{child}").exists() or "Z" in Path(f"/proc/{child}/stat").read_text().split()[2]:
            return
        time.sleep(0.1)
    raise AssertionError("the child outlived its parent")


def test_what_no_longer_answers_is_ended_and_started_again():
    answers, said = [True], []
    one = Kept("frozen", SLEEPS, lambda: answers[0])
    one.look(0.0, Path("/"), said.append)
    one.started = time.monotonic() - 100  # long enough to have settled
    threading.Thread(target=one.listen, args=(said.append, 0.02), daemon=True).start()
    time.sleep(0.3)
    assert one.process.poll() is None and not said, "what answers is left alone"
    answers[0] = False
    one.process.wait(20)
    assert said == ["frozen does not answer; it is ended"]
    one.look(1e9, Path("/"), said.append)
    one.look(2e9, Path("/"), said.append)
    assert one.process.poll() is None, "and it is started again"
    one.process.kill()
