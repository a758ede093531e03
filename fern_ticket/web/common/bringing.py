"""Files put on a ticket."""

from __future__ import annotations

from uuid import UUID

from pydantic import BaseModel

from fern_ticket.jobs import intake
from fern_ticket.jobs.intake import Doors
from fern_ticket.store.records import Ticket
from fern_ticket.web.common.state import Shared


class Brought(BaseModel):
    """What became of one file that was brought; `picture` is the name by which pieces know one that is no photo."""

    name: str
    picture: str | None = None
    photo: UUID | None = None
    already_there: bool = False
    problem: str | None = None


async def bring_for_pieces(shared: Shared, ticket: Ticket, photo: UUID, name: str, data: bytes) -> Brought:
    """Keep a file with a photo, for pieces on it. Raises FernError when it is refused."""
    doors = Doors(database=shared.database, blobs=shared.blobs, queue=shared.queue)
    kept = await intake.keep_for_pieces(doors, ticket, photo, data)
    return Brought(name=name, photo=photo, picture=kept)


async def bring_bytes(shared: Shared, ticket: Ticket, name: str, data: bytes, who: str) -> Brought:
    """Put a file on a ticket. It is stored when this returns. Raises FernError when it is refused."""
    doors = Doors(database=shared.database, blobs=shared.blobs, queue=shared.queue)
    added = await intake.bring_bytes(doors, ticket, name, data, who)
    return Brought(name=name, photo=added.id, already_there=not added.new)
