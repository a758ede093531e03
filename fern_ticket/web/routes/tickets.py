"""The board, a ticket, and bringing photos to it."""

from __future__ import annotations

import asyncio
import logging
from typing import Annotated, Literal
from uuid import UUID

from fastapi import APIRouter, File, Query, UploadFile
from pydantic import BaseModel, Field

from fern_ticket.core.errors import FernError
from fern_ticket.core.inspect.series import Taken, series
from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs.deferring import checks_under_way, defer_check
from fern_ticket.jobs.intake import shown_name, too_large
from fern_ticket.store.errors import StoreError
from fern_ticket.store.records import (
    BoardCounts,
    Check,
    Editor,
    Event,
    Kind,
    Photo,
    Stage,
    TakenPhoto,
    Ticket,
    TicketRow,
)
from fern_ticket.store.trimming import little_left
from fern_ticket.store.ways import WayOfTicket
from fern_ticket.web.common.asked import SlipAsks, likely, slip_asks, ticket_row
from fern_ticket.web.common.bringing import Brought, bring_bytes
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["tickets"])
log = logging.getLogger("fern.web")


class BoardPage(BaseModel):
    """A page of the board: so many tickets of those that were asked for, and how many are open and pressing in all."""

    tickets: list[TicketRow]
    total: int
    open: int
    pressing: int
    little_room: int | None = Field(description="Bytes that are free on the disk, when few are: told those who lead.")


class PhotoCheck(BaseModel):
    """How a photo stood against the slip when it was checked as it is now."""

    photo: UUID
    holds: bool
    short: list[str]


class TicketPage(BaseModel):
    ticket: Ticket
    slip_name: str
    asks: list[SlipAsks]
    photos: list[Photo]
    checks: list[PhotoCheck]
    checking: list[UUID]
    series: list[list[UUID]] = Field(description="Photos that look like bracketed series, each from dark to light.")
    events: list[Event]
    editors: list[Editor]
    ways: list[WayOfTicket]
    taste: str = Field(description="What is known of the client's taste.")


@router.get("/tickets")
async def board(
    shared: SharedState,
    user: SignedIn,
    words: Annotated[str, Query(max_length=80)] = "",
    kind: Kind | None = None,
    stage: Stage | Literal["open", "done", "on_hold", "closed"] | None = None,
    client: UUID | None = None,
    mine: bool = False,
    sort: Literal["due", "number", "client"] = "due",
    offset: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
    limit: Annotated[int, Query(ge=1, le=100)] = 40,
) -> BoardPage:
    """Tickets by due time, number or client; those with certain words, of a kind, of a client, of one's own, or with
    photos of a stage."""
    found = await shared.database.rows(
        TicketRow,
        "tickets_page",
        words=likely(words),
        kind=kind,
        stage=stage,
        client=client,
        editor=user.id if mine else None,
        sort=sort,
        offset=offset,
        limit=limit,
    )
    counts = await shared.database.row(BoardCounts, "board_counts")
    assert counts is not None
    return BoardPage(
        tickets=found,
        total=found[0].total if found else 0,
        open=counts.tickets,
        pressing=counts.pressing,
        little_room=await asyncio.to_thread(little_left, shared.settings.data) if user.role == "lead" else None,
    )


@router.get("/tickets/{number}")
async def ticket_page(number: str, shared: SharedState, _: SignedIn) -> TicketPage:
    ticket = await ticket_row(shared, number)
    slip = Slip.model_validate(ticket.slip)
    photos = await shared.database.rows(Photo, "photos_of_ticket", ticket=ticket.id)
    checks = await shared.database.rows(Check, "checks_of_ticket", ticket=ticket.id)
    under_way = await checks_under_way(shared.queue, [str(photo.id) for photo in photos])
    return TicketPage(
        ticket=ticket,
        slip_name=slip.name,
        asks=slip_asks(slip),
        photos=photos,
        checks=[_check_view(check) for check in checks],
        series=await _series(shared, ticket),
        checking=[photo.id for photo in photos if str(photo.id) in under_way],
        events=await shared.database.rows(Event, "events_of_ticket", ticket=ticket.id, before=None),
        editors=await shared.database.rows(Editor, "editors_of_ticket", ticket=ticket.id),
        ways=await shared.database.rows(WayOfTicket, "ways_of_ticket", ticket=ticket.id),
        taste=str(await shared.database.value("taste_of_client", client=ticket.client_id)),
    )


@router.post("/tickets/{number}/check", status_code=202)
async def check(number: str, shared: SharedState, user: SignedIn) -> int:
    """Check every photo that was worked on against the slip, in the background. Returns how many."""
    ticket = await ticket_row(shared, number)
    photos = await shared.database.rows(Photo, "photos_of_ticket", ticket=ticket.id)
    chosen = [photo for photo in photos if photo.wanted and photo.steps]
    for photo in chosen:
        await defer_check(shared.queue, str(photo.id))
    await shared.database.run(
        "add_event", ticket=ticket.id, photo=None, what=f"check of {len(chosen)} photos asked for", who=user.name
    )
    return len(chosen)


async def _series(shared: Shared, ticket: Ticket) -> list[list[UUID]]:
    rows = await shared.database.rows(TakenPhoto, "taken_of_ticket", ticket=ticket.id)
    return [[UUID(name) for name in names] for names in series((str(row.id), Taken(**row.taken)) for row in rows)]


def _check_view(check: Check) -> PhotoCheck:
    short = [f"{line.what}: {line.value}" for line in check.verdicts if line.state != "holds"]
    return PhotoCheck(photo=check.photo, holds=check.holds, short=short)


@router.post("/tickets/{number}/photos")
async def bring(
    number: str, files: Annotated[list[UploadFile], File()], shared: SharedState, user: SignedIn
) -> list[Brought]:
    """Bring photos. Each file is taken or refused on its own; what is taken is stored when this answers."""
    ticket = await ticket_row(shared, number)
    return [await bring_one(shared, ticket, file, user.name) for file in files]


async def bring_one(shared: Shared, ticket: Ticket, file: UploadFile, who: str) -> Brought:
    """Bring one file of several: whatever is wrong with it, the others are not lost with it."""
    name = shown_name(file.filename or "unnamed")
    try:
        return await bring_bytes(shared, ticket, name, await _all_of(file, shared.settings.upload_limit), who)
    except FernError as error:
        return Brought(name=name, problem=str(error))
    except StoreError:
        raise
    except Exception:
        log.exception("a file could not be brought")
        return Brought(name=name, problem="It could not be read. Export it again, and bring the new file.")


async def _all_of(file: UploadFile, limit: int) -> bytes:
    data = await file.read(limit + 1)
    if len(data) > limit:
        raise too_large(limit)
    return data
