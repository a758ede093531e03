"""What of a photo a piece is brought onto: its long straight edges, and where its sky ends."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.segments import MIDDLE, straight_segments

#: An edge's ends: x0, y0, x1, y1.
Edge = tuple[float, float, float, float]

#: Shortest edge, as a share of the picture's long side, and how many of the longest there are.
_SHORTEST, _MOST = 0.03, 300
#: Share of a row that is sky still where a sky ends: between the trees on a horizon some of it shows.
_STILL_SKY = 0.005


def straight_edges(pixels: NDArray[np.uint8]) -> list[Edge]:
    """The longest straight edges, the longest first.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3).

    Returns
    -------
    In pixels, corners at whole numbers.

    >>> ground = np.zeros((100, 200, 3), np.uint8)
    >>> ground[:, 60:] = 200
    >>> [[round(x) for x in edge] for edge in straight_edges(ground)][0][::2]
    [60, 60]
    """
    grey = np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY), np.uint8)
    ends = straight_segments(grey).astype(np.float64) + MIDDLE
    long = np.hypot(ends[:, 2] - ends[:, 0], ends[:, 3] - ends[:, 1])
    order = np.argsort(-long, kind="stable")[:_MOST]
    return [tuple(map(float, ends[k])) for k in order if long[k] >= _SHORTEST * max(grey.shape)]  # type: ignore[misc]


def end_of_sky(covered: NDArray[np.bool_]) -> float | None:
    """How far down the lowest row lies that still shows some sky, rows; None where there is none.

    >>> end_of_sky(np.arange(10)[:, None] < np.full(30, 4))
    4.0
    >>> end_of_sky(np.zeros((4, 4), bool)) is None
    True
    """
    rows = np.flatnonzero(covered.mean(axis=1) >= _STILL_SKY)
    return float(rows[-1] + 1) if len(rows) else None
