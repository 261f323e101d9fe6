"""Keeps some processes running: what dies is started again, after a pause that grows while it keeps dying."""

import contextlib
import ctypes
import multiprocessing
import signal
import subprocess
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

PAUSES = (0.2, 1.0, 2.0, 4.0, 8.0)
STEADY = 30.0  # seconds after which a process counts as well again
PATIENCE = 10.0  # seconds that one is given to end
ASK_EVERY = 5.0  # seconds between two questions whether one answers
MOST_SILENT = 3


def _end_with_parent() -> None:
    """In a child: should the parent be killed outright, the kernel ends the child too (prctl PR_SET_PDEATHSIG)."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


class Forked:
    """A function in a process forked from this one, asked as a Popen is."""

    def __init__(self, work: Callable[[], None]) -> None:
        self._process = multiprocessing.get_context("fork").Process(target=self._run, args=(work,))
        self._process.start()
        self.pid = self._process.pid

    @staticmethod
    def _run(work: Callable[[], None]) -> None:
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, signal.SIG_DFL)  # not as the parent answers them
        _end_with_parent()
        work()

    @property
    def returncode(self) -> int | None:
        return self._process.exitcode

    def poll(self) -> int | None:
        return self._process.exitcode

    def wait(self, timeout: float | None = None) -> None:
        self._process.join(timeout)
        if self._process.exitcode is None:
            raise subprocess.TimeoutExpired("a forked process", timeout or 0.0)

    def terminate(self) -> None:
        self._process.terminate()

    def kill(self) -> None:
        self._process.kill()


@dataclass
class Kept:
    """One process to keep: its name, its command or the function that a fork of this process runs, and how it has
    fared."""

    name: str
    command: list[str] | Callable[[], None]
    well: Callable[[], bool] | None = None  # whether it answers; one that is silent three times running is ended
    process: subprocess.Popen | Forked | None = None
    started: float = 0.0
    deaths: int = 0
    again_at: float = 0.0

    def look(self, now: float, cwd: Path, say: Callable[[str], None]) -> None:
        """Start it where it is not running and its pause is over."""
        if self.process is not None and self.process.poll() is None:
            if now - self.started > STEADY:
                self.deaths = 0
            return
        if self.process is not None:
            pause = PAUSES[min(self.deaths, len(PAUSES) - 1)]
            say(f"{self.name} ended with status {self.process.returncode}; started again in {pause:g} s")
            self.process, self.deaths, self.again_at = None, self.deaths + 1, now + pause
        if now >= self.again_at:
            self.process = self._start(cwd)
            self.started = now

    def listen(self, say: Callable[[str], None], every: float = ASK_EVERY) -> None:
        """Ask for ever whether it answers, in a thread of its own; end it where it does not, so that it is started
        again."""
        assert self.well is not None
        silent = 0
        while True:
            time.sleep(every)
            process = self.process
            if process is None or process.poll() is not None or time.monotonic() - self.started < STEADY:
                silent = 0
                continue
            silent = 0 if self.well() else silent + 1
            if silent >= MOST_SILENT:
                say(f"{self.name} does not answer; it is ended")
                process.terminate()
                with contextlib.suppress(subprocess.TimeoutExpired):
                    process.wait(PATIENCE)
                process.kill()

    def _start(self, cwd: Path) -> subprocess.Popen | Forked:
        if callable(self.command):
            return Forked(self.command)
        return subprocess.Popen(self.command, cwd=cwd, preexec_fn=_end_with_parent)


@dataclass
class Supervisor:
    """Processes to keep, and a service beside them that is looked at and mended in the same turn."""

    cwd: Path
    kept: list[Kept]
    mend: Callable[[], None] = lambda: None
    say: Callable[[str], None] = lambda words: print(words, flush=True)
    stopping: bool = field(default=False)

    def stop(self, *_: object) -> None:
        """End at the next turn."""
        self.stopping = True

    def run(self, turn: float = 0.2, mend_every: float = 2.0) -> None:
        """Until told to stop."""
        for one in self.kept:
            if one.well is not None:
                threading.Thread(target=one.listen, args=(self.say,), daemon=True).start()
        mended = time.monotonic()
        while not self.stopping:
            now = time.monotonic()
            for one in self.kept:
                one.look(now, self.cwd, self.say)
            if now - mended > mend_every:
                self.mend()
                mended = now
            time.sleep(turn)
        self.end()

    def end(self) -> None:
        """End all, gently first."""
        running = [one.process for one in self.kept if one.process is not None]
        for process in running:
            process.terminate()
        for process in running:
            try:
                process.wait(PATIENCE)
            except subprocess.TimeoutExpired:
                process.kill()
