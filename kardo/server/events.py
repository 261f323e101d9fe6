"""What the server tells by itself: new revisions of a job, and how far its computations are, as server-sent events.

PostgreSQL notifies (triggers in the migrations); one connection a process listens and hands on to whoever is
subscribed."""

import asyncio
import contextlib
import json
import logging
from collections import defaultdict
from collections.abc import AsyncIterator, Iterator
from datetime import datetime
from typing import Any

import psycopg
from asgiref.sync import sync_to_async
from django.db import connection
from django.http import Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.utils import timezone

from kardo.server.access import job_of
from kardo.server.jobs.models import Job
from kardo.server.problems import problem
from kardo.server.questions.answers import time_left

log = logging.getLogger(__name__)
CHANNEL = "kardo"
HEARTBEAT = 15.0  # seconds between signs of life
LONGEST = 900.0  # seconds that one stream lasts; the browser then asks again, and is asked who it is
AGAIN = 1.0  # seconds before listening is tried again
MOST_WAITING = 200  # events that a slow reader may leave unread

Event = tuple[str, dict[str, Any]]


class Hub:
    """Who listens to what, in one event loop."""

    def __init__(self) -> None:
        self._queues: defaultdict[str, set[asyncio.Queue[Event]]] = defaultdict(set)
        self._listening: asyncio.Task[None] | None = None

    @contextlib.contextmanager
    def subscribed(self, *topics: str) -> Iterator[asyncio.Queue[Event]]:
        """A queue of the events of some topics."""
        if self._listening is None or self._listening.done():
            self._listening = asyncio.get_running_loop().create_task(self._listen())
        queue: asyncio.Queue[Event] = asyncio.Queue(MOST_WAITING)
        for topic in topics:
            self._queues[topic].add(queue)
        try:
            yield queue
        finally:
            for topic in topics:
                self._queues[topic].discard(queue)
                if not self._queues[topic]:
                    del self._queues[topic]

    async def _listen(self) -> None:
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(**_address(), autocommit=True) as db:
                    await db.execute(f"LISTEN {CHANNEL}")
                    async for note in db.notifies():
                        self.hand_on(note.payload)
            except psycopg.Error as fault:
                log.warning("listening to the database: %s", fault)
                await asyncio.sleep(AGAIN)

    def hand_on(self, payload: str) -> None:
        """Give one notification to whoever is subscribed to its topic."""
        told = json.loads(payload)
        topic, kind = told.pop("topic"), told.pop("event")
        if kind != "plan":
            started = told.pop("started_at", None)
            at = datetime.fromisoformat(started) if started else None
            told |= {
                "seconds_left": time_left(told["state"], told["stage"], told["share"], at, timezone.now()),
                "ahead": 0,
            }
        for queue in self._queues.get(topic, ()):
            with contextlib.suppress(asyncio.QueueFull):
                queue.put_nowait((kind, told))


def _address() -> dict[str, Any]:
    known = connection.settings_dict
    return {
        "host": known["HOST"],
        "port": known["PORT"],
        "user": known["USER"],
        "password": known["PASSWORD"],
        "dbname": known["NAME"],
    }


hubs: dict[int, Hub] = {}  # by event loop: a test has one of its own


async def job_events(request: HttpRequest, job_id: Any) -> HttpResponse | StreamingHttpResponse:
    """The job's events, for as long as the browser listens."""
    job = await sync_to_async(_job)(request, job_id)
    if isinstance(job, HttpResponse):
        return job
    response = StreamingHttpResponse(
        _stream(str(job.pk), job.organisation_id, job.revision), content_type="text/event-stream"
    )
    response["Cache-Control"] = "no-store"
    response["Content-Encoding"] = "identity"  # never gathered up to be compressed
    response["X-Accel-Buffering"] = "no"
    return response


def _job(request: HttpRequest, job_id: Any) -> Job | HttpResponse:
    """The job to listen to, or the refusal. A stream lasts long, and holds no connection of the database meanwhile."""
    try:
        if not request.user.is_authenticated:
            return problem(401, "You are not signed in.", mend="Sign in again; what you typed is kept.")
        return job_of(request, job_id)
    except Http404:
        return problem(404, "There is no such job here.")
    finally:
        connection.close()


async def _stream(job: str, organisation: int, revision: int) -> AsyncIterator[bytes]:
    loop = asyncio.get_running_loop()
    hub = hubs.setdefault(id(loop), Hub())
    end = loop.time() + LONGEST
    with hub.subscribed(f"job {job}", f"organisation {organisation}") as queue:
        yield _written("plan", {"revision": revision})
        while loop.time() < end:
            try:
                kind, told = await asyncio.wait_for(queue.get(), HEARTBEAT)
                yield _written(kind, told)
            except TimeoutError:
                yield b": still here\n\n"


def _written(kind: str, told: dict[str, Any]) -> bytes:
    return f"event: {kind}\ndata: {json.dumps(told)}\n\n".encode()
