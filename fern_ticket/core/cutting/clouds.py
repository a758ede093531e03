"""Colours of a sky and of the clouds before it, which are paler."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import kernel

Plane = NDArray[np.float32]

#: A cloud's CIELAB lightness, the least that it is lighter than a sky, and how much of being paler counts.
_WHITE, _LEAST_PALER, _COUNTS = np.float32(97), np.float32(10), np.float32(0.12)


@kernel
def paled(colours: Plane, own: Plane) -> Plane:
    """What colours are off a sky's own, where being paler, as clouds are, counts little.

    Both CIELAB, shape (rows, columns, 3), as is the answer.
    """
    off = colours - own
    rows, columns, _ = off.shape
    for i in range(rows):
        for j in range(columns):
            lighter, green, yellow = max(_WHITE - own[i, j, 0], _LEAST_PALER), own[i, j, 1], own[i, j, 2]
            less = _less(off[i, j, 0], off[i, j, 1], off[i, j, 2], lighter, green, yellow)
            off[i, j, 0] -= less * lighter
            off[i, j, 1] += less * green
            off[i, j, 2] += less * yellow
    return off


@kernel
def unlike_sky(colours: Plane, own: Plane, clear: Plane, clouds: NDArray[np.uint8]) -> Plane:
    """How far colours are from a sky's own, or, where clouds may be, from a clear sky behind them if that is less.

    The first three CIELAB, shape (rows, columns, 3); the answer has shape (rows, columns).
    """
    rows, columns, _ = colours.shape
    unlike = np.empty((rows, columns), np.float32)
    for i in range(rows):
        for j in range(columns):
            light, a, b = colours[i, j, 0], colours[i, j, 1], colours[i, j, 2]
            away = (light - own[i, j, 0]) ** 2 + (a - own[i, j, 1]) ** 2 + (b - own[i, j, 2]) ** 2
            if clouds[i, j]:
                lighter, green, yellow = max(_WHITE - clear[i, j, 0], _LEAST_PALER), clear[i, j, 1], clear[i, j, 2]
                light, a, b = light - clear[i, j, 0], a - green, b - yellow
                less = _less(light, a, b, lighter, green, yellow)
                away = min(away, (light - less * lighter) ** 2 + (a + less * green) ** 2 + (b + less * yellow) ** 2)
            unlike[i, j] = math.sqrt(away)
    return unlike


@kernel
def _less(light, a, b, lighter, green, yellow):  # type: ignore[no-untyped-def]
    """How much of the way from a sky's colour (a*: green, b*: yellow) to white an offset from it does not count."""
    along = light * lighter - a * green - b * yellow
    square = lighter * lighter + green * green + yellow * yellow
    return (np.float32(1) - _COUNTS) * max(along, np.float32(0)) / square
