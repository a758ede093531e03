"""Relocate: a subject moved or duplicated; the old place is grown shut if asked.

A loose outline is enough: the subject in it is cut out with its fine edge, and only that moves, with its shadow.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.clean.regrow import grown, window
from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.clean.shadows import shadow_of
from fern_ticket.core.cutting.cut_out import cut_out
from fern_ticket.core.cutting.edge_colours import edge_colours
from fern_ticket.core.ledger.controls import Switch
from fern_ticket.core.ledger.masks import Alpha, Mask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.lab import pixels_to_lab
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import narrowed, rounded

Grid = NDArray[np.float32]
Bits = NDArray[np.bool_]

_REACH = 0.75
#: How much of the ground around an outline is looked at to tell the subject from it, as a share of its longer side.
_SEEN = 0.35
#: Width of the ring that tells how light falls on the ground around an outline, as a share of its longer side.
_RING = 0.1
#: Two grounds whose colours differ by more, in CIELAB's a and b, are of different stuff and tell nothing about light.
_SAME_STUFF = 8.0
#: The most that a subject is darkened or lightened to fit, as a factor of its encoded values.
_MOST_LEVELLED = 1.35


class Relocate(Parameters):
    dx: float = Field(default=0.0, ge=-1e6, le=1e6, description="Source pixels to the right.")
    dy: float = Field(default=0.0, ge=-1e6, le=1e6, description="Source pixels down.")
    cut: bool = Field(
        default=True,
        description="Whether the subject inside a loose outline is found and only that moves; else all of the inside.",
    )
    shadow: bool = Field(default=True, description="Whether the shadow of a subject that is cut out comes with it.")
    clean: bool = Field(
        default=True, description="Whether the old place is grown shut; else the subject is there twice."
    )
    match: bool = Field(default=True, description="Whether light is matched to the ground of the new place.")
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
    return window(box, _REACH, size).joined(covers(params, mask, size)).grown(_ring(box)).within(Box(0, 0, *size))


def _ring(place: Box) -> int:
    """Width of the ring of ground around a place, pixels."""
    return max(4, round(_RING * max(place.width, place.height)))


@dataclass(frozen=True)
class _Cut:
    """What moves, on the box of its outline.

    Attributes
    ----------
    colours
        Its own, without those of its old ground, values of the source.
    alpha
        How far it covers, 0-1.
    shade
        Factor of what lies beneath it and around, 0-1; None where no shadow comes along.
    """

    colours: Grid
    alpha: Alpha
    shade: Grid | None = None


def repair(params: Relocate, mask: Mask, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Relocate")
    place, whole = painted.box, covers(params, mask, ground.size)
    thing = _thing(painted, ground) if params.cut else None
    bare = None
    if params.clean or (thing is not None and params.shadow):
        bare = _grown_shut(painted, ground, params.seed)
    pixels = ground.read(whole).copy()
    alpha = np.zeros((whole.height, whole.width), np.float32)
    if params.clean and bare is not None:
        old = place.relative_to(whole)
        pixels[old.rows, old.columns] = bare
        alpha[old.rows, old.columns] = (painted.alpha > 0).astype(np.float32)
    if thing is not None and params.shadow and bare is not None:
        unit = np.float32(np.iinfo(bare.dtype).max / 255)
        had, has = ground.read(place).astype(np.float32) / unit, bare.astype(np.float32) / unit
        thing = _Cut(thing.colours, thing.alpha, shadow_of(had, has, thing.alpha, painted.alpha > 0))
    moved = place.moved(*params.whole())
    shown = moved.within(ground.whole)
    if not shown.empty:
        at, own = shown.relative_to(whole), shown.relative_to(moved)
        below = pixels[at.rows, at.columns].astype(np.float32)
        if thing is None:
            mixed, touched = _inside_laid(params, painted, ground, below, own)
        else:
            gains = _light_there(thing, painted, ground, params) if params.match else np.ones(3, np.float32)
            mixed, touched = _thing_laid(thing, gains, below, own)
        pixels[at.rows, at.columns] = np.where(touched[..., None], rounded(mixed, pixels.dtype), below)
        under = alpha[at.rows, at.columns]
        np.maximum(under, touched.astype(np.float32), out=under)
    return Patch(whole, pixels, alpha)


def _grown_shut(painted: Painted, ground: Ground, seed: int) -> Pixels:
    """The outline's box with all of its inside grown from its surroundings."""
    place = painted.box
    around = window(place, _REACH, ground.size)
    hole = painted.over(around)
    return grown(around, hole, hole, place, ground, seed, ground.carry_on)


