"""Averages of light, not of codes: what is made smaller stays as light as it was.

A stored value is decoded by its space's tone response, averaged as light, and encoded again.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.profiles import ColourSpace

Table = NDArray[np.float32]

#: Entries of the way back, even in the root of light, as tone responses nearly are: about one for each of 16 bits.
_ENTRIES = 1 << 16
#: Light of 8-bit values is summed in whole numbers up to this, so that four of them fit into 16 bits.
_WHOLE = 16_383


@dataclass(frozen=True)
class Tone:
    """The tone response of a space, both ways.

    Attributes
    ----------
    light
        Light 0-65535 of each stored value of a depth, shape (256,), uint16, or (65536,), float32.
    codes
        Encoded value 0-65535 for light, at `_ENTRIES` even steps of its root; one more, so that the last has a next.
    whole, of_four
        For 8 bits: light up to `_WHOLE` of each stored value, and the stored value for each sum of four of those.
    """

    light: NDArray[np.uint16] | Table
    codes: Table
    whole: NDArray[np.int32]
    of_four: NDArray[np.uint8]


def tone_of(space: ColourSpace, dtype: np.dtype[Any]) -> Tone:
    """The response of the green channel, which stands for all: profiles seldom tell them apart."""
    return _tone(space.curves[1].tobytes(), np.iinfo(dtype).max)


@lru_cache(maxsize=16)
def _tone(curve: bytes, most: int) -> Tone:
    grid = np.frombuffer(curve, np.float32).astype(np.float64)
    at = np.linspace(0, 1, len(grid))
    # a curve that stands still in places is told by where it begins to rise
    rising = np.maximum.accumulate(grid) + 1e-12 * np.arange(len(grid))
    codes = 65535 * np.interp(np.linspace(0, 1, _ENTRIES) ** 2, rising, at)
    light = np.interp(np.linspace(0, 1, most + 1), at, grid)
    sums = np.arange(4 * _WHOLE + 1) / (4 * _WHOLE)
    return Tone(
        np.round(65535 * light).astype(np.uint16) if most == 255 else (65535 * light).astype(np.float32),
        np.append(codes, codes[-1]).astype(np.float32),
        np.round(light * _WHOLE).astype(np.int32),
        np.round(255 * np.interp(sums, rising, at)).astype(np.uint8),
    )


@fast_kernel
def encoded(light: np.float32, codes: Table) -> np.float32:
    """0-65535 of light, which is cut to 0-1."""
    place = np.sqrt(min(max(light, np.float32(0)), np.float32(1))) * np.float32(_ENTRIES - 1)
    below = int(place)
    return np.float32(codes[below] + (place - np.float32(below)) * (codes[below + 1] - codes[below]))


def decoded(pixels: Pixels, tone: Tone) -> NDArray[np.uint16] | NDArray[np.float32]:
    """Light of stored values, 0-65535, the same shape; of 8 bits, which lie far enough apart, in whole steps."""
    out = np.empty(pixels.shape, tone.light.dtype)
    _decode(np.ascontiguousarray(pixels).reshape(-1), tone.light, out.reshape(-1))
    return out


@fast_kernel
def _decode(values: Any, light: Any, out: Any) -> None:
    for index in range(values.size):
        out[index] = light[values[index]]


def halved(pixels: Pixels, space: ColourSpace) -> Pixels:
    """Light of each 2×2 block; an odd side repeats its last row or column. Shape (⌈rows/2⌉, ⌈columns/2⌉, 3)."""
    tone = tone_of(space, pixels.dtype)
    rows, columns = pixels.shape[:2]
    out = np.empty((-(-rows // 2), -(-columns // 2), 3), pixels.dtype)
    if pixels.dtype == np.uint8:
        _halve_by_sums(pixels, tone.whole, tone.of_four, out)
    else:
        _halve(pixels, tone.light, tone.codes, out)
    return out


@fast_kernel
def _halve_by_sums(pixels: Any, whole: NDArray[np.int32], of_four: NDArray[np.uint8], out: Any) -> None:
    rows, columns, _ = pixels.shape
    for row in range(out.shape[0]):
        top, below = 2 * row, min(2 * row + 1, rows - 1)
        for column in range(out.shape[1]):
            left, right = 2 * column, min(2 * column + 1, columns - 1)
            for channel in range(3):
                upper = whole[pixels[top, left, channel]] + whole[pixels[top, right, channel]]
                lower = whole[pixels[below, left, channel]] + whole[pixels[below, right, channel]]
                out[row, column, channel] = of_four[upper + lower]


@fast_kernel
def _halve(pixels: Any, light: Table, codes: Table, out: Any) -> None:
    rows, columns, _ = pixels.shape
    for row in range(out.shape[0]):
        top, below = 2 * row, min(2 * row + 1, rows - 1)
        for column in range(out.shape[1]):
            left, right = 2 * column, min(2 * column + 1, columns - 1)
            for channel in range(3):
                one, other = pixels[top, left, channel], pixels[top, right, channel]
                third, last = pixels[below, left, channel], pixels[below, right, channel]
                if one == other and one == third and one == last:
                    out[row, column, channel] = one
                    continue
                mean = np.float32(0.25 / 65535) * (light[one] + light[other] + light[third] + light[last])
                out[row, column, channel] = int(encoded(mean, codes) + np.float32(0.5))
