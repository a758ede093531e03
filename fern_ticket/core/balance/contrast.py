"""Contrast about middle grey; black and white stay."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, Surroundings, ToneCurve, curve
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.profiles import srgb_encode

#: Encoded value of a grey that reflects 18 % (common practice, no source).
MIDDLE = float(srgb_encode(np.array(0.18)))


class Contrast(Parameters):
    amount: float = Field(default=0.0, ge=-100, le=100, description="Per cent; at 100 middle tones are twice as steep.")


def transform(params: Contrast, _: Surroundings) -> ToneCurve | None:
    if not params.amount:
        return None
    steepness = 2.0 ** (params.amount / 100)

    def shape(x: NDArray[np.float64]) -> NDArray[np.float64]:
        below = MIDDLE * (np.minimum(x, MIDDLE) / MIDDLE) ** steepness
        above = 1 - (1 - MIDDLE) * ((1 - np.maximum(x, MIDDLE)) / (1 - MIDDLE)) ** steepness
        return np.asarray(np.where(x < MIDDLE, below, above))

    return curve(shape)


OPERATION = BalanceOperation(
    name="contrast",
    title="Contrast",
    summary="Steepens or flattens the middle tones; black, middle grey and white stay.",
    parameters=Contrast,
    transform=transform,
    rank=60,
    controls=(Ruler("amount", name="contrast"),),
    example={"amount": 10},
    group="Tone",
)
