"""What is looked for in a photo, found once on a small copy and led by strokes."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.areas.ground import Ground
from fern_ticket.core.cutting.inside import inside_of
from fern_ticket.core.cutting.proposing import Proposals
from fern_ticket.core.cutting.sky import sky_of
from fern_ticket.core.cutting.subject import SEEN, Small, led, small_of
from fern_ticket.core.ledger.covers import Sky, Subject
from fern_ticket.core.ledger.masks import Alpha, OutlineMask, StrokesMask
from fern_ticket.core.pictures.pyramid import at_level, level_within
from fern_ticket.core.pictures.regions import Box, joined

#: What is looked at around a loose outline, as a share of its long side, and pixels at least.
_AROUND, _AROUND_LEAST = 0.6, 48

Bits = NDArray[np.bool_]


def looked_at(shape: Subject | Sky, ground: Ground) -> Box:
    """What of the photo is looked at, source pixels: all, or what lies about a loose outline and the strokes there."""
    whole = Box(0, 0, *ground.size)
    if not isinstance(shape, Subject) or shape.around is None:
        return whole
    outline = shape.outlined.within(whole)
    if outline.empty:
        return whole
    reach = max(_AROUND_LEAST, math.ceil(_AROUND * max(outline.width, outline.height)))
    return joined([outline.grown(reach), *(one.within(whole) for one in shape.struck)]).within(whole)


def found(shape: Subject | Sky, ground: Ground) -> Bits:
    """What is looked for, on a small copy of what is looked at, as its strokes lead it one after the other."""
    return _found(shape, ground, looked_at(shape, ground))


def _found(shape: Subject | Sky, ground: Ground, place: Box) -> Bits:
    small = _small(ground, place)
    key = f"found {shape.digest} {place}"
    if shape.led:
        return ground.kept_of_original(key, lambda: _led(shape, small, ground, place), small.pixels.nbytes)
    if isinstance(shape, Subject) and shape.around is not None:
        outside = _drawn(OutlineMask(points=shape.around), small, place) < 0.5
        return ground.kept_of_original(key, lambda: inside_of(small, outside), small.pixels.nbytes)
    if isinstance(shape, Sky):
        return ground.kept_of_original(key, lambda: sky_of(small), small.pixels.nbytes)
    proposals = ground.kept_of_original("what may be the subject", lambda: Proposals(small), 4 * small.pixels.nbytes)

    def taken() -> Bits:
        return proposals.takes[shape.take % len(proposals.takes)] if shape.take else proposals.first

    return ground.kept_of_original(key, taken, small.pixels.nbytes)


def _small(ground: Ground, place: Box) -> Small:
    def make() -> Small:
        # the level above the size that is looked at, as far as there is one
        level = max(0, level_within(ground, SEEN, place) - 1)
        return small_of(ground.original(level, at_level(place, level)))

    return ground.kept_of_original(f"small copy to find in {place}", make, 48 * SEEN * SEEN)


def _led(shape: Subject | Sky, small: Small, ground: Ground, place: Box) -> Bits:
    before = _found(shape.before, ground, place)
    inside, outside = np.zeros((2, *before.shape), np.bool_)
    if isinstance(shape, Subject) and shape.around is not None:
        outside = _drawn(OutlineMask(points=shape.around), small, place) < 0.5
    for one in shape.led:
        drawn = _drawn(StrokesMask(strokes=[one.stroke]), small, place) > 0.4
        inside = (inside | drawn) if one.inside else (inside & ~drawn)
        outside = (outside & ~drawn) if one.inside else (outside | drawn)
    return led(small, before, inside, outside)


def _drawn(mask: StrokesMask | OutlineMask, small: Small, place: Box) -> Alpha:
    """What is drawn on the photo, on the small copy of a place of it."""
    rows, columns = small.pixels.shape[:2]
    scale = max(columns, rows) / max(place.width, place.height)
    own = Box(0, 0, columns, rows).moved(round(scale * place.left), round(scale * place.top))
    return mask.scaled(scale).alpha(own)
