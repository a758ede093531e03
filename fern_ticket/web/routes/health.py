"""Whether this process lives, and whether it can serve: for whoever watches over it or sends people to it."""

from __future__ import annotations

import asyncio

from fastapi import APIRouter, Response
from pydantic import BaseModel

from fern_ticket.store.errors import Away
from fern_ticket.web.common.state import SharedState

router = APIRouter(prefix="/api", tags=["health"])

#: Seconds in which the database answers when all is well.
_PATIENCE = 2.0


class Health(BaseModel):
    """Whether the process answers, and whether all that it needs does."""

    alive: bool
    ready: bool


@router.get("/health", responses={503: {"model": Health, "description": "The database does not answer."}})
async def health(shared: SharedState, response: Response) -> Health:
    """Open to anybody; tells nothing but this. 503 while the database is away."""
    try:
        await asyncio.wait_for(shared.database.value("answers"), _PATIENCE)
    except (Away, TimeoutError):
        response.status_code = 503
        return Health(alive=True, ready=False)
    return Health(alive=True, ready=True)
