"""Heal: texture from a source along a stroke, colour and light matched to the place."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.healing import heal_place, kept_inside
from fern_ticket.core.clean.repair import CleanOperation, Painted, Patch, Reader
from fern_ticket.core.clean.sources import propose_source, search_box
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.masks import Mask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box


class Offset(Parameters):
    dx: float = Field(ge=-1e6, le=1e6, description="Source pixels to the right.")
    dy: float = Field(ge=-1e6, le=1e6, description="Source pixels down.")

    def whole(self) -> tuple[int, int]:
        return round(self.dx), round(self.dy)


class Heal(Parameters):
    source: Offset | None = Field(
        default=None, description="From the place to its source. Left out, the best match nearby is proposed."
    )


def reads(params: Heal, mask: Mask, size: tuple[int, int]) -> Box:
    place = mask.box(size)
    around = search_box(place, size) if params.source is None else place.grown(1).within(Box(0, 0, *size))
    if params.source is not None and not place.empty:
        dx, dy = kept_inside(around, params.source.whole(), size)
        around = around.joined(around.moved(dx, dy))
    return around


def repair(params: Heal, mask: Mask, size: tuple[int, int], read: Reader) -> Patch:
    painted = Painted.of(mask, size)
    box = painted.box
    if box.empty:
        raise LedgerError("The place to heal lies outside the picture.", "Paint on the picture.")
    if (box.width, box.height) == size and (painted.alpha > 0).all():
        raise LedgerError("The mask covers the whole picture.", "Leave something around it to take texture from.")
    pixels = read(box).copy()
    for place, cover in painted.places():
        offset = params.source.whole() if params.source else _proposed(place, cover, painted, size, read)
        others = _others(place, cover, painted, size)
        healed = heal_place(place, cover, others, offset, size, read)
        inside = place.relative_to(box)
        target = pixels[inside.rows, inside.columns]
        target[cover > 0] = healed[cover > 0]
    return Patch(box, pixels, painted.alpha)


def settle(params: Heal, mask: Mask, size: tuple[int, int], read: Reader) -> Heal:
    """Decide the source when the mask is one place, so that it is shown and can be moved."""
    if params.source is not None:
        return params
    painted = Painted.of(mask, size)
    found = list(painted.places())
    if len(found) != 1:
        return params
    offset = _proposed(*found[0], painted, size, read)
    return params if offset is None else Heal(source=Offset(dx=offset[0], dy=offset[1]))


def _proposed(
    place: Box, cover: NDArray[np.float32], painted: Painted, size: tuple[int, int], read: Reader
) -> tuple[int, int] | None:
    around = search_box(place, size)
    return propose_source(place, cover, painted.over(around), around, read)


def _others(place: Box, cover: NDArray[np.float32], painted: Painted, size: tuple[int, int]) -> NDArray[np.bool_]:
    """Pixels of the mask's other places within the rim of this one."""
    rim = place.grown(1).within(Box(0, 0, *size))
    blocked = painted.over(rim)
    inner = place.relative_to(rim)
    blocked[inner.rows, inner.columns] &= cover == 0
    return blocked


OPERATION = CleanOperation(
    name="heal",
    title="Heal",
    summary="Takes texture from a source and matches its colour and light to the place.",
    parameters=Heal,
    reads=reads,
    repair=repair,
    settle=settle,
)
