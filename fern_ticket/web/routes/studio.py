"""The studio's settings, and what happened in it. Kept and seen by those who lead."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from fern_ticket.core.orders.numbering import number_of, number_stem
from fern_ticket.store.records import Happening
from fern_ticket.store.studio import Studio, keep_studio, studio_of
from fern_ticket.web.common.asked import likely
from fern_ticket.web.common.happening import Leads
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import Lead

router = APIRouter(prefix="/api", tags=["studio"])


class Pattern(BaseModel):
    pattern: str = Field(min_length=1, max_length=60)


class Numbered(BaseModel):
    number: str


@router.get("/studio")
async def studio(shared: SharedState, _: Lead) -> Studio:
    return await studio_of(shared.database)


@router.put("/studio")
async def keep(asked: Studio, shared: SharedState, lead: Leads) -> Studio:
    async with shared.database.transaction() as within:
        before = await studio_of(within)
        await keep_studio(within, asked)
        changed = [name for name in Studio.model_fields if getattr(before, name) != getattr(asked, name)]
        if changed:
            await lead.did(within, f"set {', '.join(changed).replace('_', ' ')}", about="the studio")
    shared.hosts.clear()
    return asked


@router.post("/studio/number")
async def number(asked: Pattern, _: Lead) -> Numbered:
    """A number that a pattern would give."""
    return Numbered(number=number_of(number_stem(asked.pattern, date.today()), 7))


@router.get("/happened")
async def happened(
    shared: SharedState,
    _: Lead,
    words: Annotated[str, Query(max_length=80)] = "",
    before: Annotated[int | None, Query(ge=0, le=2**62)] = None,
    limit: Annotated[int, Query(ge=1, le=200)] = 60,
) -> list[Happening]:
    """Who did what, to what, when and from where: the newest first, those with certain words."""
    return await shared.database.rows(Happening, "happenings", words=likely(words), before=before, limit=limit)
