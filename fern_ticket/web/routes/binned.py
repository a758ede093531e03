"""The bin: tickets and photos that were put away, brought back by anybody who leads, and emptied by them."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, HTTPException, Query
from pydantic import BaseModel

from fern_ticket.jobs.emptying import delete_photo, delete_ticket
from fern_ticket.store.records import BinnedPhoto, BinnedTicket, Id
from fern_ticket.store.studio import studio_of
from fern_ticket.web.common.happening import Acting, Leads
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.who import Lead

router = APIRouter(prefix="/api", tags=["bin"])

_GONE = "It does not lie in the bin any more."
#: What has to be said again before something that was delivered is deleted.
Sure = Annotated[str, Query(max_length=60, description="The ticket's number again, where something was delivered.")]


class Bin(BaseModel):
    """What lies in it, and for how many days."""

    days: int
    tickets: list[BinnedTicket]
    photos: list[BinnedPhoto]


@router.get("/bin")
async def look(shared: SharedState, _: Lead) -> Bin:
    return Bin(
        days=(await studio_of(shared.database)).bin_days,
        tickets=await shared.database.rows(BinnedTicket, "binned_tickets", ticket=None),
        photos=await shared.database.rows(BinnedPhoto, "binned_photos", photo=None),
    )


@router.post("/bin/tickets/{ticket}/restore")
async def restore_ticket(ticket: UUID, shared: SharedState, lead: Leads) -> Bin:
    async with shared.database.transaction() as within:
        if await within.row(Id, "restore_ticket", ticket=ticket) is None:
            raise HTTPException(404, _GONE)
        await lead.did(within, "brought back from the bin", ticket=ticket)
    return await look(shared, lead.user)


@router.post("/bin/photos/{photo}/restore")
async def restore_photo(photo: UUID, shared: SharedState, lead: Leads) -> Bin:
    async with shared.database.transaction() as within:
        if await within.row(Id, "restore_photo", photo=photo) is None:
            raise HTTPException(404, _GONE)
        await lead.did(within, "brought back from the bin", photo=photo)
    return await look(shared, lead.user)


@router.delete("/bin/tickets/{ticket}")
async def empty_ticket(ticket: UUID, shared: SharedState, lead: Leads, sure: Sure = "") -> Bin:
    """Delete a ticket for good, with its photos and every file that nothing else needs."""
    found = await shared.database.row(BinnedTicket, "binned_tickets", ticket=ticket)
    return await _empty(shared, lead, found, sure, lambda: delete_ticket(shared, ticket))


@router.delete("/bin/photos/{photo}")
async def empty_photo(photo: UUID, shared: SharedState, lead: Leads, sure: Sure = "") -> Bin:
    """Delete a photo for good, with every file of it that nothing else needs."""
    found = await shared.database.row(BinnedPhoto, "binned_photos", photo=photo)
    return await _empty(shared, lead, found, sure, lambda: delete_photo(shared, photo))


async def _empty(
    shared: Shared,
    lead: Acting,
    found: BinnedTicket | BinnedPhoto | None,
    sure: str,
    delete: Callable[[], Awaitable[None]],
) -> Bin:
    """What was delivered is deleted only when its ticket's number was said again."""
    if found is None:
        raise HTTPException(404, _GONE)
    if found.delivered and sure != found.number:
        raise HTTPException(
            409,
            f"Something of it was delivered. Say its number, {found.number}, to delete original and delivery for good.",
        )
    await delete()
    await lead.did(shared.database, f"deleted for good: {found.title}", about=found.number)
    return await look(shared, lead.user)
