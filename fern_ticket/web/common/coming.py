"""Files that come in parts, so that a dropped connection costs one part and not the whole.

What has arrived is a file that grows; its length is the only account of how far it is. The last part makes it a photo
by the same checks as a file that comes in one piece.
"""

from __future__ import annotations

import asyncio
import hashlib
import os
from pathlib import Path
from uuid import UUID

from fastapi import HTTPException, Request
from pydantic import BaseModel, Field

from fern_ticket.core.errors import FernError
from fern_ticket.jobs.intake import shown_name, too_large
from fern_ticket.store.records import Ticket
from fern_ticket.store.stale import throw_away_stale
from fern_ticket.web.common.bringing import Brought, bring_bytes, bring_for_pieces
from fern_ticket.web.common.state import Shared

#: Parts are at most this large.
PART = 8 << 20
#: An upload that nobody went on with for so long is thrown away.
_STALE = 2 * 86400


class NewUpload(BaseModel):
    name: str = Field(min_length=1, max_length=400)
    size: int = Field(gt=0)
    fingerprint: str = Field(
        min_length=1, max_length=200, description="The same for the same file: its date and size, or its hash."
    )


class Upload(BaseModel):
    """How far a file has come; what became of it once it is whole."""

    id: str
    have: int
    size: int
    brought: Brought | None = None


async def begin_upload(shared: Shared, ticket: Ticket, asked: NewUpload, whose: str) -> Upload:
    """Begin to bring a file, or go on with one of the same person or link that was interrupted."""
    if asked.size > shared.settings.upload_limit:
        raise HTTPException(413, str(too_large(shared.settings.upload_limit)))
    own = f"{whose} {ticket.number} {shown_name(asked.name)} {asked.size} {asked.fingerprint}"
    upload = f"{asked.size}-{hashlib.sha256(own.encode(errors='replace')).hexdigest()[:40]}"
    path = _path(shared, upload)
    await asyncio.to_thread(throw_away_stale, path.parent, _STALE)
    await asyncio.to_thread(path.touch)
    return Upload(id=upload, have=min(path.stat().st_size, asked.size), size=asked.size)


async def take_part(
    shared: Shared,
    ticket: Ticket,
    upload: str,
    offset: int,
    name: str,
    request: Request,
    who: str,
    pieces_of: UUID | None = None,
) -> Upload:
    """Add the next part. One that does not begin where the file ends is not taken; the answer says where that is.

    Of a file that is brought for pieces of a photo, no photo is made.
    """
    path = _path(shared, upload)
    size = size_of(upload)
    if not path.exists():
        raise HTTPException(404, "This upload is not known here any more. Begin again.")
    have = path.stat().st_size
    if offset == have and have < size:
        data = await _body(request)
        have = await asyncio.to_thread(_append, path, offset, data[: size - have])
    if have < size:
        return Upload(id=upload, have=have, size=size)
    brought = await _whole(shared, ticket, path, name, who, pieces_of)
    return Upload(id=upload, have=size, size=size, brought=brought)


def size_of(upload: str) -> int:
    """The bytes that an upload will have; 0 for something that is no upload's name."""
    size = upload.partition("-")[0]
    return int(size) if size.isdigit() and len(size) < 16 else 0


async def _whole(shared: Shared, ticket: Ticket, path: Path, name: str, who: str, pieces_of: UUID | None) -> Brought:
    name = shown_name(name)
    try:
        data = await asyncio.to_thread(path.read_bytes)
        if pieces_of is not None:
            brought = await bring_for_pieces(shared, ticket, pieces_of, name, data)
        else:
            brought = await bring_bytes(shared, ticket, name, data, who)
    except FernError as error:
        brought = Brought(name=name, problem=str(error))
    await asyncio.to_thread(path.unlink, True)
    return brought


def _path(shared: Shared, upload: str) -> Path:
    size, dash, name = upload.partition("-")
    if not (size.isdigit() and dash and len(size) < 16 and len(name) == 40 and set(name) <= set("0123456789abcdef")):
        raise HTTPException(404, "There is no such upload.")
    if int(size) > shared.settings.upload_limit:
        raise HTTPException(413, str(too_large(shared.settings.upload_limit)))
    folder = shared.settings.data / "uploads"
    folder.mkdir(parents=True, exist_ok=True)
    return folder / upload


async def _body(request: Request) -> bytes:
    out = bytearray()
    async for chunk in request.stream():
        out += chunk
        if len(out) > PART:
            raise HTTPException(413, f"A part has at most {PART >> 20} MB.")
    return bytes(out)


def _append(path: Path, offset: int, data: bytes) -> int:
    """On disk when this returns; the length afterwards."""
    handle = os.open(path, os.O_WRONLY)
    try:
        if os.fstat(handle).st_size == offset:  # another request may have been quicker
            os.pwrite(handle, data, offset)
            os.fsync(handle)
        return os.fstat(handle).st_size
    finally:
        os.close(handle)