def _thing(painted: Painted, ground: Ground) -> _Cut | None:
    """The subject inside a loose outline; None where nothing there is unlike what lies around."""
    place = painted.box
    seen = place.grown(max(24, round(_SEEN * max(place.width, place.height)))).within(ground.whole)
    pixels = ground.read(seen)
    found = cut_out(narrowed(pixels), painted.over(seen))
    if found is None:
        return None
    inner = place.relative_to(seen)
    colours = edge_colours(pixels, found)[inner.rows, inner.columns]
    return _Cut(colours.astype(np.float32), np.ascontiguousarray(found[inner.rows, inner.columns]))


def _thing_laid(thing: _Cut, gains: Grid, below: Grid, own: Box) -> tuple[Grid, Bits]:
    """A subject with its shadow on new ground, and which pixels that changes."""
    cover = thing.alpha[own.rows, own.columns][..., None]
    mixed, touched = below, cover[..., 0] > 0
    if thing.shade is not None:
        shade = thing.shade[own.rows, own.columns]
        mixed, touched = below * shade[..., None], touched | (shade < 1)
    landed = thing.colours[own.rows, own.columns] * gains
    return mixed + cover * (landed - mixed), touched


def _inside_laid(params: Relocate, painted: Painted, ground: Ground, below: Grid, own: Box) -> tuple[Grid, Bits]:
    """All of the inside of an outline on new ground, and which pixels that changes."""
    cover = painted.alpha[own.rows, own.columns]
    landed = ground.read(painted.box).astype(np.float32)[own.rows, own.columns]
    if params.match:
        landed = landed + _levelled(below - landed, cover > 0)
    return below + cover[..., None] * (landed - below), cover > 0


def _light_there(thing: _Cut, painted: Painted, ground: Ground, params: Relocate) -> Grid:
    """Factors of encoded values by which the new place is lighter than the old; 1 where the grounds tell nothing."""
    place = painted.box
    wide = place.grown(_ring(place))
    ring = ~painted.over(wide)
    if thing.shade is not None:
        inner = place.relative_to(wide)
        ring[inner.rows, inner.columns] |= (thing.alpha < 0.02) & (thing.shade >= 1) & (painted.alpha > 0)
    old, new = (_seen_of(ground, wide, ring, shift) for shift in ((0, 0), params.whole()))
    if old is None or new is None:
        return np.ones(3, np.float32)
    (_, *one), (_, *other) = pixels_to_lab(np.round([[old.middle, new.middle]]).astype(np.uint8))[0]
    if np.hypot(*np.subtract(one, other)) > _SAME_STUFF:
        return np.ones(3, np.float32)
    factors = new.middle / np.maximum(old.middle, 1)
    # where a ground varies as much in itself, its light tells little
    lighter = math.log((float(new.middle.sum()) + 1) / (float(old.middle.sum()) + 1))
    told = lighter**2 / (lighter**2 + (old.varies + new.varies) ** 2 / 4 + 1e-6)
    return np.clip(1 + told * (factors - 1), 1 / _MOST_LEVELLED, _MOST_LEVELLED).astype(np.float32)


class _Seen(NamedTuple):
    """A ring of ground: its median colour, 0-255, and the share of its lightness by which its quartiles differ."""

    middle: Grid
    varies: float


def _seen_of(ground: Ground, wide: Box, ring: Bits, shift: tuple[int, int]) -> _Seen | None:
    """A ring of ground, moved; None where less than half of it lies in the picture."""
    there = wide.moved(*shift)
    shown = there.within(ground.whole)
    if shown.empty:
        return None
    own = shown.relative_to(there)
    asked = ring[own.rows, own.columns]
    if asked.sum() < max(16, ring.sum() // 2):
        return None
    pixels = ground.read(shown)[asked]
    low, middle, high = np.quantile(pixels.mean(axis=1), (0.25, 0.5, 0.75))
    colour = np.asarray(np.median(pixels, axis=0) * (255 / np.iinfo(pixels.dtype).max), np.float32)
    return _Seen(colour, float((high - low) / max(middle, 1.0)))


def _levelled(off: Grid, inside: Bits) -> Grid:
    """The membrane of what the new ground differs from the subject's own at the rim."""
    rim = ~inside
    return fill_membrane(off, inside, rim) if rim.any() else np.zeros_like(off)


OPERATION = CleanOperation(
    name="relocate",
    title="Relocate",
    summary="Moves or duplicates the subject of an outline, with its shadow, and grows its old place shut.",
    parameters=Relocate,
    covers=covers,
    reads=reads,
    repair=repair,
    slow=True,
    beside=True,
    charted=True,
    gesture="outline",
    example={"dx": 40},
    rank=80,
    how="Draw loosely round a subject, then drag it to its new place.",
    controls=(
        Switch("cut", "subject only"),
        Switch("shadow", "with its shadow"),
        Switch("clean", "clean the old place"),
        Switch("match", "match light"),
    ),
)
