"""Haze: the veil of lit air before what is far away, estimated and taken off.

He, Sun, Tang 2009 (doi:10.1109/CVPR.2009.5206515): in a clear view some channel is dark nearly everywhere; what lifts
it is the veil. Its share is refined by a guided filter.
"""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance import base
from fern_ticket.core.balance.light import BalanceOperation, Overview, PixelFunction, Planes, Position, Surroundings
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters

#: A trace of veil is left, else far things look near (He, Sun, Tang 2009, section 4.1).
_TAKEN = 0.95
#: Linear light around black over which the curve bends, where all of the veil is taken off.
_BEND = np.float32(0.02)


class Haze(Parameters):
    amount: float = Field(default=0.0, ge=0, le=100, description="Per cent of the veil to take off.")


def transform(params: Haze, around: Surroundings) -> PixelFunction | None:
    if not params.amount:
        return None
    air, maps = around.kept("veil", _measured)
    return PixelFunction(partial(_work, maps=maps, air=air, amount=params.amount / 100), encoded=False)


def _measured(small: Overview) -> tuple[NDArray[np.float32], base.Coefficients]:
    air, through = veil(small.planes)
    guide = base.log2_of(small.planes)
    both = base.guided(guide, through, max(1, round(0.03 * max(guide.shape))), 0.05)
    return air, base.Coefficients(np.dstack(both), small.scale)


def _work(planes: Planes, place: Position, *, maps: base.Coefficients, air: NDArray[np.float32], amount: float) -> None:
    through = base.base_under(base.log2_of(planes), place, maps)
    _unveil(planes, through, air, np.float32(amount))


@fast_kernel
def _unveil(planes: Planes, through: base.Map, air: NDArray[np.float32], amount: np.float32) -> None:
    one, least = np.float32(1), np.float32(0.1)
    for channel in range(3):
        own = air[channel]
        for row in range(through.shape[0]):
            line, share = planes[channel, row], through[row]
            for column in range(line.shape[0]):
                kept = max(one - amount * (one - min(max(share[column], least), one)), least)
                value = line[column]
                clear = (value - own) / kept + own
                # what comes out darker than black does not end there at once, or shadows would have a rim
                bend = _BEND * (one - kept)
                if clear < bend:
                    clear = (max(clear + bend, np.float32(0)) ** 2) / (4 * bend) if bend > 0 else clear
                line[column] = max(clear, min(value, np.float32(0)))


def veil(planes: Planes) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The veil's linear colour, shape (3,), and the share of light that comes through it, shape (rows, columns)."""
    side = max(3, round(0.02 * max(planes.shape[1:])) | 1)
    block = np.ones((side, side), np.uint8)
    dark = cv2.erode(np.maximum(planes, 0).min(axis=0), block)
    count = max(1, dark.size // 1000)
    thickest = np.argpartition(dark.ravel(), -count)[-count:]
    air = np.maximum(planes.reshape(3, -1)[:, thickest].mean(axis=1), np.float32(0.05))
    lifted = cv2.erode((np.maximum(planes, 0) / air[:, None, None]).min(axis=0), block)
    return air.astype(np.float32), np.clip(1 - _TAKEN * lifted, 0.1, 1).astype(np.float32)


OPERATION = BalanceOperation(
    name="haze",
    title="Haze",
    summary="Estimates the veil of lit air and takes a share of it off.",
    parameters=Haze,
    transform=transform,
    looks=True,
    rank=30,
    controls=(Ruler("amount", "%", name="haze taken off"),),
    example={"amount": 20},
    group="Tone",
)
