"""The people who sign in, kept by those who lead."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel

from fern_ticket.store.database import Queries
from fern_ticket.store.records import Id, PersonRow, Role, User
from fern_ticket.web.common.happening import Leads
from fern_ticket.web.common.passwords import Password, refuse_weak
from fern_ticket.web.common.signing import PersonName, SignInName
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import Lead, hashed

router = APIRouter(prefix="/api", tags=["people"])


class NewPerson(BaseModel):
    sign_in: SignInName
    name: PersonName
    role: Role = "editor"
    password: Password


class Change(BaseModel):
    """What is left out stays."""

    name: PersonName | None = None
    role: Role | None = None
    password: Password | None = None
    inactive: bool | None = None


@router.get("/people")
async def people(shared: SharedState, _: Lead) -> list[PersonRow]:
    return await _all(shared.database)


@router.post("/people", status_code=201)
async def add(asked: NewPerson, shared: SharedState, lead: Leads) -> list[PersonRow]:
    await refuse_weak(asked.password, (asked.name, asked.sign_in))
    password = await hashed(asked.password)
    async with shared.database.transaction() as within:
        made = await within.row(
            Id, "new_user", sign_in=asked.sign_in, name=asked.name.strip(), role=asked.role, password_hash=password
        )
        if made is None:
            raise HTTPException(409, f"Somebody signs in as {asked.sign_in} already. Choose another name.")
        await lead.did(within, "added a person", about=asked.name.strip())
        return await _all(within)


@router.put("/people/{person}")
async def change(person: UUID, asked: Change, shared: SharedState, lead: Leads) -> list[PersonRow]:
    """Another name, role or password, or inactive: who is that cannot sign in, and what they did stays.

    A new password, and being inactive, end the person's sessions. Nobody takes the lead from themselves.
    """
    if person == lead.user.id and (asked.role == "editor" or asked.inactive):
        raise HTTPException(409, "You cannot take the lead from yourself; somebody else who leads can.")
    password = None
    if asked.password is not None:
        await refuse_weak(asked.password, (asked.name or "",))
        password = await hashed(asked.password)
    async with shared.database.transaction() as within:
        before = await _one(within, person)
        name = None if asked.name is None else asked.name.strip()
        changed = await within.row(
            Id, "change_user", person=person, name=name, role=asked.role, password_hash=password,
            inactive=asked.inactive,
        )  # fmt: skip
        if changed is None:
            raise HTTPException(409, "Nobody would lead any more. Have somebody else lead first.")
        if password is not None or asked.inactive:
            await within.run("end_sessions_of", person=person)
        for what in _changed(before, asked):
            await lead.did(within, what, about=before.name)
        return await _all(within)


@router.delete("/people/{person}")
async def remove(person: UUID, shared: SharedState, lead: Leads) -> list[PersonRow]:
    """Remove somebody who never did anything here; others can be set inactive."""
    if person == lead.user.id:
        raise HTTPException(409, "You cannot remove yourself.")
    async with shared.database.transaction() as within:
        before = await _one(within, person)
        if await within.row(Id, "remove_user", person=person) is None:
            raise HTTPException(409, f"{before.name} has worked here, and that stays. Set them inactive instead.")
        await lead.did(within, "removed a person", about=before.name)
        return await _all(within)


async def _all(queries: Queries) -> list[PersonRow]:
    return await queries.rows(PersonRow, "people")


async def _one(queries: Queries, person: UUID) -> User:
    found = await queries.row(User, "user_by_id", person=person)
    if found is None:
        raise HTTPException(404, "There is no such person.")
    return found


def _changed(before: User, asked: Change) -> list[str]:
    """What happened, in words; never a password."""
    out = []
    if asked.name is not None and asked.name.strip() != before.name:
        out.append(f"renamed a person to {asked.name.strip()}")
    if asked.role is not None and asked.role != before.role:
        out.append("gave the lead" if asked.role == "lead" else "took the lead back")
    if asked.password is not None:
        out.append("set a new password")
    if asked.inactive is not None:
        out.append("set inactive" if asked.inactive else "set active again")
    return out
