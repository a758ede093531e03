"""White point and black point: where the tones end."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, Surroundings, ToneCurve, curve
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters


class EndPoints(Parameters):
    white: float = Field(default=0.0, ge=-40, le=40, description="Per cent by which white rises (or falls).")
    black: float = Field(default=0.0, ge=-40, le=40, description="Per cent by which black rises (or falls).")


def transform(params: EndPoints, _: Surroundings) -> ToneCurve | None:
    if not params.white and not params.black:
        return None
    low, high = params.black / 100, 1 + params.white / 100
    return curve(lambda x: low + (high - low) * x)


OPERATION = BalanceOperation(
    name="end_points",
    title="White and black point",
    summary="Moves the lightest and the darkest tone, in per cent of the encoded range.",
    parameters=EndPoints,
    transform=transform,
    rank=62,
    controls=(
        Ruler("white", "%", 0.5, low=-40, high=40, name="white point"),
        Ruler("black", "%", 0.5, low=-40, high=40, name="black point"),
    ),
    example={"white": 2, "black": -2},
    group="Tone",
)
