"""The library of slips: kept in versions, put on tickets by those who lead."""

from __future__ import annotations

from datetime import datetime
from itertools import pairwise
from uuid import UUID

from fastapi import APIRouter, HTTPException
from psycopg.types.json import Jsonb
from pydantic import BaseModel

from fern_ticket.core.frame.prints import prints_of
from fern_ticket.core.slips.differences import Difference, differences
from fern_ticket.core.slips.kinds import LineKind, line_kinds
from fern_ticket.core.slips.library import beginners
from fern_ticket.core.slips.naming import NameParts, delivered_name
from fern_ticket.core.slips.slip import Slip
from fern_ticket.store.database import Queries
from fern_ticket.store.records import Client, KeptSlip, Ticket
from fern_ticket.web.common.asked import SlipAsks, slip_asks, ticket_row
from fern_ticket.web.common.happening import Leads
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["slips"])


class SlipView(BaseModel):
    """A slip of the library, with its lines in words."""

    id: UUID
    version: int
    slip: Slip
    asks: list[SlipAsks]


class Example(BaseModel):
    """What a slip means, for whoever writes it."""

    asks: list[SlipAsks]
    file_name: str
    prints: list[str]


class Beginner(BaseModel):
    """A slip to begin with."""

    slip: Slip
    asks: list[SlipAsks]
    kept: bool


class Version(BaseModel):
    """A version of a slip, and what it changed of the one before."""

    id: UUID
    version: int
    made_at: datetime
    slip: Slip
    changed: list[Difference]


class Choice(BaseModel):
    slip: UUID


def _view(kept: KeptSlip) -> SlipView:
    slip = Slip.model_validate(kept.body)
    return SlipView(id=kept.id, version=kept.version, slip=slip, asks=slip_asks(slip))


@router.get("/slips")
async def slips(shared: SharedState, _: SignedIn) -> list[SlipView]:
    """The newest version of each."""
    return [_view(kept) for kept in await shared.database.rows(KeptSlip, "slips")]


@router.get("/slips/lines")
async def lines(_: SignedIn) -> list[LineKind]:
    """Every kind of line that a slip may have."""
    return line_kinds()


@router.post("/slips/example")
async def example(slip: Slip, _: SignedIn) -> Example:
    """Its lines in words, the name that it gives, and the prints that its size and ratio serve."""
    name = delivered_name(slip.name_pattern, NameParts("FT-0201", 3, "Race Mill", "Long room"), slip.file.format)
    size = slip.exact_size
    ratio = next((line for line in slip.lines if line.requirement == "ratio"), None)
    if size is None and slip.long_side is not None and ratio is not None:
        long = slip.long_side
        across, down = ratio.across, ratio.down
        size = (long, round(long * down / across)) if across >= down else (round(long * across / down), long)
    prints = [] if size is None else [f"{one.across} × {one.down} in at {one.ppi} ppi" for one in prints_of(*size)]
    return Example(asks=slip_asks(slip), file_name=name, prints=prints)


@router.get("/slips/library")
async def library(shared: SharedState, _: SignedIn) -> list[Beginner]:
    """Slips to begin with, by trade, and which of them the studio has."""
    have = {kept.name.lower() for kept in await shared.database.rows(KeptSlip, "slips")}
    return [Beginner(slip=slip, asks=slip_asks(slip), kept=slip.name.lower() in have) for slip in beginners()]


@router.post("/slips/library")
async def take_library(shared: SharedState, lead: Leads) -> list[SlipView]:
    """Keep those of them that the studio does not have yet. Returns its slips."""
    async with shared.database.transaction() as within:
        have = {kept.name.lower() for kept in await within.rows(KeptSlip, "slips")}
        for slip in beginners():
            if slip.name.lower() not in have:
                await keep_slip(within, slip, lead)
    return await slips(shared, lead.user)


@router.get("/slips/{slip}/versions")
async def versions(slip: UUID, shared: SharedState, _: SignedIn) -> list[Version]:
    """All versions of a slip, the newest first, each with what it changed."""
    kept = await shared.database.rows(KeptSlip, "slip_versions", slip=slip)
    if not kept:
        raise HTTPException(404, "There is no such slip.")
    bodies = [Slip.model_validate(one.body) for one in kept]
    changes = [differences(older, newer) for newer, older in pairwise(bodies)]
    return [
        Version(id=one.id, version=one.version, made_at=one.made_at, slip=body, changed=changed)
        for one, body, changed in zip(kept, bodies, [*changes, []], strict=True)
    ]


@router.delete("/slips/{slip}", status_code=204)
async def remove(slip: UUID, shared: SharedState, lead: Leads) -> None:
    """Take a slip out of the library, with all its versions. Tickets keep the copy that they go by."""
    async with shared.database.transaction() as within:
        kept = await within.row(KeptSlip, "slip", slip=slip)
        if kept is None:
            raise HTTPException(404, "There is no such slip.")
        await within.run("remove_slip", name=kept.name)
        await lead.did(within, "removed a slip", about=kept.name)


@router.put("/slips")
async def keep(slip: Slip, shared: SharedState, lead: Leads) -> SlipView:
    """Keep a slip under its name, as the next version if there is one already; tickets keep the one they have."""
    async with shared.database.transaction() as within:
        return _view(await keep_slip(within, slip, lead))


@router.get("/tickets/{number}/slip/changes/{slip}")
async def would_change(number: str, slip: UUID, shared: SharedState, _: SignedIn) -> list[Difference]:
    """What would change for a ticket that went by this slip."""
    ticket = await ticket_row(shared, number)
    kept = await shared.database.row(KeptSlip, "slip", slip=slip)
    if kept is None:
        raise HTTPException(404, "There is no such slip.")
    return differences(Slip.model_validate(ticket.slip), await _for_client(shared, ticket, kept))


@router.put("/tickets/{number}/slip", status_code=204)
async def put_on_ticket(number: str, choice: Choice, shared: SharedState, lead: Leads) -> None:
    """Have a ticket go by another slip, or by a newer version of its own."""
    ticket: Ticket = await ticket_row(shared, number)
    kept = await shared.database.row(KeptSlip, "slip", slip=choice.slip)
    if kept is None:
        raise HTTPException(404, "There is no such slip.")
    slip = await _for_client(shared, ticket, kept)
    async with shared.database.transaction() as within:
        body = Jsonb(slip.model_dump(mode="json"))
        await within.run("set_slip", ticket=ticket.id, slip=body, version=kept.version)
        await lead.did(within, f"goes by the slip {kept.name}, version {kept.version}", ticket=ticket.id)


async def _for_client(shared: Shared, ticket: Ticket, kept: KeptSlip) -> Slip:
    """A slip of the library with the names that the ticket's client wants."""
    slip = Slip.model_validate(kept.body)
    client = await shared.database.row(Client, "client_by_id", client=ticket.client_id)
    return slip.calling(client.name_pattern) if client and client.name_pattern else slip


async def keep_slip(within: Queries, slip: Slip, lead: Leads) -> KeptSlip:
    """As the next version of its name; the newest as it is where that says the same."""
    delivered_name(slip.name_pattern, NameParts("x", 1, "x", "x"), slip.file.format)
    body = Jsonb(slip.model_dump(mode="json"))
    kept = await within.row(KeptSlip, "keep_slip", name=slip.name, body=body, user=lead.user.id)
    if kept is None:
        known = await within.rows(KeptSlip, "slips")
        return next(one for one in known if one.name.lower() == slip.name.lower())
    await lead.did(within, f"kept version {kept.version} of a slip", about=kept.name)
    return kept
