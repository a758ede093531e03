"""The picture laid over itself, by the blend modes of W3C Compositing and Blending Level 1.

Every mode but two looks at each channel alone, so over itself it is a curve. `plus` is that document's `plus-lighter`.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, Surroundings, ToneCurve, curve
from fern_ticket.core.ledger.controls import Choice, Ruler
from fern_ticket.core.ledger.operation import Parameters

Mode = Literal[
    "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light", "soft-light",
    "difference", "exclusion", "plus",
]  # fmt: skip


class OverlaySelf(Parameters):
    mode: Mode = "multiply"
    opacity: float = Field(default=0.0, ge=0, le=100, description="Per cent.")


def transform(params: OverlaySelf, _: Surroundings) -> ToneCurve | None:
    if not params.opacity:
        return None
    share = params.opacity / 100
    if params.mode == "plus":
        return curve(lambda x: np.minimum(x + share * x, 1))
    return curve(lambda x: x + share * (blend(params.mode, x, x) - x))


def blend(mode: Mode, below: NDArray[np.float64], above: NDArray[np.float64]) -> NDArray[np.float64]:
    """B(cb, cs) of one channel, encoded 0-1, section 10 of the document."""
    cb, cs = below, above
    with np.errstate(divide="ignore", invalid="ignore"):
        if mode == "multiply":
            return cb * cs
        if mode == "screen":
            return cb + cs - cb * cs
        if mode == "overlay":
            return blend("hard-light", cs, cb)
        if mode == "darken":
            return np.minimum(cb, cs)
        if mode == "lighten":
            return np.maximum(cb, cs)
        if mode == "color-dodge":
            return np.where(cb == 0, 0, np.where(cs >= 1, 1, np.minimum(1, cb / (1 - cs))))
        if mode == "color-burn":
            return np.where(cb >= 1, 1, np.where(cs <= 0, 0, 1 - np.minimum(1, (1 - cb) / cs)))
        if mode == "hard-light":
            return np.where(cs <= 0.5, blend("multiply", cb, 2 * cs), blend("screen", cb, 2 * cs - 1))
        if mode == "soft-light":
            d = np.where(cb <= 0.25, ((16 * cb - 12) * cb + 4) * cb, np.sqrt(cb))
            return np.where(cs <= 0.5, cb - (1 - 2 * cs) * cb * (1 - cb), cb + (2 * cs - 1) * (d - cb))
        if mode == "difference":
            return np.abs(cb - cs)
        if mode == "exclusion":
            return cb + cs - 2 * cb * cs
    return np.minimum(1, cb + cs)


OPERATION = BalanceOperation(
    name="overlay_self",
    title="Overlay self",
    summary="Lays the picture over itself by a blend mode: multiply makes line art dense, plus makes its paper bright.",
    parameters=OverlaySelf,
    transform=transform,
    rank=66,
    controls=(Choice("mode", name="overlay self by", begins={"opacity": 60}), Ruler("opacity", "%")),
    example={"mode": "multiply", "opacity": 10},
    group="Scan",
    how="Multiply at 60 to 70 % makes line art dense; plus makes its paper bright.",
)
