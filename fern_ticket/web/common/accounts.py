"""The walkover's account: which parts of a photo were looked at at 100 %, in cells."""

from __future__ import annotations

from pydantic import BaseModel

from fern_ticket.store.records import Photo
from fern_ticket.web.common.state import Shared

#: Cells along the long side: smaller than a window at 100 %, so that none is claimed that was not shown.
CELLS = 48


class WalkoverView(BaseModel):
    """A grid of cells over the source, counted row by row, and those that were looked at."""

    columns: int
    rows: int
    cells: list[int]


async def walkover_of(shared: Shared, photo: Photo) -> WalkoverView:
    columns, rows = grid_of(photo)
    cells = await shared.database.value("cells_looked_at", photo=photo.id)
    return WalkoverView(columns=columns, rows=rows, cells=cells)


def grid_of(photo: Photo) -> tuple[int, int]:
    """Columns and rows of the photo's cells."""
    width, height = photo.width or 1, photo.height or 1
    unit = max(width, height) / CELLS
    return max(1, round(width / unit)), max(1, round(height / unit))
