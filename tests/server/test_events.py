"""What the server tells by itself: whose revision it was, and nobody else's."""

import asyncio
import json

import pytest
from asgiref.sync import sync_to_async
from django.db import connection
from django.test import AsyncClient

from kardo.core.accuracy.figures.results import ENGINE
from kardo.server.jobs.models import Job
from kardo.server.predictions.models import Computation

pytestmark = pytest.mark.django_db(transaction=True)


async def told(stream, kind):
    """The next event of a kind, within five seconds."""

    async def look():
        async for block in stream:
            lines = block.decode().splitlines()
            if lines[0] == f"event: {kind}":
                return json.loads(lines[1].removeprefix("data: "))
        raise AssertionError("the stream ended")

    return await asyncio.wait_for(look(), 5)


async def listening(person, job):
    client = AsyncClient()
    await client.aforce_login(person.user)
    answer = await client.get(f"/api/jobs/{job.pk}/events")
    assert answer["Content-Type"] == "text/event-stream"
    return aiter(answer.streaming_content)


def test_a_new_revision_is_told_as_it_is_saved(planner, job):
    async def story():
        stream = await listening(planner, job)
        assert await told(stream, "plan") == {"revision": job.revision}
        await asyncio.sleep(0.5)  # until the process listens to the database
        await sync_to_async(Job.objects.filter(pk=job.pk).update)(revision=job.revision + 1)
        assert (await told(stream, "plan"))["revision"] == job.revision + 1
        await stream.aclose()

    asyncio.run(story())


def test_progress_of_a_computation_is_told_with_what_is_left(planner, job):
    async def story():
        stream = await listening(planner, job)
        await told(stream, "plan")
        await asyncio.sleep(0.5)
        row = await Computation.objects.acreate(
            organisation_id=job.organisation_id, job=job, kind="prediction", plan_hash="x" * 64, engine=ENGINE, plan={}
        )
        await Computation.objects.filter(pk=row.pk).aupdate(state="running", stage="normals", share=0.5)
        news = await told(stream, "prediction")
        while news["state"] != "running":
            news = await told(stream, "prediction")
        assert news["share"] == 0.5 and news["stage"] == "normals" and "seconds_left" in news
        await stream.aclose()

    asyncio.run(story())


def test_nobody_else_may_listen(stranger, job):
    async def answers():
        client = AsyncClient()
        unknown = await client.get(f"/api/jobs/{job.pk}/events")
        await client.aforce_login(stranger.user)
        return unknown.status_code, (await client.get(f"/api/jobs/{job.pk}/events")).status_code

    assert asyncio.run(answers()) == (401, 404)


def test_many_listeners_hold_no_connections(planner, job):
    def connections():
        with connection.cursor() as cursor:
            cursor.execute("SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()")
            return cursor.fetchone()[0]

    async def story():
        before = await sync_to_async(connections)()
        streams = [await listening(planner, job) for _ in range(10)]
        for stream in streams:
            await told(stream, "plan")
        after = await sync_to_async(connections)()
        for stream in streams:
            await stream.aclose()
        return after - before

    assert asyncio.run(story()) <= 1, "the one that listens for all of them"
