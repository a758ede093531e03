"""Rows that several tests of the store and the jobs begin with, and a database to try them on."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar
from uuid import UUID

from psycopg.types.json import Jsonb

from fern_ticket.store.database import Database, opened
from fern_ticket.store.records import AddedPhoto, Id, Ticket
from fern_ticket.store.ways import WayRow

T = TypeVar("T")


def run(url: str, work: Callable[[Database], Awaitable[T]]) -> T:
    """Run `work(database)` on an opened database, in a thread: the browser's driver keeps a loop in this one."""

    async def inside() -> T:
        async with opened(url) as database:
            return await work(database)

    with ThreadPoolExecutor(1) as thread:
        return thread.submit(asyncio.run, inside()).result()


async def way_to_desk(database: Database, ticket: UUID, desk: str = "valley-homes") -> None:
    """A ticket's way out to a simulated desk, which is made when there is none yet."""
    settings = Jsonb({"kind": "desk", "desk": desk})
    await database.run("add_way", name=desk, kind="desk", settings=settings, secret=None, answers="itself")
    ways = await database.rows(WayRow, "ways")
    await database.run("set_ways", ticket=ticket, ways=[next(way.id for way in ways if way.name == desk)])


async def photo_on_ticket(database: Database, number: str, blob: str, slip: dict[str, Any]) -> UUID:
    """A photo on a ticket of that number, which is made when there is none yet."""
    await database.row(
        Id,
        "add_ticket",
        number=number,
        title="t",
        client="Race Mill",
        kind="food",
        brief="",
        slip=Jsonb(slip),
        slip_version=1,
        due_at="2026-12-01T12:00:00Z",
        requests=Jsonb([]),
    )
    ticket = await database.row(Ticket, "ticket_by_number", number=number)
    assert ticket is not None
    await way_to_desk(database, ticket.id)
    photo = await database.row(AddedPhoto, "add_photo", ticket=ticket.id, title="p", note="", blob=blob)
    assert photo is not None
    return photo.id
