"""Ways out as they are kept: where finished photos go, of which kind, and with what settings."""

from __future__ import annotations

from typing import Annotated, Literal
from uuid import UUID

from pydantic import BaseModel, ConfigDict, Field

from fern_ticket.store.records import Answers, WayKind


class _Settings(BaseModel):
    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)


class ToDesk(_Settings):
    """A simulated desk of this installation, which measures what it gets and answers."""

    kind: Literal["desk"] = "desk"
    desk: str = Field(min_length=1, max_length=60)


class ToFolder(_Settings):
    """A folder of this machine or of a mounted share, or any store that fsspec knows."""

    kind: Literal["folder"] = "folder"
    address: str = Field(
        min_length=1, max_length=400, description="A path, s3://bucket/folder, sftp://host/folder and the like."
    )
    user: str = Field(default="", max_length=200, description="Sign-in name or access key.")
    endpoint: str = Field(default="", max_length=400, description="Address of an S3-compatible service.")


class ToInbox(_Settings):
    """An inbox over HTTP, by the protocol in docs/inbox.md."""

    kind: Literal["inbox"] = "inbox"
    address: str = Field(min_length=8, max_length=400, pattern=r"^https?://[^\s]+$")


class ToLink(_Settings):
    """A page from which whoever has its address takes the files."""

    kind: Literal["link"] = "link"
    days: int = Field(default=30, ge=1, le=365)


WaySettings = Annotated[ToDesk | ToFolder | ToInbox | ToLink, Field(discriminator="kind")]


class WayRow(BaseModel):
    """A way out, without its secret."""

    id: UUID
    name: str
    kind: WayKind
    settings: WaySettings
    has_secret: bool
    answers: Answers
    tickets: int


class KeptWay(BaseModel):
    """A way out with its secret, still locked."""

    id: UUID
    name: str
    kind: WayKind
    settings: WaySettings
    secret: bytes | None
    answers: Answers


class WayOfTicket(BaseModel):
    id: UUID
    name: str
    kind: WayKind
