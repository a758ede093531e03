"""Averages of light, not of codes: what is made smaller stays as light as it was.

A stored value is decoded by its space's tone response, averaged as light, and encoded again.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.profiles import ColourSpace

Table = NDArray[np.float32]

#: Entries of the way back, even in the root of light, as tone responses nearly are: about one for each of 16 bits.
ENTRIES = 1 << 16
#: Of these one of so many is enough where those between are told from their neighbours, to 1 of 65535.
SKIPPED = 16


@dataclass(frozen=True)
class Tone:
    """The tone response of a space, both ways.

    Attributes
    ----------
    light
        Light 0-65535 of each stored value of a depth, shape (256,), uint16: those lie far enough apart; or (65536,),
        float32.
    codes
        Encoded value 0-65535 for light, at `ENTRIES` even steps of its root; one more, so that the last has a next.
    fewer_codes
        One of `SKIPPED` of `codes`: they stay in a core's nearest memory.
    eight_bits
        Stored value of 8 bits for each whole step of light.
    """

    light: NDArray[np.uint16] | Table
    codes: Table
    fewer_codes: Table
    eight_bits: NDArray[np.uint8]


def tone_of(space: ColourSpace, dtype: np.dtype[Any]) -> Tone:
    """The response of the green channel, which stands for all: profiles seldom tell them apart."""
    return _tone(space.curves[1].tobytes(), np.iinfo(dtype).max)


def tones_of(space: ColourSpace, dtype: np.dtype[Any]) -> list[Tone]:
    """The response of each channel."""
    return [_tone(curve.tobytes(), np.iinfo(dtype).max) for curve in space.curves]


@lru_cache(maxsize=16)
def _tone(curve: bytes, most: int) -> Tone:
    grid = np.frombuffer(curve, np.float32).astype(np.float64)
    at = np.linspace(0, 1, len(grid))
    # a curve that stands still in places is told by where it begins to rise
    rising = np.maximum.accumulate(grid) + 1e-12 * np.arange(len(grid))
    codes = 65535 * np.interp(np.linspace(0, 1, ENTRIES) ** 2, rising, at)
    light = 65535 * np.interp(np.linspace(0, 1, most + 1), at, grid)
    all_codes = np.append(codes, codes[-1]).astype(np.float32)
    return Tone(
        np.round(light).astype(np.uint16) if most == 255 else light.astype(np.float32),
        all_codes,
        np.ascontiguousarray(all_codes[::SKIPPED]),
        np.round(255 * np.interp(np.linspace(0, 1, 65536), rising, at)).astype(np.uint8),
    )


def decoded(pixels: Pixels, tone: Tone) -> NDArray[Any]:
    """Light of stored values, 0-65535, the same shape."""
    # of 8 bits OpenCV looks values up in a third of the time
    return np.asarray(cv2.LUT(pixels, tone.light) if pixels.dtype == np.uint8 else np.take(tone.light, pixels))


def mean_of_fours(values: NDArray[Any]) -> NDArray[Any]:
    """Mean of each 2×2 block as it is; an odd side repeats its last row or column. Shape (⌈rows/2⌉, ⌈columns/2⌉, …)."""
    rows, columns = values.shape[:2]
    if rows % 2 or columns % 2:
        values = np.asarray(cv2.copyMakeBorder(values, 0, rows % 2, 0, columns % 2, cv2.BORDER_REPLICATE))
    half = (values.shape[1] // 2, values.shape[0] // 2)
    return np.asarray(cv2.resize(values, half, interpolation=cv2.INTER_AREA))


def halved(pixels: Pixels, space: ColourSpace) -> Pixels:
    """As `mean_of_fours`, of light."""
    tone = tone_of(space, pixels.dtype)
    mean = mean_of_fours(decoded(pixels, tone))
    if pixels.dtype == np.uint8:
        return np.asarray(np.take(tone.eight_bits, mean), np.uint8)
    place = np.sqrt(mean * np.float32(1 / 65535)) * np.float32(ENTRIES - 1) + np.float32(0.5)
    return np.asarray(np.take(tone.codes, place.astype(np.int32)) + np.float32(0.5)).astype(np.uint16)
