"""What the decks of the bench are drawn from."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter

from fern_ticket.core.decks import Decks, decks
from fern_ticket.core.operations import describe
from fern_ticket.web.common.who import SignedIn

router = APIRouter(prefix="/api", tags=["decks"])


@router.get("/operations")
async def all_operations(_: SignedIn) -> dict[str, dict[str, Any]]:
    """Every operation with its station, title, summary, schema and traits."""
    return describe()


@router.get("/decks")
async def all_decks(_: SignedIn) -> Decks:
    """Every operation with its controls, and the rulers of what the hand holds."""
    return decks()
