"""Saturation: every colour's distance from its grey, and a gentle kind that spares what is saturated already."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, ColourMatrix, Surroundings, drawn_from_grey
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters


class Saturation(Parameters):
    amount: float = Field(default=0.0, ge=-100, le=100, description="Points; -100 leaves greys, +100 doubles.")


def transform(params: Saturation, _: Surroundings) -> ColourMatrix | None:
    """Encoded values mixed with, or drawn away from, their luminance-weighted mean."""
    if not params.amount:
        return None
    return ColourMatrix(drawn_from_grey(1 + params.amount / 100), encoded=True)


OPERATION = BalanceOperation(
    name="saturation",
    title="Saturation",
    summary="Moves every colour away from its grey or toward it, in points.",
    parameters=Saturation,
    transform=transform,
    rank=70,
    controls=(Ruler("amount", name="saturation"),),
    example={"amount": 5},
    group="Tone",
)
