"""Deleting for good what lies in the bin, and what has lain there long enough."""

from __future__ import annotations

import asyncio
import logging
from typing import Protocol
from uuid import UUID

from fern_ticket.store.blobs import Blobs
from fern_ticket.store.database import Database
from fern_ticket.store.prepared import Prepared
from fern_ticket.store.records import Id, Words
from fern_ticket.store.studio import studio_of

log = logging.getLogger("fern.jobs")


class Emptied(Protocol):
    """What is emptied; a job has it, and the web."""

    @property
    def database(self) -> Database: ...
    @property
    def blobs(self) -> Blobs: ...
    @property
    def prepared(self) -> Prepared: ...


async def delete_ticket(context: Emptied, ticket: UUID) -> None:
    """Delete a ticket that lies in the bin, and the files that nothing else needs."""
    await _delete(context, "delete_ticket", ticket=ticket)


async def delete_photo(context: Emptied, photo: UUID) -> None:
    """The same for one photo."""
    await _delete(context, "delete_photo", photo=photo)


async def _delete(context: Emptied, query: str, **which: UUID) -> None:
    async with context.database.transaction() as within:
        files = await within.rows(Words, "blobs_that_go", **{"ticket": None, "photo": None, **which})
        if await within.row(Id, query, **which) is None:
            return
    await _delete_files(context, files)


async def empty_bin(context: Emptied) -> None:
    """Delete what has lain in the bin for as many days as the studio has set, and of which nothing was delivered."""
    days = (await studio_of(context.database)).bin_days
    for row in await context.database.rows(Id, "bin_ends", days=days):
        log.info("a ticket has lain in the bin for %s days and is deleted", days)
        await delete_ticket(context, row.id)
    for row in await context.database.rows(Id, "bin_ends_of_photos", days=days):
        await delete_photo(context, row.id)


async def _delete_files(context: Emptied, files: list[Words]) -> None:
    def work() -> None:
        for file in files:
            context.prepared.forget(file.words)
            context.blobs.remove(file.words)

    await asyncio.to_thread(work)
