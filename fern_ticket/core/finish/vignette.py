"""Vignette: the corners of the finished frame darker (less distracting) or lighter."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters, Station


class Vignette(Parameters):
    amount: float = Field(default=0.0, ge=-100, le=100, description="-100 darkens the corners by two stops.")
    reach: float = Field(default=50, ge=0, le=95, description="Per cent of the way to the corner where it begins.")


def transform(params: Vignette, _: Surroundings) -> PixelFunction | None:
    return PixelFunction(partial(_work, params=params), encoded=False) if params.amount else None


def _work(planes: Planes, place: Position, *, params: Vignette) -> None:
    _shade(planes, place.to_share, np.float32(2 * params.amount / 100), np.float32(params.reach / 100))


@fast_kernel
def _shade(planes: Planes, to_share: NDArray[np.float64], stops: np.float32, start: np.float32) -> None:
    for row in range(planes.shape[1]):
        for column in range(planes.shape[2]):
            x = to_share[0, 0] * (column + 0.5) + to_share[0, 1] * (row + 0.5) + to_share[0, 2] - 0.5
            y = to_share[1, 0] * (column + 0.5) + to_share[1, 1] * (row + 0.5) + to_share[1, 2] - 0.5
            away = np.float32(np.sqrt(2 * (x * x + y * y)))
            t = min(max((away - start) / (np.float32(1) - start), np.float32(0)), np.float32(1))
            gain = np.float32(2.0) ** (stops * t * t * (np.float32(3) - np.float32(2) * t))
            for channel in range(3):
                planes[channel, row, column] *= gain


OPERATION = BalanceOperation(
    name="vignette",
    title="Vignette",
    summary="Darkens or lightens toward the corners of the finished frame.",
    parameters=Vignette,
    transform=transform,
    in_station=Station.FINISH,
    controls=(
        Ruler("amount", name="vignette", ends=("darker", "lighter")),
        Ruler("reach", "% of the way out", name="begins at"),
    ),
    example={"amount": -15},
    rank=10,
)
