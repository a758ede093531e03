"""From a nearest-neighbour field to pixels: as the mean of what patches say, or copied one by one.

The mean is weighted by how good each match is (Wexler, Shechtman, Irani 2007, doi:10.1109/TPAMI.2007.60).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.search import REACH, WORTH_THREADS, Bits, Field, Grid
from fern_ticket.core.kernels import kernel
from fern_ticket.core.threads import by_rows


def copy_nearest(values: Grid, hole: Bits, field: Field) -> Field:
    """Each hole pixel becomes the one that the patch around it found: nothing is averaged, grain stays.

    Returns where each pixel was copied from; outside the hole, itself.
    """
    rows, columns = hole.shape
    at = np.argwhere(hole)
    # no patch stands around a pixel by the picture's edge: the nearest that does holds it too
    held = np.clip(at, REACH, (rows - 1 - REACH, columns - 1 - REACH))
    source = field[held[:, 0], held[:, 1]] + at - held
    return _copied(values, hole, at, source)


def copy_led(values: Grid, hole: Bits, field: Field, number: int) -> Field:
    """Each hole pixel becomes the one that lies as far off as a scale `number` times halved found the patch around it:
    pieces stay whole. Returns where each was copied from; outside the hole, itself."""
    rows, columns = hole.shape
    at = np.argwhere(hole)
    above = np.clip(at >> number, REACH, (field.shape[0] - 1 - REACH, field.shape[1] - 1 - REACH))
    moved = (field[above[:, 0], above[:, 1]] - above) << number
    return _copied(values, hole, at, np.clip(at + moved, 0, (rows - 1, columns - 1)))


def _copied(values: Grid, hole: Bits, at: NDArray[np.int64], source: NDArray[np.int64]) -> Field:
    values[at[:, 0], at[:, 1]] = values[source[:, 0], source[:, 1]]
    origin: Field = np.empty((*hole.shape, 2), np.int32)
    origin[..., 0], origin[..., 1] = np.arange(hole.shape[0])[:, None], np.arange(hole.shape[1])
    origin[at[:, 0], at[:, 1]] = source
    return origin


@kernel
def _likeness(difference: np.float32) -> np.float32:
    """Near to exp(-difference), of sums and products only: the same on every machine."""
    half = difference * difference * np.float32(0.5)
    return np.float32(1) / (np.float32(1) + difference + half + difference * half * np.float32(1 / 3) + half * half / 6)


def vote(
    flat: Grid,
    texture: Grid,
    field: Field,
    cost: Grid,
    trust: Grid,
    targets: NDArray[np.int32],
    hole: Bits,
    middling: np.float32,
) -> None:
    """Each hole pixel becomes the mean of what the patches over it found, the better the match the weightier, in colour
    and in texture."""
    if not len(targets):
        return
    weights = _weights(cost, trust, targets, middling)
    first, last = max(0, int(targets[0, 0]) - REACH), min(len(hole), int(targets[-1, 0]) + REACH + 1)

    def mean(rows: slice) -> None:
        _mean(flat, texture, field, weights, hole, first + rows.start, first + rows.stop)

    by_rows(last - first, mean, worth=len(targets) > WORTH_THREADS)


@kernel
def _weights(cost: Grid, trust: Grid, targets: NDArray[np.int32], middling: np.float32) -> Grid:
    """What the patch around each pixel counts; nothing where there is none."""
    weights = np.zeros(cost.shape, np.float32)
    for index in range(targets.shape[0]):
        row, column = targets[index, 0], targets[index, 1]
        weights[row, column] = trust[row, column] * _likeness(cost[row, column] / middling) + np.float32(1e-8)
    return weights


@kernel
def _mean(flat: Grid, texture: Grid, field: Field, weights: Grid, hole: Bits, first: int, last: int) -> None:
    """The hole's pixels in some rows. What is read lies outside the hole, so that rows may be made at once."""
    rows, columns = hole.shape
    for row in range(first, last):
        for column in range(columns):
            if not hole[row, column]:
                continue
            total = np.float32(0)
            red, green, blue, textured = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            for y in range(max(row - REACH, 0), min(row + REACH + 1, rows)):
                for x in range(max(column - REACH, 0), min(column + REACH + 1, columns)):
                    weight = weights[y, x]
                    if weight > 0:
                        from_row, from_column = field[y, x, 0] + row - y, field[y, x, 1] + column - x
                        at = 3 * from_column
                        total += weight
                        red += weight * flat[from_row, at]
                        green += weight * flat[from_row, at + 1]
                        blue += weight * flat[from_row, at + 2]
                        textured += weight * texture[from_row, from_column]
            if total > 0:
                flat[row, 3 * column] = red / total
                flat[row, 3 * column + 1] = green / total
                flat[row, 3 * column + 2] = blue / total
                texture[row, column] = textured / total
