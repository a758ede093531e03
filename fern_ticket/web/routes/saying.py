"""What people say of a photo: words that go with the delivery, notes pinned at places, ticks for lines by eye."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, HTTPException
from psycopg.types.json import Jsonb
from pydantic import BaseModel, Field

from fern_ticket.core.slips.slip import Slip
from fern_ticket.store.records import Facts, Id, Note, Ticket
from fern_ticket.web.common.changing import InHand, photo_row
from fern_ticket.web.common.pinning import NewNote, pin
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["saying"])


class Said(BaseModel):
    title: str = Field(min_length=1, max_length=120)
    facts: Facts


class Done(BaseModel):
    done: bool


class Tick(BaseModel):
    words: str = Field(max_length=120)
    ticked: bool
    expected: int = Field(description="The revision that the person looked at.")


@router.put("/photos/{photo}/facts", status_code=204)
async def say(said: Said, photo: InHand) -> None:
    """Title, caption, keywords, creator, credit and copyright, as they are delivered."""
    async with photo.transaction() as within:
        # what a photo shows of a sphere is no words: it stays as its file said
        facts = Jsonb(said.facts.model_copy(update={"sphere": photo.row.facts.sphere}).model_dump(mode="json"))
        await within.run("set_facts", photo=photo.row.id, title=said.title, facts=facts)
        # what was checked was checked with other words
        await within.run("forget_check", photo=photo.row.id, revision=photo.head.revision)


@router.get("/photos/{photo}/notes")
async def notes(photo: UUID, shared: SharedState, _: SignedIn) -> list[Note]:
    return await shared.database.rows(Note, "notes_of_photo", photo=photo)


@router.post("/photos/{photo}/notes", status_code=201)
async def add_note(photo: UUID, note: NewNote, shared: SharedState, user: SignedIn) -> list[Note]:
    await photo_row(shared, photo)
    await pin(shared, photo, note, user.name, "editor")
    return await notes(photo, shared, user)


@router.put("/photos/{photo}/notes/{note}/done")
async def note_done(photo: UUID, note: UUID, asked: Done, shared: SharedState, user: SignedIn) -> list[Note]:
    found = await shared.database.row(Id, "note_done", photo=photo, note=note, done=asked.done)
    if found is None:
        raise HTTPException(404, "There is no such note.")
    return await notes(photo, shared, user)


@router.delete("/photos/{photo}/notes/{note}")
async def remove_note(photo: UUID, note: UUID, shared: SharedState, user: SignedIn) -> list[Note]:
    """Take off a note of an editor. What a client or a desk wrote stays."""
    if await shared.database.row(Id, "remove_note", photo=photo, note=note) is None:
        raise HTTPException(409, "Only an editor's note can be taken off; others are ticked when done.")
    return await notes(photo, shared, user)


@router.put("/photos/{photo}/ticks", status_code=204)
async def tick(asked: Tick, photo: InHand) -> None:
    """Tick a line by eye, of the revision that was looked at; a later change asks for another look."""
    ticket = await photo.shared.database.row(Ticket, "ticket_of_photo", photo=photo.row.id)
    assert ticket is not None
    lines = Slip.model_validate(ticket.slip).lines
    if not any(line.ticked_by_eye and line.called == asked.words for line in lines):
        raise HTTPException(404, "The slip has no such line.")
    if photo.head.revision != asked.expected:
        raise HTTPException(409, "The photo was changed in the meantime. Look again, then tick.")
    of_revision = {"photo": photo.row.id, "revision": photo.head.revision}
    async with photo.transaction() as within:
        if asked.ticked:
            await within.run("tick", **of_revision, words=asked.words, user=photo.user.id)
        else:
            await within.run("untick", **of_revision, words=asked.words)
        await within.run("said_something", photo=photo.row.id)
        await within.run("forget_check", **of_revision)
