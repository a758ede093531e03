"""Hue bands: turn, saturate or lighten one family of colour and leave the others and every grey alone."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.hues import _at_hue, _hue, hues, weight
from fern_ticket.core.balance.light import BalanceOperation, Place, Planes, Surroundings, Working
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.operation import Parameters


class Band(Parameters):
    hue: float = Field(ge=0, le=360, description="Middle of the family, degrees; red 0, green 120, blue 240.")
    width: float = Field(default=60, ge=5, le=180, description="Degrees at which it has faded out.")
    turn: float = Field(default=0, ge=-60, le=60, description="Degrees toward the next hues.")
    saturation: float = Field(default=0, ge=-100, le=100, description="Per cent.")
    lightness: float = Field(default=0, ge=-100, le=100, description="Per cent, in proportion to how coloured it is.")


class HueBands(Parameters):
    bands: list[Band] = Field(default_factory=list, max_length=12)


def stage(params: HueBands, _: Surroundings) -> Working | None:
    if not any(band.turn or band.saturation or band.lightness for band in params.bands):
        return None
    turn, saturation, lightness = tables(params)
    return Working(partial(_work, turn=turn, saturation=saturation, lightness=lightness), encoded=True)


def tables(params: HueBands) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """Turn in sixths of the circle, factor of saturation and share of lightness for each hue."""
    turn, saturation, lightness = (np.zeros(len(hues())) for _ in range(3))
    for band in params.bands:
        part = weight(band.hue, band.width)
        turn += part * band.turn / 60
        saturation += part * band.saturation / 100
        lightness += part * band.lightness / 100
    return turn.astype(np.float32), np.maximum(1 + saturation, 0).astype(np.float32), lightness.astype(np.float32)


def _work(
    planes: Planes,
    _: Place,
    *,
    turn: NDArray[np.float32],
    saturation: NDArray[np.float32],
    lightness: NDArray[np.float32],
) -> None:
    _shift(planes, turn, saturation, lightness)


@fast_kernel
def _shift(
    planes: Planes, turn: NDArray[np.float32], saturation: NDArray[np.float32], lightness: NDArray[np.float32]
) -> None:
    zero, one, six = np.float32(0), np.float32(1), np.float32(6)
    for row in range(planes.shape[1]):
        for column in range(planes.shape[2]):
            r, g, b = planes[0, row, column], planes[1, row, column], planes[2, row, column]
            high, low = max(r, g, b), min(r, g, b)
            chroma = high - low
            if chroma < np.float32(1e-6):
                continue
            hue = _hue(r, g, b)
            turned = hue + _at_hue(turn, hue)
            turned = turned - six if turned >= six else turned + six if turned < zero else turned
            wanted = chroma * _at_hue(saturation, hue)
            grey = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            lifted = grey * (one + _at_hue(lightness, hue) * chroma / max(high, np.float32(0.02)))
            red = min(max(abs(turned - np.float32(3)) - one, zero), one)
            green = min(max(np.float32(2) - abs(turned - np.float32(2)), zero), one)
            blue = min(max(np.float32(2) - abs(turned - np.float32(4)), zero), one)
            mean = np.float32(0.2126) * red + np.float32(0.7152) * green + np.float32(0.0722) * blue
            planes[0, row, column] = lifted + wanted * (red - mean)
            planes[1, row, column] = lifted + wanted * (green - mean)
            planes[2, row, column] = lifted + wanted * (blue - mean)


OPERATION = BalanceOperation(
    name="hue_bands",
    title="Hue bands",
    summary="Turns, saturates or lightens single families of colour; greys stay.",
    parameters=HueBands,
    stage=stage,
)
