"""How far red and blue were drawn out of the size of green by a lens."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.pyramid import Source
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.source.operation import shares

#: Side of a patch, how many there are across and down, and the height of a peak from which it counts.
_SIDE, _ACROSS, _DOWN, _CLEAR = 160, 9, 7, 0.25
#: So many patches must agree before anything is said.
_FEWEST = 8


def fringing(source: Source) -> tuple[float, float] | None:
    """Source pixels at the corner by which red and blue lie outside green; None where too little texture says so.

    Phase correlation of each channel with green (Foroosh et al. 2002), patch by patch, on fine texture; the outward
    part of each shift over its share of the way to the corner, by their median.
    """
    width, height = source.size
    half = math.hypot(width, height) / 2
    side = min(_SIDE, width, height)
    window = cv2.createHanningWindow((side, side), cv2.CV_32F)
    outward: tuple[list[float], list[float]] = ([], [])
    for y in np.linspace(0, height - side, _DOWN):
        for x in np.linspace(0, width - side, _ACROSS):
            way = np.array([x + side / 2 - width / 2, y + side / 2 - height / 2])
            away = float(np.hypot(*way))
            if away < 0.45 * half:
                continue
            patch = shares(source.read(0, Box(int(x), int(y), int(x) + side, int(y) + side)))
            if patch.max() > 0.995 or patch.std() < 0.02:
                continue
            green = _fine(patch[..., 1])
            for channel, found in zip((0, 2), outward, strict=True):
                shift, response = cv2.phaseCorrelate(green, _fine(patch[..., channel]), window)
                if response > _CLEAR and math.hypot(*shift) < 12:
                    found.append(float(np.dot(shift, way)) / away * half / away)
    if min(len(found) for found in outward) < _FEWEST:
        return None
    red, blue = (float(np.median(found)) for found in outward)
    return red, blue


def _fine(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    plane = np.ascontiguousarray(plane)
    return np.asarray(cv2.GaussianBlur(plane, (0, 0), 0.7) - cv2.GaussianBlur(plane, (0, 0), 4), np.float32)
