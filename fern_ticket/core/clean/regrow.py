"""Regrow: a place is filled from the rest of the picture, in several takes to choose from."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.clean.synthesis import Unfillable, synthesise
from fern_ticket.core.ledger.masks import Mask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded

#: Places of one mask that lie nearer to one another than this share of their reach are grown together.
_TOGETHER = 0.5
#: How much firmer than its stroke a grown place is laid on.
_FIRM = 6.0
#: Numbers between the seeds of two takes.
_TAKE = 1000


class Regrow(Parameters):
    take: int = Field(
        default=0, ge=0, le=99, description="Which of the results; each is as likely to be the right one."
    )
    reach: float = Field(
        default=0.75,
        ge=0.2,
        le=4,
        description="How far texture is fetched from, as a share of the place's longer side.",
    )
    seed: int = Field(default=1, ge=0, le=2**31)


def window(place: Box, reach: float, size: tuple[int, int]) -> Box:
    """The surroundings that a place is filled from."""
    return place.grown(max(72, round(reach * max(place.width, place.height)))).within(Box(0, 0, *size))


def reads(params: Regrow, mask: Mask, size: tuple[int, int]) -> Box:
    box = mask.box(size)
    return box if box.empty else window(box, params.reach, size)


def repair(params: Regrow, mask: Mask, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Regrow")
    pixels = ground.read(painted.box).copy()
    groups = _groups(painted, params.reach)
    for number, place in enumerate(groups):
        around = window(place, params.reach, ground.size)
        hole = painted.over(around)
        own = np.zeros_like(hole)
        inner = place.relative_to(around)
        own[inner.rows, inner.columns] = hole[inner.rows, inner.columns]

        def carry_on(share: float, number: int = number) -> None:
            ground.carry_on((number + share) / len(groups))

        filled = grown(around, own, hole, place, ground, params.seed + _TAKE * params.take, carry_on)
        inside = place.relative_to(painted.box)
        target = pixels[inside.rows, inside.columns]
        here = own[inner.rows, inner.columns]
        target[here] = filled[inner.rows, inner.columns][here]
    # what is grown fits at its rim; under a soft rim the thing that should go would shine through
    return Patch(painted.box, pixels, np.minimum(_FIRM * painted.alpha, np.float32(1)))


def grown(
    around: Box,
    own: NDArray[np.bool_],
    holes: NDArray[np.bool_],
    place: Box,
    ground: Ground,
    seed: int,
    carry_on: Callable[[float], None],
) -> Pixels:
    """Pixels of `around` with the hole `own` grown shut; `holes` are all pixels that are not to be copied from."""
    pixels = ground.read(around)
    deep = pixels.dtype == np.uint16
    unit = np.float32(1 / 257 if deep else 1)
    values = pixels.astype(np.float32) * unit
    seen = ~holes & ~ground.limits.across(around, place.middle)
    usable = ~holes & ~ground.barred(around, place)
    try:
        filled = synthesise(values, own, usable, seen, seed, carry_on)
    except Unfillable:
        filled = fill_membrane(values, own, seen if seen.any() else ~holes)
    out = pixels.copy()
    out[own] = rounded(filled[own] / unit, pixels.dtype)
    return out


def _groups(painted: Painted, reach: float) -> list[Box]:
    """Boxes of places that are filled in one run: near ones together, far ones by themselves."""
    boxes = [place for place, _ in painted.places()]
    merged = True
    while merged:
        merged = False
        for i in range(len(boxes)):
            for j in range(i + 1, len(boxes)):
                near = round(_TOGETHER * reach * max(boxes[i].width, boxes[i].height, boxes[j].width, boxes[j].height))
                if boxes[i].grown(near + 8).meets(boxes[j]):
                    boxes[i] = boxes[i].joined(boxes.pop(j))
                    merged = True
                    break
            if merged:
                break
    return boxes


OPERATION = CleanOperation(
    name="regrow",
    title="Regrow",
    summary="Fills a place from the rest of the picture, in takes to choose from.",
    parameters=Regrow,
    reads=reads,
    repair=repair,
    slow=True,
)
