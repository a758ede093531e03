"""What the routes share, and how they get at it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, cast

import httpx
from fastapi import Depends, Request, WebSocket
from procrastinate import App as Queue

from fern_ticket.core.render.cache import ByteCache
from fern_ticket.settings import Settings
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.database import Database
from fern_ticket.store.ledgers import Ledgers
from fern_ticket.store.opening import Opening
from fern_ticket.store.prepared import Prepared
from fern_ticket.store.safe import Safe
from fern_ticket.web.common.hosts import Hosts


@dataclass(frozen=True)
class Shared:
    """Opened once when the application starts."""

    settings: Settings
    database: Database
    queue: Queue
    blobs: Blobs
    prepared: Prepared
    cache: ByteCache
    opening: Opening
    ledgers: Ledgers
    desks: httpx.AsyncClient
    web: httpx.AsyncClient
    safe: Safe
    hosts: Hosts


def shared_of(connection: Request | WebSocket) -> Shared:
    return cast(Shared, connection.app.state.shared)


async def _shared(request: Request) -> Shared:
    return shared_of(request)


SharedState = Annotated[Shared, Depends(_shared)]
