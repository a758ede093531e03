"""Highlights and shadows: whole regions darker or lighter, their texture kept.

The gain depends on the base of the picture (`base.py`), not on the pixel, so texture inside a bright or dark region
stays as it is and edges between regions stay clean.
"""

from __future__ import annotations

from functools import partial

import numpy as np
from pydantic import Field

from fern_ticket.core.balance import base
from fern_ticket.core.balance.light import BalanceOperation, LocalGain, Position, Surroundings
from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters

#: Stops that 100 per cent moves the brightest and the darkest regions by, small enough that tones never turn round.
_HIGHLIGHTS, _SHADOWS = 1.5, 2.0


class HighlightsShadows(Parameters):
    highlights: float = Field(default=0.0, ge=-100, le=100, description="Per cent; -100 darkens them by 1.5 stops.")
    shadows: float = Field(default=0.0, ge=-100, le=100, description="Per cent; +100 lightens them by 2 stops.")


def transform(params: HighlightsShadows, around: Surroundings) -> LocalGain | None:
    if not params.highlights and not params.shadows:
        return None
    maps = base.base_of(around, radius=0.02, edge=0.3)
    bright, dark = _HIGHLIGHTS * params.highlights / 100, _SHADOWS * params.shadows / 100
    return LocalGain((partial(_raise, maps=maps, bright=bright, dark=dark),))


def _raise(light: base.Map, place: Position, *, maps: base.Coefficients, bright: float, dark: float) -> base.Map:
    level = base.base_under(light, place, maps)
    _stops(level, np.float32(bright), np.float32(dark))
    return level


@fast_kernel
def _stops(level: base.Map, bright: np.float32, dark: np.float32) -> None:
    """Stops for each base, in its place: highlights come in from -2.7 stops to white, shadows from -2 down to -6."""
    zero, one, two, three = np.float32(0), np.float32(1), np.float32(2), np.float32(3)
    for row in range(level.shape[0]):
        line = level[row]
        for column in range(line.shape[0]):
            value = line[column]
            high = min(max((value + np.float32(2.7)) * np.float32(1 / 2.7), zero), one)
            low = min(max((np.float32(-2) - value) * np.float32(0.25), zero), one)
            line[column] = bright * high * high * (three - two * high) + dark * low * low * (three - two * low)


OPERATION = BalanceOperation(
    name="highlights_shadows",
    title="Highlights and shadows",
    summary="Darkens or lightens bright and dark regions and keeps the texture in them.",
    parameters=HighlightsShadows,
    transform=transform,
    looks=True,
    rank=40,
    controls=(Ruler("highlights"), Ruler("shadows")),
    example={"highlights": -20, "shadows": 20},
    group="Tone",
)
