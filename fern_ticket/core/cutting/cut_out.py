"""A thing cut out of a loose outline: which of the pixels inside are its own, and how far, hair and fur too."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.fine_edge import band_along, enlarged, fine_edge
from fern_ticket.core.cutting.inside import inside_of
from fern_ticket.core.cutting.subject import grown, small_of
from fern_ticket.core.ledger.masks import Alpha

Bits = NDArray[np.bool_]

#: Width of the band along the edge that is solved for, as a share of the picture's long side, and pixels at least.
_BAND, _BAND_LEAST = 0.02, 7.0
#: Pixels of a band that are solved for at most, and the long side that an edge is drawn on at most; else on a picture
#: half as large.
_MOST_SOLVED, _MOST_DRAWN = 150_000, 2400


def cut_out(pixels: NDArray[np.uint8], loose: Bits) -> Alpha | None:
    """How far pixels belong to the thing that a loose outline goes around.

    Parameters
    ----------
    pixels
        sRGB encoded, with some of the ground around the outline, shape (rows, columns, 3).
    loose
        What lies inside the outline, shape (rows, columns).

    Returns
    -------
    Coverage 0-1, shape (rows, columns), 0 outside the outline; None where nothing inside is unlike the outside, so
    that the outline itself is meant.
    """
    small = small_of(pixels)
    rows, columns = small.pixels.shape[:2]
    share = cv2.resize(loose.astype(np.float32), (columns, rows), interpolation=cv2.INTER_AREA)
    outside = share < 0.5
    found = inside_of(small, outside)
    if np.array_equal(found, ~outside):
        return None
    return np.where(loose, _refined(pixels, found), np.float32(0))


def _refined(pixels: NDArray[np.uint8], found: Bits) -> Alpha:
    """A small answer on the picture: its edge drawn to the picture's own, then solved for in a band along it."""
    band = max(_BAND_LEAST, _BAND * max(pixels.shape[:2]))
    times, drawn = 1, pixels
    while True:
        if max(drawn.shape[:2]) <= _MOST_DRAWN:
            crisp = grown(drawn, found)
            if np.count_nonzero(band_along(crisp, band / times)) <= _MOST_SOLVED:
                break
        times *= 2
        size = (max(1, pixels.shape[1] // times), max(1, pixels.shape[0] // times))
        drawn = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.uint8)
    soft = fine_edge(drawn, crisp, band / times)
    if times == 1:
        return soft
    size = (pixels.shape[1], pixels.shape[0])
    return enlarged(pixels, np.asarray(cv2.resize(soft, size, interpolation=cv2.INTER_LINEAR), np.float32), times)
