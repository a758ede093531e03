"""Sharpen: edges steeper, by an unsharp mask of lightness that is held to its neighbours' range.

Noise below the threshold stays as it is, and no edge overshoots what stands beside it by more than `HALO`.
"""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings, luminance_of
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters

Plane = NDArray[np.float32]

#: Most that an edge may overshoot, as a share of its own height.
HALO = 0.025


class Sharpen(Parameters):
    amount: float = Field(default=0.0, ge=0, le=300, description="Per cent of the difference from the blurred picture.")
    radius: float = Field(default=1.2, ge=0.3, le=20, description="Deviation of the blur, source pixels.")
    threshold: float = Field(default=2.0, ge=0, le=50, description="Differences below it stay, per cent of white.")


def transform(params: Sharpen, _: Surroundings) -> PixelFunction | None:
    if not params.amount:
        return None
    return PixelFunction(partial(_work, params=params), encoded=True, reach=4 * params.radius + 2)


def _work(planes: Planes, place: Position, *, params: Sharpen) -> None:
    sharpen(planes, params.radius * place.scale, params.amount / 100, params.threshold / 100)


def sharpen(planes: Planes, radius: float, amount: float, threshold: float) -> None:
    """Sharpen encoded planes in place; a blur of less than a quarter of a pixel has nothing to sharpen.

    Parameters
    ----------
    radius
        Deviation of the blur, plane pixels.
    amount, threshold
        Shares: of the difference from the blurred picture, and of white.
    """
    if radius < 0.25 or not amount:
        return
    light = luminance_of(planes)
    blurred = cv2.GaussianBlur(light, (0, 0), radius, borderType=cv2.BORDER_REPLICATE)
    reach = 2 * max(1, round(1.5 * radius)) + 1
    around = np.ones((reach, reach), np.uint8)
    high, low = cv2.dilate(light, around), cv2.erode(light, around)
    _steepen(planes, light, blurred, high, low, np.float32(amount), np.float32(max(threshold, 1e-6)))


@fast_kernel
def _steepen(
    planes: Planes, light: Plane, blurred: Plane, high: Plane, low: Plane, amount: np.float32, threshold: np.float32
) -> None:
    halo = np.float32(HALO)
    for row in range(light.shape[0]):
        for column in range(light.shape[1]):
            own = light[row, column]
            off = own - blurred[row, column]
            t = min(abs(off) / threshold, np.float32(1))
            new = own + amount * off * t * t * (np.float32(3) - np.float32(2) * t)
            over = halo * (high[row, column] - low[row, column])
            added = min(max(new, low[row, column] - over), high[row, column] + over) - own
            for channel in range(3):
                planes[channel, row, column] += added


OPERATION = BalanceOperation(
    name="sharpen",
    title="Sharpen",
    summary="Makes edges steeper; noise stays, and halos are held below 3 % of the edge.",
    parameters=Sharpen,
    transform=transform,
    rank=94,
    controls=(
        Ruler("amount", "%", name="sharpen"),
        Ruler("radius", "px", step=0.1, scale="logarithmic"),
        Ruler("threshold", "%", step=0.5),
    ),
    example={"amount": 80},
    group="Detail",
)
