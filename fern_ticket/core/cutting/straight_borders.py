"""Straight edges between two grounds: where a roof, a wall or the sea ends, and no cloud does."""

from __future__ import annotations

from itertools import combinations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.segments import straight_segments

Bits = NDArray[np.bool_]
Values = NDArray[np.float64]

#: The shortest that counts, of the picture's long side, by what share of it more each end is drawn, and how thick.
_SHORTEST, _LONGER, _THICK = 0.06, 0.2, 4
#: So far from an edge its sides are looked at, pixels: a wire has the same ground on both. So much they differ, CIELAB.
_BESIDE, _DIFFERS = (4, 7, 14), 4.0
#: An edge has that share of the change from so far on one side to so far on the other, pixels, within so few of them,
#: at most so far from where it was told. Where it has less and what is below is lighter, a sky grows light toward its
#: sun.
_BROAD, _CRISP, _WITHIN, _ABOUT = 7, 0.45, 3, 4
#: The sine of its angle to an upright one within which an edge has nothing below it.
_UPRIGHT = 0.3
#: Edges on one line, pixels and sine of the angle, are one where what is between is no longer than the longer of them.
_STRAY, _BENT = 1.5, 0.05
#: Blur of what is all around, pixels; levels for one of lightness, and of yellow or blue, which changes less.
_AROUND, _LEVELS = 40.0, ((0, 2.55), (2, 5.1))


def straight_borders(colours: NDArray[np.float32], clear: NDArray[np.float32]) -> Bits:
    """Pixels of straight edges that part unlike grounds.

    Parameters
    ----------
    colours, clear
        CIELAB of a small copy, shape (rows, columns, 3); and the same without wires, on which grounds are compared.
    """
    drawn = np.zeros(colours.shape[:2], np.uint8)
    ends = np.concatenate([_segments(colours[..., channel], levels) for channel, levels in _LEVELS])
    long = np.hypot(*(ends[:, 1] - ends[:, 0]).T) >= _SHORTEST * max(drawn.shape)
    parting = [one for one in ends[long] if _parts(clear, *one) and not _glows(clear, *one)]
    between = [gap for one, other in combinations(parting, 2) if (gap := _gap(one, other)) is not None]
    longer = [one + _LONGER * (one - one[::-1]) for one in parting]
    for start, end in np.rint([*longer, *between]).astype(int).tolist():
        cv2.line(drawn, start, end, 1, _THICK)
    return np.asarray(drawn > 0)


def _segments(values: NDArray[np.float32], levels: float) -> Values:
    """Ends (x, y) of a channel's straight edges, shape (count, 2, 2)."""
    off = values - cv2.GaussianBlur(values, (0, 0), _AROUND)
    return straight_segments(np.clip(128 + levels * off, 0, 255).astype(np.uint8)).reshape(-1, 2, 2).astype(np.float64)


def _seen(colours: NDArray[np.float32], start: Values, end: Values, off: float) -> NDArray[np.float32]:
    """The colour beside an edge, so many pixels below it; left of one that stands upright."""
    rows, columns = colours.shape[:2]
    way = (end - start) / np.hypot(*(end - start))
    places = np.linspace(start, end, max(8, int(np.hypot(*(end - start)))))
    below = np.array([-way[1], way[0]]) * (1 if way[0] >= 0 else -1)
    x, y = np.floor(places + off * below).astype(np.intp).T
    return np.asarray(np.median(colours[np.clip(y, 0, rows - 1), np.clip(x, 0, columns - 1)], axis=0))


def _glows(colours: NDArray[np.float32], start: Values, end: Values) -> bool:
    """Whether it is lighter below, and that little by little: a sky around its sun, where no ground begins."""
    if abs(end[0] - start[0]) < _UPRIGHT * np.hypot(*(end - start)):
        return False
    line = np.array([_seen(colours, start, end, off) for off in range(-_BROAD, _BROAD + 1)])
    change = line[-1] - line[0]
    near = line[_BROAD - _ABOUT : _BROAD + _ABOUT + 1]
    steepest = np.hypot.reduce(near[_WITHIN:] - near[:-_WITHIN], axis=1).max()
    return bool(change[0] > 0 and steepest < _CRISP * np.hypot.reduce(change))


def _parts(colours: NDArray[np.float32], start: Values, end: Values) -> bool:
    """Whether the two sides of an edge differ, however far from it one looks, by more than a ground that goes on."""
    one, other = ([_seen(colours, start, end, side * off) for off in _BESIDE] for side in (1, -1))
    further = _BESIDE[-1] - _BESIDE[-2]
    slopes = np.array([one[-1] - one[-2], other[-2] - other[-1]]) / further
    # what both sides have of a slope is the ground's own
    slope = np.where(slopes[0] * slopes[1] > 0, np.sign(slopes[0]) * np.abs(slopes).min(axis=0), 0)
    steps = [a - b - 2 * off * slope for a, b, off in zip(one, other, _BESIDE, strict=True)]
    return min(float(np.hypot.reduce(step)) for step in steps) >= _DIFFERS


def _gap(one: Values, other: Values) -> Values | None:
    """Ends of what lies between two edges on one line; None where they are not, or far apart."""
    lengths = [float(np.hypot(*(each[1] - each[0]))) for each in (one, other)]
    way = (one[1] - one[0]) / lengths[0]
    stray = np.abs((other - one[0]) @ (-way[1], way[0]))
    near = min(((a, b) for a in one for b in other), key=lambda ends: float(np.hypot(*(ends[1] - ends[0]))))
    apart = float(np.hypot(*(near[1] - near[0])))
    return np.array(near) if stray.max() <= _STRAY + _BENT * lengths[1] and apart <= max(lengths) else None
