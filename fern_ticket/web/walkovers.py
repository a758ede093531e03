"""The walkover's account: which parts of a photo were looked at at 100 %."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from fastapi import APIRouter
from pydantic import BaseModel, Field

from fern_ticket.core.errors import FernError
from fern_ticket.store.records import Photo
from fern_ticket.web.changing import photo_row
from fern_ticket.web.state import Shared, SharedState, SignedIn

router = APIRouter(prefix="/api/photos/{photo}/walkover")

#: Cells along the long side: smaller than a window at 100 %, so that none is claimed that was not shown.
_CELLS = 48


class WalkoverView(BaseModel):
    """A grid of cells over the source, counted row by row, and those that were looked at."""

    columns: int
    rows: int
    cells: list[int]


class LookedAt(BaseModel):
    cells: list[Annotated[int, Field(ge=0, lt=_CELLS * _CELLS)]] = Field(max_length=_CELLS * _CELLS)


async def walkover_of(shared: Shared, photo: Photo) -> WalkoverView:
    columns, rows = _grid(photo)
    cells = await shared.database.value("cells_looked_at", photo=photo.id)
    return WalkoverView(columns=columns, rows=rows, cells=cells)


@router.post("", status_code=204)
async def look_at(photo: UUID, asked: LookedAt, shared: SharedState, _: SignedIn) -> None:
    columns, rows = _grid(await photo_row(shared, photo))
    if any(cell >= columns * rows for cell in asked.cells):
        raise FernError(f"The photo has {columns * rows} cells, counted from 0.", "Reload the bench.")
    await shared.database.run("look_at_cells", photo=photo, cells=asked.cells)


@router.delete("", status_code=204)
async def forget(photo: UUID, shared: SharedState, _: SignedIn) -> None:
    await photo_row(shared, photo)
    await shared.database.run("forget_walkover", photo=photo)


def _grid(photo: Photo) -> tuple[int, int]:
    width, height = photo.width or 1, photo.height or 1
    unit = max(width, height) / _CELLS
    return max(1, round(width / unit)), max(1, round(height / unit))
