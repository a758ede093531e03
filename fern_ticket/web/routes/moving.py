"""Moving house: a ticket out as one open archive, and in again."""

from __future__ import annotations

import asyncio
import os
import tempfile
from pathlib import Path
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel
from starlette.background import BackgroundTask

from fern_ticket.jobs.deferring import defer_prepare
from fern_ticket.jobs.ordering import Orders
from fern_ticket.store.moving.archives import archived, bring_ticket, read_archive, store_files, write_archive
from fern_ticket.store.moving.form import archive_schema
from fern_ticket.store.studio import studio_of
from fern_ticket.web.common.asked import ticket_row
from fern_ticket.web.common.files import a_file
from fern_ticket.web.common.happening import Leads
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.waiting import Asking
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["moving"])


class Moved(BaseModel):
    """The number under which an archived ticket stands here; another where its own was given here before."""

    number: str
    photos: int


@router.get("/archives/schema.json")
async def schema(_: SignedIn) -> dict[str, Any]:
    """The JSON schema of an archive's `ticket.json`."""
    return archive_schema()


@router.get("/tickets/{number}/archive.zip", response_class=FileResponse, responses=a_file("application/zip"))
async def out(number: str, shared: SharedState, lead: Leads, asking: Asking) -> FileResponse:
    """A ticket whole: originals, ledgers, slip, words, notes, hand-overs, and the SHA-256 of each file."""
    ticket = await ticket_row(shared, number)
    told = await archived(shared.database, ticket.id)
    path = await asking.told(lambda: write_archive(told, shared.blobs, shared.settings.data / "parcels"))
    await lead.did(shared.database, "taken out as an archive", ticket=ticket.id)
    name = f"{ticket.number}.fern.zip"
    return FileResponse(path, filename=name, background=BackgroundTask(path.unlink, missing_ok=True))


@router.post("/archives", status_code=201)
async def bring(request: Request, shared: SharedState, lead: Leads, asking: Asking) -> Moved:
    """Bring a ticket from an archive (its bytes as the body). Checked whole before anything is written."""
    path = await _received(request, shared.settings.data / "parcels")
    try:
        told = await asking.told(lambda: read_archive(path))
        await asking.told(lambda: store_files(path, told, shared.blobs))
    finally:
        path.unlink(missing_ok=True)
    async with shared.database.transaction() as within:
        number = told.number
        if await within.value("number_is_used", number=number):
            number = await (await Orders.begun(within, lead, await studio_of(within))).next_number()
        photos = await bring_ticket(within, told, number)
        await lead.did(within, f"{told.number} brought from an archive as {number}", about=number)
    for photo in photos:
        await defer_prepare(shared.queue, str(photo))
    return Moved(number=number, photos=len(photos))


async def _received(request: Request, folder: Path) -> Path:
    """The body in a file."""
    await asyncio.to_thread(folder.mkdir, parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=folder, suffix=".coming")
    try:
        with os.fdopen(handle, "wb") as file:
            async for chunk in request.stream():
                await asyncio.to_thread(file.write, chunk)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise
    return Path(name)
