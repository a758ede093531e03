"""What an order says. One model for the page, for order files and for copies."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, AwareDatetime, BaseModel, ConfigDict, Field, field_validator

from fern_ticket.core.orders.numbering import is_number

Kind = Literal["property", "food", "product", "animal", "artwork", "panorama"]
Title = Annotated[str, Field(min_length=1, max_length=120, pattern=r"\S")]
ClientName = Annotated[str, Field(min_length=1, max_length=120, pattern=r"\S")]


def _sensible(due: datetime) -> datetime:
    if not 2000 <= due.year <= 2200:
        raise ValueError("a due time lies between the years 2000 and 2200")
    return due


Due = Annotated[AwareDatetime, AfterValidator(_sensible)]
Brief = Annotated[str, Field(max_length=8000)]


class Request(BaseModel):
    """What is asked of one photo, by the name of its file without the ending, or of a part of the name."""

    model_config = ConfigDict(extra="forbid")

    photo: str = Field(min_length=1, max_length=120, description="The file's name, with or without its ending.")
    request: str = Field(min_length=1, max_length=2000, description="What is wanted of this photo.")


class Order(BaseModel):
    """A ticket as it is ordered."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)

    title: Title = Field(description="What it is called.")
    client: ClientName = Field(description="The client's name; a client that is not known yet is added.")
    kind: Kind = Field(description="The trade that the photos belong to.")
    due: Due = Field(description="When it is due, with the time zone (ISO 8601).")
    brief: Brief = Field(default="", description="What the client wants gone, and what must stay.")
    slip: str = Field(
        default="", max_length=80, description="Name of a slip in the library; the client's usual one where left out."
    )
    ways: list[Annotated[str, Field(min_length=1, max_length=80)]] = Field(
        default=[], max_length=6, description="Names of ways out; the client's usual one where left out."
    )
    editors: list[Annotated[str, Field(min_length=1, max_length=60)]] = Field(
        default=[], max_length=20, description="Sign-in names of those who work on it."
    )
    requests: list[Request] = Field(default=[], max_length=500, description="What is wanted of single photos.")
    number: str | None = Field(
        default=None, max_length=40, description="A number of its own; by the studio's pattern where left out."
    )

    @field_validator("number")
    @classmethod
    def _fits(cls, number: str | None) -> str | None:
        if number is not None and not is_number(number):
            raise ValueError("a number has letters, figures, dot, hyphen and underscore, at most 39")
        return number
