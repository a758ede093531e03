"""The seam of a flat panorama: whether its left and right sides are one place."""

from __future__ import annotations

import numpy as np

from fern_ticket.core.pictures.decode import Pixels

#: Times the usual step from one column to the next that the step across the seam may be.
_MOST = 3.0


def seam_step(pixels: Pixels) -> float:
    """How much larger the step from the last column to the first is than from column to column beside the seam.

    Parameters
    ----------
    pixels
        A flat panorama, shape (rows, columns, 3).

    Returns
    -------
    The ratio of the mean absolute steps; 1 where nothing shows.
    """
    values = np.concatenate([pixels[:, -4:], pixels[:, :4]], axis=1).astype(np.float32)
    steps = np.abs(np.diff(values, axis=1)).mean(axis=(0, 2))
    # a step of a level is noise, whatever lies beside it
    least = 0.5 * (257 if pixels.dtype == np.uint16 else 1)
    usual = float(np.median(np.delete(steps, 3)))
    return float(steps[3]) / max(usual, least)


def sides_meet(pixels: Pixels) -> bool:
    """Whether the left and right sides are one place, as of a whole sphere, and not those of a view."""
    return seam_step(pixels) <= _MOST
