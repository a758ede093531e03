"""Exposure: light multiplied, in stops."""

from __future__ import annotations

import numpy as np
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, ColourMatrix, Surroundings
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters


class Exposure(Parameters):
    ev: float = Field(default=0.0, ge=-6, le=6, description="Stops; +1 doubles the light.")


def transform(params: Exposure, _: Surroundings) -> ColourMatrix | None:
    return ColourMatrix(np.eye(3) * float(2.0**params.ev)) if params.ev else None


OPERATION = BalanceOperation(
    name="exposure",
    title="Exposure",
    summary="Multiplies the light by a power of two.",
    parameters=Exposure,
    transform=transform,
    rank=20,
    controls=(Ruler("ev", "EV", 0.05, low=-4, high=4, name="exposure"),),
    example={"ev": 0.1},
    group="Tone",
)
