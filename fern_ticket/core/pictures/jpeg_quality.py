"""The quality that a JPEG was written with, told by its tables."""

from __future__ import annotations

import io
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PIL import Image

#: Table K.1 of the JPEG standard (ITU-T T.81, annex K): luminance at quality 50, row by row.
_LUMINANCE = np.array(
    (
        (16, 11, 10, 16, 24, 40, 51, 61),
        (12, 12, 14, 19, 26, 58, 60, 55),
        (14, 13, 16, 24, 40, 57, 69, 56),
        (14, 17, 22, 29, 51, 87, 80, 62),
        (18, 22, 37, 56, 68, 109, 103, 77),
        (24, 35, 55, 64, 81, 104, 113, 92),
        (49, 64, 78, 87, 103, 121, 120, 101),
        (72, 92, 95, 98, 112, 100, 103, 99),
    )
)


def jpeg_quality(data: bytes) -> int | None:
    """The quality 1-100, in the scale of the Independent JPEG Group, whose luminance table is nearest to the file's.

    Makers of cameras have tables of their own: for these it is the quality that loses as much. None for what is no
    JPEG.

    Examples
    --------
    >>> jpeg_quality(b"no JPEG")
    """
    try:
        with Image.open(io.BytesIO(data)) as image:
            tables: dict[int, list[int]] = getattr(image, "quantization", {})
    except (OSError, ValueError, SyntaxError):
        return None
    if not tables.get(0):
        return None
    own = np.sort(np.asarray(tables[0], np.float64))
    off = np.abs(np.log(_sorted_tables()) - np.log(np.maximum(own, 1))).sum(axis=1)
    # the finest of those that fit equally well: at the ends several qualities share a table
    return 100 - int(off[::-1].argmin())


@lru_cache(maxsize=1)
def _sorted_tables() -> NDArray[np.float64]:
    """The 64 steps of each quality's table in order of size, so that no order of writing them down matters."""
    qualities = np.arange(1, 101)
    scale = np.where(qualities < 50, 5000 // qualities, 200 - 2 * qualities)
    tables = np.clip((_LUMINANCE.ravel()[None] * scale[:, None] + 50) // 100, 1, 255)
    return np.sort(tables.astype(np.float64), axis=1)
