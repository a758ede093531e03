"""What is looked for in a photo, found once on a small copy and led by strokes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.areas.ground import Ground
from fern_ticket.core.areas.sky import sky_of
from fern_ticket.core.areas.subject import SEEN, Small, led, proposed, small_of
from fern_ticket.core.ledger.covers import Sky, Subject
from fern_ticket.core.ledger.masks import StrokesMask
from fern_ticket.core.pictures.pyramid import level_box, level_within
from fern_ticket.core.pictures.regions import Box


def found(shape: Subject | Sky, ground: Ground) -> NDArray[np.bool_]:
    """What is looked for, on the small copy of the photo, as its strokes lead it one after the other."""
    small = _small(ground)
    key = f"found {shape.digest}"
    if shape.led:
        return ground.kept_of_original(key, lambda: _led(shape, small, ground), small.pixels.nbytes)
    look = proposed if isinstance(shape, Subject) else sky_of
    return ground.kept_of_original(key, lambda: look(small), small.pixels.nbytes)


def _small(ground: Ground) -> Small:
    def make() -> Small:
        # the level above the size that is looked at, as far as there is one
        level = max(0, level_within(ground, SEEN) - 1)
        return small_of(ground.original(level, level_box(ground.size, level)))

    return ground.kept_of_original("small copy to find in", make, 48 * SEEN * SEEN)


def _led(shape: Subject | Sky, small: Small, ground: Ground) -> NDArray[np.bool_]:
    before = found(shape.before, ground)
    rows, columns = before.shape
    shrink = max(columns, rows) / max(ground.size)
    inside, outside = np.zeros((2, rows, columns), np.bool_)
    for one in shape.led:
        drawn = StrokesMask(strokes=[one.stroke]).scaled(shrink).alpha(Box(0, 0, columns, rows)) > 0.4
        inside = (inside | drawn) if one.inside else (inside & ~drawn)
        outside = (outside & ~drawn) if one.inside else (outside | drawn)
    return led(small, before, inside, outside)
