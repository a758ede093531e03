"""White balance: say what light the photo was taken in; it is adapted to daylight.

The adaptation is Bradford's (Lam 1985; ICC.1) on linear light, so a grey in that light becomes a grey.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.illuminant import (
    COOLEST,
    REFERENCE_KELVIN,
    WARMEST,
    temperature_and_tint,
    white_xy,
    xy_to_xyz,
)
from fern_ticket.core.balance.light import BalanceOperation, ColourMatrix, MeanAt, Surroundings
from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.profiles import SRGB_TO_XYZ_D65, Matrix, adaptation

#: Where the rulers stand when nothing is changed, rounded as a person sees it.
NEUTRAL_KELVIN = round(REFERENCE_KELVIN)


class WhiteBalance(Parameters):
    temperature: float | None = Field(
        default=None,
        ge=WARMEST,
        le=COOLEST,
        description="Kelvin of the light in the photo; lower is a warmer light, so the picture gets cooler. "
        "Left out, it is measured at the neutral marks.",
    )
    tint: float | None = Field(
        default=None,
        ge=-150,
        le=150,
        description="Thousandths of Duv; how green the light in the photo was, so the picture gets more magenta.",
    )
    neutrals: list[Mark] = Field(
        default_factory=list, max_length=16, description="Places that should be neutral; they stay pinned."
    )


def matrix(params: WhiteBalance) -> Matrix:
    temperature = REFERENCE_KELVIN if params.temperature is None else params.temperature
    tint = params.tint or 0.0
    if round(temperature) == NEUTRAL_KELVIN and tint == 0:
        return np.eye(3)
    white_then = xy_to_xyz(*white_xy(temperature, tint))
    white_now = xy_to_xyz(*white_xy(REFERENCE_KELVIN, 0))
    to_xyz = SRGB_TO_XYZ_D65
    return np.linalg.inv(to_xyz) @ adaptation(white_then, white_now) @ to_xyz


def transform(params: WhiteBalance, _: Surroundings) -> ColourMatrix | None:
    own = matrix(params)
    return None if np.array_equal(own, np.eye(3)) else ColourMatrix(own)


def settle(params: WhiteBalance, mean_at: MeanAt) -> WhiteBalance:
    if not params.neutrals or params.temperature is not None:
        return params
    temperature, tint = measured(np.stack([mean_at(mark) for mark in params.neutrals]))
    return params.model_copy(update={"temperature": temperature, "tint": tint})


def measured(neutrals: NDArray[np.float64]) -> tuple[float, float]:
    """Temperature and tint that make places neutral.

    Parameters
    ----------
    neutrals
        Mean linear sRGB of each place, shape (n, 3).

    Raises
    ------
    LedgerError
        A place is black or clipped in the shadows, so it has no colour to measure.
    """
    xyz = neutrals @ SRGB_TO_XYZ_D65.T
    total = xyz.sum(axis=1)
    if (total < 1e-4).any() or (neutrals < 0).any():
        raise LedgerError("That place is too dark to measure its colour.", "Pick something lighter that is neutral.")
    x, y = (xyz[:, :2] / total[:, None]).mean(axis=0)
    temperature, tint = temperature_and_tint((float(x), float(y)))
    return round(min(max(temperature, WARMEST), COOLEST)), round(min(max(tint, -150.0), 150.0), 1)


OPERATION = BalanceOperation(
    name="white_balance",
    title="White balance",
    summary="Adapts the light in the photo, by temperature and tint or by places that should be neutral, to daylight.",
    parameters=WhiteBalance,
    transform=transform,
    rank=10,
    elsewhere=lambda params: params.model_copy(update={"neutrals": []}),
    settle=settle,
    neutrals=lambda params: params.neutrals,
    controls=(
        Ruler(
            "temperature",
            "K",
            10,
            rest=NEUTRAL_KELVIN,
            name="warm / cool",
            ends=("cooler", "warmer"),
            scale="reciprocal",
        ),
        Ruler("tint", "", 0.5, low=-60, high=60, name="green / magenta", ends=("green", "magenta")),
    ),
    example={"temperature": 5000, "tint": 3},
    group="Tone",
)
