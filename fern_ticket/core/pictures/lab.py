"""CIELAB (CIE 15) under D65."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.profiles import D65_XYZ, SRGB_TO_XYZ_D65

Floats = NDArray[np.float64]


def linear_to_lab(linear: Floats) -> Floats:
    """Linear sRGB, shape (..., 3), which may leave 0-1."""
    relative = linear @ SRGB_TO_XYZ_D65.T / D65_XYZ
    bent = np.where(relative > (6 / 29) ** 3, np.cbrt(np.maximum(relative, 0)), relative * (29 / 6) ** 2 / 3 + 4 / 29)
    x, y, z = bent[..., 0], bent[..., 1], bent[..., 2]
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def pixels_to_lab(pixels: NDArray[np.uint8]) -> NDArray[np.float32]:
    """sRGB of 8 bits, shape (rows, columns, 3), as OpenCV works it out: quickly, near enough to tell colours apart."""
    return np.asarray(cv2.cvtColor(pixels.astype(np.float32) / np.float32(255), cv2.COLOR_RGB2Lab), np.float32)
