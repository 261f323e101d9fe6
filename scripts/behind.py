"""What works behind the web server: the live server, one worker for quick work and one for patient work, all forked
from a process that has loaded what they need, so that it is in memory once. Whoever waits for an answer now comes
before whoever waits for a computation: the others give way by as much as is written here. On another machine `manage.py
worker` serves alone."""

import gc
import os
import signal
import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kardo.server.settings")
os.environ.setdefault("OMP_WAIT_POLICY", "passive")  # who waits leaves the core to others

from scripts.supervisor import Kept, Supervisor  # noqa: E402


def loaded() -> dict[str, Callable[[], None]]:
    """What is to be forked, by name. Imports alone: loops that run in several threads do not survive a fork."""
    import django

    django.setup()
    from django.core.management import call_command
    from django.core.management.base import BaseCommand

    from kardo.server import live_server
    from kardo.server.predictions.management.commands import worker

    command: BaseCommand = worker.Command()
    gc.collect()
    gc.freeze()  # what the collector never looks at stays shared
    return {
        "live server": live_server.run,
        "quick worker": partial(call_command, command, only="quick", nice=5),
        "patient worker": partial(call_command, command, only="patient", nice=10),
    }


def main() -> None:
    """Until stopped."""
    keep = Supervisor(ROOT, [Kept(name, work) for name, work in loaded().items()])
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, keep.stop)
    keep.run()


if __name__ == "__main__":
    main()
