"""Where a picture's subject probably is, from the picture alone.

What cannot be reached from the picture's border without crossing an edge stands out (Zhang, Sclaroff, Lin, Shen, Price,
Měch 2015, "Minimum barrier salient object detection at 80 FPS", doi:10.1109/ICCV.2015.165), and so does what is unlike
the border (Zhu, Liang, Wei, Sun 2014, "Saliency optimization from robust background detection",
doi:10.1109/CVPR.2014.360). Besides colour, how sharp a place is counts as one of its features, as a lens throws the
ground out of focus.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.looks import gaussians
from fern_ticket.core.kernels import kernel
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.lab import pixels_to_lab

Features = NDArray[np.float32]

#: Long side that is looked at.
SIDE = 256
#: Weight of lightness beside colour, which shading and shadows change less.
_LIGHTNESS = 0.7
#: CIELAB units that a doubling of sharpness is worth.
_SHARPNESS = 9.0
#: Looks that a side of the border has, and the least variance of one, CIELAB units squared.
_LOOKS, _LEAST_SPREAD = 5, 8.0
#: Border that belongs to the ground, as a share of the short side.
_BORDER = 0.04


def saliency(features: Features) -> Alpha:
    """How much each pixel stands out, 0-1.

    Parameters
    ----------
    features
        Of `features_of`.

    Returns
    -------
    Shape of a feature, float32.
    """
    reached = np.sum([barrier(np.ascontiguousarray(one)) for one in features], axis=0)
    found = scaled(reached) + scaled(_unlike_border(features))
    rows, columns = found.shape
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32)
    middle = np.exp(-(((x / columns - 0.5) / 0.55) ** 2) - ((y / rows - 0.5) / 0.55) ** 2)
    return scaled(cv2.GaussianBlur((found * middle).astype(np.float32), (0, 0), 1.5))


def features_of(pixels: NDArray[np.uint8]) -> Features:
    """Lightness, colour and sharpness in like units, shape (4, rows, columns), of a copy with a long side of `SIDE`.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3), several times `SIDE` on its long side, so that sharpness shows.
    """
    scale = SIDE / max(pixels.shape[:2])
    size = (max(8, round(pixels.shape[1] * scale)), max(8, round(pixels.shape[0] * scale)))
    small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    lab = pixels_to_lab(np.asarray(cv2.medianBlur(small, 3), np.uint8))
    grey = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY).astype(np.float32)
    fine = np.abs(grey - cv2.GaussianBlur(grey, (0, 0), 1.5))
    sharp = cv2.GaussianBlur(cv2.resize(fine, size, interpolation=cv2.INTER_AREA), (0, 0), 3)
    return np.stack([_LIGHTNESS * lab[..., 0], lab[..., 1], lab[..., 2], _SHARPNESS * np.log2(sharp + 1)]).astype(
        np.float32
    )


def shrunk(pixels: NDArray[np.uint8], side: int, least: int) -> NDArray[np.uint8]:
    """At most `side` on its long side, at least `least` on either; never enlarged but for that."""
    scale = min(1.0, side / max(pixels.shape[:2]))
    size = (max(least, round(pixels.shape[1] * scale)), max(least, round(pixels.shape[0] * scale)))
    return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), np.uint8)


@kernel
def barrier(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """Minimum barrier distance of each pixel to the picture's border, by four sweeps; shape of `values`."""
    rows, columns = values.shape
    away = np.full((rows, columns), np.float32(1e9), np.float32)
    away[0, :] = away[-1, :] = np.float32(0)
    away[:, 0] = away[:, -1] = np.float32(0)
    high, low = values.copy(), values.copy()
    for sweep in range(4):
        step = 1 if sweep % 2 == 0 else -1
        for i in range(rows):
            row = i if step == 1 else rows - 1 - i
            for j in range(columns):
                column = j if step == 1 else columns - 1 - j
                value = values[row, column]
                for k in range(2):
                    r, c = (row - step, column) if k == 0 else (row, column - step)
                    if r < 0 or c < 0 or r >= rows or c >= columns or away[r, c] > np.float32(1e8):
                        continue
                    up, down = max(high[r, c], value), min(low[r, c], value)
                    if up - down < away[row, column]:
                        away[row, column] = up - down
                        high[row, column], low[row, column] = up, down
    return away


def _unlike_border(features: Features) -> NDArray[np.float64]:
    """How unlike the sides of the border a pixel is.

    The side that is most like it is not asked: the subject may lie on one.
    """
    count, rows, columns = features.shape
    wide = max(2, round(_BORDER * min(rows, columns)))
    sides = (np.s_[:, :wide], np.s_[:, -wide:], np.s_[:, :, :wide], np.s_[:, :, -wide:])
    flat = features.reshape(count, -1).T
    found = [_unlike(flat, features[side].reshape(count, -1).T) for side in sides]
    return np.asarray(np.sort(found, axis=0)[1].reshape(rows, columns), np.float64)


def _unlike(values: NDArray[np.float32], known: NDArray[np.float32]) -> NDArray[np.float32]:
    """Distance of values to the nearest of some looks, in deviations of those; shape (count,)."""
    nearest = np.full(len(values), np.inf, np.float32)
    for one in gaussians(known, _LOOKS, 3 * values.shape[1], _LEAST_SPREAD):
        away = (values - one.middle.astype(np.float32)) @ one.whitening.astype(np.float32).T
        np.minimum(nearest, np.square(away).sum(axis=1), out=nearest)
    return np.asarray(np.sqrt(np.minimum(nearest, 1e4)), np.float32)


def scaled(values: NDArray[np.floating]) -> Alpha:
    """From least to nearly most as 0-1."""
    low, high = float(values.min()), float(np.quantile(values, 0.995))
    return np.asarray(np.clip((values - low) / max(high - low, 1e-6), 0, 1), np.float32)
