"""A photo opened with its newest ledger, for routes that look and change nothing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from fastapi import HTTPException

from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.source.operation import Opener
from fern_ticket.store.records import Photo
from fern_ticket.web.common.changing import head_of, photo_row
from fern_ticket.web.common.state import Shared


@dataclass(frozen=True)
class OpenedPhoto:
    """A photo, its newest steps, and the pictures that these may name."""

    shared: Shared
    row: Photo
    revision: int
    steps: tuple[Step, ...]
    other: Opener

    def picture(self, steps: Sequence[Step], *, background: bool = False) -> LedgerPicture:
        return self.shared.opening.picture(self.row.blob, steps, self.other, background=background)


async def opened_photo(shared: Shared, photo: UUID) -> OpenedPhoto:
    row, head = await photo_row(shared, photo), await head_of(shared, photo)
    return OpenedPhoto(shared, row, head.revision, head.steps, await shared.opening.of_ticket(row.ticket))


def index_of(steps: Sequence[Step], step: str) -> int:
    for index, one in enumerate(steps):
        if one.id == step:
            return index
    raise HTTPException(404, "There is no such step in the photo's ledger.")
