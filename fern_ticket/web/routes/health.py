"""Whether this process lives, and whether it can serve: for whoever watches over it or sends people to it."""

from __future__ import annotations

import asyncio
import secrets

from fastapi import APIRouter, HTTPException, Request, Response
from prometheus_client import CONTENT_TYPE_PLAIN_0_0_4
from pydantic import BaseModel

from fern_ticket.store.errors import Away
from fern_ticket.web.common.files import a_file
from fern_ticket.web.common.metrics import metrics_of
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.who import Anybody

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


@router.get("/metrics", response_class=Response, responses=a_file("text/plain"))
async def metrics(request: Request, shared: SharedState, user: Anybody) -> Response:
    """Figures in the text format of Prometheus: for those who lead, and for whoever knows `FERN_METRICS_TOKEN`."""
    token, said = shared.settings.metrics_token, request.headers.get("authorization", "")
    if not (token and secrets.compare_digest(said.encode(), f"Bearer {token}".encode())):
        if user is None:
            raise HTTPException(401, "Sign in first.")
        if user.role != "lead":
            raise HTTPException(403, "This is seen by those who lead. Ask one of them.")
    return Response(await metrics_of(request).told(shared), media_type=CONTENT_TYPE_PLAIN_0_0_4)
