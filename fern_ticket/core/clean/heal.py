"""Heal: texture from a source along a stroke, colour and light matched to the place."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.healing import RIM, heal_place, kept_inside
from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch, Reader
from fern_ticket.core.clean.sources import propose_source, search_box
from fern_ticket.core.ledger.masks import Mask, Place
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded


class Offset(Parameters):
    dx: float = Field(ge=-1e6, le=1e6, description="Source pixels to the right.")
    dy: float = Field(ge=-1e6, le=1e6, description="Source pixels down.")

    def whole(self) -> tuple[int, int]:
        return round(self.dx), round(self.dy)


class Heal(Parameters):
    source: Offset | None = Field(
        default=None, description="From the place to its source. Left out, the best match nearby is proposed."
    )


def reads(params: Heal, mask: Place, size: tuple[int, int]) -> Box:
    place = mask.box(size)
    around = search_box(place, size) if params.source is None else place.grown(RIM).within(Box(0, 0, *size))
    if params.source is not None and not place.empty:
        dx, dy = kept_inside(around, params.source.whole(), size)
        around = around.joined(around.moved(dx, dy))
    return around


def repair(params: Heal, mask: Place, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Heal")
    pixels, alpha = ground.read(painted.box).copy(), painted.alpha.copy()
    for place, cover in painted.places():
        offset = params.source.whole() if params.source else proposed_source(place, cover, painted, ground)
        blocked = _no_flow(place, cover, painted, ground)
        healed, firm = heal_place(place, cover, blocked, offset, ground.size, _reader(place, offset, ground))
        inside = place.relative_to(painted.box)
        pixels[inside.rows, inside.columns][cover > 0] = healed[cover > 0]
        alpha[inside.rows, inside.columns][cover > 0] = firm[cover > 0]
    return Patch(painted.box, pixels, alpha)


def settle(params: Heal, mask: Mask, ground: Ground) -> tuple[Heal, Mask]:
    """Decide the source when the mask is one place, so that it is shown and can be moved."""
    if params.source is not None:
        return params, mask
    painted = Painted.of(mask, ground, "Heal")
    found = list(painted.places())
    if len(found) != 1:
        return params, mask
    offset = proposed_source(*found[0], painted, ground)
    return params if offset is None else params.model_copy(update={"source": Offset(dx=offset[0], dy=offset[1])}), mask


def proposed_source(place: Box, cover: NDArray[np.float32], painted: Painted, ground: Ground) -> tuple[int, int] | None:
    """Offset to the best source for a place, from where fences, avoided places and the mask itself allow it."""
    around = search_box(place, ground.size)
    forbidden = painted.over(around) | ground.barred(around, place)
    return propose_source(place, cover, forbidden, around, ground.read)


def _no_flow(place: Box, cover: NDArray[np.float32], painted: Painted, ground: Ground) -> NDArray[np.bool_]:
    """Pixels within the rim of a place that nothing may flow in from: other places of the mask, and fences."""
    rim = place.grown(RIM).within(ground.whole)
    blocked = painted.over(rim)
    inner = place.relative_to(rim)
    blocked[inner.rows, inner.columns] &= cover == 0
    return blocked | ground.lines(rim)


def _reader(place: Box, offset: tuple[int, int] | None, ground: Ground) -> Reader:
    """How a place's pixels are read; where its source lies across a fence, without what lies there."""
    rim = place.grown(RIM).within(ground.whole)
    if offset is not None and ground.limits.fences:
        moved = rim.moved(*kept_inside(rim, offset, ground.size))
        if ground.across(moved, place).any():
            return _fenced(ground, place)
    return ground.read


def _fenced(ground: Ground, place: Box) -> Reader:
    """Reads pixels with those across a fence replaced by what flows in from this side of it."""

    def read(box: Box) -> Pixels:
        pixels = ground.read(box)
        across = ground.across(box, place)
        if not across.any() or across.all():
            return pixels
        filled = fill_membrane(pixels.astype(np.float32), across, ~across)
        return rounded(filled, pixels.dtype)

    return read


OPERATION = CleanOperation(
    name="heal",
    title="Heal",
    summary="Takes texture from a source and matches its colour and light to the place.",
    parameters=Heal,
    reads=reads,
    repair=repair,
    settle=settle,
    charted=True,
    gesture="stroke",
    rank=20,
    how="Paint along a mark. Drag the dotted source to take its texture from elsewhere.",
    interchangeable=True,
    advised=True,
    yields=True,
)
