"""A photo that was made for its desk."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from fern_ticket.core.pictures.metadata import read_metadata
from fern_ticket.core.slips.lines import all_hold
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.records import HandOver, Photo


@dataclass(frozen=True)
class Delivered:
    """A photo that was made for its desk, its pictures before and after, and what was done to it."""

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
