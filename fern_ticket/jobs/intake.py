"""Putting files on tickets: those that people bring, and those that devices leave in folders."""

from __future__ import annotations

import asyncio
import logging
import time
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from uuid import UUID

from procrastinate import App as Queue

from fern_ticket.core.errors import FernError, PictureError
from fern_ticket.core.orders.order import Request
from fern_ticket.core.pictures.decode import read_header
from fern_ticket.core.render.lending import mark_of
from fern_ticket.jobs.context import JobContext
from fern_ticket.jobs.deferring import defer_prepare, defer_take_back
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.database import Database
from fern_ticket.store.records import AddedPhoto, Ticket

log = logging.getLogger("fern.jobs")

#: A file that did not change for so many seconds has arrived whole.
_STILL = 1.5


@dataclass(frozen=True)
class Doors:
    """What a file passes on its way to a ticket."""

    database: Database
    blobs: Blobs
    queue: Queue


async def bring_bytes(doors: Doors, ticket: Ticket, name: str, data: bytes, who: str) -> AddedPhoto:
    """Put a file on a ticket. It is stored when this returns.

    Raises
    ------
    FernError
        Why it is refused.
    """
    if not data:
        raise PictureError("The file is empty.", "Copy it again from the camera or card.")
    header = await asyncio.to_thread(read_header, data)
    blob = await asyncio.to_thread(doors.blobs.add, data)
    mark = mark_of(header.xmp)
    if mark is not None:
        back = await doors.database.row(AddedPhoto, "photo_of_ticket", photo=UUID(mark.photo), ticket=ticket.id)
        if back is not None:
            await defer_take_back(doors.queue, mark.photo, blob, mark.revision)
            return back
    title = name.rsplit(".", 1)[0] or name
    note = request_for(ticket.requests, name)
    added = await doors.database.row(AddedPhoto, "add_photo", ticket=ticket.id, title=title, note=note, blob=blob)
    if added is None:
        raise PictureError("The file arrived twice at the same moment.", "Bring it again.")
    if added.new:
        await defer_prepare(doors.queue, str(added.id))
        await doors.database.run("add_event_of_photo", photo=added.id, what="brought", who=who)
    return added


async def keep_for_pieces(doors: Doors, ticket: Ticket, photo: UUID, data: bytes) -> str:
    """Keep a file with a photo of a ticket, for pieces on it: it is no photo of its own. Its name among the blobs.

    Raises
    ------
    FernError
        Why it is refused.
    """
    await asyncio.to_thread(read_header, data)
    if await doors.database.row(AddedPhoto, "photo_of_ticket", photo=photo, ticket=ticket.id) is None:
        raise PictureError("That photo is not on this ticket.", "Open it again from the ticket.")
    blob = await asyncio.to_thread(doors.blobs.add, data)
    await doors.database.run("keep_with_photo", photo=photo, blobs=[blob])
    return blob


def request_for(requests: Sequence[Request], name: str) -> str:
    """What the order wants of a photo, by the name of its file with or without the ending; empty for nothing."""
    names = {name.lower(), name.rsplit(".", 1)[0].lower()}
    return "\n".join(one.request for one in requests if one.photo.strip().lower() in names)


def too_large(limit: int) -> PictureError:
    """What is said of a file with more than `limit` bytes."""
    return PictureError(f"The file is larger than {limit // 2**20} MB.", "Bring a smaller version.")


def shown_name(name: str) -> str:
    """A file's name as text to show: its last part, without control characters. It is never used as a path."""
    last = name.replace("\\", "/").rsplit("/", 1)[-1]
    clean = "".join(c for c in last if unicodedata.category(c)[0] != "C").strip()
    return clean[:120] or "unnamed"


async def fetch_arrivals(context: JobContext, queue: Queue) -> None:
    """Bring what devices left in `arrivals/TICKET/`. Taken files move to `taken`, others to `refused`, beside it."""
    for folder in sorted(context.settings.arrivals.glob("*/")):
        files = await asyncio.to_thread(_whole, folder)
        if not files:
            continue
        ticket = await context.database.row(Ticket, "ticket_by_number", number=folder.name)
        if ticket is None:
            log.warning("files arrived in a folder that is named after no ticket")
            continue
        doors = Doors(database=context.database, blobs=context.blobs, queue=queue)
        for path in files:
            name = shown_name(path.name)
            try:
                if path.stat().st_size > context.settings.upload_limit:
                    raise too_large(context.settings.upload_limit)
                await bring_bytes(doors, ticket, name, await asyncio.to_thread(path.read_bytes), "device")
                await asyncio.to_thread(_move, path, "taken")
            except FernError as error:
                what = f"{name} refused: {error}"
                await context.database.run("add_event", ticket=ticket.id, photo=None, what=what, who="device")
                await asyncio.to_thread(_move, path, "refused")


def _whole(folder: Path) -> list[Path]:
    now = time.time()
    return [
        path
        for path in sorted(folder.iterdir())
        if path.is_file() and path.suffix != ".part" and path.name[0] != "." and now - path.stat().st_mtime > _STILL
    ]


def _move(path: Path, where: str) -> None:
    (path.parent / where).mkdir(exist_ok=True)
    path.replace(path.parent / where / path.name)
