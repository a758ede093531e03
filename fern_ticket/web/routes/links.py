"""Links for people outside: made, listed and ended; a page to take what was made, a page to bring photos."""

from __future__ import annotations

import asyncio
from datetime import datetime
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Depends, HTTPException, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.background import BackgroundTask

from fern_ticket.store.records import HandOver, Id, LinkRow, Photo
from fern_ticket.web.common.asked import ticket_row
from fern_ticket.web.common.coming import NewUpload, Upload, begin_upload, size_of, take_part
from fern_ticket.web.common.files import PICTURES, a_file
from fern_ticket.web.common.happening import Acts
from fern_ticket.web.common.linking import Days, Linked, MadeLink, linked, made_link
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.who import SignedIn
from fern_ticket.web.reports.delivered import delivered_of
from fern_ticket.web.reports.parcel import archive

router = APIRouter(prefix="/api", tags=["links"])


class NewLink(BaseModel):
    days: Days = 30


class NewBring(BaseModel):
    days: Days = 14
    megabytes: int = Field(default=4000, ge=1, le=200_000, description="How much may come in all.")


class FileToTake(BaseModel):
    hand_over: UUID
    photo: str
    file_name: str
    bytes: int
    made_at: datetime


class TakePage(BaseModel):
    """What the receiver finds."""

    number: str
    title: str
    client: str
    ends_at: datetime
    files: list[FileToTake]


class BringPage(BaseModel):
    """Where the client brings photos."""

    title: str
    client: str
    ends_at: datetime
    room: int = Field(description="Bytes that may still come.")


@router.post("/tickets/{number}/links/proofs", status_code=201)
async def make_proofs(number: str, asked: NewLink, shared: SharedState, person: Acts) -> MadeLink:
    """A link for the ticket's client. Whoever has it sees the ticket's proofs until it ends."""
    return await made_link(shared, await ticket_row(shared, number), person, "proofs", asked.days)


@router.post("/tickets/{number}/links/take", status_code=201)
async def make_take(number: str, asked: NewLink, shared: SharedState, person: Acts) -> MadeLink:
    """A link to take what was made of a ticket."""
    return await made_link(shared, await ticket_row(shared, number), person, "take", asked.days)


@router.post("/tickets/{number}/links/bring", status_code=201)
async def make_bring(number: str, asked: NewBring, shared: SharedState, person: Acts) -> MadeLink:
    """A link to bring photos to a ticket."""
    room = asked.megabytes * 1_000_000
    return await made_link(shared, await ticket_row(shared, number), person, "bring", asked.days, room)


@router.get("/tickets/{number}/links")
async def links(number: str, shared: SharedState, _: SignedIn) -> list[LinkRow]:
    ticket = await ticket_row(shared, number)
    return await shared.database.rows(LinkRow, "links_of_ticket", ticket=ticket.id)


@router.delete("/links/{link}", status_code=204)
async def end(link: UUID, shared: SharedState, person: Acts) -> None:
    """End a link before its time."""
    async with shared.database.transaction() as within:
        ended = await within.row(Id, "end_link", link=link)
        if ended is None:
            raise HTTPException(404, "This link has ended already.")
        await person.did(within, "link ended", ticket=ended.id)


Taking = Annotated[Linked, Depends(linked("take"))]
Bringing = Annotated[Linked, Depends(linked("bring"))]


@router.get("/take/{token}")
async def take_page(by: Taking, shared: SharedState) -> TakePage:
    photos = {one.id: one for one in await shared.database.rows(Photo, "photos_of_ticket", ticket=by.ticket.id)}
    orders = await shared.database.rows(HandOver, "deliveries_of_ticket", ticket=by.ticket.id)
    files = [
        FileToTake(
            hand_over=one.id,
            photo=photos[one.photo].title,
            file_name=one.file_name,
            bytes=one.bytes or 0,
            made_at=one.asked_at,
        )
        for one in orders
        if one.photo in photos
    ]
    ticket = by.ticket
    return TakePage(
        number=ticket.number, title=ticket.title, client=ticket.client, ends_at=by.link.ends_at, files=files
    )


@router.get("/take/{token}/files/{hand_over}", response_class=FileResponse, responses=a_file(*PICTURES.values()))
async def take_file(hand_over: UUID, by: Taking, shared: SharedState, request: Request) -> FileResponse:
    orders = await shared.database.rows(HandOver, "deliveries_of_ticket", ticket=by.ticket.id)
    row = next((one for one in orders if one.id == hand_over), None)
    if row is None or row.blob is None:
        raise HTTPException(404, "There is no such file any more. Look at the page again.")
    await _count(shared, by, request, f"took {row.file_name} by a link")
    return FileResponse(await asyncio.to_thread(shared.blobs.path, row.blob), filename=row.file_name)


@router.get("/take/{token}/all.zip", response_class=FileResponse, responses=a_file("application/zip"))
async def take_all(by: Taking, shared: SharedState, request: Request) -> FileResponse:
    """Everything at once, with the manifest and the check report."""
    asking = by.asker(request)
    found = await delivered_of(shared, by.ticket, asking)
    if not found:
        raise HTTPException(404, "Nothing was handed over yet.")
    path = await asking.told(lambda: archive(by.ticket, found, shared.blobs, shared.settings.data / "parcels"))
    await _count(shared, by, request, "took everything by a link")
    name = f"{by.ticket.number}.zip"
    return FileResponse(path, filename=name, background=BackgroundTask(path.unlink, missing_ok=True))


@router.get("/bring/{token}")
async def bring_page(by: Bringing) -> BringPage:
    room = by.link.room - by.link.come
    return BringPage(title=by.ticket.title, client=by.ticket.client, ends_at=by.link.ends_at, room=room)


@router.post("/bring/{token}/uploads")
async def begin(asked: NewUpload, by: Bringing, shared: SharedState) -> Upload:
    """Begin to bring a file, or go on with one that was interrupted."""
    if by.link.come + asked.size > by.link.room:
        raise HTTPException(413, "This link has no room left for the file. Ask for another one.")
    return await begin_upload(shared, by.ticket, asked, f"link {by.link.id}")


@router.put("/bring/{token}/uploads/{upload}")
async def part(
    upload: str,
    offset: Annotated[int, Query(ge=0)],
    name: Annotated[str, Query(min_length=1, max_length=400)],
    by: Bringing,
    shared: SharedState,
    request: Request,
) -> Upload:
    """Add the next part. The link's room is taken when the first one comes."""
    size = size_of(upload)
    if offset == 0 and await shared.database.row(Id, "take_room", link=by.link.id, bytes=size) is None:
        raise HTTPException(413, "This link has no room left for the file. Ask for another one.")
    return await take_part(shared, by.ticket, upload, offset, name, request, by.ticket.client)


async def _count(shared: Shared, by: Linked, request: Request, what: str) -> None:
    await shared.database.run("link_used", link=by.link.id)
    await by.actor(request).did(shared.database, what, ticket=by.ticket.id)
