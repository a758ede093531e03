"""What is looked for in a photo, found once on a small copy and led by strokes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.areas.ground import Ground
from fern_ticket.core.cutting.proposing import Proposals
from fern_ticket.core.cutting.sky import sky_of
from fern_ticket.core.cutting.subject import SEEN, Small, inside_of, led, small_of
from fern_ticket.core.ledger.covers import Sky, Subject
from fern_ticket.core.ledger.masks import Alpha, OutlineMask, StrokesMask
from fern_ticket.core.pictures.pyramid import level_box, level_within
from fern_ticket.core.pictures.regions import Box


def found(shape: Subject | Sky, ground: Ground) -> NDArray[np.bool_]:
    """What is looked for, on the small copy of the photo, as its strokes lead it one after the other."""
    small = _small(ground)
    key = f"found {shape.digest}"
    if shape.led:
        return ground.kept_of_original(key, lambda: _led(shape, small, ground), small.pixels.nbytes)
    if isinstance(shape, Subject) and shape.around is not None:
        outside = _drawn(OutlineMask(points=shape.around), small, ground) < 0.5
        return ground.kept_of_original(key, lambda: inside_of(small, outside), small.pixels.nbytes)
    if isinstance(shape, Sky):
        return ground.kept_of_original(key, lambda: sky_of(small), small.pixels.nbytes)
    proposals = ground.kept_of_original("what may be the subject", lambda: Proposals(small), 4 * small.pixels.nbytes)

    def taken() -> NDArray[np.bool_]:
        return proposals.takes[shape.take % len(proposals.takes)] if shape.take else proposals.first

    return ground.kept_of_original(key, taken, small.pixels.nbytes)


def _small(ground: Ground) -> Small:
    def make() -> Small:
        # the level above the size that is looked at, as far as there is one
        level = max(0, level_within(ground, SEEN) - 1)
        return small_of(ground.original(level, level_box(ground.size, level)))

    return ground.kept_of_original("small copy to find in", make, 48 * SEEN * SEEN)


def _led(shape: Subject | Sky, small: Small, ground: Ground) -> NDArray[np.bool_]:
    before = found(shape.before, ground)
    inside, outside = np.zeros((2, *before.shape), np.bool_)
    if isinstance(shape, Subject) and shape.around is not None:
        outside = _drawn(OutlineMask(points=shape.around), small, ground) < 0.5
    for one in shape.led:
        drawn = _drawn(StrokesMask(strokes=[one.stroke]), small, ground) > 0.4
        inside = (inside | drawn) if one.inside else (inside & ~drawn)
        outside = (outside & ~drawn) if one.inside else (outside | drawn)
    return led(small, before, inside, outside)


def _drawn(mask: StrokesMask | OutlineMask, small: Small, ground: Ground) -> Alpha:
    rows, columns = small.pixels.shape[:2]
    return mask.scaled(max(columns, rows) / max(ground.size)).alpha(Box(0, 0, columns, rows))
