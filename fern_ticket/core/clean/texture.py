"""How textured the ground around each pixel is: compared and grown along with its colour.

A hole is begun smooth, and on small copies a rough ground looks like a smooth one of its colour, so that by colour
alone the smooth one wins. What tells them apart is how steep the full-size picture is about there, as a number that
each pixel of every copy has (Newson, Almansa, Fradet, Gousseau, Perez 2014, "Video inpainting of complex scenes",
doi:10.1137/140954933, texture features).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.values import slope

Grid = NDArray[np.float32]
Bits = NDArray[np.bool_]

#: Side of the square over which slopes are averaged, pixels; where less of it than this share is known, it is less.
_SIDE, _KNOWN = 9, 0.02
#: How much a level of mean slope counts beside one of colour; a steeper one counts no more than this: an edge is none.
#: Tuned on the places of `benchmarks/regrow_truth.py` that are not held out.
_COUNTS, _STEEPEST = 3.0, 60.0


def texture_of(values: Grid, known: Bits) -> Grid:
    """How textured the ground around each pixel is, 0-180, comparable with encoded values.

    Parameters
    ----------
    values
        Encoded values 0-255, shape (rows, columns, 3), float32.
    known
        Pixels that are read, shape (rows, columns).

    Returns
    -------
    Shape (rows, columns), float32; zero where nothing near is known.

    Examples
    --------
    >>> ramp = np.tile(np.float32([[0, 4, 8, 12]]).repeat(8, axis=0)[..., None], (1, 1, 3))
    >>> float(texture_of(ramp, np.ones((8, 4), bool)).max()) > 0
    True
    """
    # a slope is known where all that it is told from is
    inner = cv2.erode(known.astype(np.float32), np.ones((3, 3), np.uint8))
    steep = np.minimum(slope(np.asarray(cv2.cvtColor(values, cv2.COLOR_RGB2GRAY)), side=1), np.float32(_STEEPEST))
    told, share = (cv2.blur(plane, (_SIDE, _SIDE)) for plane in (steep * inner, inner))
    return np.asarray(np.float32(_COUNTS) * told / np.maximum(share, np.float32(_KNOWN)), np.float32)
