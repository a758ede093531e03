"""Watched folders: what lies there comes to its ticket once it has stopped growing, and never twice.

A ticket's folder holds its photos. A client's folder holds folders, each of which is a ticket by its number or title;
one that is not known yet becomes a new ticket by the client's usual slip and way out.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, TypeVar
from uuid import UUID

from procrastinate import App as Queue

from fern_ticket.core.errors import FernError
from fern_ticket.core.orders.order import Order
from fern_ticket.jobs.context import JobContext
from fern_ticket.jobs.intake import Doors, bring_bytes, shown_name, too_large
from fern_ticket.jobs.ordering import Orders
from fern_ticket.jobs.ways.giving import NotNow
from fern_ticket.jobs.ways.stores import in_time, opened_store
from fern_ticket.store.happening import Actor
from fern_ticket.store.records import Client, Ticket
from fern_ticket.store.studio import studio_of
from fern_ticket.store.watches import KeptWatch, WatchedFile

T = TypeVar("T")
log = logging.getLogger("fern.jobs")

#: How many new files of one folder are taken at a time: the rest comes at the next look.
_AT_ONCE = 200
#: Seconds that a store has for a look or for a file.
_PATIENCE = 120.0
#: Days until a ticket is due that a folder began.
_DAYS = 3
WHO = "watched folder"


@dataclass(frozen=True)
class Seen:
    """A file in a store; its mark is another when it has grown or changed."""

    path: str
    folder: str
    size: int
    mark: str


async def look_at_watches(context: JobContext, queue: Queue) -> None:
    """Look at every watched folder once."""
    for watch in await context.database.rows(KeptWatch, "watches_to_look_at"):
        trouble = ""
        try:
            await _look(context, queue, watch)
        except (NotNow, FernError) as error:
            trouble = str(error)
            log.warning("the watched folder %s could not be looked at: %s", watch.id, type(error).__name__)
        await context.database.run("watch_looked", watch=watch.id, trouble=trouble)


async def _look(context: JobContext, queue: Queue, watch: KeptWatch) -> None:
    secret = context.safe.opened(watch.secret)
    store, root = await _read(watch, lambda: opened_store(watch.settings, secret, context.settings.data))
    seen = await _read(watch, lambda: _listed(store, root, deep=watch.client is not None))
    known = {one.path: one for one in await context.database.rows(WatchedFile, "watched_files", watch=watch.id)}
    taken = 0
    for file in seen:
        before = known.get(file.path)
        if before is None or before.mark != file.mark:
            await _note(context, watch.id, file, "growing", "")
        elif before.state == "growing" and taken < _AT_ONCE:
            await _take(context, queue, watch, store, file)
            taken += 1


async def _take(context: JobContext, queue: Queue, watch: KeptWatch, store: Any, file: Seen) -> None:
    name = shown_name(file.path)
    try:
        if file.size > context.settings.upload_limit:
            raise too_large(context.settings.upload_limit)
        ticket = await _ticket_for(context, watch, file)
        data = await _read(watch, lambda: store.cat_file(file.path))
        doors = Doors(database=context.database, blobs=context.blobs, queue=queue)
        await bring_bytes(doors, ticket, name, data, WHO)
    except NotNow:
        raise
    except FernError as error:
        await _note(context, watch.id, file, "refused", str(error))
        return
    await _note(context, watch.id, file, "taken", "")


async def _ticket_for(context: JobContext, watch: KeptWatch, file: Seen) -> Ticket:
    if watch.ticket is not None:
        found = await context.database.row(Ticket, "ticket_by_id", ticket=watch.ticket)
        if found is None:
            raise FernError("Its ticket lies in the bin.")
        return found
    asked = {"client": watch.client, "name": file.folder}
    found = await context.database.row(Ticket, "ticket_of_client_called", **asked)
    if found is not None:
        return found
    client = await context.database.row(Client, "client_by_id", client=watch.client)
    assert client is not None
    due = (datetime.now(UTC) + timedelta(days=_DAYS)).replace(hour=17, minute=0, second=0, microsecond=0)
    order = Order(title=file.folder[:120], client=client.name, kind="property", due=due)
    async with context.database.transaction() as within:
        orders = await Orders.begun(within, Actor(WHO), await studio_of(within))
        number = await orders.add(order)
    made = await context.database.row(Ticket, "ticket_by_number", number=number)
    assert made is not None
    return made


def _listed(store: Any, root: str, *, deep: bool) -> list[Seen]:
    """Files of a folder, or of its folders, in the order of their paths; hidden and unfinished ones are left."""
    if not store.isdir(root):
        raise FileNotFoundError(2, "not there", root)
    out = []
    for entry in store.ls(root, detail=True):
        if deep and entry["type"] == "directory":
            folder = entry["name"].rstrip("/").rsplit("/", 1)[-1]
            if not folder.startswith("."):
                out += [_seen(one, folder) for one in store.ls(entry["name"], detail=True) if _is_file(one)]
        elif not deep and _is_file(entry):
            out.append(_seen(entry, ""))
    return sorted(out, key=lambda one: one.path)


def _is_file(entry: dict[str, Any]) -> bool:
    name = str(entry["name"]).rsplit("/", 1)[-1]
    return entry["type"] == "file" and not name.startswith(".") and not name.endswith((".part", ".tmp", ".crdownload"))


def _seen(entry: dict[str, Any], folder: str) -> Seen:
    changed = next((entry[key] for key in ("mtime", "LastModified", "modified", "time", "created") if key in entry), "")
    return Seen(str(entry["name"]), folder, int(entry["size"] or 0), f"{entry['size']} {changed}")


async def _note(context: JobContext, watch: UUID, file: Seen, state: str, says: str) -> None:
    await context.database.run("saw_file", watch=watch, path=file.path, mark=file.mark, state=state, says=says[:500])


async def _read(watch: KeptWatch, work: Callable[[], T]) -> T:
    return await in_time(watch.settings.address, work, _PATIENCE, "read")
