"""Hue and chroma of encoded colours, and tables over hue. Shared by what works on families of colour.

Hue is the angle of the encoded colour about the grey axis by its largest and smallest channel: red 0°, green 120°,
blue 240°; chroma is their difference.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel

#: Entries of a table over hue, and one more that repeats the first.
HUE_STEPS = 720


def hues() -> NDArray[np.float64]:
    """The hue of each entry, degrees."""
    return np.linspace(0, 360, HUE_STEPS + 1)


def weight(centre: float, width: float) -> NDArray[np.float64]:
    """How far each hue belongs to a family:

    1 at its centre, half at `width` / 2 from it, falling smoothly to 0 at `width`.
    """
    away = np.abs((hues() - centre + 180) % 360 - 180)
    return np.asarray(0.5 + 0.5 * np.cos(np.pi * np.clip(away / width, 0, 1)))


def hue_of(colour: NDArray[np.float64]) -> float:
    """Degrees, of one encoded colour, shape (3,). A grey has 0."""
    return 60 * float(_hue(np.float32(colour[0]), np.float32(colour[1]), np.float32(colour[2])))


@fast_kernel
def _hue(r: np.float32, g: np.float32, b: np.float32) -> np.float32:
    """Hue in sixths of the circle, 0-6."""
    high, low = max(r, g, b), min(r, g, b)
    chroma = high - low
    if chroma < np.float32(1e-7):
        return np.float32(0)
    if high == r:
        hue = (g - b) / chroma
        return hue if hue >= np.float32(0) else hue + np.float32(6)
    if high == g:
        return (b - r) / chroma + np.float32(2)
    return (r - g) / chroma + np.float32(4)


@fast_kernel
def _at_hue(table: NDArray[np.float32], hue: np.float32) -> np.float32:
    place = hue * np.float32(120)
    index = min(max(int(place), 0), table.shape[0] - 2)
    return np.float32(table[index] + (table[index + 1] - table[index]) * (place - np.float32(index)))
