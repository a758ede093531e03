"""A photo that was made for its receiver."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass
from pathlib import Path

from fern_ticket.core.pictures.metadata import read_metadata
from fern_ticket.core.slips.lines import all_hold
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.database import Queries
from fern_ticket.store.prepared import Prepared
from fern_ticket.store.records import HandOver, Photo, Ticket


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


async def delivered_of(database: Queries, blobs: Blobs, prepared: Prepared, ticket: Ticket) -> list[Delivered]:
    """What was made of a ticket, the newest file of each photo."""
    photos = {photo.id: photo for photo in await database.rows(Photo, "photos_of_ticket", ticket=ticket.id)}
    orders = await database.rows(HandOver, "deliveries_of_ticket", ticket=ticket.id)

    def work() -> list[Delivered]:
        made = [(photos[one.photo], one) for one in orders if one.photo in photos]
        return [delivered(blobs, photo, one, prepared.thumbnail(photo.blob)) for photo, one in made]

    return await asyncio.to_thread(work)
