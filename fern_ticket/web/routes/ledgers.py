"""Changing a photo's ledger. What this answers is on disk."""

from __future__ import annotations

import asyncio
from dataclasses import astuple
from uuid import UUID

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, Field

from fern_ticket.core.inspect.proposals import propose
from fern_ticket.core.ledger.changes import Change, MoveStep, PutStep, move, put, remove
from fern_ticket.core.ledger.charts import SphereSpec
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import before_of, operation_of, station_of
from fern_ticket.core.render.plan import make_plan
from fern_ticket.core.settling import settle
from fern_ticket.core.slips.slip import Slip
from fern_ticket.store.records import Note, Photo, Ticket
from fern_ticket.web.common.accounts import WalkoverView, walkover_of
from fern_ticket.web.common.changing import InHand, PhotoInHand, head_of, photo_row
from fern_ticket.web.common.problems import Stale
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.views import LedgerChange, LedgerView, as_json, ledger_change, ledger_view, refuse_files
from fern_ticket.web.common.waiting import Asking
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["ledgers"])


class Changes(BaseModel):
    expected: int = Field(description="The revision that the page has; refused when it is not the newest.")
    summary: str = Field(min_length=1, max_length=120)
    changes: list[Change] = Field(min_length=1, max_length=500)


class Expected(BaseModel):
    expected: int


class BenchPage(BaseModel):
    """Everything the bench needs to open; `sphere`: what of a whole panorama the photo shows, as in a view."""

    photo: Photo
    sphere: SphereSpec | None
    ticket: Ticket
    slip_name: str
    long_side: int | None
    notes: list[Note]
    walkover: WalkoverView
    siblings: list[Photo]
    ledger: LedgerView


@router.get("/photos/{photo}/bench", response_model=BenchPage)
async def bench_page(photo: UUID, shared: SharedState, _: SignedIn) -> Response:
    row = await photo_row(shared, photo)
    ticket = await shared.database.row(Ticket, "ticket_of_photo", photo=photo)
    if ticket is None or row.state != "ready":
        raise HTTPException(409, row.problem or "The photo is still being prepared; it opens in a moment.")
    siblings = await shared.database.rows(Photo, "photos_of_ticket", ticket=ticket.id)
    slip = Slip.model_validate(ticket.slip)
    page = BenchPage(
        photo=row,
        sphere=None if row.sphere is None else astuple(row.sphere),
        ticket=ticket,
        slip_name=slip.name,
        long_side=slip.long_side,
        notes=await shared.database.rows(Note, "notes_of_photo", photo=photo),
        walkover=await walkover_of(shared, row),
        siblings=[s for s in siblings if s.state == "ready"],
        ledger=ledger_view(await head_of(shared, photo)),
    )
    return as_json(page)


@router.get("/photos/{photo}/ledger", response_model=LedgerView)
async def ledger(photo: UUID, shared: SharedState, _: SignedIn) -> Response:
    return as_json(ledger_view(await head_of(shared, photo)))


@router.get("/photos/{photo}/proposals")
async def proposals(photo: UUID, shared: SharedState, asking: Asking) -> dict[str, dict[str, float]]:
    """Operation to parameters that the program would choose, for whoever wants to take a part of them."""
    row, head = await photo_row(shared, photo), await head_of(shared, photo)
    # measured on the picture before light, and before what is itself proposed
    steps = [step for step in head.steps if station_of(step).before_light and not operation_of(step).proposed]
    other = await shared.opening.of_ticket(row.ticket)
    picture = shared.opening.picture(row.blob, steps, other)
    return await asking.told(lambda: picture.kept("proposals", lambda: propose(picture)))


@router.post("/photos/{photo}/changes")
async def change(asked: Changes, photo: InHand) -> LedgerChange:
    """Put steps in or take them out, as one revision. Answered is what that changes of the ledger."""
    if photo.head.revision != asked.expected:
        raise Stale
    steps = await asyncio.to_thread(_changed, photo, asked.changes)
    saved = await photo.save(asked.summary, steps, asked.expected)
    return ledger_change(photo.head, saved)


@router.post("/photos/{photo}/undo")
async def undo(photo: InHand, asked: Expected) -> LedgerChange:
    return await _move(photo, "undo", asked.expected)


@router.post("/photos/{photo}/redo")
async def redo(photo: InHand, asked: Expected) -> LedgerChange:
    return await _move(photo, "redo", asked.expected)


def _changed(photo: PhotoInHand, changes: list[Change]) -> list[Step]:
    shared, blob, source = photo.shared, photo.row.blob, photo.source
    steps = list(photo.head.steps)
    for one in changes:
        if isinstance(one, PutStep):
            refuse_files(one.step)
            steps, place = put(steps, one.step, one.before or before_of(steps, one.step))
            steps[place] = settle(source, blob, steps[:place], one.step, shared.cache, photo.other)
        elif isinstance(one, MoveStep):
            steps = move(steps, one.id, one.before)
        else:
            steps = remove(steps, one.id)
    make_plan(steps, source.size)
    return steps


async def _move(photo: PhotoInHand, query: str, expected: int) -> LedgerChange:
    if photo.head.revision != expected:
        raise Stale
    async with photo.transaction() as within:
        await within.value(query, photo=photo.row.id, expected=expected)
    moved = await head_of(photo.shared, photo.row.id)
    await photo.frames_follow(photo.shared.database, moved.steps)
    return ledger_change(photo.head, moved)
