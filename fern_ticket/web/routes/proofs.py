"""The client's door: a signed link that shows the proofs of one ticket, takes notes and approval, and nothing else."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from typing import Annotated
from uuid import UUID

import numpy as np
import simplejpeg
from fastapi import APIRouter, Depends, HTTPException, Request
from fastapi.responses import FileResponse, Response
from pydantic import BaseModel

from fern_ticket.core.frame.geometry import Frame, part_of_sphere
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operation_of
from fern_ticket.core.pictures.plane import PlaneMap
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.slips.delivering import around_file
from fern_ticket.store.records import Note, Photo, Stage, Ticket
from fern_ticket.web.common.changing import head_of
from fern_ticket.web.common.files import a_file
from fern_ticket.web.common.linking import Linked, linked
from fern_ticket.web.common.pinning import NewNote, pin
from fern_ticket.web.common.state import Shared, SharedState

router = APIRouter(prefix="/api", tags=["clients"])

#: Notes that a client can pin to one ticket within an hour: nobody who looks at photos writes more.
_NOTES_AN_HOUR = 120
#: Long side of a proof, pixels: enough to judge by, too little to print.
_PROOF = 1400
#: And of one that is looked at from inside.
_AROUND = 4096


class ProofPhoto(BaseModel):
    id: UUID
    title: str
    stage: Stage
    width: int
    height: int
    around: bool
    approved: bool
    notes: list[Note]


class ProofPage(BaseModel):
    number: str
    title: str
    client: str
    brief: str
    photos: list[ProofPhoto]


class Approval(BaseModel):
    approved: bool


ByLink = Annotated[Linked, Depends(linked("proofs"))]


@router.get("/proofs/{token}")
async def proofs(by: ByLink, shared: SharedState) -> ProofPage:
    """The ticket's photos as they are now."""
    ticket = by.ticket
    await shared.database.run("link_used", link=by.link.id)
    photos = await shared.database.rows(Photo, "photos_of_ticket", ticket=ticket.id)
    shown = []
    for photo in (one for one in photos if one.wanted):
        notes = await shared.database.rows(Note, "notes_of_photo", photo=photo.id)
        head = await head_of(shared, photo.id)
        frame = _picture(shared, photo, head.steps, photos).plan.frame
        size = frame.size
        approved = await shared.database.value("approved", photo=photo.id, revision=head.revision)
        shown.append(
            ProofPhoto(
                id=photo.id,
                title=photo.title,
                stage=photo.stage,
                width=size[0],
                height=size[1],
                around=photo.sphere is not None and part_of_sphere(frame, photo.sphere) is not None,
                approved=bool(approved),
                notes=[_on_proof(note, photo, frame) for note in notes if note.side == "client"],
            )
        )
    return ProofPage(number=ticket.number, title=ticket.title, client=ticket.client, brief=ticket.brief, photos=shown)


@router.get("/proofs/{token}/{photo}/picture", response_class=Response, responses=a_file("image/jpeg"))
async def proof(photo: UUID, by: ByLink, shared: SharedState, request: Request) -> Response:
    """A photo as its ledger makes it now, at screen size."""
    row, siblings = await _photo_of(shared, by.ticket, photo)
    head = await head_of(shared, photo)

    def work() -> bytes:
        pixels, _ = _picture(shared, row, head.steps, siblings).reduced(_PROOF)
        data: bytes = simplejpeg.encode_jpeg(pixels, 88, "RGB", colorsubsampling="420")
        return data

    data = await by.asker(request).told(work)
    return Response(data, media_type="image/jpeg", headers={"Cache-Control": "private, no-cache"})


@router.get("/proofs/{token}/{photo}/around", response_class=Response, responses=a_file("image/jpeg"))
async def around(photo: UUID, by: ByLink, shared: SharedState, request: Request) -> Response:
    """A panorama as a flat file at screen size, with its projection data, for a viewer that looks at it from inside."""
    row, siblings = await _photo_of(shared, by.ticket, photo)
    head = await head_of(shared, photo)

    def work() -> bytes | None:
        smaller = Step(id="proof-size", op="output_size", params={"long_side": _AROUND})
        steps = [*(step for step in head.steps if not operation_of(step).delivered_size), smaller]
        return None if row.sphere is None else around_file(_picture(shared, row, steps, siblings), steps, row.sphere)

    data = await by.asker(request).told(work)
    if data is None:
        raise HTTPException(404, "This photo is no panorama.")
    return Response(data, media_type="image/jpeg", headers={"Cache-Control": "private, no-cache"})


