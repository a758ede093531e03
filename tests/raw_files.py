"""Raw files made here: DNGs of known light."""

from __future__ import annotations

import io

import numpy as np
import tifffile

from fern_ticket.core.pictures.profiles import SRGB_TO_XYZ_D65

#: How bright the camera sees red, green and blue of white light.
NEUTRAL = np.array([0.5, 1.0, 0.7])
WHITE = 4095


def rational(values) -> list[int]:
    return [part for value in values for part in (round(float(value) * 10000), 10000)]


def dng(scene: np.ndarray) -> bytes:
    """A 12-bit DNG (DNG 1.4) of linear sRGB light, shape (rows, columns, 3), seen through an RGGB mosaic.

    The camera's own primaries are sRGB's; its sensor clips at `WHITE`, whatever comes.
    """
    rows, columns = scene.shape[:2]
    seen = scene * NEUTRAL
    mosaic = np.empty((rows, columns))
    for y, x, channel in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        mosaic[y::2, x::2] = seen[y::2, x::2, channel]
    values = np.clip(np.round(mosaic * WHITE), 0, WHITE).astype(np.uint16)
    matrix = np.linalg.inv(SRGB_TO_XYZ_D65).ravel()
    tags = [
        (50706, 1, 4, (1, 4, 0, 0), True),  # DNGVersion
        (50707, 1, 4, (1, 1, 0, 0), True),  # DNGBackwardVersion
        (271, 2, 0, "Orrery", True),
        (272, 2, 0, "M3", True),
        (50708, 2, 0, "Orrery M3", True),  # UniqueCameraModel
        (33421, 3, 2, (2, 2), True),  # CFARepeatPatternDim
        (33422, 1, 4, (0, 1, 1, 2), True),  # CFAPattern
        (50714, 3, 1, 0, True),  # BlackLevel
        (50717, 4, 1, WHITE, True),  # WhiteLevel
        (50721, 10, 9, rational(matrix), True),  # ColorMatrix1
        (50728, 5, 3, rational(NEUTRAL), True),  # AsShotNeutral
        (50778, 3, 1, 21, True),  # CalibrationIlluminant1: D65
    ]
    out = io.BytesIO()
    tifffile.imwrite(out, values, photometric=32803, extratags=tags, metadata=None, software=False)
    return out.getvalue()
