"""The people who sign in, kept by those who lead."""

from __future__ import annotations

import asyncio
from typing import Annotated
from uuid import UUID

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from fern_ticket.store.records import Id, Role, User
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import Lead, hash_password

router = APIRouter(prefix="/api", tags=["people"])

SignInName = Annotated[str, Field(min_length=2, max_length=60, pattern=r"^[a-z0-9][a-z0-9._-]*$")]
Password = Annotated[str, Field(min_length=12, max_length=200)]


class NewPerson(BaseModel):
    sign_in: SignInName
    name: str = Field(min_length=1, max_length=80, pattern=r"\S")
    role: Role = "editor"
    password: Password


class Change(BaseModel):
    """What is left out stays."""

    role: Role | None = None
    password: Password | None = None


@router.get("/people")
async def people(shared: SharedState, _: Lead) -> list[User]:
    return await shared.database.rows(User, "users")


@router.post("/people", status_code=201)
async def add(asked: NewPerson, shared: SharedState, user: Lead) -> list[User]:
    password = await asyncio.to_thread(hash_password, asked.password)
    made = await shared.database.row(
        Id, "new_user", sign_in=asked.sign_in, name=asked.name.strip(), role=asked.role, password_hash=password
    )
    if made is None:
        raise HTTPException(409, f"Somebody signs in as {asked.sign_in} already. Choose another name.")
    return await people(shared, user)


@router.put("/people/{person}")
async def change(person: UUID, asked: Change, shared: SharedState, user: Lead) -> list[User]:
    """Another role or password. A new password ends the person's sessions; nobody takes the lead from themselves."""
    if person == user.id and asked.role == "editor":
        raise HTTPException(409, "You cannot take the lead from yourself; somebody else who leads can.")
    password = None if asked.password is None else await asyncio.to_thread(hash_password, asked.password)
    changed = await shared.database.row(Id, "change_user", person=person, role=asked.role, password_hash=password)
    if changed is None:
        raise HTTPException(404, "There is no such person.")
    if password is not None:
        await shared.database.run("end_sessions_of", person=person)
    return await people(shared, user)
