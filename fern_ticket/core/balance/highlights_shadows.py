"""Highlights and shadows: whole regions darker or lighter, their texture kept.

The gain depends on the base of the picture (`base.py`), not on the pixel, so texture inside a bright or dark region
stays as it is and edges between regions stay clean.
"""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from fern_ticket.core.balance import base
from fern_ticket.core.balance.light import BalanceOperation, Surroundings, Working
from fern_ticket.core.ledger.operation import Parameters

#: Stops that 100 per cent moves the brightest and the darkest regions by, small enough that tones never turn round.
_HIGHLIGHTS, _SHADOWS = 1.5, 2.0
#: log2 luminance between which highlights, and shadows, come in.
_BRIGHT, _DARK = (-2.7, 0.0), (-2.0, -6.0)


class HighlightsShadows(Parameters):
    highlights: float = Field(default=0.0, ge=-100, le=100, description="Per cent; -100 darkens them by 1.5 stops.")
    shadows: float = Field(default=0.0, ge=-100, le=100, description="Per cent; +100 lightens them by 2 stops.")


def stage(params: HighlightsShadows, around: Surroundings) -> Working | None:
    if not params.highlights and not params.shadows:
        return None
    maps = base.base_of(around.small(), radius=0.02, edge=0.6)
    return Working(partial(base.gain_by_base, maps=maps, table=gains(params)), encoded=False)


def gains(params: HighlightsShadows) -> NDArray[np.float32]:
    """The gain for each base, evenly from `base.LOWEST` to `base.HIGHEST`."""
    level = np.linspace(base.LOWEST, base.HIGHEST, base.TABLE_STEPS + 1)
    stops = _HIGHLIGHTS * params.highlights / 100 * _smooth(level, *_BRIGHT)
    stops += _SHADOWS * params.shadows / 100 * _smooth(level, *_DARK)
    return np.asarray(2.0**stops, np.float32)


def _smooth(x: NDArray[np.float64], start: float, end: float) -> NDArray[np.float64]:
    t = np.clip((x - start) / (end - start), 0, 1)
    return np.asarray(t * t * (3 - 2 * t))


OPERATION = BalanceOperation(
    name="highlights_shadows",
    title="Highlights and shadows",
    summary="Darkens or lightens bright and dark regions and keeps the texture in them.",
    parameters=HighlightsShadows,
    stage=stage,
)
