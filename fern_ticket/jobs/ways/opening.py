"""The way out that a row of the database means."""

from __future__ import annotations

from typing import Protocol
from uuid import UUID

import httpx

from fern_ticket.core.errors import FernError
from fern_ticket.jobs.context import JobContext
from fern_ticket.jobs.ways.folders import FolderWay
from fern_ticket.jobs.ways.giving import Way
from fern_ticket.jobs.ways.inboxes import InboxWay
from fern_ticket.jobs.ways.links import LinkWay
from fern_ticket.settings import Settings
from fern_ticket.store.ways import KeptWay, ToDesk, ToFolder, ToInbox, WaySettings


class Reaches(Protocol):
    """What a way out is made with; a job has it, and the web."""

    @property
    def settings(self) -> Settings: ...
    @property
    def desks(self) -> httpx.AsyncClient: ...
    @property
    def web(self) -> httpx.AsyncClient: ...


def way_from(context: Reaches, settings: WaySettings, secret: str) -> Way:
    match settings:
        case ToDesk(desk=desk):
            return InboxWay(context.desks, f"/desks/{desk}/inbox", context.settings.desk_token)
        case ToFolder():
            return FolderWay(settings, secret, context.settings.data)
        case ToInbox(address=address):
            return InboxWay(context.web, address, secret)
        case _:
            return LinkWay()


async def way_of(context: JobContext, way: UUID) -> Way:
    """Raises FernError where it is gone, or its secret cannot be read."""
    row = await context.database.row(KeptWay, "way_by_id", way=way)
    if row is None:
        raise FernError("The way out is gone.", "Choose another for the ticket, and hand over again.")
    return way_from(context, row.settings, context.safe.opened(row.secret))
