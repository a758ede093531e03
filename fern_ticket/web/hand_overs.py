"""Handing a photo over to its desk."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse
from pydantic import BaseModel

from fern_ticket.core.slips.naming import delivered_name
from fern_ticket.core.slips.slip import NameParts, Slip
from fern_ticket.desks.measuring import DESKS
from fern_ticket.jobs.queue import defer_hand_over
from fern_ticket.store.records import HandOver, Id, Photo, Ticket
from fern_ticket.web.ledgers import head_of
from fern_ticket.web.problems import Stale
from fern_ticket.web.state import Shared, SharedState, SignedIn
from fern_ticket.web.tickets import photo_row

router = APIRouter(prefix="/api", tags=["hand-over"])


class HandOverPage(BaseModel):
    """What would be handed over now, and what was before."""

    file_name: str
    desk: str
    format: str
    quality: int
    long_side: int | None
    past: list[HandOver]


class Ask(BaseModel):
    expected: int


@router.get("/photos/{photo}/hand-overs")
async def page(photo: UUID, shared: SharedState, _: SignedIn) -> HandOverPage:
    row, ticket = await _photo_and_ticket(shared, photo)
    slip = Slip.model_validate(ticket.slip)
    return HandOverPage(
        file_name=await _name(shared, row, ticket, slip),
        desk=DESKS[ticket.desk].name if ticket.desk in DESKS else ticket.desk,
        format=slip.file.format,
        quality=slip.file.quality,
        long_side=slip.long_side,
        past=await shared.database.rows(HandOver, "hand_overs_of_photo", photo=photo),
    )


@router.post("/photos/{photo}/hand-overs", status_code=202)
async def ask(photo: UUID, asked: Ask, shared: SharedState, user: SignedIn) -> HandOver:
    """Start handing over the revision that the page shows. Goes on in the background."""
    row, ticket = await _photo_and_ticket(shared, photo)
    head = await head_of(shared, photo)
    if head.revision != asked.expected:
        raise Stale
    name = await _name(shared, row, ticket, Slip.model_validate(ticket.slip))
    made = await shared.database.row(
        Id, "add_hand_over", photo=photo, revision=head.revision, file_name=name, user=user.id
    )
    if made is None:
        raise HTTPException(409, "This photo is being handed over already.")
    await defer_hand_over(shared.queue, str(made.id))
    return await _hand_over(shared, made.id)


@router.get("/hand-overs/{hand_over}")
async def state(hand_over: UUID, shared: SharedState, _: SignedIn) -> HandOver:
    return await _hand_over(shared, hand_over)


@router.post("/photos/{photo}/hand-overs/{hand_over}/cancel")
async def cancel(photo: UUID, hand_over: UUID, shared: SharedState, _: SignedIn) -> HandOver:
    """Stop it if the desk does not have it yet."""
    await shared.database.value("cancel_hand_over", hand_over=hand_over, photo=photo)
    return await _hand_over(shared, hand_over)


@router.get("/hand-overs/{hand_over}/file", response_class=FileResponse)
async def file(hand_over: UUID, shared: SharedState, _: SignedIn) -> FileResponse:
    """The delivered file itself."""
    row = await _hand_over(shared, hand_over)
    if row.blob is None:
        raise HTTPException(404, "There is no file yet.")
    return FileResponse(shared.blobs.path(row.blob), filename=row.file_name)


async def _hand_over(shared: Shared, hand_over: UUID) -> HandOver:
    row = await shared.database.row(HandOver, "hand_over_by_id", hand_over=hand_over)
    if row is None:
        raise HTTPException(404, "There is no such hand-over.")
    return row


async def _photo_and_ticket(shared: Shared, photo: UUID) -> tuple[Photo, Ticket]:
    row = await photo_row(shared, photo)
    ticket = await shared.database.row(Ticket, "ticket_of_photo", photo=photo)
    if ticket is None:
        raise HTTPException(404, "There is no such photo.")
    return row, ticket


async def _name(shared: Shared, photo: Photo, ticket: Ticket, slip: Slip) -> str:
    """A name by the pattern; a delivery that follows another of the same photo gets its number behind it."""
    parts = NameParts(ticket=ticket.number, number=photo.position, client=ticket.client, photo=photo.title)
    name = delivered_name(slip.name_pattern, parts, slip.file.format)
    past = await shared.database.rows(HandOver, "hand_overs_of_photo", photo=photo.id)
    used = {row.file_name for row in past if row.blob is not None}
    stem, dot, ending = name.rpartition(".")
    number = 2
    while name in used:
        name = f"{stem}_v{number}{dot}{ending}"
        number += 1
    return name
