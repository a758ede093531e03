"""The clients: what is usual with them, what they like, what came back, and how much they send."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, HTTPException, Query
from pydantic import BaseModel

from fern_ticket.jobs.clients import NewClient, add_client
from fern_ticket.store.database import Queries
from fern_ticket.store.records import Client, ClientRow, Id, KeptSlip, MonthRow, ReturnRow
from fern_ticket.web.common.asked import likely
from fern_ticket.web.common.happening import Leads
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["clients"])


class ClientList(BaseModel):
    clients: list[ClientRow]
    total: int


class ClientPage(BaseModel):
    """A client, what came back from them and why, and figures by month."""

    client: Client
    returns: list[ReturnRow]
    months: list[MonthRow]


@router.get("/clients")
async def clients(
    shared: SharedState,
    _: SignedIn,
    words: Annotated[str, Query(max_length=80)] = "",
    offset: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 60,
) -> ClientList:
    rows = await shared.database.rows(ClientRow, "clients_page", words=likely(words), offset=offset, limit=limit)
    return ClientList(clients=rows, total=rows[0].total if rows else 0)


@router.post("/clients", status_code=201)
async def add(asked: NewClient, shared: SharedState, lead: Leads) -> Client:
    async with shared.database.transaction() as within:
        await _refuse_unknown(within, asked)
        made = await add_client(within, lead, asked)
        if made is None:
            raise HTTPException(409, f"There is a client {asked.name} already.")
        return await _client(within, made)


@router.get("/clients/{client}")
async def page(client: UUID, shared: SharedState, _: SignedIn) -> ClientPage:
    return ClientPage(
        client=await _client(shared.database, client),
        returns=await shared.database.rows(ReturnRow, "returns_of_client", client=client),
        months=await shared.database.rows(MonthRow, "months_of_client", client=client),
    )


@router.put("/clients/{client}")
async def change(client: UUID, asked: NewClient, shared: SharedState, lead: Leads) -> Client:
    """Change it. Tickets keep the slip that they have; words that go with photos count from now on, for all."""
    async with shared.database.transaction() as within:
        before = await _client(within, client)
        await _refuse_unknown(within, asked)
        if await within.row(Id, "change_client", client=client, **asked.values()) is None:
            raise HTTPException(409, f"Another client is called {asked.name}.")
        after = await _client(within, client)
        changed = [name for name in NewClient.model_fields if getattr(before, name) != getattr(after, name)]
        if changed:
            await lead.did(within, f"changed {', '.join(changed).replace('_', ' ')}", about=after.name)
        return after


@router.delete("/clients/{client}", status_code=204)
async def remove(client: UUID, shared: SharedState, lead: Leads) -> None:
    """Remove a client without tickets."""
    async with shared.database.transaction() as within:
        before = await _client(within, client)
        if await within.row(Id, "remove_client", client=client) is None:
            raise HTTPException(409, f"{before.name} has tickets, some perhaps in the bin. Those go first.")
        await lead.did(within, "removed a client", about=before.name)


async def _client(queries: Queries, client: UUID) -> Client:
    found = await queries.row(Client, "client_by_id", client=client)
    if found is None:
        raise HTTPException(404, "There is no such client.")
    return found


async def _refuse_unknown(within: Queries, asked: NewClient) -> None:
    slips = {kept.name.lower() for kept in await within.rows(KeptSlip, "slips")}
    if asked.slip and asked.slip.lower() not in slips:
        raise HTTPException(422, f"There is no slip {asked.slip}. Keep one of that name first.")
    if asked.way is not None and asked.way not in {row.id for row in await within.rows(Id, "way_ids")}:
        raise HTTPException(422, "That way out is gone. Choose another.")
