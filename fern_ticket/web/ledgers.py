"""Changing a photo's ledger. What this answers is on disk."""

from __future__ import annotations

import asyncio
from uuid import UUID

from fastapi import APIRouter, HTTPException
from psycopg.types.json import Jsonb
from pydantic import BaseModel, Field

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.inspect.proposals import propose
from fern_ticket.core.ledger.changes import Change, MoveStep, PutStep, move, put, remove
from fern_ticket.core.ledger.masks import BitmapMask
from fern_ticket.core.ledger.operation import Station
from fern_ticket.core.ledger.steps import Step, read_steps, steps_json
from fern_ticket.core.operations import before_of, operation_of
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.render.plan import make_plan
from fern_ticket.core.settling import settle
from fern_ticket.core.slips.slip import Slip
from fern_ticket.core.source.operation import Opener, only
from fern_ticket.store.records import Ledger, Note, Photo, Ticket
from fern_ticket.web.leases import free_for
from fern_ticket.web.problems import Stale
from fern_ticket.web.state import Shared, SharedState, SignedIn
from fern_ticket.web.tickets import photo_row
from fern_ticket.web.walkovers import WalkoverView, walkover_of

router = APIRouter(prefix="/api", tags=["ledgers"])


class Changes(BaseModel):
    expected: int = Field(description="The revision that the page has; refused when it is not the newest.")
    summary: str = Field(min_length=1, max_length=120)
    changes: list[Change] = Field(min_length=1, max_length=500)


class Expected(BaseModel):
    expected: int


class StepView(BaseModel):
    """A step with what its stub shows."""

    step: Step
    title: str
    station: str


class LedgerView(BaseModel):
    revision: int
    can_undo: bool
    can_redo: bool
    summary: str
    steps: list[StepView]


class BenchPage(BaseModel):
    """Everything the bench needs to open."""

    photo: Photo
    ticket: Ticket
    slip_name: str
    long_side: int | None
    notes: list[Note]
    walkover: WalkoverView
    siblings: list[Photo]
    ledger: LedgerView


@router.get("/photos/{photo}/bench")
async def bench_page(photo: UUID, shared: SharedState, _: SignedIn) -> BenchPage:
    row = await photo_row(shared, photo)
    ticket = await shared.database.row(Ticket, "ticket_of_photo", photo=photo)
    if ticket is None or row.state != "ready":
        raise HTTPException(409, row.problem or "The photo is still being prepared; it opens in a moment.")
    siblings = await shared.database.rows(Photo, "photos_of_ticket", ticket=ticket.id)
    slip = Slip.model_validate(ticket.slip)
    return BenchPage(
        photo=row,
        ticket=ticket,
        slip_name=slip.name,
        long_side=slip.long_side,
        notes=await shared.database.rows(Note, "notes_of_photo", photo=photo),
        walkover=await walkover_of(shared, row),
        siblings=[s for s in siblings if s.state == "ready"],
        ledger=ledger_view(await head_of(shared, photo)),
    )


@router.get("/photos/{photo}/ledger")
async def ledger(photo: UUID, shared: SharedState, _: SignedIn) -> LedgerView:
    return ledger_view(await head_of(shared, photo))


@router.get("/photos/{photo}/proposals")
async def proposals(photo: UUID, shared: SharedState, _: SignedIn) -> dict[str, dict[str, float]]:
    """Operation to parameters that the program would choose, for whoever wants to take a part of them."""
    row, head = await photo_row(shared, photo), await head_of(shared, photo)
    steps = [step for step in read_steps(head.steps) if _before_light(step)]

    def work() -> dict[str, dict[str, float]]:
        return propose(LedgerPicture(shared.source(row.blob), row.blob, steps, shared.cache, shared.source))

    return await asyncio.to_thread(work)


@router.post("/photos/{photo}/changes")
async def change(photo: UUID, asked: Changes, shared: SharedState, user: SignedIn) -> LedgerView:
    """Put steps in or take them out, as one revision."""
    row, head = await photo_row(shared, photo), await head_of(shared, photo)
    await free_for(shared, photo, user)
    if head.revision != asked.expected:
        raise Stale
    siblings = await shared.database.rows(Photo, "photos_of_ticket", ticket=row.ticket)
    other = only({sibling.blob for sibling in siblings}, shared.source)
    steps = await asyncio.to_thread(_changed, shared, row, read_steps(head.steps), asked.changes, other)
    return ledger_view(await save(shared, row, asked.expected, asked.summary, steps, user.id))


@router.post("/photos/{photo}/undo")
async def undo(photo: UUID, asked: Expected, shared: SharedState, user: SignedIn) -> LedgerView:
    await free_for(shared, photo, user)
    return await _move(shared, photo, "undo", asked.expected)


@router.post("/photos/{photo}/redo")
async def redo(photo: UUID, asked: Expected, shared: SharedState, user: SignedIn) -> LedgerView:
    await free_for(shared, photo, user)
    return await _move(shared, photo, "redo", asked.expected)


async def head_of(shared: Shared, photo: UUID) -> Ledger:
    found = await shared.database.row(Ledger, "ledger_at_head", photo=photo)
    if found is None:
        raise HTTPException(404, "There is no such photo, or it is still being prepared.")
    return found


def _before_light(step: Step) -> bool:
    """What proposals are measured on: the repaired picture, but for fringes, for which one is proposed too."""
    return operation_of(step).station in (Station.SOURCE, Station.CLEAN) and step.op != "fringes"


def ledger_view(ledger: Ledger) -> LedgerView:
    views = []
    for step in read_steps(ledger.steps):
        operation = operation_of(step)
        views.append(StepView(step=step, title=operation.title, station=operation.station.value))
    return LedgerView(
        revision=ledger.revision,
        can_undo=ledger.can_undo,
        can_redo=ledger.can_redo,
        summary=ledger.summary,
        steps=views,
    )


def _changed(shared: Shared, photo: Photo, steps: list[Step], changes: list[Change], other: Opener) -> list[Step]:
    source = shared.source(photo.blob)
    for one in changes:
        if isinstance(one, PutStep):
            if isinstance(one.step.mask, BitmapMask):
                raise LedgerError("Bitmap masks cannot come from the page.", "Paint the place with strokes.")
            steps, place = put(steps, one.step, one.before or before_of(steps, one.step))
            steps[place] = settle(source, photo.blob, steps[:place], one.step, shared.cache, other)
        elif isinstance(one, MoveStep):
            steps = move(steps, one.id, one.before)
        else:
            steps = remove(steps, one.id)
    make_plan(steps, source.size)
    return steps


async def save(shared: Shared, photo: Photo, expected: int, summary: str, steps: list[Step], user: UUID) -> Ledger:
    """Write a revision after the one that was expected to be newest.

    Raises
    ------
    Stale
        Somebody else was quicker.
    """
    saved = await shared.database.value(
        "add_revision", photo=photo.id, expected=expected, summary=summary, steps=Jsonb(steps_json(steps)), user=user
    )
    if saved is None:
        raise Stale
    return await head_of(shared, photo.id)


async def _move(shared: Shared, photo: UUID, query: str, expected: int) -> LedgerView:
    moved = await shared.database.value(query, photo=photo, expected=expected)
    head = await head_of(shared, photo)
    if moved is None and head.revision != expected:
        raise Stale
    return ledger_view(head)
