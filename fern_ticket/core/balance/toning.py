"""Toning: one hue laid into the shadows, another into the highlights, with a balance between them."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import (
    CURVE_STEPS,
    LUMINANCE,
    BalanceOperation,
    PixelFunction,
    Planes,
    Position,
    Surroundings,
)
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters


class Toned(Parameters):
    shadow_hue: float = Field(default=220, ge=0, le=360, description="Degrees; red 0, green 120, blue 240.")
    shadow_amount: float = Field(default=0, ge=0, le=100, description="Per cent.")
    highlight_hue: float = Field(default=40, ge=0, le=360, description="Degrees.")
    highlight_amount: float = Field(default=0, ge=0, le=100, description="Per cent.")
    balance: float = Field(default=0, ge=-100, le=100, description="Toward shadows (-) or highlights (+).")


def transform(params: Toned, _: Surroundings) -> PixelFunction | None:
    if not params.shadow_amount and not params.highlight_amount:
        return None
    return PixelFunction(partial(_work, tint=tints(params)), encoded=True)


def tints(params: Toned) -> NDArray[np.float32]:
    """What is added to each channel for each luminance, shape (3, CURVE_STEPS + 1); nothing at black and white."""
    level = np.linspace(0, 1, CURVE_STEPS + 1)
    middle = 0.5 - 0.35 * params.balance / 100
    high = np.clip((level - middle) / 0.5 + 0.5, 0, 1)
    high = high * high * (3 - 2 * high)
    room = 4 * level * (1 - level)
    tint = np.outer(_colour(params.shadow_hue), params.shadow_amount / 100 * (1 - high) * room)
    tint += np.outer(_colour(params.highlight_hue), params.highlight_amount / 100 * high * room)
    return np.asarray(0.35 * tint, np.float32)


def _colour(hue: float) -> NDArray[np.float64]:
    """A pure hue less its grey, so that adding it leaves luminance alone."""
    sixth = hue / 60
    pure = np.clip([abs(sixth - 3) - 1, 2 - abs(sixth - 2), 2 - abs(sixth - 4)], 0, 1)
    return np.asarray(pure - np.dot(LUMINANCE, pure))


def _work(planes: Planes, _: Position, *, tint: NDArray[np.float32]) -> None:
    _add(planes, tint)


@fast_kernel
def _add(planes: Planes, tint: NDArray[np.float32]) -> None:
    steps = tint.shape[1] - 1
    for row in range(planes.shape[1]):
        for column in range(planes.shape[2]):
            r, g, b = planes[0, row, column], planes[1, row, column], planes[2, row, column]
            grey = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
            place = min(max(grey, np.float32(0)), np.float32(1)) * np.float32(steps)
            index = min(int(place), steps - 1)
            part = place - np.float32(index)
            for channel in range(3):
                low = tint[channel, index]
                planes[channel, row, column] += low + (tint[channel, index + 1] - low) * part


OPERATION = BalanceOperation(
    name="toning",
    title="Toning",
    summary="Lays a hue into shadows and another into highlights.",
    parameters=Toned,
    transform=transform,
    rank=85,
    controls=(
        Ruler("shadow_amount", "%", name="tone shadows"),
        Ruler("shadow_hue", "°", name="their hue"),
        Ruler("highlight_amount", "%", name="tone highlights"),
        Ruler("highlight_hue", "°", name="their hue"),
        Ruler("balance", name="balance of both"),
    ),
    example={"shadow_amount": 20, "highlight_amount": 10},
    group="Toning",
)
