"""Black and white by a chosen response to colour, and a trim for single families of colour."""

from __future__ import annotations

from functools import partial
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.hues import _at_hue, _hue, hues, weight
from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Choice, Editor, Ruler
from fern_ticket.core.ledger.operation import Parameters

Response = Literal["even", "eye", "red", "orange", "yellow", "green", "blue"]

#: What each response makes of linear red, green and blue; each sums to one, so greys stay. Ours, by eye (no source),
#: but `eye`, which is luminance (IEC 61966-2-1).
RESPONSES: dict[Response, tuple[float, float, float]] = {
    "even": (1 / 3, 1 / 3, 1 / 3),
    "eye": (0.2126, 0.7152, 0.0722),
    "red": (0.86, 0.16, -0.02),
    "orange": (0.62, 0.38, 0.0),
    "yellow": (0.42, 0.55, 0.03),
    "green": (0.10, 0.82, 0.08),
    "blue": (0.05, 0.20, 0.75),
}


class Trim(Parameters):
    hue: float = Field(ge=0, le=360, description="Middle of the family, degrees.")
    amount: float = Field(default=0, ge=-100, le=100, description="Per cent lighter, in proportion to its colour.")


class BlackWhite(Parameters):
    response: Response = "eye"
    trims: list[Trim] = Field(default_factory=list, max_length=12)


def transform(params: BlackWhite, _: Surroundings) -> PixelFunction:
    trim = sum((weight(t.hue, 60) * t.amount / 100 for t in params.trims), np.zeros(len(hues())))
    weights = np.array(RESPONSES[params.response], np.float32)
    return PixelFunction(partial(_work, weights=weights, trim=trim.astype(np.float32)), encoded=False)


def _work(planes: Planes, _: Position, *, weights: NDArray[np.float32], trim: NDArray[np.float32]) -> None:
    _to_grey(planes, weights, trim, bool(trim.any()))


@fast_kernel
def _about_encoded(linear: np.float32) -> np.float32:
    """Near to sRGB's curve, within 0.025: hue is an angle of encoded colour, as in the bands, and wants no more."""
    root = np.sqrt(max(linear, np.float32(0)))
    return np.float32(np.float32(0.8) * root + np.float32(0.2) * np.sqrt(root))


@fast_kernel
def _to_grey(planes: Planes, weights: NDArray[np.float32], trim: NDArray[np.float32], trimmed: bool) -> None:
    zero, one = np.float32(0), np.float32(1)
    for row in range(planes.shape[1]):
        for column in range(planes.shape[2]):
            r, g, b = planes[0, row, column], planes[1, row, column], planes[2, row, column]
            high, low = max(r, g, b), min(r, g, b)
            grey = max(weights[0] * r + weights[1] * g + weights[2] * b, zero)
            if trimmed:
                hue = _hue(_about_encoded(r), _about_encoded(g), _about_encoded(b))
                pure = (high - low) / max(high, np.float32(1e-4))
                grey *= max(one + _at_hue(trim, hue) * min(pure, one), zero)
            for channel in range(3):
                planes[channel, row, column] = grey


#: Families of colour that a trim is offered for, and the hue of each.
_FAMILIES = {"reds": 0.0, "yellows": 60.0, "greens": 120.0, "blue-greens": 180.0, "blues": 240.0, "purples": 300.0}

OPERATION = BalanceOperation(
    name="black_white",
    title="Black and white",
    summary="Makes greys by a chosen response to colour, with a trim for single families.",
    parameters=BlackWhite,
    transform=transform,
    rank=80,
    example={"response": "red", "trims": [{"hue": 120, "amount": 20}]},
    group="Mono",
    controls=(
        Choice("response", begins={}),
        Editor(
            "trims",
            "trims",
            model=Trim,
            rulers=(Ruler("amount"),),
            items=tuple(_FAMILIES),
            places=tuple(_FAMILIES.values()),
        ),
    ),
)
