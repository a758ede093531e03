"""A photo on somebody's bench is leased to them: others see by whom and since when, may look, and not change.

A page renews its lease while it is open; it ends with the page, or after two minutes of silence.
"""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from fern_ticket.store.records import Id, Lease, Photo
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["leases"])

_SECONDS = 120


class Page(BaseModel):
    page: UUID
    busy: float = Field(
        default=0, ge=0, le=3600, allow_inf_nan=False, description="Seconds of work since the lease was renewed."
    )


class LeaseView(BaseModel):
    """Whose bench the photo is on."""

    mine: bool
    lease: Lease | None


@router.put("/photos/{photo}/lease")
async def take(photo: UUID, asked: Page, shared: SharedState, user: SignedIn) -> LeaseView:
    """Take or renew the lease, unless somebody else has it."""
    if await shared.database.row(Photo, "photo_by_id", photo=photo) is None:
        raise HTTPException(404, "There is no such photo.")
    if asked.busy:
        await shared.database.run("add_hours", photo=photo, page=asked.page, user=user.id, busy=asked.busy)
    taken = await shared.database.row(Id, "take_lease", photo=photo, page=asked.page, user=user.id, seconds=_SECONDS)
    return LeaseView(mine=taken is not None, lease=await shared.database.row(Lease, "lease_of", photo=photo))


@router.post("/photos/{photo}/lease/end", status_code=204)
async def end(photo: UUID, asked: Page, shared: SharedState, user: SignedIn) -> None:
    """Give it back, as the page closes."""
    if asked.busy:
        await shared.database.run("add_hours", photo=photo, page=asked.page, user=user.id, busy=asked.busy)
    await shared.database.run("end_lease", photo=photo, page=asked.page, user=user.id)
