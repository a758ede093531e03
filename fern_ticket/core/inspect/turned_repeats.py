"""Texture that stands twice, the second time mirrored or turned a little: a copy that was to hide that it is one.

Keypoints are matched as for plain repeats; SIFT's descriptors do not change by a turn, and those of what is mirrored
are the same numbers in another order. A pair tells the turn by its two orientations; pairs count together where one
motion explains them. That motion is refined by enhanced correlation (Evangelidis and Psarakis 2008,
doi:10.1109/TPAMI.2008.113) before both places are compared.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Points = NDArray[np.float64]
Matrix = NDArray[np.float64]
T = TypeVar("T", np.uint8, np.float32)

#: Degrees that a copy is turned by at most, and at least where it is not mirrored: less is a plain repeat.
_MOST, _LEAST = 24.0, 2.5
#: Pairs go together that lie as near as this, and that one motion explains to so many pixels.
_NEAR, _OFF = 70.0, 4.0
#: Half the side of the windows that are laid over each other, pixels, and of the middles that bring them there; rounds
#: of that, and the change at which it ends.
_WINDOW, _MIDDLE, _ROUNDS, _STILL = 32, 18, 40, 1e-4
#: The order of SIFT's 4 × 4 × 8 numbers in a picture that is mirrored along a keypoint's own direction.
_MIRRORED = np.arange(128).reshape(4, 4, 8)[::-1][:, :, (0, 7, 6, 5, 4, 3, 2, 1)].ravel()


@dataclass(frozen=True)
class Motion:
    """From a place to its copy: the part of a map that turns or mirrors, shape (2, 2), and where both are.

    Attributes
    ----------
    pairs
        How many places that were matched say so.
    """

    turn: Matrix
    one: Points
    other: Points
    pairs: int


def mirrored(looks: NDArray[T]) -> NDArray[T]:
    """Descriptors of the same places of a picture that is mirrored, shape (count, 128)."""
    return looks[:, _MIRRORED]


def motions(at: Points, angles: Points, pairs: NDArray[np.int64], *, flipped: bool) -> list[Motion]:
    """What pairs of keypoints say together, those that most agree on first.

    Parameters
    ----------
    at, angles
        Of all keypoints: x and y, shape (count, 2), and their orientations, degrees.
    pairs
        Numbers of two keypoints each, shape (pairs, 2).
    flipped
        Whether the second of each pair is mirrored.
    """
    one, other = pairs.T
    said = angles[other] + angles[one] if flipped else angles[other] - angles[one]
    # mirrored across is half a turn of what is mirrored down
    off = np.abs((said + 90) % 180 - 90) if flipped else np.abs((said + 180) % 360 - 180)
    fits = (off < _MOST) if flipped else (off < _MOST) & (off > _LEAST)
    one, other, said = one[fits], other[fits], said[fits]
    left, found = np.ones(len(one), np.bool_), []
    for seed in range(len(one)):
        if not left[seed]:
            continue
        turn = _turn(said[seed], flipped)
        ways = at[one] - at[one[seed]]
        away = np.linalg.norm(at[other] - at[other[seed]] - ways @ turn.T, axis=1)
        reach = np.linalg.norm(ways, axis=1)
        # an orientation is told to some degrees: what lies farther may be more off
        together = left & (reach < _NEAR) & (away < _OFF + 0.12 * reach)
        left &= ~together
        middle = at[one[together]].mean(axis=0)
        there = at[other[seed]] + turn @ (middle - at[one[seed]])
        places = len(np.unique(np.round(at[one[together]]), axis=0))
        # one pair alone is what is mirrored in many a thing: a window, a chair
        if places > 1:
            found.append(Motion(turn, middle, there, places))
    return sorted(found, key=lambda motion: -motion.pairs)


def _turn(degrees: float, flipped: bool) -> Matrix:
    cosine, sine = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    if flipped:
        return np.array([[cosine, sine], [sine, -cosine]])
    return np.array([[cosine, -sine], [sine, cosine]])


def laid_over(fine: Plane, motion: Motion) -> tuple[Plane, Plane] | None:
    """A window around a place, and what stands at its copy brought to it; None where one leaves the picture or the two
    are nothing alike."""
    x, y = np.round(motion.one).astype(int)
    rows, columns = fine.shape
    if not (_WINDOW <= x < columns - _WINDOW and _WINDOW <= y < rows - _WINDOW):
        return None
    one = np.ascontiguousarray(fine[y - _WINDOW : y + _WINDOW, x - _WINDOW : x + _WINDOW])
    u, v = motion.other
    reach = math.ceil(1.5 * _WINDOW)
    if not (reach <= u < columns - reach and reach <= v < rows - reach):
        return None
    # a window's pixels to those of the copy
    start = motion.other + motion.turn @ (np.array([x, y]) - motion.one - _WINDOW)
    warp = np.column_stack([motion.turn, start]).astype(np.float32)
    left, top = math.floor(u) - reach, math.floor(v) - reach
    there = np.ascontiguousarray(fine[top : top + 2 * reach, left : left + 2 * reach])
    warp[:, 2] -= (left, top)
    refined = _refined(one, there, warp)
    if refined is None:
        return None
    warp = refined
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return one, np.asarray(cv2.warpAffine(there, warp, one.shape[::-1], flags=flags), np.float32)


def _refined(one: Plane, there: Plane, warp: Plane) -> Plane | None:
    """The map brought to where the middles of both windows are most alike: what was copied may be no larger."""
    rim = _WINDOW - _MIDDLE
    middle = np.ascontiguousarray(one[rim:-rim, rim:-rim])
    inner = warp.copy()
    inner[:, 2] += warp[:, :2] @ np.array([rim, rim], np.float32)
    ends = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, _ROUNDS, _STILL)
    try:
        _, found = cv2.findTransformECC(middle, there, inner, cv2.MOTION_AFFINE, ends)
    except cv2.error:  # it does not come nearer
        return None
    refined = np.array(found, np.float32)
    refined[:, 2] -= refined[:, :2] @ np.array([rim, rim], np.float32)
    return refined
