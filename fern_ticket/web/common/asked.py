"""The ticket that was asked for, and its slip in words."""

from __future__ import annotations

from fastapi import HTTPException
from pydantic import BaseModel

from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs.intake import shown_name
from fern_ticket.store.records import Ticket
from fern_ticket.web.common.state import Shared


class SlipAsks(BaseModel):
    """A line of the slip in words."""

    what: str
    asks: str


def slip_asks(slip: Slip) -> list[SlipAsks]:
    return [SlipAsks(what=line.called, asks=line.asks) for line in slip.lines]


async def ticket_row(shared: Shared, number: str) -> Ticket:
    ticket = await shared.database.row(Ticket, "ticket_by_number", number=number)
    if ticket is None:
        raise HTTPException(404, f"There is no ticket {shown_name(number)}.")
    return ticket


def likely(words: str) -> str:
    """Words for a LIKE: in small letters, without its signs and what no text column holds."""
    plain = "".join(c for c in words.lower() if c >= " " and not 0xD800 <= ord(c) <= 0xDFFF)
    return plain.strip().replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
