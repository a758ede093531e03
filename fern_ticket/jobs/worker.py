"""A worker process: takes jobs until it is told to stop, then hands back what it was doing."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import signal

import procrastinate

from fern_ticket import logs
from fern_ticket.core.threads import keep_to
from fern_ticket.jobs.context import make_context
from fern_ticket.jobs.queue import make_queue
from fern_ticket.memory import give_back_often, keep_together
from fern_ticket.settings import settings
from fern_ticket.store.database import opened
from fern_ticket.store.errors import StoreError

log = logging.getLogger("fern.jobs")

#: Rendering keeps a core busy; one at a time leaves the other to the bench.
_AT_ONCE = 1
#: Each queue, how much of it is done at once, and seconds between looks for what is due by now: receivers are asked
#: again within seconds, and of what is due at once the database tells.
_QUEUES = (("pictures", _AT_ONCE, 5.0), ("upkeep", 1, 0.5), ("watching", 1, 5.0))
#: Seconds until a worker that lost its database tries again.
_AGAIN = 1.0


async def run_worker() -> None:
    """Run until SIGINT or SIGTERM; a database that goes away is waited for.

    Upkeep runs beside the pictures, so that a long job never holds up a rescue, and a slow store holds up neither.
    """
    logs.set_up()
    keep_together()
    keep_to(settings().threads)
    stopping = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, stopping.set)
    beside = asyncio.create_task(give_back_often())
    while not stopping.is_set():
        try:
            await _work(stopping)
        except (StoreError, procrastinate.exceptions.ConnectorException) as error:
            log.warning("the database is gone: %s", str(error).strip() or type(error).__name__)
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(stopping.wait(), _AGAIN)
    beside.cancel()


async def _work(stopping: asyncio.Event) -> None:
    """Take jobs until told to stop, or until the queue's connection is lost."""
    async with opened(settings().database_url) as database:
        queue = make_queue(settings().database_url, make_context(settings(), database))
        async with queue.open_async():
            told = asyncio.create_task(stopping.wait())
            workers = [
                asyncio.create_task(
                    queue.run_worker_async(
                        queues=[name],
                        concurrency=at_once,
                        name=name,
                        install_signal_handlers=False,
                        shutdown_graceful_timeout=20,
                        update_heartbeat_interval=settings().heartbeat,
                        fetch_job_polling_interval=often,
                    )
                )
                for name, at_once, often in _QUEUES
            ]
            done, _ = await asyncio.wait([told, *workers], return_when=asyncio.FIRST_COMPLETED)
            for task in (told, *workers):
                task.cancel()  # a worker ends what it is doing, for as long as it may
            await asyncio.gather(told, *workers, return_exceptions=True)
            for task in done - {told}:
                task.result()
