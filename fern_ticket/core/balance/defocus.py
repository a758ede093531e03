"""Defocus: out of focus as a lens does it, by a disc in linear light, with highlights that bloom.

Inside a cover only what is covered is mixed, so that a subject's colours do not bleed into its ground.
"""

from __future__ import annotations

import math
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings, luminance_of
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import enlarged

#: Linear luminance from which on a highlight blooms.
_BRIGHT = 0.6
#: Radius of the largest disc that is laid pixel by pixel; larger ones are laid on a smaller copy.
_LARGEST = 64.0


class Defocus(Parameters):
    radius: float = Field(default=0.0, ge=0, le=150, description="Of the disc, source pixels.")
    bloom: float = Field(default=30.0, ge=0, le=100, description="How much more highlights count in their disc.")


def transform(params: Defocus, _: Surroundings) -> PixelFunction | None:
    if not params.radius:
        return None
    # and three pixels of the smaller copy
    reach = params.radius * (1 + 3 / _LARGEST) + 2
    return PixelFunction(partial(_work, params=params), encoded=False, reach=reach, mixes=True)


def _work(planes: Planes, place: Position, *, params: Defocus, coverage: NDArray[np.float32] | None = None) -> None:
    radius = params.radius * place.scale
    if radius < 0.4:
        return
    weight = 1 + np.float32(0.2 * params.bloom) * np.clip(luminance_of(planes) - np.float32(_BRIGHT), 0, 1)
    if coverage is not None:
        weight *= coverage
    times = math.ceil(radius / _LARGEST)
    disc = disc_of(radius / times)
    spread = _under(disc, weight, times, place)
    known = spread > 1e-3
    for plane in planes:
        mixed = _under(disc, plane * weight, times, place)
        plane[known] = mixed[known] / spread[known]


def _under(disc: NDArray[np.float32], plane: NDArray[np.float32], times: int, place: Position) -> NDArray[np.float32]:
    """A plane under a disc that is so many times as large as given: laid on a copy so much smaller, in a time that does
    not grow with it. The copy's pixels lie at the same places of the picture whichever part of it the plane is."""
    if times == 1:
        return np.asarray(cv2.filter2D(plane, cv2.CV_32F, disc, borderType=cv2.BORDER_REFLECT_101))
    rows, columns = plane.shape
    left, top = (round(at) % times for at in place.corner)
    around = (top, -(top + rows) % times, left, -(left + columns) % times)
    whole = cv2.copyMakeBorder(plane, *around, borderType=cv2.BORDER_REFLECT_101)
    size = (whole.shape[1] // times, whole.shape[0] // times)
    small = cv2.resize(whole, size, interpolation=cv2.INTER_AREA)
    laid = cv2.filter2D(small, cv2.CV_32F, disc, borderType=cv2.BORDER_REFLECT_101)
    return enlarged(np.asarray(laid, np.float32), Box(left, top, left + columns, top + rows), times)


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
