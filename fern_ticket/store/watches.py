"""Watched folders as they are kept."""

from __future__ import annotations

from datetime import datetime
from typing import Literal
from uuid import UUID

from pydantic import BaseModel

from fern_ticket.store.ways import ToFolder


class WatchRow(BaseModel):
    """A watched folder, whose it is, and what was found there."""

    id: UUID
    client: UUID | None
    ticket: UUID | None
    settings: ToFolder
    has_secret: bool
    looked_at: datetime | None
    trouble: str
    whose: str
    taken: int
    refused: list[str]


class KeptWatch(BaseModel):
    """A watched folder with its secret, still locked."""

    id: UUID
    client: UUID | None
    ticket: UUID | None
    settings: ToFolder
    secret: bytes | None


class WatchedFile(BaseModel):
    """A file that was seen: its mark tells it from a later one under the same path."""

    path: str
    mark: str
    state: Literal["growing", "taken", "refused"]
