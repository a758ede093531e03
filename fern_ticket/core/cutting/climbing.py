"""A distance that is paid for by change of colour alone.

A geodesic distance over the picture, by raster sweeps (Toivanen 1996, doi:10.1016/0167-8655(96)00010-4; Criminisi,
Sharp, Blake 2008, "GeoS", doi:10.1007/978-3-540-88682-2_9).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import kernel


@kernel
def climbed(colours: NDArray[np.float32], seeds: NDArray[np.bool_], free: np.float32) -> NDArray[np.float32]:
    """CIELAB units to be climbed from the seeds to each pixel; 1e9 where no seed is.

    Parameters
    ----------
    colours
        CIELAB and whatever else is to be climbed, shape (rows, columns, 3 or more).
    seeds
        Where it is nothing, shape (rows, columns).
    free
        Change from one pixel to the next that costs nothing: noise, or a gradient.
    """
    rows, columns, channels = colours.shape
    away = np.where(seeds, np.float32(0), np.float32(1e9))
    for sweep in range(6):
        step = 1 if sweep % 2 == 0 else -1
        for i in range(rows):
            row = i if step == 1 else rows - 1 - i
            for j in range(columns):
                column = j if step == 1 else columns - 1 - j
                for k in range(3):
                    r = row if k == 1 else row - step
                    c = column if k == 0 else column - step
                    if r < 0 or c < 0 or r >= rows or c >= columns:
                        continue
                    change = np.float32(0)
                    for n in range(channels):
                        one = colours[row, column, n] - colours[r, c, n]
                        change += one * one
                    climb = away[r, c] + max(np.sqrt(change) - free, np.float32(0))
                    away[row, column] = min(away[row, column], climb)
    return away
