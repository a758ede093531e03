"""How much light is left in the shadow that a piece throws, at any place and level.

A blur needs no more pixels than a few for its deviation: each part is drawn on the level where it has these, and
enlarged.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.plane import PlaneMap, box_around, mapped
from fern_ticket.core.pictures.pyramid import at_level
from fern_ticket.core.pictures.regions import Box, joined
from fern_ticket.core.pictures.values import blurred, enlarged
from fern_ticket.core.pieces.carried import Thrown

#: Pixels that a deviation has at most on the level where a part is drawn, and where its blur is cut off, deviations.
_FINE_ENOUGH, _REACH = 10.0, 3.5

#: How far a thing that is laid elsewhere by a map of the plane covers pixels of a level.
ShareOf = Callable[[PlaneMap, int, Box], Alpha]


def reach_of(parts: Sequence[Thrown], corners: NDArray[np.float64], level: int, box: Box) -> Box:
    """Pixels of a level that shadows of what lies between four corners can darken, within a box."""
    return joined(_place_of(part, corners, level).within(box) for part in parts)


def light_left(
    parts: Sequence[Thrown], corners: NDArray[np.float64], share_of: ShareOf, level: int, place: Box
) -> NDArray[np.float32]:
    """Shares of linear light that are left, shape (rows, columns, 3).

    Parameters
    ----------
    corners
        Of what throws the shadow, photo pixels, shape (4, 2).
    """
    left = np.ones((place.height, place.width, 3), np.float32)
    for part in parts:
        within = _place_of(part, corners, level).within(place)
        if within.empty:
            continue
        inside = within.relative_to(place)
        dark = _drawn(part, share_of, level, within)
        left[inside.rows, inside.columns] *= 1 - dark[..., None] * (1 - part.left).astype(np.float32)
    return left


def _place_of(part: Thrown, corners: NDArray[np.float64], level: int) -> Box:
    x, y = mapped(part.onto, *corners.T) / 2.0**level
    return box_around(x, y, (_REACH * part.blur + 1) / 2.0**level)


def _drawn(part: Thrown, share_of: ShareOf, level: int, place: Box) -> Alpha:
    """A part's coverage of a place, blurred, 0-1."""
    coarse = level
    while part.blur / 2**coarse > _FINE_ENOUGH:
        coarse += 1
    deviation = part.blur / 2**coarse
    wide = at_level(place, coarse - level).grown(math.ceil(_REACH * deviation) + 2)
    share = blurred(share_of(part.onto, coarse, wide), deviation)
    share = enlarged(share, place, 2.0 ** (coarse - level), (wide.left, wide.top))
    if part.rises is None:
        return share
    begins, ends = part.rises
    y = (np.arange(place.top, place.bottom, dtype=np.float32) + np.float32(0.5)) * np.float32(2.0**level)
    along = np.clip((y - begins) / max(ends - begins, 1e-3), 0, 1)
    return np.asarray(share * (along * along * (3 - 2 * along))[:, None], np.float32)
