"""How well text can be read on what lies under it (WCAG 2.2, success criterion 1.4.3)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.light import LUMINANCE
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.profiles import srgb_decode
from fern_ticket.core.pieces.blending import Values

#: Ratios that text needs: any, and large text (from 24 px, or 18.7 px bold, as it is seen).
ENOUGH, ENOUGH_LARGE = 4.5, 3.0


def relative_luminance(colour: NDArray[np.floating]) -> NDArray[np.float64]:
    """WCAG's relative luminance of sRGB encoded colours, 0-1, last axis red, green, blue."""
    return np.asarray(srgb_decode(colour) @ np.array(LUMINANCE))


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
