"""A source brought onto the pattern of its place, so that joints of brick, tiles and planks run on.

A pattern is like itself moved by whole periods (autocorrelation, `shift_map`). A source that a hand placed lies a
little off such an offset: of all offsets within half a period, that is taken at which the rims of the place and of the
source are most alike.
"""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.repair import Ground, Painted
from fern_ticket.core.clean.shift_map import periods
from fern_ticket.core.pictures.values import narrowed

#: How far around a place one looks for its pattern, as a share of its longer side, and pixels at least and at most.
_AROUND, _LEAST, _MOST = 1.5, 120, 600
#: Width of the rim that has to be alike, as a share of a place's longer side, and pixels at least.
_RIM, _THIN = 0.3, 6
#: Farthest that a source is moved, pixels.
_FARTHEST = 64
#: Correlation of both rims that counts as alike, and how much more of it a moved source needs, the farther the more.
_ALIKE, _BETTER = 0.5, 0.02


def snapped(painted: Painted, offset: tuple[int, int], ground: Ground) -> tuple[int, int]:
    """The offset (dx, dy) to a source, on the pattern of the place; as it was where there is none."""
    place = painted.box
    side = max(place.width, place.height)
    around = place.grown(min(max(_LEAST, round(_AROUND * side)), _MOST)).within(ground.whole)
    hole = painted.over(around)
    values = narrowed(ground.read(around)).astype(np.float32)
    found = periods(values, hole, ~ground.across(around, place))
    if found is None:
        return offset
    far = min(_FARTHEST, math.floor(float(np.hypot(*found.T).min()) / 2))
    return _nudged(painted, offset, far, ground)


def _nudged(painted: Painted, offset: tuple[int, int], far: int, ground: Ground) -> tuple[int, int]:
    """The offset within `far` pixels of one at which the rims of a place and of its source are most alike."""
    place = painted.box
    width = max(_THIN, round(_RIM * max(place.width, place.height)))
    outer = place.grown(width).within(ground.whole)
    covered = painted.over(outer)
    near = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * width + 1, 2 * width + 1))
    rim = cv2.dilate(covered.astype(np.uint8), near).astype(bool) & ~covered
    there = outer.moved(*offset).grown(far)
    if ground.whole.within(there) != there:
        return offset
    likeness = _likeness(narrowed(ground.read(there)), narrowed(ground.read(outer)), rim)
    dy, dx = np.mgrid[-far : far + 1, -far : far + 1]
    gained = likeness - _BETTER * np.hypot(dy, dx) / far
    best = np.unravel_index(int(gained.argmax()), gained.shape)
    if likeness[best] < _ALIKE or gained[best] < likeness[far, far] + _BETTER:
        return offset
    return offset[0] + int(dx[best]), offset[1] + int(dy[best])


def _likeness(seen: NDArray[np.uint8], own: NDArray[np.uint8], rim: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Correlation of the pixels of a rim with those at each offset in what is seen, -1 to 1."""
    weights = np.repeat(rim.astype(np.float32)[..., None], 3, axis=2)
    found = cv2.matchTemplate(seen.astype(np.float32), own.astype(np.float32), cv2.TM_CCOEFF_NORMED, mask=weights)
    return np.nan_to_num(np.asarray(found, np.float32), nan=-1.0, posinf=-1.0, neginf=-1.0)
