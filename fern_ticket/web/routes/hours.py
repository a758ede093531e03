"""Hours: time on the bench, measured without its pauses, corrected by hand with a reason, and out as CSV."""

from __future__ import annotations

import csv
import io
from datetime import date, timedelta
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, HTTPException, Query
from fastapi.responses import Response
from pydantic import BaseModel, Field

from fern_ticket.store.records import HoursRow, Id, InvoiceRow, User
from fern_ticket.web.common.asked import ticket_row
from fern_ticket.web.common.files import a_file
from fern_ticket.web.common.happening import Leads
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import Lead, SignedIn

router = APIRouter(prefix="/api", tags=["hours"])


class TicketHours(BaseModel):
    """A ticket's hours, row by row, and their sum in minutes."""

    rows: list[HoursRow]
    minutes: float


class Correction(BaseModel):
    person: UUID
    day: date
    minutes: int = Field(ge=-1440, le=1440, description="More or, below zero, less.")
    reason: Annotated[str, Field(min_length=1, max_length=500, pattern=r"\S")]


@router.get("/tickets/{number}/hours")
async def hours(number: str, shared: SharedState, _: SignedIn) -> TicketHours:
    ticket = await ticket_row(shared, number)
    rows = await shared.database.rows(HoursRow, "hours_of_ticket", ticket=ticket.id)
    return TicketHours(rows=rows, minutes=sum(row.minutes for row in rows))


@router.post("/tickets/{number}/hours", status_code=201)
async def correct(number: str, asked: Correction, shared: SharedState, lead: Leads) -> TicketHours:
    """Add time that was not measured, or take some away."""
    ticket = await ticket_row(shared, number)
    if asked.minutes == 0:
        raise HTTPException(422, "Say how many minutes, more or less.")
    async with shared.database.transaction() as within:
        person = await within.row(User, "user_by_id", person=asked.person)
        if person is None:
            raise HTTPException(422, "There is no such person.")
        await within.run(
            "add_correction", ticket=ticket.id, person=asked.person, day=asked.day, minutes=asked.minutes,
            reason=asked.reason.strip(), who=lead.user.name,
        )  # fmt: skip
        what = f"hours of {person.name} corrected by {asked.minutes} minutes: {asked.reason.strip()}"
        await lead.did(within, what, ticket=ticket.id)
    return await hours(number, shared, lead.user)


@router.delete("/tickets/{number}/hours/{correction}")
async def take_back(number: str, correction: UUID, shared: SharedState, lead: Leads) -> TicketHours:
    """Take a correction back."""
    ticket = await ticket_row(shared, number)
    async with shared.database.transaction() as within:
        if await within.row(Id, "remove_correction", correction=correction, ticket=ticket.id) is None:
            raise HTTPException(404, "There is no such correction.")
        await lead.did(within, "correction of hours taken back", ticket=ticket.id)
    return await hours(number, shared, lead.user)


@router.get("/hours.csv", response_class=Response, responses=a_file("text/csv"))
async def invoice(
    shared: SharedState,
    _: Lead,
    first: Annotated[date | None, Query()] = None,
    last: Annotated[date | None, Query()] = None,
) -> Response:
    """Hours by ticket, person and day for the invoice, of the last ninety days where nothing else is asked."""
    last = last or date.today()
    first = first or last - timedelta(days=90)
    rows = await shared.database.rows(InvoiceRow, "hours_between", first=first, last=last)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["ticket", "title", "client", "who", "day", "minutes"])
    for row in rows:
        texts = [_plain(text) for text in (row.number, row.title, row.client, row.who)]
        writer.writerow([*texts, row.day.isoformat(), round(row.minutes, 1)])
    headers = {"Content-Disposition": f'attachment; filename="hours-{first}-{last}.csv"'}
    return Response(out.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)


def _plain(text: str) -> str:
    """A cell that no spreadsheet takes for a formula (OWASP, CSV injection)."""
    return f"'{text}" if text[:1] in "=+-@\t\r" else text
