"""Regrow: a place is filled from the rest of the picture, in several takes to choose from.

Takes are made in two ways by turns, so that where one errs the other need not: patch by patch (`synthesis.py`), and of
whole pieces (`shift_map.py`), which come first where the surroundings are a pattern.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.clean.evening import agreed
from fern_ticket.core.clean.guide_finding import edges_through
from fern_ticket.core.clean.guiding import marks_of
from fern_ticket.core.clean.membrane import fill_membrane, push_pull
from fern_ticket.core.clean.repair import CleanOperation, Ground, Painted, Patch
from fern_ticket.core.clean.roughness import ALIKE, alike_around, ring_around, unlike
from fern_ticket.core.clean.search import SIDE
from fern_ticket.core.clean.shift_map import repeats, shifted
from fern_ticket.core.clean.synthesis import LARGE, Unfillable, synthesise
from fern_ticket.core.ledger.controls import Ruler, Switch
from fern_ticket.core.ledger.masks import Place
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import narrowed, rounded
from fern_ticket.core.threads import beside

Bits = NDArray[np.bool_]
Grid = NDArray[np.float32]

#: Places of one mask with gaps of at most twice so many pixels between them are grown together.
_TOGETHER = 2
#: How much firmer than its stroke a grown place is laid on.
FIRM = 6.0
#: Numbers between the seeds of two takes, and of two tries at one.
_TAKE, _TRY = 1000, 100
#: A place is grown so often that about so many pixels are grown in all, and at most so many times: the smaller it is,
#: the more of how well it looks is luck.
_PIXELS, _TRIES = 40_000, 6
#: How sure an edge has to be to run on without anyone's saying so.
_SURE = 700.0
#: Pixels of a large hole in the first look at it.
_SKETCH = 4_000


class Regrow(Parameters):
    take: int = Field(
        default=0,
        ge=0,
        le=99,
        description="Which of the results: even ones are grown patch by patch, odd ones of whole pieces; "
        "in a pattern seen straight on, such as tiles, the other way round.",
    )
    reach: float = Field(
        default=0.75,
        ge=0.2,
        le=4,
        description="How far texture is fetched from, as a share of the place's longer side.",
    )
    edges: bool = Field(
        default=True,
        description="Whether edges that surely run into the place from both sides run on through it, where no guide "
        "is drawn.",
    )
    seed: int = Field(default=1, ge=0, le=2**31)


@dataclass(frozen=True)
class Hole:
    """What is to be filled, in a window. Attributes as parameters of `synthesise`; `own` is the hole."""

    values: Grid
    own: Bits
    usable: Bits
    seen: Bits
    marks: Grid | None


def window(place: Box, reach: float, size: tuple[int, int]) -> Box:
    """The surroundings that a place is filled from."""
    return place.grown(max(72, round(reach * max(place.width, place.height)))).within(Box(0, 0, *size))


def reads(params: Regrow, mask: Place, size: tuple[int, int]) -> Box:
    box = mask.box(size)
    return box if box.empty else window(box, params.reach, size)


def repair(params: Regrow, mask: Place, ground: Ground) -> Patch:
    painted = Painted.of(mask, ground, "Regrow")
    pixels = ground.read(painted.box)
    # what is grown fits at its rim; under a soft rim the thing that should go would shine through
    firm = np.minimum(FIRM * painted.alpha, np.float32(1))
    places = list(painted.places(_TOGETHER))
    for number, (place, cover) in enumerate(places):
        around = window(place, params.reach, ground.size)
        hole = painted.over(around)
        own = np.zeros_like(hole)
        within = place.relative_to(around)
        own[within.rows, within.columns] = cover > 0

        def carry_on(share: float, number: int = number) -> None:
            ground.carry_on((number + share) / len(places))

        lay = partial(_laid, pixels, place.relative_to(painted.box), cover > 0)

        def show(so_far: Pixels, lay: Callable[[Pixels], Pixels] = lay) -> None:
            ground.show(Patch(painted.box, lay(so_far), firm))

        seed, whole = params.seed + _TAKE * params.take, params.take % 2 == 1
        asked = around, own, hole, place, ground, seed, carry_on
        pixels = lay(grown(*asked, whole=whole, edges=params.edges, show=show))
    return Patch(painted.box, pixels, firm)


def _laid(pixels: Pixels, inside: Box, own: Bits, filled: Pixels) -> Pixels:
    """Pixels with what was filled laid on their part `inside`, where it is `own`."""
    out = pixels.copy()
    np.copyto(out[inside.rows, inside.columns], filled, where=own[..., None])
    return out


def grown(
    around: Box,
    own: Bits,
    holes: Bits,
    place: Box,
    ground: Ground,
    seed: int,
    carry_on: Callable[[float], None],
    *,
    whole: bool = False,
    edges: bool = True,
    show: Callable[[Pixels], None] = lambda _: None,
) -> Pixels:
    """Pixels of `place` with the hole `own` in it grown shut from what is `around`; `holes` are all pixels of that that
    are not to be copied from.

    `whole` fills it with whole pieces of its surroundings, where they lead anywhere; in a pattern it is the other way
    round, as courses and planks run on in whole pieces. `edges`: what surely runs into it from both sides runs on where
    no guide does. `show` is told of a large hole what there is of it so far.
    """
    pixels = ground.read(around)
    unit = np.float32(1 / 257 if pixels.dtype == np.uint16 else 1)
    values = pixels.astype(np.float32)
    if unit != 1:
        values *= unit
    seen = ~holes & ~ground.across(around, place)
    left, top, width, height = cv2.boundingRect(own.astype(np.uint8))
    tight = np.s_[top : top + height, left : left + width]
    inner = place.relative_to(around)
    within = Box(left, top, left + width, top + height).relative_to(inner)

    def made(filled: Grid) -> Pixels:
        """Of the values of the rectangle around the hole."""
        out = pixels[inner.rows, inner.columns].copy()
        laid = rounded(filled / unit, pixels.dtype)
        np.copyto(out[within.rows, within.columns], laid, where=own[tight][..., None])
        return out

    def show_filled(so_far: Grid) -> None:
        show(made(so_far))

    large = int(own.sum()) > LARGE
    if large:
        show_filled(_sketched(values, own, seen)[tight])
    lines = [np.array(guide, np.float64) - (around.left, around.top) for guide in ground.limits.guides]
    usable = ~holes & ~ground.barred(around, place)

    def marked() -> Grid | None:
        marks = marks_of(values, own, seen, lines)
        if marks is not None or not edges:
            return marks
        return marks_of(values, own, seen, [edge.line for edge in edges_through(narrowed(pixels), own, _SURE)])

    marks, patterned = beside(marked, lambda: repeats(values, own, usable))
    hole = Hole(values, own, usable, seen, marks)
    asked = values, own, hole.usable, seen, seed, carry_on
    pieced = shifted(*asked, marks=hole.marks) if whole != patterned else None
    try:
        if pieced is not None:
            filled = pieced
        elif large:
            filled = synthesise(*asked, show=show_filled, marks=hole.marks)
        else:
            filled = _truest(hole, seed, carry_on)
    except Unfillable:
        filled = fill_membrane(values, own, seen if seen.any() else ~holes)
    return made(filled[tight])


def _sketched(values: Grid, own: Bits, seen: Bits) -> Grid:
    """A first look at what comes, in a moment: the colours around flow in, on a small copy."""
    rows, columns = own.shape
    less = max(1, round(math.sqrt(float(own.sum()) / _SKETCH)))
    size = (max(1, columns // less), max(1, rows // less))
    known = cv2.resize(seen.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST) > 0
    if not known.any():
        return values
    small = push_pull(np.asarray(cv2.resize(values, size, interpolation=cv2.INTER_NEAREST)), known)
    return np.asarray(cv2.resize(small, (columns, rows), interpolation=cv2.INTER_LINEAR))


def _truest(hole: Hole, seed: int, carry_on: Callable[[float], None]) -> Grid:
    """Of several tries the one that is most like its surroundings, in the light that all agree on, where these are
    alike; else the first."""
    values, own, usable = hole.values, hole.own, hole.usable
    if alike_around(values, own, usable, SIDE) < ALIKE:
        return synthesise(values, own, usable, hole.seen, seed, carry_on, marks=hole.marks)
    tries = min(max(_PIXELS // max(int(own.sum()), 1), 1), _TRIES)

    def made(number: int) -> Grid:
        def share_done(share: float) -> None:
            carry_on((number + share) / tries)

        return synthesise(values, own, usable, hole.seen, seed + _TRY * number, share_done, marks=hole.marks)

    all_made = [made(number) for number in range(tries)]
    ring = ring_around(own, usable)
    best = min(all_made, key=lambda filled: unlike(filled, own, ring, SIDE))
    return agreed(best, all_made, own, hole.seen)


OPERATION = CleanOperation(
    name="regrow",
    title="Regrow",
    summary="Fills a place from the rest of the picture, in takes to choose from.",
    parameters=Regrow,
    reads=reads,
    repair=repair,
    slow=True,
    charted=True,
    gesture="stroke",
    takes=100,
    firmness=FIRM,
    controls=(Ruler("reach", "%", low=0.2, high=4, times=100), Switch("edges", "edges run on")),
    rank=50,
    how="Paint what should go. It is filled from the rest, in takes to choose from.",
    interchangeable=True,
    advised=True,
)
