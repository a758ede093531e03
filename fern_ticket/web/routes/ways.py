"""Ways out: desks, folders and stores, inboxes, links. Kept by those who lead; secrets go in and never come out."""

from __future__ import annotations

from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, HTTPException
from psycopg.types.json import Jsonb
from pydantic import BaseModel, Field

from fern_ticket.core.errors import FernError
from fern_ticket.desks.measuring import DESKS
from fern_ticket.jobs.ways.giving import NotNow
from fern_ticket.jobs.ways.opening import way_from
from fern_ticket.store.database import Queries
from fern_ticket.store.records import Answers, Id
from fern_ticket.store.ways import KeptWay, ToDesk, ToFolder, ToInbox, ToLink, WayRow, WaySettings
from fern_ticket.web.common.happening import Leads
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.who import Lead, SignedIn

router = APIRouter(prefix="/api", tags=["ways"])

#: Who may say that a delivery is accepted, for each kind; the usual one first.
ANSWERS: dict[type, tuple[Answers, ...]] = {
    ToDesk: ("itself",),
    ToInbox: ("itself", "arrival", "person"),
    ToFolder: ("arrival", "person"),
    ToLink: ("person", "arrival"),
}


class NewWay(BaseModel):
    """A way out; a secret that is left out of a change stays as it was."""

    name: Annotated[str, Field(min_length=1, max_length=80, pattern=r"\S")]
    settings: WaySettings
    answers: Answers
    secret: Annotated[str, Field(max_length=2000)] | None = Field(
        default=None, description="Password, secret key or token."
    )


class Trial(BaseModel):
    """What trying a way found."""

    works: bool
    said: str


class DeskChoice(BaseModel):
    desk: str
    name: str


@router.get("/ways")
async def ways(shared: SharedState, _: SignedIn) -> list[WayRow]:
    return await shared.database.rows(WayRow, "ways")


@router.get("/desks-here")
async def desks_here(_: SignedIn) -> list[DeskChoice]:
    """The simulated desks of this installation."""
    return [DeskChoice(desk=desk, name=asks.name) for desk, asks in DESKS.items()]


@router.post("/ways", status_code=201)
async def add(asked: NewWay, shared: SharedState, lead: Leads) -> list[WayRow]:
    _refuse_unfit(asked)
    async with shared.database.transaction() as within:
        made = await within.row(Id, "add_way", kind=asked.settings.kind, **_values(shared, asked))
        if made is None:
            raise HTTPException(409, f"There is a way out called {asked.name} already.")
        await lead.did(within, "added a way out", about=asked.name.strip())
        return await within.rows(WayRow, "ways")


@router.post("/ways/trial")
async def try_new(asked: NewWay, shared: SharedState, _: Lead) -> Trial:
    """Try a way before it is kept."""
    _refuse_unfit(asked)
    return await _tried(shared, asked.settings, asked.secret or "")


@router.put("/ways/{way}")
async def change(way: UUID, asked: NewWay, shared: SharedState, lead: Leads) -> list[WayRow]:
    _refuse_unfit(asked)
    async with shared.database.transaction() as within:
        before = await _way(within, way)
        if before.kind != asked.settings.kind:
            raise HTTPException(422, "A way out stays of its kind. Add another one.")
        made = await within.row(Id, "change_way", way=way, **_values(shared, asked))
        if made is None:
            raise HTTPException(409, f"Another way out is called {asked.name}, or this one is gone.")
        await lead.did(within, "changed a way out", about=asked.name.strip())
        return await within.rows(WayRow, "ways")


@router.post("/ways/{way}/trial")
async def try_kept(way: UUID, asked: NewWay | None, shared: SharedState, _: Lead) -> Trial:
    """Try a way as it is kept, or as it would be changed."""
    kept = await _way(shared.database, way)
    secret = None if asked is None else asked.secret
    try:
        secret = shared.safe.opened(kept.secret) if secret is None else secret
    except FernError as error:
        return Trial(works=False, said=str(error))
    return await _tried(shared, kept.settings if asked is None else asked.settings, secret)


@router.delete("/ways/{way}")
async def remove(way: UUID, shared: SharedState, lead: Leads) -> list[WayRow]:
    """Take it off tickets and clients. Refused while something is on its way there."""
    async with shared.database.transaction() as within:
        before = await _way(within, way)
        if await within.value("deliveries_under_way", way=way):
            raise HTTPException(409, f"Photos are on their way to {before.name}. Wait for them, or cancel them.")
        await within.run("remove_way", way=way)
        await within.run("take_way_off", way=way)
        await within.run("take_way_off_clients", way=way)
        await lead.did(within, "removed a way out", about=before.name)
        return await within.rows(WayRow, "ways")


async def _way(queries: Queries, way: UUID) -> KeptWay:
    found = await queries.row(KeptWay, "way_by_id", way=way)
    if found is None:
        raise HTTPException(404, "There is no such way out.")
    return found


async def _tried(shared: SharedState, settings: WaySettings, secret: str) -> Trial:
    try:
        return Trial(works=True, said=await way_from(shared, settings, secret).tried())
    except (NotNow, FernError) as error:
        return Trial(works=False, said=str(error))


def _refuse_unfit(asked: NewWay) -> None:
    if asked.answers not in ANSWERS[type(asked.settings)]:
        raise HTTPException(422, "Nobody there can answer so. Choose who says that a delivery is accepted.")
    if isinstance(asked.settings, ToDesk) and asked.settings.desk not in DESKS:
        raise HTTPException(422, f"There is no desk {asked.settings.desk} here.")


def _values(shared: Shared, asked: NewWay) -> dict[str, Any]:
    """For the queries."""
    return {
        "name": asked.name.strip(),
        "settings": Jsonb(asked.settings.model_dump(mode="json")),
        "secret": shared.safe.locked(asked.secret),
        "answers": asked.answers,
    }
