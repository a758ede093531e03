"""What a small copy of the whole result tells: whether it is level, its ground, how much of it the subject fills."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.inspect.levelling import level_angle
from fern_ticket.core.inspect.measures import Share, densest
from fern_ticket.core.pictures.regions import Box

Reduced = NDArray[np.uint8]

#: Long side of the small copy.
LONG_SIDE = 900
#: The outer band in which the ground is looked at, as a share of the shorter side.
_BAND = 0.03
#: From this value on, of 255, a ground counts as white (common practice, no source).
_WHITE = 250
#: Two scales agree on an angle within so many degrees (common practice, no source).
_SURE = 0.25
#: How far from the ground's colour, of 255, a subject begins at least.
_APART = 14


@dataclass(frozen=True)
class Subject:
    """How much of the frame a subject fills, on the side it fills most, 0-1; and its box in result pixels."""

    share: float
    where: Box | None


def level_error(small: Reduced) -> float:
    """Degrees that level and upright edges are off; of 8-bit sRGB, shape (rows, columns, 3).

    NaN where nothing says it surely: no cue, or another answer at another scale.
    """
    grey = np.asarray(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY) / 255, np.float32)
    smaller = cv2.resize(grey, None, fx=0.7, fy=0.7, interpolation=cv2.INTER_AREA)
    one, other = level_angle(grey), level_angle(np.asarray(smaller, np.float32))
    if one is None or other is None or abs(one - other) > _SURE:
        return float("nan")
    return one


def white_ground(small: Reduced, scale: float) -> Share:
    """Share of the outer band that is white, and where most of what is not lies; a small pixel is `scale` of result."""
    band = np.ones(small.shape[:2], np.bool_)
    wide = max(1, round(_BAND * min(small.shape[:2])))
    band[wide:-wide, wide:-wide] = False
    white = np.asarray((small >= _WHITE).all(axis=-1), np.bool_)
    return Share(float(white[band].mean()), densest(band & ~white, scale))


def subject_of(small: Reduced, scale: float) -> Subject:
    """The subject before an even ground: what differs from the colour of the outer band, its specks left out."""
    soft = cv2.GaussianBlur(small, (0, 0), 1.2).astype(np.int16)
    wide = max(1, round(_BAND * min(small.shape[:2])))
    band = np.concatenate(
        [
            soft[:wide].reshape(-1, 3),
            soft[-wide:].reshape(-1, 3),
            soft[:, :wide].reshape(-1, 3),
            soft[:, -wide:].reshape(-1, 3),
        ]
    )
    ground = np.median(band, axis=0)
    spread = float(np.percentile(np.abs(band - ground).max(axis=1), 90))
    apart = (np.abs(soft - ground).max(axis=-1) > max(_APART, 1.5 * spread)).astype(np.uint8)
    apart = np.asarray(cv2.morphologyEx(apart, cv2.MORPH_OPEN, np.ones((5, 5), np.uint8)))
    count, _, stats, _ = cv2.connectedComponentsWithStats(apart)
    if count < 2:
        return Subject(0.0, None)
    largest = int(stats[1:, cv2.CC_STAT_AREA].max())
    parts = [row for row in stats[1:] if row[cv2.CC_STAT_AREA] >= 0.05 * largest]
    left, top = min(int(row[0]) for row in parts), min(int(row[1]) for row in parts)
    right, bottom = max(int(row[0] + row[2]) for row in parts), max(int(row[1] + row[3]) for row in parts)
    rows, columns = small.shape[:2]
    box = Box(round(left * scale), round(top * scale), round(right * scale), round(bottom * scale))
    return Subject(max((right - left) / columns, (bottom - top) / rows), box)
