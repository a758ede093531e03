"""What happened is kept: by whom, to what, and from where."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from fern_ticket.store.database import Queries


@dataclass(frozen=True)
class Actor:
    """Somebody or something that does something, and from where."""

    name: str
    address: str = ""

    async def did(
        self, queries: Queries, what: str, *, ticket: UUID | None = None, photo: UUID | None = None, about: str = ""
    ) -> None:
        """Keep what was done, to a ticket, a photo, or something else that `about` names."""
        await queries.run(
            "add_happening",
            ticket=ticket,
            photo=photo,
            what=what,
            who=self.name,
            about=about,
            address=self.address or None,
        )
