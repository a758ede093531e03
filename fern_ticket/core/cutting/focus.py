"""What a lens has in focus, told by the blur of edges (Zhuo, Sim 2011, doi:10.1016/j.patcog.2011.03.009).

How wide an edge is says how far out of focus it lies. That is spread from edges over what they enclose, by a smoother
that keeps colours apart (Min and others 2014, doi:10.1109/TIP.2014.2366600); where no edge is near, nothing is in
focus.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.fine_edge import noise_of
from fern_ticket.core.cutting.saliency import shrunk
from fern_ticket.core.ledger.masks import Alpha

Plane = NDArray[np.float32]

#: Long side of the copy that it is spread on.
_SIDE = 256
#: Deviations of the blur that takes noise off, and of the one more whose effect tells an edge's width, pixels.
_CALMED, _AGAIN = 0.7, 2.0
#: The weakest edge, levels of 255 a pixel and times the noise, and the strongest, that counts no more than that.
_WEAKEST, _TIMES_NOISE, _STRONGEST = 3.0, 3.0, 10.0
#: Deviation of an edge that is half in focus, pixels; and how much the absence of any counts.
_HALF, _NO_EDGE = 1.5, 0.05
#: How far the smoother goes, and the difference in colour that stops it, levels of 255.
_FAR, _STOPS = 300.0, 8.0
#: The rim that is looked at for ground, pixels; how much less in focus it must be than the sharpest, and that at least.
_RIM, _OUT, _SOME = 8, 0.25, 0.3
#: What is this much in focus at most is blurred; the share of it that has to have blurred things in it, which change by
#: so many levels of CIELAB a pixel: a plain ground tells nothing.
_BLURRED, _THINGS, _CHANGE = 0.2, 0.4, 1.5


def in_focus(pixels: NDArray[np.uint8], size: tuple[int, int]) -> Alpha | None:
    """How far each place is in focus, 0-1 from the picture's rim to its sharpest; None where the lens does not tell.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3), several times `size`.
    size
        Columns and rows of the answer.
    """
    small = shrunk(pixels, _SIDE, 2 * _RIM)
    few = (small.shape[1], small.shape[0])
    weight, sharp = (cv2.resize(one, few, interpolation=cv2.INTER_AREA) for one in _edges(pixels))
    spread, weights = (cv2.ximgproc.fastGlobalSmootherFilter(small, one, _FAR, _STOPS) for one in (sharp, weight))
    found = spread / (weights + np.float32(_NO_EDGE))
    rim = np.concatenate(
        [found[:_RIM].ravel(), found[-_RIM:].ravel(), found[:, :_RIM].ravel(), found[:, -_RIM:].ravel()]
    )
    low, high = float(np.median(rim)), float(np.quantile(found, 0.97))
    if high < _SOME or low > _OUT * high:
        return None
    share = np.clip((found - low) / (high - low), 0, 1).astype(np.float32)
    blurred = share < _BLURRED
    if not blurred.any() or (_change(small)[blurred] > _CHANGE).mean() < _THINGS:
        return None
    return np.asarray(cv2.resize(share, size, interpolation=cv2.INTER_LINEAR), np.float32)


def _edges(pixels: NDArray[np.uint8]) -> tuple[Plane, Plane]:
    """How much the edge at each pixel counts, 0 where none is; and that times how far it is in focus, 0-1."""
    grey = cv2.GaussianBlur(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY).astype(np.float32), (0, 0), _CALMED)
    steep, less = _steepness(grey), _steepness(cv2.GaussianBlur(grey, (0, 0), _AGAIN))
    weakest = max(_WEAKEST, _TIMES_NOISE * 255 * noise_of(pixels))
    ridge = (steep >= cv2.dilate(steep, np.ones((3, 3), np.uint8))) & (steep > weakest)
    # a step blurred by s is less steep by the root of 1 + again² / (s² + calmed²) when it is blurred again
    ratio = np.square(steep / np.maximum(less, 1e-3))
    spread = _AGAIN**2 / np.maximum(ratio - 1, 1e-3) - _CALMED**2
    sharp = 1 / (1 + np.clip(spread, 0.01, 400) / _HALF**2)
    weight = np.where(ridge, np.minimum(steep, _STRONGEST), 0).astype(np.float32)
    return weight, (weight * sharp).astype(np.float32)


def _steepness(plane: NDArray[Any]) -> Plane:
    """Levels a pixel."""
    across, down = (cv2.Sobel(plane, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1)))
    return np.asarray(np.hypot(across, down), np.float32)


def _change(small: NDArray[np.uint8]) -> Plane:
    """CIELAB, 8 bits, a pixel, of what is left when fine detail is not seen."""
    lab = cv2.GaussianBlur(cv2.cvtColor(small, cv2.COLOR_RGB2LAB).astype(np.float32), (0, 0), 1.5)
    return np.asarray(np.linalg.norm([_steepness(channel) for channel in cv2.split(lab)], axis=0), np.float32)
