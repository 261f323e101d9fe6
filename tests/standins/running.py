"""A stand-in run beside a test, in a thread of its own."""

import asyncio
import contextlib
import threading
from collections.abc import Iterator


@contextlib.contextmanager
def running(stand_in) -> Iterator[int]:
    """Serve a stand-in on a free port of loopback: the port."""
    loop, ready = asyncio.new_event_loop(), threading.Event()

    async def serve() -> None:
        started = asyncio.Event()
        task = asyncio.ensure_future(stand_in.serve(0, started))
        await started.wait()
        ready.set()
        with contextlib.suppress(asyncio.CancelledError):
            await task

    thread = threading.Thread(target=lambda: loop.run_until_complete(serve()), daemon=True)
    thread.start()
    assert ready.wait(10)
    try:
        yield stand_in.port
    finally:
        loop.call_soon_threadsafe(lambda: [task.cancel() for task in asyncio.all_tasks(loop)])
        thread.join(10)
        loop.close()
