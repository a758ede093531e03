"""Places in a photo that a person picked for their colour."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.ledger.operation import Parameters


class Mark(Parameters):
    x: float = Field(ge=-1e6, le=1e6, description="Centre, source pixels.")
    y: float = Field(ge=-1e6, le=1e6, description="Centre, source pixels.")
    size: float = Field(default=24, ge=1, le=500, description="Side of the square that is averaged, source pixels.")
