"""A worker for predictions and advice: the engine is warm before the first task is taken."""

import asyncio
import contextlib
import logging
import os
import time
from typing import Any

import numba
import psycopg
from asgiref.sync import sync_to_async
from django.core.management.base import BaseCommand, CommandParser
from django.db import OperationalError
from procrastinate import App, exceptions
from procrastinate.contrib.django import app
from procrastinate.contrib.django.django_connector import DjangoConnector
from threadpoolctl import threadpool_limits

from kardo.server.memory import give_back
from kardo.server.predictions.tasks import PATIENT, QUICK, give_up
from kardo.warm import warm

log = logging.getLogger(__name__)
HEARTBEAT, LOST_AFTER, LOOK_EVERY = 2.0, 12.0, 3.0  # seconds
ASK_EVERY = (
    1.0  # seconds: work is told of at once, but whoever listened may have been lost with the database for a while
)
AGAIN = 1.0  # seconds before a database that went away is tried again
MOST_LOST = 3  # workers that one computation may cost


class Command(BaseCommand):
    help = "Take work off the queue, one after another, until stopped; put back what a lost worker had in hand."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--only", choices=[QUICK, PATIENT], help="leave the other kind of work to other workers")
        parser.add_argument("--nice", type=int, default=0, help="give way to other processes by so much")

    def handle(self, *args: Any, **options: Any) -> None:
        os.nice(options["nice"])
        if options["only"] == QUICK:
            _one_thread()
        warm()
        give_back()
        connector = app.connector
        assert isinstance(connector, DjangoConnector)
        queues = [options["only"]] if options["only"] else [QUICK, PATIENT]
        while True:
            try:
                with app.replace_connector(connector.get_worker_connector()) as worker:
                    asyncio.run(_work(worker, queues))
                return
            except (exceptions.ConnectorException, OperationalError, psycopg.Error) as fault:
                log.warning("the database is away (%s); trying again in %g s", type(fault).__name__, AGAIN)
                time.sleep(AGAIN)


def _one_thread() -> None:
    """For small matrices: two threads that wait for each other are slower than one as soon as anybody else works on the
    machine, by three times beside a busy neighbour."""
    threadpool_limits(1, "blas")
    numba.config.NUMBA_NUM_THREADS = 1  # type: ignore[attr-defined]  # read when its threads are made, at the first loop


async def _work(worker: App, queues: list[str]) -> None:
    async with worker.open_async():
        watch = asyncio.create_task(_watch(worker))
        try:
            await worker.run_worker_async(
                queues=queues,
                delete_jobs="successful",
                install_signal_handlers=True,
                fetch_job_polling_interval=ASK_EVERY,
                update_heartbeat_interval=HEARTBEAT,
                stalled_worker_timeout=LOST_AFTER,
            )
        finally:
            watch.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await watch


async def _watch(worker: App) -> None:
    """Work in the hands of a worker that no longer gives a sign of life goes back on the queue."""
    jobs = worker.job_manager
    while True:
        await asyncio.sleep(LOOK_EVERY)
        try:
            for job in await jobs.get_stalled_jobs(seconds_since_heartbeat=LOST_AFTER):
                if job.attempts >= MOST_LOST:
                    await sync_to_async(give_up)(str(job.task_kwargs["key"]), LOST)
                await jobs.retry_job(job)
        except exceptions.ProcrastinateException as fault:  # another worker was quicker, or the database is away
            log.warning("looking for lost work: %s", fault)


LOST = {
    "what": "The computation was cut off several times.",
    "where": "worker",
    "mend": "Lower the number of exposures, or give the workers more memory; then start it again.",
}
