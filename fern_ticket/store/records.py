"""Rows as the rest of the program sees them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from pydantic import BaseModel, Field

from fern_ticket.core.ledger.charts import SphereSpec
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.orders.order import Kind as Kind
from fern_ticket.core.orders.order import Request
from fern_ticket.core.pictures.metadata import Metadata
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.slips.lines import Verdict

PhotoState = Literal["preparing", "ready", "refused"]
Stage = Literal["waiting", "bench", "checked", "handed_over", "returned", "accepted"]
HandOverState = Literal[
    "waiting", "rendering", "delivering", "delivered", "accepted", "returned", "failed", "cancelled", "superseded"
]
Role = Literal["editor", "lead"]
TicketState = Literal["open", "on_hold", "closed"]
WayKind = Literal["desk", "folder", "inbox", "link"]
#: Who says that a delivery is accepted: the receiver by itself, its arrival alone, or a person here.
Answers = Literal["itself", "arrival", "person"]


class Likes(BaseModel):
    """How a person likes the bench.

    Attributes
    ----------
    surround
        Grey around the picture, 0-255 (ISO 3664 asks for a neutral one).
    hints
        Whether tools say their keys.
    """

    surround: int = Field(default=0x77, ge=0x3A, le=0xF2)
    hints: bool = True


class User(BaseModel):
    id: UUID
    sign_in: str
    name: str
    role: Role = "editor"
    likes: Likes = Likes()


class UserOfSession(User):
    seen_at: datetime


class UserWithPassword(User):
    password_hash: str


class PhotoOnBench(BaseModel):
    number: str
    title: str


class PersonRow(BaseModel):
    """Somebody who signs in, and what they have on the bench."""

    id: UUID
    sign_in: str
    name: str
    role: Role
    inactive: bool
    seen_at: datetime | None
    on_the_bench: list[PhotoOnBench]


class SessionRow(BaseModel):
    """A browser in which somebody is signed in."""

    id: UUID
    made_at: datetime
    seen_at: datetime
    agent: str
    address: str
    this_one: bool


class Happening(BaseModel):
    """What happened, to what, by whom and from where."""

    id: int
    what: str
    who: str
    about: str
    address: str | None
    made_at: datetime


class TicketRow(BaseModel):
    """A ticket as the board lists it."""

    id: UUID
    number: str
    title: str
    client: str
    kind: Kind
    due_at: datetime
    state: TicketState
    total: int
    photos: int
    stages: list[Stage]
    notes: int
    thumbnails: list[UUID]
    editors: list[str]


class BoardCounts(BaseModel):
    """Open tickets, and those of them that are due today or were before."""

    tickets: int
    pressing: int


class Ticket(BaseModel):
    id: UUID
    number: str
    title: str
    client: str
    client_id: UUID
    kind: Kind
    brief: str
    slip: dict[str, Any]
    slip_version: int
    due_at: datetime
    state: TicketState
    reason: str
    requests: list[Request]


class Editor(BaseModel):
    """Somebody who works on a ticket."""

    id: UUID
    sign_in: str
    name: str
    role: Role


class AtWork(BaseModel):
    """Somebody who could work on a ticket, with what they have to do already."""

    id: UUID
    sign_in: str
    name: str
    tickets: int
    next_due: datetime | None


class ClientWords(BaseModel):
    """What goes with every photo of a client, where the photo itself says nothing."""

    creator: str = Field(default="", max_length=200)
    credit: str = Field(default="", max_length=200)
    copyright: str = Field(default="", max_length=300)
    contact: str = Field(default="", max_length=300)
    terms: str = Field(default="", max_length=2000)


class Client(BaseModel):
    id: UUID
    name: str
    contact: str
    slip: str
    name_pattern: str
    words: ClientWords
    taste: str
    way: UUID | None


class ClientRow(Client):
    """A client as the list shows it."""

    open: int
    tickets: int
    latest: datetime | None
    total: int


class ReturnRow(BaseModel):
    """A delivery that came back."""

    id: UUID
    number: str
    photo: str
    reasons: list[str]
    ended_at: datetime


class MonthRow(BaseModel):
    """A client's photos of one month."""

    month: str
    photos: int
    accepted: int
    returned: int
    minutes: float


