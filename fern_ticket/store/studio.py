"""What those who lead have set for the whole studio."""

from __future__ import annotations

import time
from datetime import date
from typing import Annotated

from psycopg.types.json import Jsonb
from pydantic import BaseModel, ConfigDict, Field, field_validator

from fern_ticket.core.errors import FernError
from fern_ticket.core.orders.numbering import number_stem
from fern_ticket.store.database import Queries

HostName = Annotated[str, Field(min_length=1, max_length=253, pattern=r"^[A-Za-z0-9.\-]+$")]


class Studio(BaseModel):
    """The studio's settings.

    Attributes
    ----------
    name
        Stands on the board and on reports.
    number_pattern
        What tickets are numbered by: `{year}-{count:4}`.
    bin_days
        How long a ticket or photo lies in the bin.
    session_days
        How long somebody stays signed in.
    idle_seconds
        A pause at the bench that is longer does not count as work.
    memory_mb
        What each process may hold of pictures that it can compute again, in MiB; None for what it was started with.
    host_names
        Under which names the application may be reached; empty for any.
    """

    model_config = ConfigDict(extra="ignore")

    name: str = Field(default="", max_length=80)
    number_pattern: str = Field(default="{year}-{count:4}", max_length=60)
    bin_days: int = Field(default=30, ge=1, le=3650)
    session_days: int = Field(default=14, ge=1, le=365)
    idle_seconds: int = Field(default=60, ge=10, le=1800)
    memory_mb: int | None = Field(default=None, ge=128, le=262_144)
    host_names: list[HostName] = Field(default=[], max_length=20)

    @field_validator("number_pattern")
    @classmethod
    def _gives_numbers(cls, pattern: str) -> str:
        try:
            number_stem(pattern, date(2027, 1, 1))
        except FernError as error:
            raise ValueError(str(error)) from None
        return pattern


class _Row(BaseModel):
    settings: Studio


async def studio_of(queries: Queries) -> Studio:
    row = await queries.row(_Row, "studio")
    return Studio() if row is None else row.settings


class RecentStudio:
    """The settings for what asks at every request or photo: read now and then, so that each process follows a change
    without being started anew."""

    #: Seconds for which an answer of the database counts.
    FRESH = 10.0

    def __init__(self, queries: Queries) -> None:
        self._queries = queries
        self._studio = Studio()
        self._until = 0.0

    async def now(self) -> Studio:
        if time.monotonic() >= self._until:
            self._studio = await studio_of(self._queries)
            self._until = time.monotonic() + self.FRESH
        return self._studio

    def clear(self) -> None:
        """Read them anew when they are asked for next."""
        self._until = 0.0


async def keep_studio(queries: Queries, studio: Studio) -> None:
    await queries.run("set_studio", settings=Jsonb(studio.model_dump(mode="json")))
