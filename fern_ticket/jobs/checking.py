"""Checking a photo against its ticket's slip, as it would be delivered now."""

from __future__ import annotations

import logging
from uuid import UUID

from psycopg.types.json import Jsonb

from fern_ticket.core.errors import FernError
from fern_ticket.core.slips.lines import Verdict, all_hold
from fern_ticket.core.slips.slip import Slip
from fern_ticket.jobs.context import JobContext
from fern_ticket.jobs.making import make
from fern_ticket.jobs.naming import name_of
from fern_ticket.store.records import Photo, Ticket

log = logging.getLogger("fern.jobs")


async def check_photo(context: JobContext, photo_id: str) -> None:
    """Make the photo's newest revision, measure the file, and keep how every line stands."""
    photo = await context.database.row(Photo, "photo_by_id", photo=UUID(photo_id))
    if photo is None or photo.state != "ready":
        return
    ticket = await context.database.row(Ticket, "ticket_of_photo", photo=photo.id)
    ledger = await context.ledgers.head(photo.id)
    if ticket is None or ledger is None:
        return
    slip = Slip.model_validate(ticket.slip)
    try:
        name = await name_of(context.database, photo, ticket, slip)
        made = await make(context, photo, ledger, slip, name)
        verdicts = made.verdicts
    except FernError as error:
        verdicts = [Verdict(requirement="writing", what="writing the file", value=str(error), state="short", asks="")]
    await keep_check(context, photo, ledger.revision, verdicts)


async def keep_check(context: JobContext, photo: Photo, revision: int, verdicts: list[Verdict]) -> None:
    """Keep a check that was made of the photo as `photo` was read: unless its words or ticks changed since."""
    await context.database.run(
        "keep_check",
        photo=photo.id,
        said=photo.said_count,
        revision=revision,
        holds=all_hold(verdicts),
        verdicts=Jsonb([verdict.model_dump(mode="json") for verdict in verdicts]),
    )
