"""Hide: a face or a plate made unknowable, by blur or by squares, in the plane that it is seen in."""

from __future__ import annotations

import math
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.ledger.controls import Choice, Ruler
from fern_ticket.core.ledger.masks import Place
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded

Way = Literal["blur", "squares"]
#: Deviations of the blur that one side of a square is worth: with 0.6 some small blurred faces were found again.
_DEVIATIONS = 1.0


class Hide(Parameters):
    way: Way = "blur"
    left: int = Field(
        default=6, ge=3, le=16, description="How many squares, or widths of the blur, are left across the place."
    )


def reads(params: Hide, mask: Place, size: tuple[int, int]) -> Box:
    box = mask.box(size)
    return box.grown(3 * _side(box, params)).within(Box(0, 0, *size))


def repair(params: Hide, mask: Place, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Hide")
    pixels = ground.read(painted.box).copy()
    for place, cover in painted.places():
        side = _side(place, params)
        wide = place.grown(3 * side).within(ground.whole)
        hidden = _hidden(ground.read(wide).astype(np.float32), side, params.way)
        inner, target = place.relative_to(wide), place.relative_to(painted.box)
        here = pixels[target.rows, target.columns]
        here[cover > 0] = rounded(hidden[inner.rows, inner.columns], pixels.dtype)[cover > 0]
    return Patch(painted.box, pixels, painted.alpha)


def _side(place: Box, params: Hide) -> int:
    return max(3, math.ceil(max(place.width, place.height) / params.left))


def _hidden(values: NDArray[np.float32], side: int, way: Way) -> NDArray[np.float32]:
    rows, columns = values.shape[:2]
    if way == "blur":
        return np.asarray(cv2.GaussianBlur(values, (0, 0), _DEVIATIONS * side, borderType=cv2.BORDER_REFLECT))
    few = (max(1, round(columns / side)), max(1, round(rows / side)))
    small = cv2.resize(values, few, interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.resize(small, (columns, rows), interpolation=cv2.INTER_NEAREST), np.float32)


OPERATION = CleanOperation(
    name="hide",
    title="Hide",
    summary="Makes a face or a plate unknowable, by blur or by squares.",
    parameters=Hide,
    reads=reads,
    repair=repair,
    charted=True,
    gesture="stroke",
    leaves_traces=False,
    controls=(Choice("way"), Ruler("left", name="detail left")),
    rank=122,
    how="Paint over a face or a plate.",
)
