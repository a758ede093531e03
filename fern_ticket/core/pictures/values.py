"""Small things that are done to arrays of encoded values in many places, once."""

from __future__ import annotations

from functools import reduce
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.regions import Box

Values = NDArray[np.float32]

#: A deviation, pixels, that changes nothing that is seen.
_NO_BLUR = 0.15


def blurred(values: Values, deviation: float) -> Values:
    """Values under a Gaussian of so many pixels, their edge repeated; as they are under one that nobody sees."""
    if deviation < _NO_BLUR:
        return values
    return np.asarray(cv2.GaussianBlur(values, (0, 0), deviation, borderType=cv2.BORDER_REPLICATE), np.float32)


def enlarged(small: Values, box: Box, factor: float = 2.0, at: tuple[int, int] = (0, 0)) -> Values:
    """A smaller level, of which `small` begins at `at`, at the pixels of `box`; its edge is repeated beyond it."""
    # pixel x of this level lies at (x + 0.5) / factor - 0.5 of the smaller one
    k = 1 / factor
    warp = np.array([[k, 0, (box.left + 0.5) * k - 0.5 - at[0]], [0, k, (box.top + 0.5) * k - 0.5 - at[1]]])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    out: Any = cv2.warpAffine(small, warp, (box.width, box.height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(out, np.float32)


def rounded(values: NDArray[Any], depth: Any) -> Pixels:
    """Values in the range of `depth`, uint8 or uint16, rounded and cut to it."""
    return np.asarray(np.clip(values + 0.5, 0, np.iinfo(depth).max), depth)


def narrowed(pixels: Pixels) -> NDArray[np.uint8]:
    """8 bits of each value, the upper ones."""
    return np.asarray(pixels if pixels.dtype == np.uint8 else pixels >> 8, np.uint8)


def over_channels(join: np.ufunc, pixels: NDArray[Any]) -> NDArray[Any]:
    """`join.reduce(pixels, axis=2)`, plane by plane: of few channels NumPy reduces pixel by pixel, ten times slower."""
    return np.asarray(reduce(join, np.moveaxis(pixels, 2, 0)))


def set_under(grid: NDArray[np.bool_], points: NDArray[Any]) -> NDArray[np.bool_]:
    """Whether the grid is set under each (x, y), shape (..., 2); nothing is outside of it."""
    x, y = np.moveaxis(np.floor(points).astype(int), -1, 0)
    inside = (x >= 0) & (y >= 0) & (x < grid.shape[1]) & (y < grid.shape[0])
    found = np.zeros(x.shape, np.bool_)
    found[inside] = grid[y[inside], x[inside]]
    return found


def slope(plane: NDArray[Any], side: int = 3) -> Values:
    """Length of the gradient by Sobel's filter of `side` pixels, not divided by its weights; shape (rows, columns)."""
    return np.asarray(
        np.hypot(cv2.Sobel(plane, cv2.CV_32F, 1, 0, ksize=side), cv2.Sobel(plane, cv2.CV_32F, 0, 1, ksize=side)),
        np.float32,
    )


def deepest(cover: NDArray[Any]) -> float:
    """Pixels from the innermost covered one to the rim; outside the array nothing is covered."""
    return float(cv2.distanceTransform(np.pad(cover, 1).astype(np.uint8), cv2.DIST_L2, 3).max())


def depth_within(cover: NDArray[Any]) -> NDArray[np.float32]:
    """How far each covered pixel is from the rim, in pixels, 0 where nothing is covered, as outside the array; shape of
    the cover."""
    padded = np.pad(cover, 1).astype(np.uint8)
    return np.asarray(cv2.distanceTransform(padded, cv2.DIST_L2, 5), np.float32)[1:-1, 1:-1]


def blurred_within(values: Values, cover: NDArray[Any], sigma: float, least: float = 1e-3) -> Values:
    """A Gaussian blur in which only what is covered counts.

    Parameters
    ----------
    values
        Shape (rows, columns) or (rows, columns, channels), float32.
    cover
        How far each pixel counts, 0-1, or whether, shape (rows, columns).
    sigma
        Of the blur, pixels.
    least
        Cover below which a place is taken for empty.
    """
    share = cover.astype(np.float32)
    weight = np.maximum(cv2.GaussianBlur(share, (0, 0), sigma), np.float32(least))
    shape = share.shape + (1,) * (values.ndim - 2)
    soft = cv2.GaussianBlur(values * share.reshape(shape), (0, 0), sigma).reshape(values.shape)
    return np.asarray(soft / weight.reshape(shape), np.float32)
