"""Colours of a sky and of the clouds before it, which are paler."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import kernel

Plane = NDArray[np.float32]

#: What is sky, and what lies right beside it.
SKY, BESIDE = 2, 1
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
def unlike_sky(colours: Plane, own: Plane, clear: Plane, near: NDArray[np.uint8]) -> Plane:
    """How far colours are from a sky's own.

    Parameters
    ----------
    colours, own, clear
        Of the picture, of the sky near by, and of it where it is clear; CIELAB, shape (rows, columns, 3).
    near
        `SKY` where there may be clouds: there being paler than the clear sky counts little. `BESIDE` where there may be
        whatever lies between both colours. 0 elsewhere; shape (rows, columns), as the answer.
    """
    rows, columns, _ = colours.shape
    unlike = np.empty((rows, columns), np.float32)
    nothing, whole = np.float32(0), np.float32(1)
    for i in range(rows):
        for j in range(columns):
            light, a, b = (
                colours[i, j, 0] - own[i, j, 0],
                colours[i, j, 1] - own[i, j, 1],
                colours[i, j, 2] - own[i, j, 2],
            )
            away = light * light + a * a + b * b
            if near[i, j]:
                x, y, z = clear[i, j, 0] - own[i, j, 0], clear[i, j, 1] - own[i, j, 1], clear[i, j, 2] - own[i, j, 2]
                part = (light * x + a * y + b * z) / (x * x + y * y + z * z + np.float32(1e-6))
                part = min(max(part, nothing), whole)
                away = (light - part * x) ** 2 + (a - part * y) ** 2 + (b - part * z) ** 2
                light, a, b = light - x, a - y, b - z
            if near[i, j] == SKY:
                lighter, green, yellow = max(_WHITE - clear[i, j, 0], _LEAST_PALER), clear[i, j, 1], clear[i, j, 2]
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
