"""What a job works with."""

from __future__ import annotations

from dataclasses import dataclass

import httpx

from fern_ticket.core.render.cache import ByteCache
from fern_ticket.settings import Settings
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.database import Database
from fern_ticket.store.ledgers import Ledgers
from fern_ticket.store.opening import Opening
from fern_ticket.store.prepared import Prepared
from fern_ticket.store.private import keep_private
from fern_ticket.store.records import Id
from fern_ticket.store.safe import Safe
from fern_ticket.store.shelves import Shelves


@dataclass(frozen=True)
class JobContext:
    settings: Settings
    database: Database
    blobs: Blobs
    prepared: Prepared
    cache: ByteCache
    opening: Opening
    ledgers: Ledgers
    #: Speaks with the simulated desks, and with receivers elsewhere.
    desks: httpx.AsyncClient
    web: httpx.AsyncClient
    safe: Safe

    async def hand_overs_to_make(self) -> list[str]:
        return [str(row.id) for row in await self.database.rows(Id, "hand_overs_to_make")]

    async def hand_overs_to_deliver(self) -> list[str]:
        return [str(row.id) for row in await self.database.rows(Id, "hand_overs_to_deliver")]

    async def photos_preparing(self) -> list[str]:
        return [str(row.id) for row in await self.database.rows(Id, "photos_preparing")]


def make_context(settings: Settings, database: Database) -> JobContext:
    keep_private(settings.data)
    blobs = Blobs(settings.blobs, settings.blob_store, settings.blob_options)
    prepared = Prepared(settings.pyramids, blobs, settings.decode_memory)
    cache = ByteCache(settings.cache_budget)
    return JobContext(
        settings=settings,
        database=database,
        blobs=blobs,
        prepared=prepared,
        cache=cache,
        opening=Opening(database, prepared, cache, Shelves(settings.patches)),
        ledgers=Ledgers(database),
        desks=httpx.AsyncClient(base_url=settings.origin, timeout=60),
        web=httpx.AsyncClient(timeout=60),
        safe=Safe(settings.safe_key),
    )
