"""How much light is left in the shadow that a piece throws, at any place and level.

A blur needs no more pixels than a few for its deviation: each part is drawn on the level where it has these, and
enlarged.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.plane import PlaneMap, mapped, scaling, translation
from fern_ticket.core.pictures.regions import Box, joined
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
    x, y = mapped(part.onto, corners[:, 0], corners[:, 1])
    beyond, times = _REACH * part.blur + 1, 2.0**-level
    low, high = ((np.array([x, y]).min(axis=1) - beyond) * times, (np.array([x, y]).max(axis=1) + beyond) * times)
    low, high = np.clip(low, -(2**30), 2**30), np.clip(high, -(2**30), 2**30)
    return Box(math.floor(low[0]), math.floor(low[1]), math.ceil(high[0]), math.ceil(high[1]))


def _drawn(part: Thrown, share_of: ShareOf, level: int, place: Box) -> Alpha:
    """A part's coverage of a place, blurred, 0-1."""
    coarse = level
    while part.blur / 2**coarse > _FINE_ENOUGH:
        coarse += 1
    times = 2.0 ** (level - coarse)
    deviation = part.blur / 2**coarse
    margin = math.ceil(_REACH * deviation) + 2
    wide = Box(
        math.floor(place.left * times) - margin,
        math.floor(place.top * times) - margin,
        math.ceil(place.right * times) + margin,
        math.ceil(place.bottom * times) + margin,
    )
    share = share_of(part.onto, coarse, wide)
    if deviation > 0.15:
        share = np.asarray(cv2.GaussianBlur(share, (0, 0), deviation, borderType=cv2.BORDER_REPLICATE), np.float32)
    to_coarse = translation(-wide.left, -wide.top) @ scaling(times, times) @ translation(place.left, place.top)
    centred = translation(-0.5, -0.5) @ to_coarse @ translation(0.5, 0.5)
    if coarse > level:
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        share = np.asarray(cv2.warpAffine(share, centred[:2], (place.width, place.height), flags=flags), np.float32)
    else:
        inner = place.relative_to(wide)
        share = share[inner.rows, inner.columns]
    if part.rises is None:
        return share
    begins, ends = part.rises
    y = (np.arange(place.top, place.bottom, dtype=np.float32) + np.float32(0.5)) * np.float32(2.0**level)
    along = np.clip((y - begins) / max(ends - begins, 1e-3), 0, 1)
    return np.asarray(share * (along * along * (3 - 2 * along))[:, None], np.float32)
