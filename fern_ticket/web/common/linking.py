"""Links for people outside, each of one kind and for one ticket: signed, dated, counted, ended when that is wanted."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Annotated
from uuid import UUID

from fastapi import HTTPException, Request
from itsdangerous import BadSignature
from pydantic import BaseModel, Field

from fern_ticket.store.happening import Actor
from fern_ticket.store.records import Id, LinkKind, LinkOfTicket, LinkRow, Ticket
from fern_ticket.web.common.happening import Acts, address_of
from fern_ticket.web.common.signed import signer
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.waiting import Asker

Days = Annotated[int, Field(ge=1, le=365)]

#: What happened, by the kind of the link that was made.
_SAID: dict[LinkKind, str] = {
    "proofs": "link to see proofs",
    "take": "link to take what was made",
    "bring": "link to bring photos",
}


class MadeLink(BaseModel):
    path: str
    link: LinkRow


@dataclass(frozen=True)
class Linked:
    """Somebody who came by a link that is good, and the one ticket that it opens."""

    link: LinkOfTicket
    ticket: Ticket

    def actor(self, request: Request) -> Actor:
        """Who acts by it: the ticket's client, whatever they call themselves."""
        return Actor(self.ticket.client, address_of(request))

    def asker(self, request: Request) -> Asker:
        """Who waits for an answer by it: all who come for one ticket count as one person."""
        return Asker(request, self.ticket.id)


async def made_link(shared: Shared, ticket: Ticket, person: Acts, kind: LinkKind, days: int, room: int = 0) -> MadeLink:
    """A new link, which holds for some days; one to bring photos has room for so many bytes."""
    async with shared.database.transaction() as within:
        made = await within.row(Id, "add_link", ticket=ticket.id, kind=kind, days=days, room=room, who=person.user.name)
        assert made is not None
        await person.did(within, f"{_SAID[kind]}, for {days} days", ticket=ticket.id)
        rows = await within.rows(LinkRow, "links_of_ticket", ticket=ticket.id)
    path = f"/{kind}/{signer(shared, kind).dumps(str(made.id))}"
    return MadeLink(path=path, link=next(one for one in rows if one.id == made.id))


def linked(kind: LinkKind) -> Callable[[str, SharedState], Awaitable[Linked]]:
    """What a route depends on that is reached by a link of that kind (404 where it does not hold any more)."""

    async def by_token(token: str, shared: SharedState) -> Linked:
        try:
            link = UUID(str(signer(shared, kind).loads(token)))
        except (BadSignature, ValueError):
            raise _over() from None
        row = await shared.database.row(LinkOfTicket, "link", link=link, kind=kind)
        ticket = None if row is None else await shared.database.row(Ticket, "ticket_by_id", ticket=row.ticket)
        if row is None or ticket is None:
            raise _over()
        return Linked(row, ticket)

    return by_token


def _over() -> HTTPException:
    return HTTPException(404, "This link does not hold any more. Ask for a new one.")
