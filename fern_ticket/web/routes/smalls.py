"""Photos shown small, to tell them by: as they came, and as they stand."""

from __future__ import annotations

import asyncio
import contextlib
from uuid import UUID

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, Response

from fern_ticket.core.errors import FernError
from fern_ticket.store.prepared import THUMBNAIL, Prepared, small_file
from fern_ticket.store.records import Photo
from fern_ticket.web.common.changing import photo_row
from fern_ticket.web.common.files import a_file
from fern_ticket.web.common.looking import opened_photo
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.waiting import Asking, Left
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["tickets"])

#: Of a picture that stays what its address says, and of one that another takes the place of without a change.
_KEPT = {"Cache-Control": "private, max-age=86400"}
_AS_LONG_AS_IT_HOLDS = {"Cache-Control": "private, no-cache"}


@router.get("/photos/{photo}/thumbnail", response_class=FileResponse, responses=a_file("image/jpeg"))
async def thumbnail(photo: UUID, shared: SharedState, _: SignedIn) -> FileResponse:
    """A photo as it came, small."""
    row = await _ready_row(shared, photo)
    return await _as_it_came(shared.prepared, row.blob, _KEPT)


@router.get("/photos/{photo}/small", response_class=FileResponse, responses=a_file("image/jpeg"))
async def small(photo: UUID, shared: SharedState, asking: Asking) -> Response:
    """A photo as its ledger makes it now, small; as it came where that cannot be made, or its pyramid has gone."""
    row = await _ready_row(shared, photo)
    prepared, blob = shared.prepared, row.blob
    if row.head is None or not row.steps:
        return await _as_it_came(prepared, blob, _KEPT)
    kept = prepared.small(blob, photo, row.head)
    if kept is not None:
        return FileResponse(kept, headers=_KEPT)
    if not prepared.has_pyramid(blob):
        return await _as_it_came(prepared, blob, _AS_LONG_AS_IT_HOLDS)
    opened = await opened_photo(shared, photo)

    def made() -> Response:
        picture = opened.picture(opened.steps, background=True)
        data = small_file(picture.reduced(THUMBNAIL)[0])
        if not picture.pending:  # slow repairs are made on the bench, not for a small picture
            with contextlib.suppress(OSError):  # a full disk keeps it from being kept
                return FileResponse(prepared.keep_small(blob, photo, opened.revision, data), headers=_KEPT)
        return Response(data, media_type="image/jpeg", headers=_AS_LONG_AS_IT_HOLDS)

    try:
        return await asking.told(made)
    except Left:
        raise
    except FernError:
        return await _as_it_came(prepared, blob, _AS_LONG_AS_IT_HOLDS)


async def _as_it_came(prepared: Prepared, blob: str, headers: dict[str, str]) -> FileResponse:
    return FileResponse(await asyncio.to_thread(prepared.thumbnail, blob), headers=headers)


async def _ready_row(shared: Shared, photo: UUID) -> Photo:
    row = await photo_row(shared, photo)
    if row.state != "ready":
        raise HTTPException(404, "The photo is not ready yet.")
    return row
