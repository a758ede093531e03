"""A cover as closed outlines, for what is done by outlines: repairs, places to avoid, fences."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.areas.covering import covered_on
from fern_ticket.core.areas.ground import Ground
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.pyramid import level_within

#: Long side of the level that is outlined, at most, and how many times finer its edge is told.
_OUTLINED_ON, _FINER = 3200, 2
#: Most loops, and most corners of all of them.
_MOST_LOOPS, _MOST_CORNERS = 64, 4_000
#: A loop that goes round less than this share of what the largest does is a speck of the cover.
_LEAST = 1e-3
#: How far an outline may run beside the edge at first, pixels of the level.
_BESIDE = 0.5

Loops = list[list[tuple[float, float]]]


def outlines_of(cover: Cover, ground: Ground, wider: float = 0) -> Loops:
    """Where half of it is covered, source pixels; the largest loop first, holes as loops of their own.

    Parameters
    ----------
    wider
        How far outside of that they run, source pixels.

    Raises
    ------
    LedgerError
        It covers nothing, or has no edge.
    """
    level = level_within(ground, _OUTLINED_ON)
    share = covered_on(level, cover.crisp, ground)
    reach = round(wider / 2**level)
    if reach:
        share = np.asarray(cv2.dilate(share, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1,) * 2)))
    found = outlines(share)
    if not found:
        raise LedgerError("The cover has no edge to go along.", "Let it cover a part of the photo.")
    width, height = ground.size
    scale = 2.0**level
    return [[(min(x * scale, width), min(y * scale, height)) for x, y in loop] for loop in found]


def outlines(share: Alpha) -> Loops:
    """Closed outlines along where coverage crosses one half (Suzuki, Abe 1985, doi:10.1016/0734-189X(85)90016-7).

    Corners that the edge does not need are left out (Douglas, Peucker 1973), more of them the more there are.

    Parameters
    ----------
    share
        Coverage 0-1, shape (rows, columns).

    Returns
    -------
    Loops of (x, y) in pixels of `share`, the one that goes round most first; none where nothing or all is covered.
    """
    if share.min() >= 0.5:
        return []
    # a rim without coverage closes what runs off the picture
    framed = cv2.copyMakeBorder(share, 1, 1, 1, 1, cv2.BORDER_REPLICATE)
    finer = cv2.resize(framed, None, fx=_FINER, fy=_FINER, interpolation=cv2.INTER_LINEAR)
    inside = np.zeros((finer.shape[0] + 2, finer.shape[1] + 2), np.uint8)
    inside[1:-1, 1:-1] = finer >= 0.5
    lines, _ = cv2.findContours(inside, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    area = [abs(cv2.contourArea(line)) for line in lines]
    order = sorted((k for k in range(len(lines)) if area[k] > 0), key=lambda k: -area[k])
    kept = [np.asarray(lines[k], np.int32) for k in order if area[k] >= _LEAST * area[order[0]]][:_MOST_LOOPS]
    return [loop for line in _thinned(kept) if len(loop := _placed(line, share.shape)) >= 3]


def _thinned(lines: list[NDArray[np.int32]]) -> list[NDArray[np.int32]]:
    beside = _BESIDE * _FINER
    while True:
        found = [np.asarray(cv2.approxPolyDP(line, beside, True), np.int32) for line in lines]
        if sum(map(len, found)) <= _MOST_CORNERS:
            return found
        beside *= 1.5


def _placed(line: NDArray[np.int32], shape: tuple[int, ...]) -> list[tuple[float, float]]:
    """Back to pixels of the coverage: less the rim of one, in halves, from centres of pixels to their corners."""
    points = (line.reshape(-1, 2) - 1 + 0.5) / _FINER - 1
    return [(float(x), float(y)) for x, y in np.clip(points, 0, (shape[1], shape[0]))]
