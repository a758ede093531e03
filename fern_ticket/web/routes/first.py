"""The first person: on an empty data folder, through an address that is good once."""

from __future__ import annotations

import asyncio
import secrets
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Depends, HTTPException, Request, Response
from pydantic import BaseModel, Field

from fern_ticket.store.happening import Actor
from fern_ticket.store.records import Id
from fern_ticket.store.studio import keep_studio, studio_of
from fern_ticket.web.common.first import FIRST
from fern_ticket.web.common.happening import address_of
from fern_ticket.web.common.passwords import Password, Strength, Thought, refuse_weak, strength_of
from fern_ticket.web.common.signing import PersonName, SignedInAs, SignInName, begin_session
from fern_ticket.web.common.state import Shared, SharedState
from fern_ticket.web.common.who import hashed

router = APIRouter(prefix="/api", tags=["session"])


class First(BaseModel):
    """The studio, and who begins."""

    studio: Annotated[str, Field(min_length=1, max_length=80, pattern=r"\S")]
    name: PersonName
    sign_in: SignInName
    password: Password


class FirstPage(BaseModel):
    good: bool


async def _door(token: str, shared: SharedState) -> Path:
    """The file that holds the token, as long as it is good."""
    path = shared.settings.data / "secrets" / FIRST
    kept = await asyncio.to_thread(_read, path)
    if not kept or not secrets.compare_digest(kept.encode(), token.encode(errors="replace")):
        raise HTTPException(404, "This address was good once. Sign in, or ask those who lead.")
    return path


Door = Annotated[Path, Depends(_door)]


@router.get("/first/{token}")
async def look(token: str, shared: SharedState) -> FirstPage:
    """Whether the address is still good."""
    try:
        await _door(token, shared)
    except HTTPException:
        return FirstPage(good=False)
    return FirstPage(good=True)


@router.post("/first/{token}/strength")
async def strength(thought: Thought, _: Door) -> Strength:
    return await strength_of(thought.password, thought.about)


@router.post("/first/{token}", status_code=201)
async def begin(asked: First, door: Door, shared: SharedState, request: Request, response: Response) -> SignedInAs:
    """Make the first person, who leads, name the studio, and sign in."""
    await refuse_weak(asked.password, (asked.name, asked.sign_in, asked.studio))
    await _make(shared, asked, address_of(request))
    await asyncio.to_thread(door.unlink, True)
    return await begin_session(shared, asked.sign_in, request, response)


async def _make(shared: Shared, asked: First, address: str) -> None:
    password = await hashed(asked.password)
    async with shared.database.transaction() as within:
        made = await within.row(
            Id, "first_person", sign_in=asked.sign_in, name=asked.name.strip(), password_hash=password
        )
        if made is None:
            raise HTTPException(409, "Somebody began here already. Sign in, or ask those who lead.")
        studio = await studio_of(within)
        await keep_studio(within, studio.model_copy(update={"name": asked.studio.strip()}))
        await Actor(asked.name.strip(), address).did(within, "began the studio", about=asked.studio.strip())


def _read(path: Path) -> str:
    try:
        return path.read_text().strip()
    except OSError:
        return ""
