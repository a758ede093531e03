"""The camera's stand at the bottom of a panorama: what is centred on the nadir and unlike the floor around it."""

from __future__ import annotations

import math
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.areas.outlining import Loops, outlines
from fern_ticket.core.cutting.dividing import likeness
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.lab import pixels_to_lab
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.render.around import Look

Seen = NDArray[np.uint8]
Bits = NDArray[np.bool_]

#: The downward view: degrees across, and pixels a side while looking.
_FIELD, _SIDE = 110.0, 480
#: The floor is learnt from a ring, degrees from straight down; a stand begins within some of it, and ends before.
_RING, _BEGINS, _ENDS = (38.0, 50.0), 14.0, 44.0
#: Deviations, pixels, of the two scales at which a place's colour is looked at.
_SCALES = (1.2, 4.0)
#: What is as unlike the floor as this share of the ring may be part of the stand, and as this one is it.
_MAY_BE, _IS = 0.97, 0.998
#: A gap that is closed, and how far around what was found its soft shadow reaches, degrees.
_GAP, _AROUND = 1.2, 2.2


def stand_in(looked: Callable[[Chart], Seen], picture: tuple[int, int], sphere: Sphere) -> tuple[Look, Loops]:
    """The outline of the stand with its shadow in a downward view, and that view.

    Parameters
    ----------
    looked
        Gives the panorama's pixels through a view.
    picture
        Width and height.

    Returns
    -------
    Closed outlines in pixels of a view at the picture's own resolution; none where nothing is unlike the floor.
    """
    small = Look(0.0, -90.0, _FIELD, _SIDE, _SIDE)
    found = _unlike_floor(looked(small.chart(picture, sphere)))
    focal = sphere.width / (2 * math.pi)
    side = min(8192, max(64, round(2 * focal * math.tan(math.radians(_FIELD) / 2))))
    smooth = np.asarray(cv2.GaussianBlur(found.astype(np.float32), (0, 0), 2.0), np.float32)
    loops = outlines(smooth) if found.any() else []
    larger = side / _SIDE
    return Look(0.0, -90.0, _FIELD, side, side), [[(x * larger, y * larger) for x, y in loop] for loop in loops]


def _unlike_floor(pixels: Seen) -> Bits:
    focal = _SIDE / 2 / math.tan(math.radians(_FIELD) / 2)
    y, x = np.mgrid[0:_SIDE, 0:_SIDE] + 0.5 - _SIDE / 2
    down = np.degrees(np.arctan(np.hypot(x, y) / focal))
    lab = pixels_to_lab(pixels).astype(np.float32)
    looks = np.dstack([cv2.GaussianBlur(lab, (0, 0), scale) for scale in _SCALES]).astype(np.float32)
    ring = (down > _RING[0]) & (down < _RING[1])
    unlike = cv2.GaussianBlur(-likeness(looks, ring.astype(np.float32)), (0, 0), 1.0)
    may_be, certain = np.quantile(unlike[ring], (_MAY_BE, _IS))
    weak = (unlike > may_be) & (down < _ENDS)
    closed = cv2.morphologyEx(weak.astype(np.uint8), cv2.MORPH_CLOSE, _disc(_GAP, focal))
    _, parts = cv2.connectedComponents(closed, connectivity=8)
    kept = np.unique(parts[(unlike > certain) & (down < _BEGINS)])
    found = np.isin(parts, kept[kept > 0])
    if not found.any():
        return found
    around = cv2.dilate(found.astype(np.uint8), _disc(_AROUND, focal))
    # holes are floor between legs: too small to be worth keeping
    filled = np.zeros_like(around)
    lines, _ = cv2.findContours(around, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    cv2.drawContours(filled, lines, -1, 1, cv2.FILLED)
    return np.asarray(filled > 0)


def _disc(degrees: float, focal: float) -> Seen:
    reach = max(1, round(math.tan(math.radians(degrees)) * focal))
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1)), np.uint8)
