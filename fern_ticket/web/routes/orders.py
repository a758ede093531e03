"""Tickets from their making to the bin: made, copied, brought as a file, changed, assigned, on hold, closed."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from fastapi import APIRouter, HTTPException, Request
from psycopg.types.json import Jsonb
from pydantic import BaseModel, Field

from fern_ticket.core.errors import FernError
from fern_ticket.core.orders.files import csv_columns, order_file_schema, read_orders
from fern_ticket.core.orders.order import Brief, ClientName, Due, Kind, Order, Title
from fern_ticket.core.orders.order import Request as PhotoRequest
from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs.ordering import Orders
from fern_ticket.store.records import AtWork, Client, Editor, Id, Ticket
from fern_ticket.store.studio import studio_of
from fern_ticket.store.ways import WayOfTicket
from fern_ticket.web.common.asked import ticket_row
from fern_ticket.web.common.happening import Leads
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["orders"])

Reason = Annotated[str, Field(max_length=500)]
_STATES = {"open": "reopened", "on_hold": "put on hold", "closed": "closed"}


class Made(BaseModel):
    number: str


class WrongRow(BaseModel):
    """A row of an order file of which no ticket was made."""

    line: int
    problem: str


class FileTaken(BaseModel):
    """What became of an order file."""

    made: list[str]
    wrong: list[WrongRow]


class TicketChange(BaseModel):
    """What is left out stays."""

    title: Title | None = None
    client: ClientName | None = None
    kind: Kind | None = None
    brief: Brief | None = None
    due: Due | None = None
    requests: Annotated[list[PhotoRequest], Field(max_length=500)] | None = None


class StateChange(BaseModel):
    state: Literal["open", "on_hold", "closed"]
    reason: Reason = ""


class CopyOf(BaseModel):
    title: Title
    due: Due


class Assigned(BaseModel):
    editors: Annotated[list[UUID], Field(max_length=20)]


class Ways(BaseModel):
    ways: Annotated[list[UUID], Field(max_length=6)]


@router.post("/tickets", status_code=201)
async def make(order: Order, shared: SharedState, lead: Leads) -> Made:
    """Make a ticket of an order."""
    async with shared.database.transaction() as within:
        orders = await Orders.begun(within, lead, await studio_of(within))
        return Made(number=await orders.add(order))


@router.get("/orders/schema.json")
async def schema(_: SignedIn) -> dict[str, Any]:
    """The JSON schema of an order file."""
    return order_file_schema()


@router.get("/orders/columns")
async def columns(_: SignedIn) -> list[str]:
    """The columns of a CSV order file."""
    return csv_columns()


@router.post("/orders")
async def take_file(request: Request, shared: SharedState, lead: Leads) -> FileTaken:
    """Take an order file (its bytes as the body): every right order becomes a ticket, each wrong one is said."""
    here = datetime.now().astimezone().tzinfo
    assert here is not None
    rows = read_orders(await request.body(), here)
    made, wrong = [], []
    async with shared.database.transaction() as within:
        orders = await Orders.begun(within, lead, await studio_of(within))
        for row in rows:
            try:
                if row.order is None:
                    raise FernError(row.problem)
                made.append(await orders.add(row.order))
            except FernError as error:
                wrong.append(WrongRow(line=row.line, problem=str(error)))
    return FileTaken(made=made, wrong=wrong)


@router.post("/tickets/{number}/copy", status_code=201)
async def copy(number: str, asked: CopyOf, shared: SharedState, lead: Leads) -> Made:
    """Another ticket like this one, without its photos."""
    ticket = await ticket_row(shared, number)
    async with shared.database.transaction() as within:
        ways = await within.rows(WayOfTicket, "ways_of_ticket", ticket=ticket.id)
        editors = await within.rows(Editor, "editors_of_ticket", ticket=ticket.id)
        orders = await Orders.begun(within, lead, await studio_of(within))
        made = await orders.add(
            Order(
                title=asked.title,
                client=ticket.client,
                kind=ticket.kind,
                due=asked.due,
                brief=ticket.brief,
                ways=[way.name for way in ways],
                editors=[one.sign_in for one in editors],
            ),
            like=(Slip.model_validate(ticket.slip), ticket.slip_version),
        )
    return Made(number=made)


@router.patch("/tickets/{number}", status_code=204)
async def change(number: str, asked: TicketChange, shared: SharedState, lead: Leads) -> None:
    """Change what a ticket says."""
    ticket = await ticket_row(shared, number)
    async with shared.database.transaction() as within:
        client_id, client = ticket.client_id, ticket.client
        if asked.client is not None and asked.client.strip().lower() != ticket.client.lower():
            found = await within.row(Client, "client_by_name", name=asked.client.strip())
            if found is None:
                raise HTTPException(422, f"There is no client {asked.client}. Add the client first.")
            client_id, client = found.id, found.name
        requests = ticket.requests if asked.requests is None else asked.requests
        await within.run(
            "change_ticket",
            ticket=ticket.id,
            title=(asked.title or ticket.title).strip(),
            client=client,
            client_id=client_id,
            kind=asked.kind or ticket.kind,
            brief=ticket.brief if asked.brief is None else asked.brief,
            due_at=asked.due or ticket.due_at,
            requests=Jsonb([one.model_dump() for one in requests]),
        )
        what = ", ".join(sorted(asked.model_fields_set))
        await lead.did(within, f"changed {what}", ticket=ticket.id)


@router.put("/tickets/{number}/state", status_code=204)
async def set_state(number: str, asked: StateChange, shared: SharedState, lead: Leads) -> None:
    """On hold or closed, with a reason, or open again."""
    ticket: Ticket = await ticket_row(shared, number)
    reason = asked.reason.strip()
    if asked.state == ticket.state:
        return
    if asked.state == "on_hold" and not reason:
        raise HTTPException(422, "Say why it is put on hold; whoever looks for it will want to know.")
    async with shared.database.transaction() as within:
        await within.run("set_ticket_state", ticket=ticket.id, state=asked.state, reason=reason)
        await lead.did(within, _STATES[asked.state] + (f": {reason}" if reason else ""), ticket=ticket.id)


@router.get("/people-at-work")
async def at_work(shared: SharedState, _: SignedIn) -> list[AtWork]:
    """Who could work on a ticket, and what each has to do already."""
    return await shared.database.rows(AtWork, "people_to_assign")


@router.put("/tickets/{number}/editors")
async def assign(number: str, asked: Assigned, shared: SharedState, lead: Leads) -> list[Editor]:
    """Who works on it."""
    ticket = await ticket_row(shared, number)
    async with shared.database.transaction() as within:
        known = {one.id: one for one in await within.rows(Editor, "people_active")}
        before = {one.id for one in await within.rows(Editor, "editors_of_ticket", ticket=ticket.id)}
        if any(one not in known and one not in before for one in asked.editors):
            raise HTTPException(422, "Somebody of these does not work here. Look at the people again.")
        await within.run("set_editors", ticket=ticket.id, editors=list(dict.fromkeys(asked.editors)))
        editors = await within.rows(Editor, "editors_of_ticket", ticket=ticket.id)
        names = ", ".join(one.name for one in editors) or "nobody"
        await lead.did(within, f"assigned to {names}", ticket=ticket.id)
        return editors


@router.put("/tickets/{number}/ways")
async def put_ways(number: str, asked: Ways, shared: SharedState, lead: Leads) -> list[WayOfTicket]:
    """Where its photos go when they are handed over."""
    ticket = await ticket_row(shared, number)
    async with shared.database.transaction() as within:
        known = {row.id for row in await within.rows(Id, "way_ids")}
        if any(way not in known for way in asked.ways):
            raise HTTPException(422, "One of these ways out is gone. Look at them again.")
        await within.run("set_ways", ticket=ticket.id, ways=list(dict.fromkeys(asked.ways)))
        ways = await within.rows(WayOfTicket, "ways_of_ticket", ticket=ticket.id)
        names = ", ".join(way.name for way in ways) or "nowhere"
        await lead.did(within, f"goes out to {names}", ticket=ticket.id)
        return ways


@router.delete("/tickets/{number}", status_code=204)
async def put_into_bin(number: str, shared: SharedState, lead: Leads) -> None:
    """Into the bin, from which it can be brought back."""
    ticket = await ticket_row(shared, number)
    async with shared.database.transaction() as within:
        await within.run("bin_ticket", ticket=ticket.id)
        await lead.did(within, "put into the bin", ticket=ticket.id)
