"""Defocus: out of focus as a lens does it, by a disc in linear light, with highlights that bloom.

Inside a cover only what is covered is mixed, so that a subject's colours do not bleed into its ground.
"""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings, luminance_of
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters

#: Linear luminance from which on a highlight blooms.
_BRIGHT = 0.6


class Defocus(Parameters):
    radius: float = Field(default=0.0, ge=0, le=150, description="Of the disc, source pixels.")
    bloom: float = Field(default=30.0, ge=0, le=100, description="How much more highlights count in their disc.")


def transform(params: Defocus, _: Surroundings) -> PixelFunction | None:
    if not params.radius:
        return None
    return PixelFunction(partial(_work, params=params), encoded=False, reach=params.radius + 2, mixes=True)


def _work(planes: Planes, place: Position, *, params: Defocus, coverage: NDArray[np.float32] | None = None) -> None:
    radius = params.radius * place.scale
    if radius < 0.4:
        return
    disc = disc_of(radius)
    weight = 1 + np.float32(0.2 * params.bloom) * np.clip(luminance_of(planes) - np.float32(_BRIGHT), 0, 1)
    if coverage is not None:
        weight *= coverage
    weight = np.ascontiguousarray(weight, np.float32)
    spread = cv2.filter2D(weight, -1, disc, borderType=cv2.BORDER_REFLECT_101)
    known = spread > 1e-3
    for plane in planes:
        mixed = cv2.filter2D(plane * weight, -1, disc, borderType=cv2.BORDER_REFLECT_101)
        plane[known] = mixed[known] / spread[known]


def disc_of(radius: float) -> NDArray[np.float32]:
    """A disc whose weights add up to 1; its rim counts by the share of each pixel that it covers."""
    reach = int(np.ceil(radius))
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    disc = np.clip(radius + 0.5 - np.hypot(x, y), 0, 1)
    return np.asarray(disc / disc.sum(), np.float32)


OPERATION = BalanceOperation(
    name="defocus",
    title="Defocus",
    summary="Throws out of focus as a lens does; in an area, without colours of what lies beside it.",
    parameters=Defocus,
    transform=transform,
    rank=92,
    controls=(Ruler("radius", "px", name="defocus", high=80), Ruler("bloom")),
    example={"radius": 3},
    group="Detail",
)
