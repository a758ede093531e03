"""A client as somebody writes it down."""

from __future__ import annotations

from uuid import UUID

from psycopg.types.json import Jsonb
from pydantic import BaseModel, ConfigDict, Field

from fern_ticket.core.orders.order import ClientName
from fern_ticket.core.slips.naming import NameParts, delivered_name
from fern_ticket.store.database import Queries
from fern_ticket.store.happening import Actor
from fern_ticket.store.records import ClientWords, Id


class NewClient(BaseModel):
    """Who orders, and what is usual with them."""

    model_config = ConfigDict(str_strip_whitespace=True)

    name: ClientName
    contact: str = Field(default="", max_length=2000)
    slip: str = Field(default="", max_length=80, description="Name of the slip that their tickets go by.")
    name_pattern: str = Field(
        default="", max_length=120, description="What their files are called; the slip's if empty."
    )
    words: ClientWords = ClientWords()
    taste: str = Field(default="", max_length=4000)
    way: UUID | None = Field(default=None, description="Where their photos go.")

    def values(self) -> dict[str, object]:
        """For the queries. Raises SlipError where the pattern gives no names."""
        if self.name_pattern:
            delivered_name(self.name_pattern, NameParts("x", 1, "x", "x"), "JPEG")
        return {**self.model_dump(exclude={"words"}), "words": Jsonb(self.words.model_dump())}


async def add_client(within: Queries, actor: Actor, client: NewClient) -> UUID | None:
    """None where somebody is called so already."""
    made = await within.row(Id, "add_client", **client.values())
    if made is None:
        return None
    await actor.did(within, "added a client", about=client.name)
    return made.id