@router.get("/proofs/{token}/{photo}/thumbnail", response_class=FileResponse, responses=a_file("image/jpeg"))
async def original(photo: UUID, by: ByLink, shared: SharedState) -> FileResponse:
    """The photo as it came, small."""
    row, _ = await _photo_of(shared, by.ticket, photo)
    return FileResponse(await asyncio.to_thread(shared.prepared.thumbnail, row.blob), media_type="image/jpeg")


@router.post("/proofs/{token}/{photo}/notes", status_code=201)
async def note(photo: UUID, said: NewNote, by: ByLink, shared: SharedState) -> list[Note]:
    """Pin a note, at shares of the proof's width and height. Whose it is, the link tells."""
    row, siblings = await _photo_of(shared, by.ticket, photo)
    head = await head_of(shared, photo)
    frame = _picture(shared, row, head.steps, siblings).plan.frame
    of_late = int(await shared.database.value("client_notes_of_late", ticket=by.ticket.id) or 0)
    if of_late >= _NOTES_AN_HOUR:
        raise HTTPException(429, f"{of_late} notes came within an hour. Go on a little later, or put more into one.")
    await pin(shared, photo, _on_photo(said, row, frame), by.ticket.client, "client")
    found = await shared.database.rows(Note, "notes_of_photo", photo=photo)
    return [_on_proof(one, row, frame) for one in found if one.side == "client"]


@router.put("/proofs/{token}/{photo}/approval", status_code=204)
async def approve(photo: UUID, asked: Approval, by: ByLink, shared: SharedState) -> None:
    """Approve a photo as it is now, or take that back. A later change asks anew."""
    await _photo_of(shared, by.ticket, photo)
    head = await head_of(shared, photo)
    query = "approve" if asked.approved else "disapprove"
    await shared.database.run(query, photo=photo, revision=head.revision)
    what = "approved by the client" if asked.approved else "approval taken back"
    await shared.database.run("add_event_of_photo", photo=photo, what=what, who=by.ticket.client)


async def _photo_of(shared: Shared, ticket: Ticket, photo: UUID) -> tuple[Photo, list[Photo]]:
    photos = await shared.database.rows(Photo, "photos_of_ticket", ticket=ticket.id)
    row = next((one for one in photos if one.id == photo and one.wanted), None)
    if row is None:
        raise HTTPException(404, "There is no such photo on this ticket.")
    return row, photos


def _picture(shared: Shared, photo: Photo, steps: Sequence[Step], siblings: list[Photo]) -> LedgerPicture:
    other = shared.opening.opener({sibling.blob for sibling in siblings})
    return shared.opening.picture(photo.blob, steps, other)


def _on_photo(said: NewNote, photo: Photo, frame: Frame) -> NewNote:
    """A note with its place as shares of the photo as it came: a later crop does not move it."""
    if said.x is None or said.y is None:
        return said
    x, y = _through(frame.to_source, said.x * frame.size[0], said.y * frame.size[1])
    return NewNote(text=said.text, x=_share(x, photo.width), y=_share(y, photo.height))


def _on_proof(note: Note, photo: Photo, frame: Frame) -> Note:
    """The other way. What lies outside the crop is shown at its edge."""
    if note.x is None or note.y is None or photo.width is None or photo.height is None:
        return note
    back = np.asarray(np.linalg.inv(frame.to_source), np.float64)
    x, y = _through(back, note.x * photo.width, note.y * photo.height)
    return note.model_copy(update={"x": _share(x, frame.size[0]), "y": _share(y, frame.size[1])})


def _through(plane_map: PlaneMap, x: float, y: float) -> tuple[float, float]:
    there = plane_map @ np.array([x, y, 1.0])
    return float(there[0] / there[2]), float(there[1] / there[2])


def _share(value: float, whole: int | None) -> float:
    return min(1.0, max(0.0, value / (whole or 1)))
