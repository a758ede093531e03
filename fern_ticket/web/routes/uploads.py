"""Bringing a file in parts to a ticket."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, Query, Request

from fern_ticket.web.common.asked import ticket_row
from fern_ticket.web.common.coming import NewUpload, Upload, begin_upload, take_part
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["tickets"])


@router.post("/tickets/{number}/uploads")
async def begin(number: str, asked: NewUpload, shared: SharedState, user: SignedIn) -> Upload:
    """Begin to bring a file, or go on with one that was interrupted."""
    return await begin_upload(shared, await ticket_row(shared, number), asked, str(user.id))


@router.put("/tickets/{number}/uploads/{upload}")
async def part(
    number: str,
    upload: str,
    offset: Annotated[int, Query(ge=0)],
    name: Annotated[str, Query(min_length=1, max_length=400)],
    request: Request,
    shared: SharedState,
    user: SignedIn,
    pieces_of: UUID | None = None,
) -> Upload:
    """Add the next part. One that does not begin where the file ends is not taken; the answer says where that is.

    A file for the pieces of a photo is kept with that, and is no photo of its own.
    """
    ticket = await ticket_row(shared, number)
    return await take_part(shared, ticket, upload, offset, name, request, user.name, pieces_of)
