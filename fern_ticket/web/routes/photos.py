"""The photos of a ticket as things: renamed, ordered, moved, given another original, put into the bin."""

from __future__ import annotations

import asyncio
import json
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, File, HTTPException, UploadFile
from pydantic import BaseModel, Field

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.decode import read_header
from fern_ticket.jobs.deferring import defer_prepare
from fern_ticket.jobs.intake import shown_name, too_large
from fern_ticket.store.records import Id, Photo
from fern_ticket.web.common.asked import ticket_row
from fern_ticket.web.common.changing import InHand, head_of, photo_row
from fern_ticket.web.common.happening import Acts, Leads
from fern_ticket.web.common.leasing import refuse_if_held
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["photos"])

#: From this value on EXIF's orientation lays a picture on its side (CIPA DC-008).
_TURNED = 5


class PhotoChange(BaseModel):
    """What is left out stays."""

    title: Annotated[str, Field(min_length=1, max_length=120, pattern=r"\S")] | None = None
    note: Annotated[str, Field(max_length=2000)] | None = Field(default=None, description="What is wanted of it.")
    material: bool | None = Field(
        default=None, description="Whether it is there for others to be made with, and not delivered itself."
    )


class Arrangement(BaseModel):
    photos: Annotated[list[UUID], Field(max_length=5000)]


class Destination(BaseModel):
    number: str = Field(max_length=40)


@router.patch("/photos/{photo}", status_code=204)
async def change(photo: UUID, asked: PhotoChange, shared: SharedState, person: Acts) -> None:
    """Another title, another request, or whether it is delivered."""
    row = await photo_row(shared, photo)
    await refuse_if_held(shared.database, photo, person.user)
    title = None if asked.title is None else asked.title.strip()
    async with shared.database.transaction() as within:
        await within.run("set_photo_words", photo=photo, title=title, note=asked.note)
        if title is not None and title != row.title:
            await person.did(within, f"renamed from {row.title}", photo=photo)
        if asked.note is not None and asked.note != row.note:
            await person.did(within, "changed what is wanted", photo=photo)
        if asked.material is not None and await within.row(Id, "set_material", photo=photo, material=asked.material):
            await person.did(within, "material, not delivered" if asked.material else "to be delivered", photo=photo)


@router.put("/tickets/{number}/photos/order", status_code=204)
async def arrange(number: str, asked: Arrangement, shared: SharedState, person: Acts) -> None:
    """Put the photos of a ticket in another order: all of them, each once."""
    ticket = await ticket_row(shared, number)
    async with shared.database.transaction() as within:
        there = {photo.id for photo in await within.rows(Photo, "photos_of_ticket", ticket=ticket.id)}
        if there != set(asked.photos) or len(there) != len(asked.photos):
            raise HTTPException(409, "The ticket has other photos by now. Look again, then order them.")
        await within.run("order_photos", ticket=ticket.id, photos=asked.photos)
        await within.run("order_the_rest", ticket=ticket.id, after=len(asked.photos))
        await person.did(within, "photos put in another order", ticket=ticket.id)


@router.post("/photos/{photo}/move", status_code=204)
async def move(photo: UUID, asked: Destination, shared: SharedState, lead: Leads) -> None:
    """Move a photo to another ticket, with its ledger and all that was said of it."""
    row = await photo_row(shared, photo)
    await refuse_if_held(shared.database, photo, lead.user)
    there = await ticket_row(shared, asked.number)
    if there.id == row.ticket:
        raise HTTPException(409, f"It is on {there.number} already.")
    await _refuse_if_read(shared, row)
    if row.hand_over in ("waiting", "rendering", "delivering", "delivered"):
        raise HTTPException(409, "It is being handed over. Wait for the answer, or cancel it.")
    async with shared.database.transaction() as within:
        if await within.row(Id, "move_photo", photo=photo, ticket=there.id) is None:
            raise HTTPException(409, f"The same picture is on {there.number} already, perhaps in its bin.")
        await lead.did(within, f"{row.title} moved to {there.number}", ticket=row.ticket)
        await lead.did(within, "moved here", photo=photo)


@router.post("/photos/{photo}/original", status_code=202)
async def replace(photo: InHand, file: Annotated[UploadFile, File()], shared: SharedState, person: Acts) -> Photo:
    """Give it another original of the same size: a better frame came. The ledger stays, and is made anew over it."""
    limit = shared.settings.upload_limit
    data = await file.read(limit + 1)
    if len(data) > limit:
        raise too_large(limit)
    header = await asyncio.to_thread(read_header, data)
    turned = header.orientation >= _TURNED
    size = (header.height, header.width) if turned else (header.width, header.height)
    if size != (photo.row.width, photo.row.height):
        raise PictureError(
            f"This picture has {size[0]} × {size[1]} pixels, the photo {photo.row.width} × {photo.row.height}.",
            "What was done to it would lie elsewhere. Bring it as a photo of its own.",
        )
    blob = await asyncio.to_thread(shared.blobs.add, data)
    if blob == photo.row.blob:
        raise HTTPException(409, "This is the original that it has.")
    async with photo.transaction() as within:
        if await within.row(Id, "replace_original", photo=photo.row.id, blob=blob) is None:
            raise HTTPException(409, "Another photo of this ticket has that picture.")
        await within.run("forget_check", photo=photo.row.id, revision=photo.head.revision)
        name = shown_name(file.filename or "unnamed")
        await person.did(within, f"given another original: {name}", photo=photo.row.id)
    await defer_prepare(shared.queue, str(photo.row.id))
    return await photo_row(shared, photo.row.id)


@router.post("/photos/{photo}/preparation", status_code=202)
async def prepare_again(photo: UUID, shared: SharedState, _: SignedIn) -> None:
    """Try a refused file once more: the disk was full, or the memory too small."""
    if await shared.database.row(Id, "prepare_again", photo=photo) is None:
        await photo_row(shared, photo)  # there is none, or:
        raise HTTPException(409, "This photo was not refused.")
    await defer_prepare(shared.queue, str(photo))


@router.delete("/photos/{photo}", status_code=204)
async def put_into_bin(photo: UUID, shared: SharedState, person: Acts) -> None:
    """Into the bin, from which it can be brought back. A file that was refused is gone."""
    row = await photo_row(shared, photo)
    await refuse_if_held(shared.database, photo, person.user)
    if row.state == "refused":
        await shared.database.run("remove_refused_photo", photo=photo)
        return
    if row.hand_over in ("waiting", "rendering", "delivering"):
        raise HTTPException(409, "It is being handed over. Wait for that, or cancel it.")
    await _refuse_if_read(shared, row)
    async with shared.database.transaction() as within:
        await within.run("bin_photo", photo=photo)
        await person.did(within, "put into the bin", photo=photo)


async def _refuse_if_read(shared: Shared, row: Photo) -> None:
    """Photos that are laid into each other, as a merged series, stay together."""
    photos = [one for one in await shared.database.rows(Photo, "photos_of_ticket", ticket=row.ticket) if one.head]
    ledgers = {one.id: json.dumps([s.params for s in (await head_of(shared, one.id)).steps]) for one in photos}
    for one in photos:
        if one.id != row.id and row.blob in ledgers[one.id]:
            raise HTTPException(409, f"{one.title} is made with it. Take that step away first.")
        if one.id != row.id and one.blob in ledgers.get(row.id, ""):
            raise HTTPException(409, f"It is made with {one.title}. Take that step away first.")
