"""Rows as the rest of the program sees them."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel

Kind = Literal["property", "food", "product", "animal", "artwork", "panorama"]
PhotoState = Literal["preparing", "ready", "refused"]
HandOverState = Literal["waiting", "rendering", "delivering", "accepted", "returned", "failed", "cancelled"]


class User(BaseModel):
    id: UUID
    sign_in: str
    name: str


class UserWithPassword(User):
    password_hash: str


class TicketRow(BaseModel):
    """A ticket as the board lists it."""

    id: UUID
    number: str
    title: str
    client: str
    kind: Kind
    due_at: datetime
    photos: int
    started: int
    accepted: int
    returned: int
    under_way: int
    thumbnails: list[UUID]


class Ticket(BaseModel):
    id: UUID
    number: str
    title: str
    client: str
    kind: Kind
    brief: str
    desk: str
    slip: dict[str, Any]
    due_at: datetime


class Recipe(BaseModel):
    id: UUID
    name: str
    steps: list[dict[str, Any]]


class Photo(BaseModel):
    id: UUID
    ticket: UUID
    position: int
    title: str
    note: str
    blob: str
    state: PhotoState
    problem: str | None
    remarks: list[str]
    width: int | None
    height: int | None
    head: int | None
    steps: int
    hand_over: HandOverState | None


class Ledger(BaseModel):
    """A revision of a photo's ledger, and whether there is a way back and forth from it."""

    revision: int
    summary: str
    steps: list[dict[str, Any]]
    can_undo: bool
    can_redo: bool


class AddedPhoto(BaseModel):
    id: UUID
    new: bool


class Id(BaseModel):
    id: UUID


class HandOver(BaseModel):
    id: UUID
    photo: UUID
    revision: int
    file_name: str
    state: HandOverState
    progress: float
    blob: str | None
    bytes: int | None
    reasons: list[str]
    receipt: str | None
    asked_at: datetime
    ended_at: datetime | None
