"""The name under which a photo is delivered."""

from __future__ import annotations

from fern_ticket.core.slips.naming import NameParts, delivered_name
from fern_ticket.core.slips.slip import Slip
from fern_ticket.store.database import Database
from fern_ticket.store.records import HandOver, Photo, Ticket


def plain_name(photo: Photo, ticket: Ticket, slip: Slip) -> str:
    """By the slip's pattern alone."""
    parts = NameParts(ticket=ticket.number, number=photo.position, client=ticket.client, photo=photo.title)
    return delivered_name(slip.name_pattern, parts, slip.file.format)


async def name_of(database: Database, photo: Photo, ticket: Ticket, slip: Slip) -> str:
    """By the pattern; a delivery that follows another of the same photo gets its number behind it."""
    name = plain_name(photo, ticket, slip)
    past = await database.rows(HandOver, "hand_overs_of_photo", photo=photo.id)
    used = {row.file_name for row in past if row.blob is not None}
    stem, dot, ending = name.rpartition(".")
    number = 2
    while name in used:
        name = f"{stem}_v{number}{dot}{ending}"
        number += 1
    return name
