"""Values of sheets and of what they lie on: between a photo's space and sRGB, their light and grain, one laid over the
other.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.averaging import ENTRIES, tones_of
from fern_ticket.core.pictures.profiles import ColourSpace, srgb_decode, srgb_encode
from fern_ticket.core.pieces.blending import Values
from fern_ticket.core.pieces.operation import Tuned
from fern_ticket.core.render.resample import Window
from fern_ticket.core.threads import by_rows

#: Pixels from which threads lay a sheet on.
_WORTH = 1 << 17
_TOP = np.float32(65535)


def fitted(values: Values, tuned: Tuned, middle: float) -> Values:
    """sRGB encoded values with their light changed: contrast about the middle tone, then gains."""
    light = srgb_decode(np.clip(values, 0, 1)).astype(np.float32)
    if tuned.contrast != 1:
        light = np.float32(middle) * np.power(np.maximum(light, 0) / np.float32(middle), np.float32(tuned.contrast))
    return srgb_encode(np.clip(light * np.array(tuned.gains, np.float32), 0, 1)).astype(np.float32)


def relight(target: Window, factors: NDArray[np.float32], space: ColourSpace) -> None:
    """A space's stored values with factors of its own on each pixel's linear sRGB red, green and blue, in place.

    Parameters
    ----------
    target, factors
        Shape (rows, columns, 3). Where all three factors are 1 a pixel stays as it is.
    """
    tones = tones_of(space, target.dtype)
    light, codes = np.stack([tone.light for tone in tones]), np.stack([tone.codes for tone in tones])
    to_srgb, back = space.to_srgb.astype(np.float32), np.linalg.inv(space.to_srgb).astype(np.float32)
    by_rows(
        len(target),
        lambda part: _relight(target[part], factors[part], light, codes, to_srgb, back),
        worth=target.shape[0] * target.shape[1] > _WORTH,
    )


@fast_kernel
def _relight(
    target: NDArray[np.uint16],
    factors: NDArray[np.float32],
    light: NDArray[np.float32],
    codes: NDArray[np.float32],
    to_srgb: NDArray[np.float32],
    back: NDArray[np.float32],
) -> None:
    own, lit = np.empty(3, np.float32), np.empty(3, np.float32)
    for row in range(target.shape[0]):
        for column in range(target.shape[1]):
            changed = False
            for channel in range(3):
                changed |= factors[row, column, channel] != 1
                own[channel] = light[channel, target[row, column, channel]]
            if not changed:
                continue
            for to in range(3):
                seen = to_srgb[to, 0] * own[0] + to_srgb[to, 1] * own[1] + to_srgb[to, 2] * own[2]
                lit[to] = seen * factors[row, column, to]
            for channel in range(3):
                mixed = back[channel, 0] * lit[0] + back[channel, 1] * lit[1] + back[channel, 2] * lit[2]
                share = min(max(mixed * np.float32(1 / 65535), np.float32(0)), np.float32(1))
                place = np.int32(np.sqrt(share) * np.float32(ENTRIES - 1) + np.float32(0.5))
                target[row, column, channel] = np.uint16(codes[channel, place] + np.float32(0.5))


def linear(values: Values, space: ColourSpace) -> NDArray[np.float32]:
    """A space's encoded values to its own linear ones."""
    if space.is_srgb:
        return srgb_decode(np.clip(values, 0, 1)).astype(np.float32)
    at = np.clip(values * (space.curves.shape[1] - 1) + 0.5, 0, space.curves.shape[1] - 1).astype(np.intp)
    return np.stack([space.curves[channel][at[..., channel]] for channel in range(3)], axis=-1)


def encoded(light: NDArray[np.float32], space: ColourSpace) -> Values:
    """A space's own linear values, encoded; what it cannot hold is cut."""
    held = np.clip(light, 0, 1)
    if space.is_srgb:
        return srgb_encode(held).astype(np.float32)
    grid = np.linspace(0, 1, space.curves.shape[1])
    planes = [np.interp(held[..., channel], space.curves[channel], grid) for channel in range(3)]
    return np.stack(planes, axis=-1).astype(np.float32)


def in_srgb(values: Values, space: ColourSpace) -> Values:
    """A space's encoded values, sRGB encoded."""
    if space.is_srgb:
        return values
    return srgb_encode(np.clip(linear(values, space) @ space.to_srgb.T, 0, 1)).astype(np.float32)


def in_space(values: Values, space: ColourSpace) -> Values:
    """sRGB encoded values, encoded in another space."""
    if space.is_srgb:
        return values
    light = srgb_decode(np.clip(values, 0, 1)).astype(np.float32)
    return encoded(light @ np.linalg.inv(space.to_srgb).T.astype(np.float32), space)


def lay_over(target: Window, own: Window, share: Alpha) -> None:
    """`own` mixed onto `target` in place, by its share of each pixel."""
    by_rows(len(target), lambda part: _laid_over(target[part], own[part], share[part]), worth=share.size > _WORTH)


@fast_kernel
def _laid_over(target: NDArray[np.uint16], own: NDArray[np.uint16], share: NDArray[np.float32]) -> None:
    for row in range(target.shape[0]):
        for column in range(target.shape[1]):
            part = share[row, column]
            if part <= 0:
                continue
            if part >= 1:
                for channel in range(3):
                    target[row, column, channel] = own[row, column, channel]
                continue
            for channel in range(3):
                below = np.float32(target[row, column, channel])
                mixed = below + part * (np.float32(own[row, column, channel]) - below)
                target[row, column, channel] = np.uint16(mixed + np.float32(0.5))


@fast_kernel
def grain_of(left: int, top: int, level: int, width: int, height: int) -> NDArray[np.float32]:
    """Noise of deviation 1 at full size that stands still in the picture, shape (height, width, 3).

    Mostly of light, a little of colour; quieter on coarser levels, as averaging makes it.
    """
    out = np.empty((height, width, 3), np.float32)
    quieter = np.float32(1.0 / (1 << level))
    for row in range(height):
        for column in range(width):
            seed = np.uint64((left + column) & 0xFFFFFFF) * np.uint64(0x9E3779B97F4A7C15)
            seed ^= np.uint64((top + row) & 0xFFFFFFF) * np.uint64(0xC2B2AE3D27D4EB4F)
            seed ^= np.uint64(level + 1) * np.uint64(0x165667B19E3779F9)
            common = _normal(seed)
            for channel in range(3):
                own = _normal(seed + np.uint64(channel + 1) * np.uint64(0xD6E8FEB86659FD93))
                out[row, column, channel] = (np.float32(0.94) * common + np.float32(0.34) * own) * quieter
    return out


@fast_kernel
def _normal(seed: np.uint64) -> np.float32:
    """About normal: the sum of four even numbers, of a hash (Steele, Lea, Flood 2014, SplitMix64)."""
    total = np.float32(0)
    z = seed
    for _ in range(2):
        z += np.uint64(0x9E3779B97F4A7C15)
        h = z
        h = (h ^ (h >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        h = (h ^ (h >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        h ^= h >> np.uint64(31)
        total += np.float32(h & np.uint64(0xFFFFFFFF)) + np.float32(h >> np.uint64(32))
    return (total / np.float32(4294967296.0) - np.float32(2)) * np.float32(1.7320508)
