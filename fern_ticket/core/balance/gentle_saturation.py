"""Gentle saturation: weak colours gain most, strong ones hardly anything, so that none is pushed to its end."""

from __future__ import annotations

from functools import partial

import numpy as np
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters


class GentleSaturation(Parameters):
    amount: float = Field(default=0.0, ge=-100, le=100, description="Points for a colour that is nearly grey.")


def transform(params: GentleSaturation, _: Surroundings) -> PixelFunction | None:
    return PixelFunction(partial(_work, amount=params.amount / 100), encoded=True) if params.amount else None


def _work(planes: Planes, _: Position, *, amount: float) -> None:
    _spread(planes, np.float32(amount))


@fast_kernel
def _spread(planes: Planes, amount: np.float32) -> None:
    one = np.float32(1)
    for row in range(planes.shape[1]):
        for column in range(planes.shape[2]):
            r, g, b = planes[0, row, column], planes[1, row, column], planes[2, row, column]
            high, low = max(r, g, b), min(r, g, b)
            pure = min(max((high - low) / max(high, np.float32(0.05)), np.float32(0)), one)
            factor = one + amount * (one - pure) * (one - pure)
            grey = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            planes[0, row, column] = grey + factor * (r - grey)
            planes[1, row, column] = grey + factor * (g - grey)
            planes[2, row, column] = grey + factor * (b - grey)


OPERATION = BalanceOperation(
    name="gentle_saturation",
    title="Gentle saturation",
    summary="Raises weak colours and spares those that are strong already.",
    parameters=GentleSaturation,
    transform=transform,
    rank=72,
    controls=(Ruler("amount", name="gentle saturation"),),
    example={"amount": 20},
    group="Tone",
)
