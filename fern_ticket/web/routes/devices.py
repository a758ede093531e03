"""The simulated devices' buttons, in the demo."""

from __future__ import annotations

import asyncio
from pathlib import Path
from typing import Literal

from fastapi import APIRouter, HTTPException

from fern_ticket.desks.devices import PACE, fill
from fern_ticket.web.common.asked import ticket_row
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["tickets"])

_PICTURES = Path(__file__).parents[3] / "demo" / "pictures"
#: What lies on the card and on the scanner's glass.
_ON_IT = {
    "card": ("quay-cottage.jpg", "quay-cottage.dark.jpg", "breakfast.jpg"),
    "scanner": ("pear-study.jpg", "race-and-reeds.jpg"),
}
#: Devices that are at work, so that they are not forgotten half-way.
_at_work: set[asyncio.Task[None]] = set()


@router.post("/tickets/{number}/devices/{device}", status_code=202)
async def start(number: str, device: Literal["card", "scanner"], shared: SharedState, _: SignedIn) -> int:
    """Have a device bring its pictures to the ticket. Returns how many it has."""
    ticket = await ticket_row(shared, number)
    if not shared.settings.demo:
        raise HTTPException(404, "There are no simulated devices here; put files into arrivals/TICKET/ instead.")
    pictures = [_PICTURES / name for name in _ON_IT[device]]
    task = asyncio.create_task(fill(shared.settings.arrivals / ticket.number, pictures, PACE[device]))
    _at_work.add(task)
    task.add_done_callback(_at_work.discard)
    return len(pictures)
