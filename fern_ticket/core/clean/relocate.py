"""Relocate: an outlined subject moved or duplicated; the old place is grown shut if asked."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.clean.regrow import grown, window
from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.ledger.controls import Switch
from fern_ticket.core.ledger.masks import Mask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded

_REACH = 0.75


class Relocate(Parameters):
    dx: float = Field(default=0.0, ge=-1e6, le=1e6, description="Source pixels to the right.")
    dy: float = Field(default=0.0, ge=-1e6, le=1e6, description="Source pixels down.")
    clean: bool = Field(
        default=True, description="Whether the old place is grown shut; else the subject is there twice."
    )
    match: bool = Field(default=True, description="Whether colour and light are matched at the rim of the new place.")
    seed: int = Field(default=1, ge=0, le=2**31)

    def whole(self) -> tuple[int, int]:
        return round(self.dx), round(self.dy)


def covers(params: Relocate, mask: Mask | None, size: tuple[int, int]) -> Box:
    box = Box(0, 0, 0, 0) if mask is None else mask.box(size)
    if box.empty or params.whole() == (0, 0):
        return Box(0, 0, 0, 0)
    new = box.moved(*params.whole()).within(Box(0, 0, *size))
    if new.empty:
        return box if params.clean else Box(0, 0, 0, 0)
    return box.joined(new) if params.clean else new


def reads(params: Relocate, mask: Mask, size: tuple[int, int]) -> Box:
    box = mask.box(size)
    if box.empty:
        return box
    return window(box, _REACH, size).joined(covers(params, mask, size)).grown(1).within(Box(0, 0, *size))


def repair(params: Relocate, mask: Mask, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Relocate")
    place, whole = painted.box, covers(params, mask, ground.size)
    pixels = ground.read(whole).copy()
    alpha = np.zeros((whole.height, whole.width), np.float32)
    dx, dy = params.whole()
    subject = ground.read(place).astype(np.float32)
    if params.clean:
        around = window(place, _REACH, ground.size)
        hole = painted.over(around)
        filled = grown(around, hole, hole, place, ground, params.seed, ground.carry_on)
        old, new = place.relative_to(around), place.relative_to(whole)
        pixels[new.rows, new.columns] = filled[old.rows, old.columns]
        alpha[new.rows, new.columns] = (painted.alpha > 0).astype(np.float32)
    moved = place.moved(dx, dy)
    shown = moved.within(ground.whole)
    if not shown.empty:
        at, own = shown.relative_to(whole), shown.relative_to(moved)
        cover = painted.alpha[own.rows, own.columns]
        landed = subject[own.rows, own.columns]
        below = pixels[at.rows, at.columns].astype(np.float32)
        if params.match:
            landed = landed + _levelled(below - landed, cover > 0)
        mixed = below + cover[..., None] * (landed - below)
        pixels[at.rows, at.columns] = rounded(mixed, pixels.dtype)
        under = alpha[at.rows, at.columns]
        np.maximum(under, (cover > 0).astype(np.float32), out=under)
    return Patch(whole, pixels, alpha)


def _levelled(off: NDArray[np.float32], inside: NDArray[np.bool_]) -> NDArray[np.float32]:
    """The membrane of what the new ground differs from the subject's own at the rim."""
    rim = ~inside
    return fill_membrane(off, inside, rim) if rim.any() else np.zeros_like(off)


OPERATION = CleanOperation(
    name="relocate",
    title="Relocate",
    summary="Moves or duplicates an outlined subject and grows its old place shut.",
    parameters=Relocate,
    covers=covers,
    reads=reads,
    repair=repair,
    slow=True,
    gesture="outline",
    example={"dx": 40},
    rank=80,
    how="Draw round a subject, then drag it to its new place.",
    controls=(Switch("clean", "clean the old place"), Switch("match", "match light")),
)
