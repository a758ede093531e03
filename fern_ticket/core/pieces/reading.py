"""How well text can be read on what lies under it (WCAG 2.2, success criterion 1.4.3)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pieces.blending import Values

#: Ratios that text needs: any, and large text (from 24 px, or 18.7 px bold, as it is seen).
ENOUGH, ENOUGH_LARGE = 4.5, 3.0


def relative_luminance(colour: NDArray[np.floating]) -> NDArray[np.float64]:
    """WCAG's relative luminance of sRGB encoded colours, 0-1, last axis red, green, blue."""
    value = np.asarray(colour, np.float64)
    linear = np.where(value <= 0.04045, value / 12.92, ((value + 0.055) / 1.055) ** 2.4)
    return np.asarray(linear @ np.array((0.2126, 0.7152, 0.0722)))


def contrast_ratio(one: NDArray[np.floating], other: NDArray[np.floating]) -> NDArray[np.float64]:
    """WCAG's contrast ratio of two colours, 1-21."""
    a, b = relative_luminance(one), relative_luminance(other)
    return np.asarray((np.maximum(a, b) + 0.05) / (np.minimum(a, b) + 0.05))


def contrast_on(colour: tuple[int, int, int], below: Values, share: Alpha) -> float:
    """The contrast ratio of a text with nine tenths of what lies under it or more; 1 where it covers nothing.

    Parameters
    ----------
    below
        sRGB encoded, 0-1, shape (rows, columns, 3).
    share
        The text's coverage, 0-1.
    """
    under = share > 0.05
    if not under.any():
        return 1.0
    ratios = contrast_ratio(np.array(colour) / 255, below[under])
    return float(np.quantile(ratios, 0.1))
