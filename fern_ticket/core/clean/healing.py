"""Gradient-domain healing of one place: texture from a source, colour and light from the surroundings.

result = source + membrane of (surroundings - source), Pérez, Gangnet, Blake 2003 (doi:10.1145/882262.882269).

A stroke may be tight. What of the blemish reaches beyond it is not taken for surroundings, and what lies under its soft
rim is covered as firmly as it would show through.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.clean.repair import Reader
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import rounded

#: How far around a place is read: within the first, a blemish may reach; from there on its surroundings tell what is
#: usual.
_SKIRT, RIM = 3, 8
#: Beyond the place a pixel belongs to the blemish that is so many deviations and levels of 255 off what is usual.
_UNUSUAL, _LEVELS = 3.0, 3.0
#: Differences are told after a blur of so many pixels, which leaves single grains out.
_SEEN = 1.0
#: Under a soft rim so much, of 255, is let shine through, or so many times what source and place differ by anyway,
#: yet at most the last.
_SHINES, _ANYWAY, _AT_MOST = 1.0, 1.7, 6.0


def kept_inside(place: Box, offset: tuple[int, int], size: tuple[int, int]) -> tuple[int, int]:
    """The offset nearest to the one asked for whose source lies inside the picture."""
    dx = min(max(offset[0], -place.left), size[0] - place.right)
    dy = min(max(offset[1], -place.top), size[1] - place.bottom)
    return dx, dy


def heal_place(
    place: Box,
    cover: NDArray[np.float32],
    blocked: NDArray[np.bool_],
    offset: tuple[int, int] | None,
    size: tuple[int, int],
    read: Reader,
) -> tuple[Pixels, NDArray[np.float32]]:
    """New pixels for `place`, and the coverage 0-1 under which nothing of what was there shines through.

    Parameters
    ----------
    place
        Box of the hole, inside the picture.
    cover
        Coverage 0-1 over `place`; everything above 0 is solved for.
    blocked
        Over `place` grown by `RIM` and cut to the picture: pixels that belong to other holes, so that nothing flows in
        from them.
    offset
        From the hole to its source, whole pixels. None fills with the membrane alone, without texture.
    size
        Width and height of the picture.
    read
        Reads pixels as they are before the step.

    Returns
    -------
    Pixels of the shape of `place`, in the depth of the picture; its coverage.
    """
    rim = place.grown(RIM).within(Box(0, 0, *size))
    inner = place.relative_to(rim)
    around = read(rim)
    unit = np.float32(np.iinfo(around.dtype).max / 255)
    target = around.astype(np.float32)
    source = np.zeros_like(target)
    if offset is not None:
        source = read(rim.moved(*kept_inside(rim, offset, size))).astype(np.float32)
    hole = np.zeros(target.shape[:2], np.bool_)
    hole[inner.rows, inner.columns] = cover > 0
    away = np.asarray(cv2.distanceTransform((~hole).astype(np.uint8), cv2.DIST_L2, 3), np.float32)
    free = ~hole & ~blocked
    skirt = _skirt(target, away, free, unit)
    apart = np.asarray(target - source, np.float32)
    correction = fill_membrane(apart, hole | skirt, free & ~skirt)
    healed = rounded((source + correction)[inner.rows, inner.columns], around.dtype)
    off = np.asarray((healed.astype(np.float32) - target[inner.rows, inner.columns]) / unit, np.float32)
    return healed, _firm(cover, off, _differs_anyway(apart / unit, away))


def _differs_anyway(off: NDArray[np.float32], away: NDArray[np.float32]) -> float:
    """By how much, of 255, what lies around a place and around its source differ in texture."""
    out = away > _SKIRT + 1
    if not out.any():
        return 0.0
    seen = cv2.GaussianBlur(off, (0, 0), _SEEN)
    return float(np.median(np.abs(seen - np.median(seen[out], axis=0))[out].max(axis=1)))


def _firm(cover: NDArray[np.float32], off: NDArray[np.float32], differs: float) -> NDArray[np.float32]:
    """Coverage of a place with its soft rim firm wherever what was there would shine through.

    Parameters
    ----------
    cover
        As painted; it is never more than the most of it, so that a weak stroke stays weak.
    off
        By how much the place was changed, of 255, shape (rows, columns, 3).
    differs
        By how much the textures differ anyway, of 255.
    """
    off = np.abs(cv2.GaussianBlur(off, (0, 0), _SEEN)).max(axis=2)
    least = min(max(_SHINES, _ANYWAY * differs), _AT_MOST)
    shows = np.clip((off - least) / least, 0, 1) * (cover > 0)
    shows = cv2.dilate(np.asarray(shows, np.float32), np.ones((3, 3), np.uint8))
    # no pixel's middle need be where a soft tip is full
    full = min(1.0, float(cover.max()) / (1 - 0.71 / max(2, min(cover.shape) / 2)))
    firm = np.maximum(cover, cv2.GaussianBlur(shows, (0, 0), 0.7) * np.float32(full))
    return np.where(cover > 0, firm, np.float32(0)).astype(np.float32)


def _skirt(
    target: NDArray[np.float32], away: NDArray[np.float32], free: NDArray[np.bool_], unit: np.float32
) -> NDArray[np.bool_]:
    """Pixels just beside a hole that belong to what is taken away: unlike all that lies a little further out.

    `away` is how far they are from it, `unit` a level of 255 in the picture's depth.
    """
    near, out = free & (away <= _SKIRT), free & (away > _SKIRT)
    if not out.any():
        return np.zeros_like(near)
    size = (4 * RIM + 1, 4 * RIM + 1)

    def mean(values: NDArray[np.float32]) -> NDArray[np.float32]:
        summed = cv2.boxFilter(values * out[..., None], cv2.CV_32F, size, normalize=False)
        return np.asarray(summed / np.maximum(counts, 1)[..., None], np.float32)

    counts = cv2.boxFilter(out.astype(np.float32), cv2.CV_32F, size, normalize=False)
    usual = mean(target)
    deviation = np.sqrt(np.maximum(mean(target * target) - usual * usual, 0))
    unusual = (np.abs(target - usual) > _UNUSUAL * deviation + _LEVELS * unit).any(axis=2)
    # what is next to it is likely its fading edge, too weak to tell by itself
    skirt = cv2.dilate((near & unusual & (counts > 0)).astype(np.uint8), np.ones((5, 5), np.uint8))
    return np.asarray(near & (skirt > 0))
