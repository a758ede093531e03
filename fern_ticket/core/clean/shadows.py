"""The shadow that a thing throws on its ground: how much darker the ground is with it than without."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.values import depth_within

Grid = NDArray[np.float32]

#: Deviations of the blurs that a ratio is read through, as shares of the place's longer side: close to the thing the
#: finest, so that the narrow shadow where it stands stays narrow.
_BLURS = (0.004, 0.015, 0.05)
#: Distances from the thing at which the second and the third blur have taken over, in their deviations.
_TAKEN_OVER = 3.0
#: Darkening below which nothing is a shadow, and that by which all of it is; as shares of the value.
_NONE, _ALL = 0.02, 0.05
#: The darkest that a ratio is believed, and values so small that no ratio tells anything, of 255.
_DARKEST, _LEAST = 0.08, 4.0


def shadow_of(before: Grid, without: Grid, thing: Grid, loose: NDArray[np.bool_]) -> Grid:
    """Ratio of the ground with a thing's shadow to the ground without, of encoded values.

    Encoded values are about a power of light, so that a ratio of them is one wherever it is laid.

    Parameters
    ----------
    before, without
        Values 0-255 with the thing and of the place grown shut, shape (rows, columns, 3).
    thing
        Coverage of the thing, 0-1, shape (rows, columns).
    loose
        What lies inside the outline: only there a shadow is believed, and it fades towards its rim.

    Returns
    -------
    0-1, shape (rows, columns); 1 where no shadow is. Under the thing it runs on.
    """
    ground = (loose & (thing < 0.05)).astype(np.float32)
    if not ground.any():
        return np.ones(thing.shape, np.float32)
    had, has = (np.maximum(one.mean(axis=2), _LEAST) for one in (without, before))
    side = max(thing.shape)
    away = cv2.distanceTransform((thing < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    ratio: Grid | None = None
    for share in _BLURS:
        deviation = max(0.8, share * side)
        blurred = [cv2.GaussianBlur(one * ground, (0, 0), deviation) for one in (has, had)]
        coarser = (blurred[0] / np.maximum(blurred[1], 1e-3)).astype(np.float32)
        coarser[blurred[1] < 1e-2] = np.nan
        if ratio is None:
            ratio = coarser
            continue
        taken = np.clip(away / (_TAKEN_OVER * deviation), 0, 1).astype(np.float32)
        ratio = np.where(np.isnan(ratio), coarser, ratio + taken * (coarser - ratio))
    assert ratio is not None
    ratio = np.clip(np.nan_to_num(ratio, nan=1.0), _DARKEST, 1)
    believed = np.clip((1 - ratio - _NONE) / (_ALL - _NONE), 0, 1) * _fading(loose)
    return np.asarray(1 + believed * (ratio - 1), np.float32)


def _fading(loose: NDArray[np.bool_]) -> Grid:
    """0 at the rim of an outline, 1 a little inside."""
    return np.asarray(np.clip(depth_within(loose) / max(2.0, 0.05 * max(loose.shape)), 0, 1), np.float32)
