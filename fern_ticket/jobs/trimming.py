"""Keeping the disk: prepared copies within their budget, and a word in time when it fills up."""

from __future__ import annotations

import asyncio
import logging

from fern_ticket.jobs.context import JobContext
from fern_ticket.store.records import Words
from fern_ticket.store.trimming import little_left, trim

log = logging.getLogger("fern.jobs")


async def keep_to_budget(context: JobContext) -> None:
    """Take away prepared copies beyond the budget, but for those of photos on a bench."""
    settings = context.settings
    in_use = {row.words for row in await context.database.rows(Words, "blobs_on_benches")}
    freed = await asyncio.to_thread(trim, settings.pyramids, settings.patches, settings.disk_budget, in_use)
    if freed:
        log.info("prepared copies of %d MB were used least and made room", freed >> 20)
    left = await asyncio.to_thread(little_left, settings.data)
    if left is not None:
        log.warning(
            "only %d MB are free on the disk of the data folder: make room, or lower FERN_DISK_BUDGET", left >> 20
        )
