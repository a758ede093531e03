"""Finding where a repair should take its texture from."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.repair import Reader
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import slope

#: Search happens at a scale where the place is at most this many pixels on a side.
_SEARCH_SIDE = 56
#: Levels of 255 below which differences, and slopes, say nothing (tuned on the demo pairs).
_FLAT, _QUIET = 1.5, 0.8
#: Share of all structure that the steepest eighth of a ring holds where it is texture, and where it is few edges.
_TEXTURE, _EDGES = 0.45, 0.8


def search_box(place: Box, size: tuple[int, int]) -> Box:
    """The surroundings in which a source is looked for."""
    reach = max(96, round(1.6 * max(place.width, place.height)))
    return place.grown(reach).within(Box(0, 0, *size))


def propose_source(
    place: Box, cover: NDArray[np.float32], forbidden: NDArray[np.bool_], around: Box, read: Reader
) -> tuple[int, int] | None:
    """Offset (dx, dy) in source pixels to the place that looks most like the surroundings of `place`.

    Compared are the pixels of a ring around the place: their texture first, their colour second (healing matches colour
    anyway). Places with more structure inside than the ring has are put back, so that an edge or another blemish is not
    carried in; nearer places win a tie.

    Parameters
    ----------
    place
        Box of the hole.
    cover
        The hole's coverage 0-1 over `place`.
    forbidden
        Over `around`: pixels that a source may not use, such as the other holes of the same mask.
    around
        Where to search, from `search_box`.

    Returns
    -------
    None when nothing of the right size lies free of the hole.
    """
    ring_width = max(4, round(0.22 * max(place.width, place.height)))
    outer = place.grown(ring_width).within(around)
    scale = min(1.0, _SEARCH_SIDE / max(outer.width, outer.height))
    pixels = read(around)
    # costs are told in a picture's 255 levels, whatever its depth
    picture = _shrink(pixels.astype(np.float32) * np.float32(255 / np.iinfo(pixels.dtype).max), scale)
    blocked = _shrink(forbidden.astype(np.float32), scale) > 0.02
    hole = np.zeros((outer.height, outer.width), np.float32)
    inner = place.relative_to(outer)
    hole[inner.rows, inner.columns] = cover > 0
    grow = 2 * ring_width + 1
    ring = cv2.dilate(hole, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (grow, grow))) - hole
    hole, ring = _shrink(hole, scale), _shrink(ring, scale)
    ring[hole > 0.05] = 0
    top, left = round((outer.top - around.top) * scale), round((outer.left - around.left) * scale)
    rows, columns = hole.shape
    top, left = min(top, picture.shape[0] - rows), min(left, picture.shape[1] - columns)
    if top < 0 or left < 0 or ring.sum() < 8:
        return None

    cost = _ring_cost(picture, 1 - blocked.astype(np.float32), ring, top, left)
    cost += _structure_cost(picture, hole, ring, top, left)
    used = cv2.matchTemplate(blocked.astype(np.float32), (hole > 0.02).astype(np.float32), cv2.TM_CCORR)
    y, x = np.mgrid[0 : cost.shape[0], 0 : cost.shape[1]]
    distance = np.hypot(y - top, x - left) / max(rows, columns)
    cost = cost * (1 + 0.06 * distance) + 0.02 * distance
    cost[used > 0.5] = np.inf
    best = int(np.argmin(cost))
    row, column = divmod(best, cost.shape[1])
    if not np.isfinite(cost[row, column]):
        return None
    dx, dy = round((column - left) / scale), round((row - top) / scale)
    bounds = Box(0, 0, *((around.right, around.bottom)))
    moved = place.moved(dx, dy)
    dx += max(0, around.left - moved.left) - max(0, moved.right - bounds.right)
    dy += max(0, around.top - moved.top) - max(0, moved.bottom - bounds.bottom)
    return dx, dy


def _shrink(pixels: NDArray[np.float32], scale: float) -> NDArray[np.float32]:
    if scale == 1:
        return pixels
    size = (max(1, round(pixels.shape[1] * scale)), max(1, round(pixels.shape[0] * scale)))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.float32)


def _ring_cost(
    picture: NDArray[np.float32], free: NDArray[np.float32], ring: NDArray[np.float32], top: int, left: int
) -> NDArray[np.float32]:
    """Mean squared difference over the ring: fine texture in full, broad colour at a tenth. In units of the ring's own
    variance, so that costs of different kinds can be added. `free` is 0 in the holes: what is to be removed must not
    colour the broad picture around it."""
    rows, columns = ring.shape
    reach = max(1.5, 0.12 * max(rows, columns))
    cover = np.maximum(cv2.GaussianBlur(free, (0, 0), reach), 1e-4)
    broad = cv2.GaussianBlur(picture * free[..., None], (0, 0), reach) / cover[..., None]
    total = np.zeros((picture.shape[0] - rows + 1, picture.shape[1] - columns + 1), np.float32)
    weight = ring / ring.sum()
    spread = 1e-6
    for plane, share in ((picture - broad, 1.0), (broad, 0.1)):
        for channel in range(3):
            layer = np.ascontiguousarray(plane[..., channel])
            target = layer[top : top + rows, left : left + columns]
            squares = cv2.matchTemplate(layer * layer, weight, cv2.TM_CCORR)
            cross = cv2.matchTemplate(layer, weight * target, cv2.TM_CCORR)
            own = float((weight * target * target).sum())
            total += share * np.maximum(squares - 2 * cross + own, 0)
            mean = float((weight * target).sum())
            spread += share * max(own - mean * mean, 0)
    return np.asarray(total / (spread + _FLAT**2), np.float32)


def _structure_cost(
    picture: NDArray[np.float32], hole: NDArray[np.float32], ring: NDArray[np.float32], top: int, left: int
) -> NDArray[np.float32]:
    """How much more structure lies in a source than the ring lets expect in the place."""
    grey = picture.mean(axis=2)
    steep = np.square(slope(grey) / 8)
    inside = cv2.matchTemplate(steep, hole / max(float(hole.sum()), 1e-6), cv2.TM_CCORR)
    rows, columns = hole.shape
    here = steep[top : top + rows, left : left + columns]
    usual = float((here * ring).sum() / ring.sum()) * _more_inside(here, hole, ring)
    return np.asarray(1.5 * np.maximum(inside / (usual + _QUIET**2) - 1.15, 0), np.float32)


def _more_inside(steep: NDArray[np.float32], hole: NDArray[np.float32], ring: NDArray[np.float32]) -> float:
    """How many times more structure lies in a place than around it: 1 for texture, more where it is few edges.

    One that runs through crosses the ring twice, by its width, and the place once, all the way.
    """
    values = np.sort(steep[ring > 0.5])
    if not len(values):
        return 1.0
    few = float(values[-max(1, len(values) // 8) :].sum() / max(float(values.sum()), 1e-6))
    through = math.sqrt(float(hole.sum()))
    width = (math.sqrt(float(hole.sum() + ring.sum())) - through) / 2
    more = float(ring.sum()) * through / (2 * width * float(hole.sum()))
    return 1 + max(0.0, more - 1) * min(max((few - _TEXTURE) / (_EDGES - _TEXTURE), 0.0), 1.0)
