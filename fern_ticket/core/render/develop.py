"""Light and colour: encoded values of the source to encoded sRGB, in one pass over the pixels."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.profiles import ColourSpace, Matrix, srgb_encode
from fern_ticket.core.render.resample import Window

_STEPS = 16384


@lru_cache(maxsize=1)
def _encode_table() -> NDArray[np.float32]:
    """sRGB encoding of _STEPS + 1 evenly spaced linear values, and one more so that interpolation may look ahead.

    Linear interpolation between them is within 2e-6 of IEC 61966-2-1, a sixth of a 16-bit step.
    """
    table = srgb_encode(np.linspace(0, 1, _STEPS + 1))
    return np.append(table, 1.0).astype(np.float32)


def develop(window: Window, space: ColourSpace, light: Matrix, depth: type[np.uint8] | type[np.uint16]) -> Pixels:
    """Apply `light` in linear sRGB and encode.

    Parameters
    ----------
    window
        Encoded source values, shape (rows, columns, 3), uint16.
    space
        What they mean.
    light
        Matrix on linear sRGB, shape (3, 3).
    depth
        Of the result. Values beyond what it holds are clipped here and nowhere before.

    Returns
    -------
    sRGB, shape of `window`. With sRGB values and the identity for light, the values themselves.
    """
    out: Pixels = np.empty(window.shape, depth)
    if space.is_srgb and np.array_equal(light, np.eye(3)):
        if depth is np.uint8:
            _narrow(window.reshape(-1), out.reshape(-1))
        else:
            out[:] = window
        return out
    matrix = (light @ space.to_srgb).astype(np.float32)
    _develop(window, space.curves, matrix, _encode_table(), np.float32(np.iinfo(depth).max), out)
    return out


def reaching(window: Window, space: ColourSpace, light: Matrix, limit: float) -> NDArray[np.bool_]:
    """Where any channel of linear sRGB after `light` reaches `limit`. Shape (rows, columns)."""
    out = np.empty(window.shape[:2], np.bool_)
    _reaching(window, space.curves, (light @ space.to_srgb).astype(np.float32), np.float32(limit), out)
    return out


def linear_srgb(window: Window, space: ColourSpace, light: Matrix) -> NDArray[np.float64]:
    """Linear sRGB after `light`, unclipped, shape of `window`, for measuring."""
    linear = np.stack([space.curves[channel][window[..., channel]] for channel in range(3)], axis=-1)
    return np.asarray(linear.astype(np.float64) @ (light @ space.to_srgb).T)


@fast_kernel
def _reaching(
    window: NDArray[np.uint16],
    curves: NDArray[np.float32],
    matrix: NDArray[np.float32],
    limit: np.float32,
    out: NDArray[np.bool_],
) -> None:
    for row in range(window.shape[0]):
        for column in range(window.shape[1]):
            r = curves[0, window[row, column, 0]]
            g = curves[1, window[row, column, 1]]
            b = curves[2, window[row, column, 2]]
            found = False
            for channel in range(3):
                found |= matrix[channel, 0] * r + matrix[channel, 1] * g + matrix[channel, 2] * b >= limit
            out[row, column] = found


@fast_kernel
def _narrow(window: NDArray[np.uint16], out: NDArray[np.uint8]) -> None:
    for index in range(window.shape[0]):
        out[index] = (np.uint32(window[index]) + np.uint32(128)) // np.uint32(257)


@fast_kernel
def _develop(
    window: NDArray[np.uint16],
    curves: NDArray[np.float32],
    matrix: NDArray[np.float32],
    table: NDArray[np.float32],
    top: np.float32,
    out: Any,
) -> None:
    steps = table.shape[0] - 2
    for row in range(window.shape[0]):
        for column in range(window.shape[1]):
            r = curves[0, window[row, column, 0]]
            g = curves[1, window[row, column, 1]]
            b = curves[2, window[row, column, 2]]
            for channel in range(3):
                value = matrix[channel, 0] * r + matrix[channel, 1] * g + matrix[channel, 2] * b
                place = min(max(value, np.float32(0)), np.float32(1)) * np.float32(steps)
                index = int(place)
                low = table[index]
                encoded = low + (table[index + 1] - low) * (place - np.float32(index))
                out[row, column, channel] = int(encoded * top + np.float32(0.5))
