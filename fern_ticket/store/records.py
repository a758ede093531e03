"""Rows as the rest of the program sees them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, Field

from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.metadata import Metadata
from fern_ticket.core.slips.lines import Verdict

Kind = Literal["property", "food", "product", "animal", "artwork", "panorama"]
PhotoState = Literal["preparing", "ready", "refused"]
Stage = Literal["waiting", "bench", "checked", "handed_over", "returned", "accepted"]
HandOverState = Literal[
    "waiting", "rendering", "delivering", "delivered", "accepted", "returned", "failed", "cancelled", "superseded"
]
Role = Literal["editor", "lead"]


class User(BaseModel):
    id: UUID
    sign_in: str
    name: str
    role: Role = "editor"


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
    total: int
    photos: int
    stages: list[Stage]
    notes: int
    thumbnails: list[UUID]


class BoardCounts(BaseModel):
    """Open tickets, and those of them that are due today or were before."""

    tickets: int
    pressing: int


class Ticket(BaseModel):
    id: UUID
    number: str
    title: str
    client: str
    kind: Kind
    brief: str
    desk: str
    slip: dict[str, Any]
    slip_version: int
    due_at: datetime


class KeptSlip(BaseModel):
    """A slip of the library."""

    id: UUID
    name: str
    version: int
    body: dict[str, Any]
    made_at: datetime


class Facts(BaseModel):
    """What is said of a photo when it is delivered, beside its title."""

    caption: str = Field(default="", max_length=2000)
    keywords: list[Annotated[str, Field(min_length=1, max_length=64)]] = Field(default=[], max_length=60)
    creator: str = Field(default="", max_length=200)
    credit: str = Field(default="", max_length=200)
    copyright: str = Field(default="", max_length=300)

    @classmethod
    def of(cls, said: Metadata) -> Facts:
        """From a file's own words, cut to what has room."""
        return cls(
            caption=said.caption[:2000],
            keywords=[word[:64] for word in said.keywords if word][:60],
            creator=said.creator[:200],
            credit=said.credit[:200],
            copyright=said.copyright[:300],
        )


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
    stage: Stage
    facts: Facts
    hand_over: HandOverState | None
    reasons: list[str] | None
    holder: str | None
    open_notes: int
    said_count: int = Field(exclude=True)

    @property
    def said(self) -> Metadata:
        """Its facts as metadata."""
        facts = self.facts
        return Metadata(
            title=self.title,
            caption=facts.caption,
            creator=facts.creator,
            credit=facts.credit,
            copyright=facts.copyright,
            keywords=tuple(facts.keywords),
        )


class LedgerHead(BaseModel):
    """A revision of a photo's ledger without its steps, and whether there is a way back and forth from it."""

    revision: int
    summary: str
    can_undo: bool
    can_redo: bool


@dataclass(frozen=True)
class Ledger:
    """A revision of a photo's ledger, and whether there is a way back and forth from it."""

    revision: int
    summary: str
    can_undo: bool
    can_redo: bool
    steps: tuple[Step, ...]


class Chained(BaseModel):
    """A revision as it is kept: its whole list of steps, or what it changes of its parent's."""

    id: int
    digests: list[bytes] | None
    splices: list[dict[str, Any]] | None
    depth: int


class StepBody(BaseModel):
    digest: bytes
    body: dict[str, Any]


class TakenPhoto(BaseModel):
    id: UUID
    taken: dict[str, Any]


class AddedPhoto(BaseModel):
    id: UUID
    new: bool


class Id(BaseModel):
    id: UUID


class MadeRendition(BaseModel):
    name: str
    file_name: str
    blob: str
    bytes: int


class Words(BaseModel):
    words: str


class Note(BaseModel):
    """Words about a photo, pinned at shares of its width and height or about the whole."""

    id: UUID
    x: float | None
    y: float | None
    text: str
    author: str
    side: Literal["client", "editor", "desk"]
    done_at: datetime | None
    made_at: datetime


class Event(BaseModel):
    id: int
    photo: UUID | None
    photo_title: str | None
    what: str
    who: str
    made_at: datetime


class Check(BaseModel):
    photo: UUID
    revision: int
    holds: bool
    verdicts: list[Verdict]
    made_at: datetime


class Lease(BaseModel):
    page: UUID
    user_id: UUID
    name: str
    since: datetime
    until: datetime


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
    renditions: list[MadeRendition]
    wanted: list[str]
    verdicts: list[Verdict]
    attempts: int
    ask_again_at: datetime | None
    asked_at: datetime
    ended_at: datetime | None
