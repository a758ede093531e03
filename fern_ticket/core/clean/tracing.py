"""Finding the line that a person meant: from a few clicks to the thin line or the edge that runs between them.

Between two clicks the line is the path, one step aside at most for each step along, that gathers most of a reward
(Viterbi 1967, doi:10.1109/TIT.1967.1054010): of contrast to both sides for a thin line, of slope for an edge.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.repair import Ground
from fern_ticket.core.kernels import kernel
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.pictures.values import narrowed, slope

Points = Sequence[tuple[float, float]]
Plane = NDArray[np.float32]
#: Pixels and a width that is expected, to the reward at each pixel, 0-1.
Reward = Callable[[Pixels, float], Plane]

#: A step aside costs so much of what a pixel of full reward gives: noise does not make the line jitter.
_ASIDE = 0.35
#: What it costs to run beside the straight line all the way, in the same unit: the line that was clicked is preferred
#: to a stronger one far from it.
_AWAY = 0.3
#: Points of the result are so many pixels apart.
_APART = 6


def thin_lines(pixels: Pixels, width: float) -> Plane:
    """High on lines up to `width` pixels wide that are lighter or darker than both their sides."""
    side = max(3, 2 * round(width * 0.75) + 1)
    shape = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side))
    planes = [
        cv2.morphologyEx(narrowed(pixels[..., channel]), way, shape)
        for channel in range(3)
        for way in (cv2.MORPH_TOPHAT, cv2.MORPH_BLACKHAT)
    ]
    return _scaled(np.max(planes, axis=0))


def edges(pixels: Pixels, _: float) -> Plane:
    """High on edges."""
    slopes = []
    for channel in range(3):
        plane = cv2.GaussianBlur(narrowed(pixels[..., channel]).astype(np.float32), (0, 0), 1.5)
        slopes.append(slope(plane))
    return _scaled(np.max(slopes, axis=0))


def trace(
    clicks: Points, reach: float, ground: Ground, reward: Reward, width: float = 9.0, aside: float = _ASIDE
) -> list[tuple[float, float]]:
    """The line through the clicks.

    Parameters
    ----------
    clicks
        (x, y) in source pixels, two or more.
    reach
        How far the line may run beside the straight one between two clicks.
    ground
        The picture.
    reward
        What the line is drawn to.
    width
        Of the line that is looked for, pixels.
    aside
        What a step aside costs, of what a pixel of full reward gives.

    Returns
    -------
    Points along the line, some pixels apart, first and last near the first and last click.
    """
    side = math.ceil(reach + 2 * width + 4)
    xs, ys = [x for x, _ in clicks], [y for _, y in clicks]
    box = Box(
        math.floor(min(xs)) - side, math.floor(min(ys)) - side, math.ceil(max(xs)) + side, math.ceil(max(ys)) + side
    )
    box = box.within(ground.whole)
    if box.empty:
        return [(float(x), float(y)) for x, y in clicks]
    gains = reward(ground.read(box), width)
    given = [np.array([x - box.left, y - box.top]) for x, y in clicks]
    # a hand misses a thin line by a little: where the best path between clicks wants to begin and end is better
    wanted: list[list[NDArray[np.float64]]] = [[] for _ in given]
    for index, (one, other) in enumerate(itertools.pairwise(given)):
        free = _between(one, other, reach, gains, aside, free=True)
        wanted[index].append(free[0])
        wanted[index + 1].append(free[-1])
    ends = [np.asarray(np.mean(places, axis=0)) for places in wanted]
    line = [ends[0]]
    for one, other in itertools.pairwise(ends):
        line += _between(one, other, reach, gains, aside)[1:]
    return [(round(float(x) + box.left, 1), round(float(y) + box.top, 1)) for x, y in line]


def _between(
    one: NDArray[np.float64],
    other: NDArray[np.float64],
    reach: float,
    gains: Plane,
    costs: float,
    *,
    free: bool = False,
) -> list[NDArray[np.float64]]:
    length = float(np.hypot(*(other - one)))
    steps = max(2, round(length) + 1)
    if length < 3:
        return [one, other]
    along = (other - one) / length
    across = np.array([-along[1], along[0]])
    aside = int(min(reach, length / 2))
    base = one + np.linspace(0, length, steps)[:, None] * along
    places = base[:, None, :] + np.arange(-aside, aside + 1)[None, :, None] * across
    x, y = (places[..., axis].astype(np.float32) - np.float32(0.5) for axis in (0, 1))
    gathered = cv2.remap(gains, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    if free:
        away = np.abs(np.arange(-aside, aside + 1)) / max(aside, 1)
        gathered = np.asarray(gathered - _AWAY * away, np.float32)
    offsets = best_path(gathered, np.float32(costs), -1 if free else aside) - aside
    smooth = cv2.GaussianBlur(offsets.astype(np.float32).reshape(1, -1), (0, 0), 2, borderType=cv2.BORDER_REPLICATE)[0]
    kept = sorted({*range(0, steps, _APART), steps - 1})
    return [base[k] + smooth[k] * across for k in kept]


@kernel
def best_path(gains: Plane, aside: np.float32, end: int) -> NDArray[np.int64]:
    """For each row the column of the path that gathers most, a column aside at most from row to row.

    Parameters
    ----------
    gains
        Shape (steps, places).
    aside
        What a change of column costs.
    end
        Column of the first and of the last row; negative leaves them free.
    """
    steps, places = gains.shape
    best = np.full((steps, places), np.float32(-1e30), np.float32)
    came = np.zeros((steps, places), np.int8)
    for column in range(places):
        if end < 0 or column == end:
            best[0, column] = gains[0, column]
    for row in range(1, steps):
        for column in range(places):
            top, way = best[row - 1, column], 0
            if column > 0 and best[row - 1, column - 1] - aside > top:
                top, way = best[row - 1, column - 1] - aside, -1
            if column < places - 1 and best[row - 1, column + 1] - aside > top:
                top, way = best[row - 1, column + 1] - aside, 1
            best[row, column] = top + gains[row, column]
            came[row, column] = way
    path = np.empty(steps, np.int64)
    path[-1] = end if end >= 0 else np.argmax(best[-1])
    for row in range(steps - 1, 0, -1):
        path[row - 1] = path[row] + came[row, path[row]]
    return path


def _scaled(plane: NDArray[np.generic]) -> Plane:
    """0-1, with what is usual taken off: noise earns nothing."""
    values = np.asarray(plane, np.float32)
    usual, top = float(np.percentile(values, 60)), float(np.percentile(values, 99.7))
    return np.asarray(np.clip((values - usual) / max(top - usual, 4.0), 0, 1), np.float32)
