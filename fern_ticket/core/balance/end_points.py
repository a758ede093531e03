"""White point and black point: where the tones end.

Where one is moved so far that tones are lost beyond it, the curve bends into it: a sudden end shows as a rim around
whites and as blots in shadows.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, Surroundings, ToneCurve, curve
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters

#: Before and beyond an end, of the encoded range, the curve bends by at most so much.
_BEND = 0.06


class EndPoints(Parameters):
    white: float = Field(default=0.0, ge=-40, le=40, description="Per cent by which white rises (or falls).")
    black: float = Field(default=0.0, ge=-40, le=40, description="Per cent by which black rises (or falls).")


def transform(params: EndPoints, _: Surroundings) -> ToneCurve | None:
    if not params.white and not params.black:
        return None
    low, high = params.black / 100, 1 + params.white / 100
    return curve(lambda x: 1 - _ending(1 - _ending(low + (high - low) * x, -low), high - 1))


def _ending(values: NDArray[np.float64], beyond: float) -> NDArray[np.float64]:
    """Values that end at 0 without a kink, where some lie as far `beyond` it: by a parabola that meets both lines."""
    if beyond <= 0:
        return values
    bend = min(beyond, _BEND)
    return np.where(values >= bend, values, np.square(np.maximum(values + bend, 0)) / (4 * bend))


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
