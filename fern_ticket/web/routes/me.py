"""A person's own page: name, password, sessions, and how they like the bench."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, HTTPException, Request
from psycopg.types.json import Jsonb
from pydantic import BaseModel, Field

from fern_ticket.store.records import Id, Likes, SessionRow, UserWithPassword
from fern_ticket.web.common.happening import Acts
from fern_ticket.web.common.passwords import Password, Strength, Thought, refuse_weak, strength_of
from fern_ticket.web.common.signing import PersonName
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import COOKIE, SignedIn, fits, hashed, token_hash

router = APIRouter(prefix="/api", tags=["people"])


class Own(BaseModel):
    name: PersonName
    likes: Likes


class NewPassword(BaseModel):
    old: str = Field(min_length=1, max_length=200)
    new: Password


@router.put("/me", status_code=204)
async def change(asked: Own, shared: SharedState, person: Acts) -> None:
    async with shared.database.transaction() as within:
        name = asked.name.strip()
        await within.run("change_user", person=person.user.id, name=name, role=None, password_hash=None, inactive=None)
        await within.run("set_likes", person=person.user.id, likes=Jsonb(asked.likes.model_dump()))
        if name != person.user.name:
            await person.did(within, f"is called {name} from now on", about=person.user.name)


@router.put("/me/password", status_code=204)
async def password(asked: NewPassword, shared: SharedState, person: Acts, request: Request) -> None:
    """A new password, for whoever knows the old one. Other sessions end."""
    kept = await shared.database.row(UserWithPassword, "user_with_password", person=person.user.id)
    if not await fits(asked.old, kept.password_hash if kept else None):
        raise HTTPException(403, "The old password is another one.")
    await refuse_weak(asked.new, (person.user.name, person.user.sign_in))
    made = await hashed(asked.new)
    async with shared.database.transaction() as within:
        await within.run("change_user", person=person.user.id, name=None, role=None, password_hash=made, inactive=None)
        await within.run("end_other_sessions", person=person.user.id, token_hash=_token(request))
        await person.did(within, "set a new password", about=person.user.name)


@router.post("/me/strength")
async def strength(thought: Thought, _: SignedIn) -> Strength:
    """How hard a password would be to guess. It is looked at and forgotten."""
    return await strength_of(thought.password, thought.about)


@router.get("/me/sessions")
async def sessions(shared: SharedState, user: SignedIn, request: Request) -> list[SessionRow]:
    return await shared.database.rows(SessionRow, "sessions_of", person=user.id, token_hash=_token(request))


@router.delete("/me/sessions/{session}")
async def end(session: UUID, shared: SharedState, user: SignedIn, request: Request) -> list[SessionRow]:
    """Sign out somewhere else."""
    if await shared.database.row(Id, "end_one_session", person=user.id, session=session) is None:
        raise HTTPException(404, "There is no such session any more.")
    return await sessions(shared, user, request)


def _token(request: Request) -> bytes:
    return token_hash(request.cookies.get(COOKIE, ""))
