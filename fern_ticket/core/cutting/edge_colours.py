"""The subject's own colours at a soft edge, without those of its old ground.

Germer, Uelwer, Conrad, Harmeling 2020, "Fast multi-level foreground estimation", arXiv:2006.14970, as PyMatting
computes it, tile by tile.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.pyramid import tiles_meeting
from fern_ticket.core.pictures.regions import Box

#: Pixels beyond a tile that its colours are estimated with.
_MARGIN = 96


def edge_colours(pixels: Pixels, coverage: Alpha) -> Pixels:
    """Colours of what is covered.

    Parameters
    ----------
    pixels
        Encoded, shape (rows, columns, 3), 8 or 16 bits.
    coverage
        0-1, shape (rows, columns).

    Returns
    -------
    As `pixels`; the same where coverage is whole or nothing.
    """
    from pymatting import estimate_foreground_ml  # takes a second to load

    out: Pixels = pixels.copy()
    top = np.iinfo(pixels.dtype).max
    whole = Box(0, 0, pixels.shape[1], pixels.shape[0])
    soft = (coverage > 0) & (coverage < 1)
    for _, _, tile in tiles_meeting(whole):
        place = tile.within(whole)
        asked = soft[place.rows, place.columns]
        if not asked.any():
            continue
        wide = place.grown(_MARGIN).within(whole)
        inside = place.relative_to(wide)
        own = pixels[wide.rows, wide.columns].astype(np.float32) / top
        found = estimate_foreground_ml(own, coverage[wide.rows, wide.columns].astype(np.float32))
        values: NDArray[np.float32] = np.clip(found[inside.rows, inside.columns], 0, 1) * top + 0.5
        out[place.rows, place.columns][asked] = values[asked].astype(pixels.dtype)
    return out
