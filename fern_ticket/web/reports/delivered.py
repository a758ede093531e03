"""A photo that was made for its receiver."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from fern_ticket.core.pictures.metadata import read_metadata
from fern_ticket.core.slips.lines import all_hold
from fern_ticket.core.threads import goes_on
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.records import HandOver, Photo, Ticket
from fern_ticket.web.common.state import Shared
from fern_ticket.web.common.waiting import Asker


@dataclass(frozen=True)
class Delivered:
    """A photo that was made for its receiver, its pictures before and after, and what was done to it."""

    photo: Photo
    order: HandOver
    before: Path
    after: Path | None
    alterations: tuple[str, ...]

    @property
    def holds(self) -> bool:
        return all_hold(self.order.verdicts)


def delivered(blobs: Blobs, photo: Photo, order: HandOver, thumbnail: Path) -> Delivered:
    preview = next((one for one in order.renditions if one.name == "preview"), None)
    said = read_metadata(blobs.read(order.blob)) if order.blob else read_metadata(b"")
    return Delivered(photo, order, thumbnail, blobs.path(preview.blob) if preview else None, said.alterations)


async def delivered_of(shared: Shared, ticket: Ticket, asking: Asker) -> list[Delivered]:
    """What was made of a ticket, the newest file of each photo."""
    blobs, prepared = shared.blobs, shared.prepared
    photos = {photo.id: photo for photo in await shared.database.rows(Photo, "photos_of_ticket", ticket=ticket.id)}
    orders = await shared.database.rows(HandOver, "deliveries_of_ticket", ticket=ticket.id)

    def work() -> list[Delivered]:
        made = [(photos[one.photo], one) for one in orders if one.photo in photos]
        found = []
        for photo, one in made:
            goes_on()
            found.append(delivered(blobs, photo, one, prepared.thumbnail(photo.blob)))
        return found

    return await asking.told(work)