class BinnedTicket(BaseModel):
    id: UUID
    number: str
    title: str
    client: str
    binned_at: datetime
    photos: int
    delivered: bool


class BinnedPhoto(BaseModel):
    id: UUID
    title: str
    state: PhotoState
    number: str
    binned_at: datetime
    delivered: bool


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
    sphere: SphereSpec | None = Field(
        default=None, description="What of a whole panorama the photo shows: width, height, left, top, its own pixels."
    )

    @classmethod
    def of(cls, said: Metadata, size: tuple[int, int]) -> Facts:
        """From a file's own words, cut to what has room; `size` is the picture's."""
        return cls(
            caption=said.caption[:2000],
            keywords=[word[:64] for word in said.keywords if word][:60],
            creator=said.creator[:200],
            credit=said.credit[:200],
            copyright=said.copyright[:300],
            sphere=None if said.panorama is None else said.panorama.sphere_of(size),
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
    #: Brought for others to be made with, as a frame of a series or a sky; not delivered itself.
    material: bool
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
    client_words: ClientWords = Field(exclude=True)

    @property
    def wanted(self) -> bool:
        """Whether it can be looked at, and is to be delivered."""
        return self.state == "ready" and not self.material

    @property
    def sphere(self) -> Sphere | None:
        """What of a whole panorama it shows: as its file said, or all of one where it is 2:1; None for other photos."""
        if self.facts.sphere is not None:
            return Sphere(*self.facts.sphere)
        if self.width is None or self.height is None or self.width != 2 * self.height:
            return None
        return Sphere.whole((self.width, self.height))

    @property
    def said(self) -> Metadata:
        """Its facts as metadata, and its client's words where it has none of its own."""
        facts, usual = self.facts, self.client_words
        return Metadata(
            title=self.title,
            caption=facts.caption,
            creator=facts.creator or usual.creator,
            credit=facts.credit or usual.credit,
            copyright=facts.copyright or usual.copyright,
            contact=usual.contact,
            terms=usual.terms,
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
    user_id: UUID
    name: str
    since: datetime
    until: datetime


class Load(BaseModel):
    """What is under way in all processes: photos on benches, and background work."""

    leases: int
    waiting: int
    doing: int
    failed: int


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
    asked_at: datetime
    ended_at: datetime | None


class Delivery(BaseModel):
    """One file on one way."""

    way: UUID
    name: str
    kind: WayKind
    answers: Answers
    state: Literal["waiting", "delivered", "accepted", "returned", "failed"]
    receipt: str | None
    reasons: list[str]
    trouble: str
    attempts: int
    ask_again_at: datetime | None


class Failures(BaseModel):
    """How often signing in failed of late, and how many seconds ago the last time was."""

    kind: Literal["name", "address"]
    count: int
    ago: float


LinkKind = Literal["proofs", "take", "bring"]


class LinkRow(BaseModel):
    """A link for somebody outside: to see proofs, to take what was made, or to bring photos."""

    id: UUID
    kind: LinkKind
    ends_at: datetime
    used: int
    room: int
    come: int
    made_by: str
    made_at: datetime
    ended: bool


class LinkOfTicket(LinkRow):
    ticket: UUID


class HoursRow(BaseModel):
    """Time on one photo, or what was corrected by hand, of one person and day."""

    who: str
    day: date
    photo: str
    minutes: float
    reason: str
    correction: UUID | None


class InvoiceRow(BaseModel):
    """Time on a ticket, of one person and day."""

    number: str
    title: str
    client: str
    who: str
    day: date
    minutes: float
