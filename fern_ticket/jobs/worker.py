"""A worker process: takes jobs until it is told to stop, then hands back what it was doing."""

from __future__ import annotations

import asyncio
import logging

from fern_ticket.jobs.context import make_context
from fern_ticket.jobs.queue import make_queue
from fern_ticket.settings import settings
from fern_ticket.store.database import opened

#: Rendering keeps a core busy; one at a time leaves the other to the bench.
_AT_ONCE = 1


async def run_worker() -> None:
    """Run until SIGINT or SIGTERM. Upkeep runs beside the pictures, so that a long job never holds up a rescue."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
    logging.getLogger("procrastinate").setLevel(logging.WARNING)
    async with opened(settings().database_url) as database:
        queue = make_queue(settings().database_url, make_context(settings(), database))
        async with queue.open_async():
            pictures = queue.run_worker_async(
                queues=["pictures"],
                concurrency=_AT_ONCE,
                name="pictures",
                shutdown_graceful_timeout=20,
                update_heartbeat_interval=settings().heartbeat,
            )
            upkeep = queue.run_worker_async(
                queues=["upkeep"], concurrency=1, name="upkeep", install_signal_handlers=False
            )
            done, rest = await asyncio.wait(
                [asyncio.create_task(pictures), asyncio.create_task(upkeep)],
                return_when=asyncio.FIRST_COMPLETED,
            )
            for task in rest:
                task.cancel()
            await asyncio.gather(*rest, return_exceptions=True)
            for task in done:
                task.result()
