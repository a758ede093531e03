"""From a nearest-neighbour field to pixels: as the mean of what patches say, or copied one by one.

The mean is weighted by how good each match is (Wexler, Shechtman, Irani 2007, doi:10.1109/TPAMI.2007.60).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.search import REACH, Bits, Field, Grid
from fern_ticket.core.kernels import kernel


def copy_nearest(values: Grid, hole: Bits, field: Field) -> Field:
    """Each hole pixel becomes the one that the patch around it found: nothing is averaged, grain stays.

    Returns where each pixel was copied from; outside the hole, itself.
    """
    rows, columns = hole.shape
    origin: Field = np.empty((rows, columns, 2), np.int32)
    origin[..., 0], origin[..., 1] = np.indices((rows, columns))
    at = np.argwhere(hole)
    # no patch stands around a pixel by the picture's edge: the nearest that does holds it too
    held = np.clip(at, REACH, (rows - 1 - REACH, columns - 1 - REACH))
    origin[at[:, 0], at[:, 1]] = field[held[:, 0], held[:, 1]] + at - held
    values[:] = values[origin[..., 0], origin[..., 1]]
    return origin


@kernel
def _likeness(difference: np.float32) -> np.float32:
    """Near to exp(-difference), of sums and products only: the same on every machine."""
    half = difference * difference * np.float32(0.5)
    return np.float32(1) / (np.float32(1) + difference + half + difference * half * np.float32(1 / 3) + half * half / 6)


@kernel
def vote(
    flat: Grid, field: Field, cost: Grid, trust: Grid, targets: NDArray[np.int32], hole: Bits, middling: np.float32
) -> None:
    """Each hole pixel becomes the mean of what the patches over it found, the better the match the weightier."""
    rows, columns = hole.shape
    total = np.zeros((rows, 3 * columns), np.float32)
    weights = np.zeros((rows, columns), np.float32)
    for index in range(targets.shape[0]):
        row, column = targets[index, 0], targets[index, 1]
        y, x = field[row, column, 0], field[row, column, 1]
        weight = trust[row, column] * _likeness(cost[row, column] / middling) + np.float32(1e-8)
        for dy in range(-3, 4):
            for dx in range(-3, 4):
                if hole[row + dy, column + dx]:
                    weights[row + dy, column + dx] += weight
                    at, source = 3 * (column + dx), 3 * (x + dx)
                    for channel in range(3):
                        total[row + dy, at + channel] += weight * flat[y + dy, source + channel]
    for row in range(rows):
        for column in range(columns):
            if hole[row, column] and weights[row, column] > 0:
                for channel in range(3):
                    flat[row, 3 * column + channel] = total[row, 3 * column + channel] / weights[row, column]
