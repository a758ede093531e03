"""Whose bench a photo is on, for whoever wants to change it."""

from __future__ import annotations

from uuid import UUID

from fern_ticket.core.errors import FernError
from fern_ticket.store.database import Queries
from fern_ticket.store.records import Lease, User


class Held(FernError):
    """The photo is on somebody else's bench."""


async def lease_of_another(queries: Queries, photo: UUID, user: User) -> Lease | None:
    """The lease of somebody else who has the photo on the bench."""
    lease = await queries.row(Lease, "lease_of", photo=photo)
    return None if lease is None or lease.user_id == user.id else lease


async def refuse_if_held(queries: Queries, photo: UUID, user: User) -> None:
    """Raises Held where somebody else has the photo on the bench."""
    lease = await lease_of_another(queries, photo, user)
    if lease is None:
        return
    raise Held(
        f"{lease.name} has this photo on the bench since {lease.since.astimezone():%H:%M}.",
        "Look as you like; to change it, wait until the page there is closed.",
    )
