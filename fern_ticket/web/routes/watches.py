"""Watched folders, of a client or of a ticket. Kept by those who lead."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, HTTPException
from psycopg.types.json import Jsonb
from pydantic import BaseModel, Field, model_validator

from fern_ticket.core.errors import FernError
from fern_ticket.jobs.ways.giving import NotNow
from fern_ticket.jobs.ways.stores import in_time, opened_store
from fern_ticket.store.records import Client, Id
from fern_ticket.store.watches import WatchRow
from fern_ticket.store.ways import ToFolder
from fern_ticket.web.common.asked import ticket_row
from fern_ticket.web.common.happening import Leads
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.who import Lead

router = APIRouter(prefix="/api", tags=["watches"])
#: Seconds that a store has to show its folder.
_PATIENCE = 30.0


class NewWatch(BaseModel):
    """A folder that is looked at for a client or for a ticket."""

    client: UUID | None = None
    number: Annotated[str, Field(max_length=40)] | None = Field(default=None, description="Of the ticket.")
    settings: ToFolder
    secret: Annotated[str, Field(max_length=2000)] | None = None

    @model_validator(mode="after")
    def _one(self) -> NewWatch:
        if (self.client is None) == (self.number is None):
            raise ValueError("a folder is watched for a client or for a ticket")
        return self


@router.get("/watches")
async def watches(shared: SharedState, _: Lead) -> list[WatchRow]:
    return await shared.database.rows(WatchRow, "watches_of")


@router.post("/watches", status_code=201)
async def add(asked: NewWatch, shared: SharedState, lead: Leads) -> list[WatchRow]:
    """Watch a folder. It is looked at once before it is kept."""
    await _look(shared, asked)
    ticket = None if asked.number is None else await ticket_row(shared, asked.number)
    client = None
    if asked.client is not None:
        client = await shared.database.row(Client, "client_by_id", client=asked.client)
        if client is None:
            raise HTTPException(422, "There is no such client.")
    async with shared.database.transaction() as within:
        await within.run(
            "add_watch",
            client=asked.client,
            ticket=None if ticket is None else ticket.id,
            settings=Jsonb(asked.settings.model_dump(mode="json")),
            secret=shared.safe.locked(asked.secret),
        )
        whose = ticket.number if ticket else client.name if client else ""
        await lead.did(within, f"watches {asked.settings.address}", about=whose)
        return await within.rows(WatchRow, "watches_of")


@router.delete("/watches/{watch}")
async def remove(watch: UUID, shared: SharedState, lead: Leads) -> list[WatchRow]:
    """Watch it no longer. What came stays."""
    async with shared.database.transaction() as within:
        if await within.row(Id, "remove_watch", watch=watch) is None:
            raise HTTPException(404, "That folder is not watched any more.")
        await lead.did(within, "watches a folder no longer", about="a watched folder")
        return await within.rows(WatchRow, "watches_of")


async def _look(shared: Shared, asked: NewWatch) -> None:
    """Raises FernError where the folder cannot be read."""
    address = asked.settings.address

    def there() -> bool:
        store, root = opened_store(asked.settings, asked.secret or "", shared.settings.data)
        return bool(store.isdir(root))

    try:
        found = await in_time(address, there, _PATIENCE, "read")
    except NotNow as error:
        raise FernError(str(error), "Look at the address and the sign-in.") from error
    if not found:
        raise FernError(f"There is no folder {address}.", "Make it first, or mount the share.")
