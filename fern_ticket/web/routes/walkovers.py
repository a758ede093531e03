"""The walkover's account: which parts of a photo were looked at at 100 %."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fern_ticket.core.errors import FernError
from fern_ticket.web.common.accounts import CELLS, grid_of
from fern_ticket.web.common.changing import photo_row
from fern_ticket.web.common.leasing import lease_of_another, refuse_if_held
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api/photos/{photo}/walkover")


class LookedAt(BaseModel):
    cells: list[Annotated[int, Field(ge=0, lt=CELLS * CELLS)]] = Field(max_length=CELLS * CELLS)


@router.post("", status_code=204)
async def look_at(photo: UUID, asked: LookedAt, shared: SharedState, user: SignedIn) -> None:
    """Add to the account; what somebody sees who only looks, while it is on another's bench, does not count."""
    columns, rows = grid_of(await photo_row(shared, photo))
    if any(cell >= columns * rows for cell in asked.cells):
        raise FernError(f"The photo has {columns * rows} cells, counted from 0.", "Reload the bench.")
    if await lease_of_another(shared.database, photo, user) is None:
        await shared.database.run("look_at_cells", photo=photo, cells=asked.cells)


@router.delete("", status_code=204)
async def forget(photo: UUID, shared: SharedState, user: SignedIn) -> None:
    """Begin anew."""
    await photo_row(shared, photo)
    await refuse_if_held(shared.database, photo, user)
    await shared.database.run("forget_walkover", photo=photo)
