"""A brush that stays inside the edges around the middle of its tip.

From the stroke's own path colours are climbed; beyond an edge of the photo nothing is painted, however far the tip
reaches.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.climbing import climbed
from fern_ticket.core.cutting.fine_edge import noise_of
from fern_ticket.core.ledger.covers import Edged
from fern_ticket.core.ledger.masks import Alpha, Stroke, StrokesMask
from fern_ticket.core.pictures.lab import pixels_to_lab
from fern_ticket.core.pictures.regions import Box

#: Share of the tip around its middle whose colours are taken as belonging.
_MIDDLE = 0.25
#: CIELAB units that may be climbed at the firmest hold and at the loosest.
_FIRM, _LOOSE = 4.0, 60.0


def edged(shape: Edged, pixels: NDArray[np.uint8], place: Box, level: int) -> Alpha:
    """Coverage of a place of a level.

    Parameters
    ----------
    pixels
        sRGB of the photo there, shape (rows, columns, 3).
    place
        Pixels of the level.
    """
    colours = pixels_to_lab(np.asarray(cv2.bilateralFilter(pixels, 5, 18, 1.5), np.uint8))
    most = np.float32(_LOOSE * (_FIRM / _LOOSE) ** shape.hold)
    free = np.float32(1 + 100 * noise_of(pixels))
    total = np.zeros(pixels.shape[:2], np.float32)
    for stroke in shape.strokes:
        _paint_one(total, stroke, colours, place, level, most, free)
    return total


def _paint_one(
    total: Alpha,
    stroke: Stroke,
    colours: NDArray[np.float32],
    place: Box,
    level: int,
    most: np.float32,
    free: np.float32,
) -> None:
    scaled = StrokesMask(strokes=[stroke]).scaled(2.0**-level)
    own = scaled.strokes[0]
    box = own.extent.within(place)
    if box.empty:
        return
    inside = box.relative_to(place)
    thin = own.model_copy(update={"size": max(own.size * _MIDDLE, 1.5), "hardness": 1.0})
    middle = StrokesMask(strokes=[thin]).alpha(box) > 0.4
    away = climbed(np.ascontiguousarray(colours[inside.rows, inside.columns]), middle, free)
    held = np.clip((most - away) / (np.float32(0.4) * most) + np.float32(0.5), 0, 1)
    painted = scaled.alpha(box) * held
    np.maximum(total[inside.rows, inside.columns], painted, out=total[inside.rows, inside.columns])
