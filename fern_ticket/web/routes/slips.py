"""The library of slips: kept in versions, put on tickets by those who lead."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, HTTPException
from psycopg.types.json import Jsonb
from pydantic import BaseModel

from fern_ticket.core.frame.prints import prints_of
from fern_ticket.core.slips.kinds import LineKind, line_kinds
from fern_ticket.core.slips.naming import NameParts, delivered_name
from fern_ticket.core.slips.slip import Slip
from fern_ticket.store.records import KeptSlip, Ticket
from fern_ticket.web.common.asked import SlipAsks, slip_asks, ticket_row
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import Lead, SignedIn

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


@router.put("/slips")
async def keep(slip: Slip, shared: SharedState, user: Lead) -> SlipView:
    """Keep a slip under its name, as the next version if there is one already; tickets keep the one they have."""
    delivered_name(slip.name_pattern, NameParts("x", 1, "x", "x"), slip.file.format)
    body = slip.model_dump(mode="json")
    kept = await shared.database.row(KeptSlip, "keep_slip", name=slip.name, body=Jsonb(body), user=user.id)
    if kept is None:
        kept = next(
            one for one in await shared.database.rows(KeptSlip, "slips") if one.name.lower() == slip.name.lower()
        )
    return _view(kept)


@router.put("/tickets/{number}/slip", status_code=204)
async def put_on_ticket(number: str, choice: Choice, shared: SharedState, user: Lead) -> None:
    """Have a ticket go by another slip, or by a newer version of its own."""
    ticket: Ticket = await ticket_row(shared, number)
    kept = await shared.database.row(KeptSlip, "slip", slip=choice.slip)
    if kept is None:
        raise HTTPException(404, "There is no such slip.")
    await shared.database.run("set_slip", ticket=ticket.id, slip=Jsonb(kept.body), version=kept.version)
    what = f"goes by the slip {kept.name}, version {kept.version}"
    await shared.database.run("add_event", ticket=ticket.id, photo=None, what=what, who=user.name)
