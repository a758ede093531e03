"""Texture that stands twice in a picture, as careless cloning leaves it. A simple finder, for the lamp."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

#: Features that are compared, and how much better a match must be than the next one (Amerini et al. 2011).
_FEATURES, _BETTER = 8000, 0.5
#: So many features must have moved together, as near as this to one another, by shifts this alike; pixels.
_TOGETHER, _NEAR, _ALIKE = 3, 90.0, 2.5
#: Copies nearer than this are texture of one thing.
_APART = 28.0


@dataclass(frozen=True)
class Repeat:
    """Two places with one texture: their middles, pixels, and how many features say so."""

    one: tuple[float, float]
    other: tuple[float, float]
    features: int


def repeats(grey: NDArray[np.uint8]) -> list[Repeat]:
    """Places of a picture that look like copies of one another, those with most evidence first.

    Keypoint matching of the picture with itself (SIFT, Lowe 2004, doi:10.1023/B:VISI.0000029664.99615.94; as in
    Amerini et al. 2011, doi:10.1109/TIFS.2011.2129512): a match counts when it is much better than the next, and
    when neighbours moved by the same shift.

    Parameters
    ----------
    grey
        Shape (rows, columns), encoded.
    """
    keypoints, found = cv2.SIFT.create(_FEATURES, contrastThreshold=0.015).detectAndCompute(grey, None)
    if found is None or len(keypoints) < 8:
        return []
    at = np.array([point.pt for point in keypoints])
    pairs = []
    for first, *others in cv2.BFMatcher(cv2.NORM_L2).knnMatch(found, found, k=4):
        # features of one place at several scales are not copies of one another
        far = [m for m in others if np.hypot(*(at[m.trainIdx] - at[first.queryIdx])) > _APART]
        if len(far) >= 2 and far[0].distance < _BETTER * far[1].distance:
            pairs.append(sorted((first.queryIdx, far[0].trainIdx)))
    if not pairs:
        return []
    index = np.unique(np.array(pairs), axis=0)
    start, shift = at[index[:, 0]], at[index[:, 1]] - at[index[:, 0]]
    flipped = shift[:, 0] < 0
    start[flipped] += shift[flipped]
    shift[flipped] *= -1
    return _grouped(start, shift)


def _grouped(start: NDArray[np.float64], shift: NDArray[np.float64]) -> list[Repeat]:
    left = np.ones(len(start), np.bool_)
    groups = []
    for seed in range(len(start)):
        if not left[seed]:
            continue
        alike = left & (np.abs(shift - shift[seed]).max(axis=1) < _ALIKE)
        alike &= np.hypot(*(start - start[seed]).T) < _NEAR
        places = np.unique(np.round(start[alike]), axis=0)
        if len(places) >= _TOGETHER:
            one = start[alike].mean(axis=0)
            other = one + shift[alike].mean(axis=0)
            groups.append(Repeat((float(one[0]), float(one[1])), (float(other[0]), float(other[1])), len(places)))
            left &= ~alike
    return sorted(groups, key=lambda group: -group.features)
