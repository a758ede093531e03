"""What would fit a piece to its surroundings: light, grain and sharpness, to be taken in part.

Where what is inside of the rim goes on outside of it, light goes by the differences across the rim, those that most
places agree on; else, as for a thing on another ground, by means and spreads of logarithms on both sides (Reinhard,
Adhikhmin, Gooch, Shirley 2001, "Color transfer between images", doi:10.1109/38.946629).
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.balance.light import LUMINANCE
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.profiles import srgb_decode
from fern_ticket.core.pictures.values import depth_within
from fern_ticket.core.pieces.blending import Values

#: Width of the bands on both sides of a rim, as a share of the piece's greatest depth, and pixels at least.
_BAND, _LEAST_BAND = 0.35, 3
#: How far beside what is surely inside one looks across the rim, pixels, and what share of places has to agree.
_ACROSS, _AGREED = 5.0, 0.2
#: Spreads that differ by less than this factor are left: what lies on two sides of a rim seldom has the same.
_SAME_SPREAD = 1.5
#: Least share of white that counts: below it there is noise.
_BLACK = 4e-3
#: Side of the blocks that noise is seen in, pixels.
_BLOCK = 7
#: Largest blur that is looked for, pixels, and how much crisper a piece has to be to be blurred.
_MOST_BLUR, _CRISPER = 6.0, 1.12


def light_to_match(own: Values, below: Values, share: Alpha) -> dict[str, float]:
    """Stops of exposure, hundredths of warmth and tint, per cent of contrast, as a piece has them.

    Parameters
    ----------
    own, below
        sRGB encoded, 0-1, shape (rows, columns, 3): of the piece, and of what it lies on, with some of what lies
        around.
    share
        How far the piece covers each pixel, 0-1.

    Returns
    -------
    Nothing where the piece has no surroundings.
    """
    inside, outside = bands_of(share)
    if not inside.any() or not outside.any():
        return {}
    contrast = 0.0
    off = _across(own, below, share)
    if off is None:
        ours, theirs = (stops_of(values[band]) for values, band in ((own, inside), (below, outside)))
        off = theirs.mean(axis=0) - ours.mean(axis=0)
        spreads = [np.std(stops @ np.array(LUMINANCE)) + 1e-3 for stops in (ours, theirs)]
        wider = float(spreads[1] / spreads[0])
        if not 1 / _SAME_SPREAD < wider < _SAME_SPREAD:
            contrast = 100 * (math.sqrt(wider) - 1)
    return {**light_of(off), "contrast": round(float(np.clip(contrast, -40, 60)), 2)}


def light_of(stops: Sequence[float] | NDArray[np.floating]) -> dict[str, float]:
    """Exposure, warmth and tint as a piece has them, which brighten red, green and blue by stops of linear light.

    >>> light_of((0.5, 0.2, -0.1))
    {'exposure': 0.2, 'warmth': 60.0, 'tint': 0.0}
    """
    red, green, blue = stops
    tint = 100 * ((red + blue) / 2 - green)
    found = {"exposure": green + tint / 150, "warmth": 100 * (red - blue), "tint": tint}
    limits = {"exposure": 5, "warmth": 200, "tint": 200}
    return {name: round(float(np.clip(value, -limits[name], limits[name])), 2) for name, value in found.items()}


def _across(own: Values, below: Values, share: Alpha) -> NDArray[np.float64] | None:
    """Stops of red, green and blue from just inside the rim to just outside, that most places of it agree on.

    None where they do not: what is inside does not go on outside.
    """
    _, deep = _depth(share)
    sure = (deep > 1.5).astype(np.uint8)
    if not sure.any():
        return None
    away, labels = cv2.distanceTransformWithLabels(1 - sure, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    outside = (share == 0) & (away <= _ACROSS)
    near = np.zeros(int(labels.max()) + 1, np.int64)
    rows, columns = np.nonzero(sure)
    near[labels[rows, columns]] = rows * share.shape[1] + columns
    pairs = near[labels[outside]]
    if len(pairs) < 40:
        return None
    blurred = [np.asarray(cv2.GaussianBlur(values, (0, 0), 0.8), np.float32) for values in (own, below)]
    calm = [stops_of(values).reshape(-1, 3) for values in blurred]
    off = calm[1][outside.ravel()] - calm[0][pairs]
    middle = np.median(off, axis=0)
    for width in (1.2, 0.8, 0.5, 0.35, 0.25, 0.25, 0.25):
        agree = np.clip(1 - np.square((off - middle) / width).sum(axis=1), 0, None) ** 2
        if agree.sum() < 1e-6:
            return None
        middle = (off * agree[:, None]).sum(axis=0) / agree.sum()
    agreed = float((np.abs(off - middle).max(axis=1) < 0.3).mean())
    return np.asarray(middle) if agreed > _AGREED else None


def bands_of(share: Alpha) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Pixels along the rim: those well inside it, and those outside."""
    covered, deep = _depth(share)
    if not covered.any() or covered.all():
        return np.zeros(share.shape, np.bool_), np.zeros(share.shape, np.bool_)
    away = cv2.distanceTransform(1 - covered, cv2.DIST_L2, 5)
    wide = max(_LEAST_BAND, _BAND * float(deep.max()))
    inside = (deep > 1) & (deep <= wide + 1)
    return np.asarray(inside), np.asarray((share == 0) & (away <= wide + 1))


def _depth(share: Alpha) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
    """What is covered by half and more of the most, and how deep inside it each pixel lies."""
    covered = (share > 0.5 * share.max(initial=0)).astype(np.uint8)
    return covered, depth_within(covered)


def stops_of(values: NDArray[np.floating]) -> NDArray[np.float64]:
    """sRGB encoded values, 0-1, as stops of linear light below white."""
    return np.asarray(np.log2(np.maximum(srgb_decode(values), _BLACK)))


def grain_to_match(own: Values, below: Values, inside: NDArray[np.bool_], outside: NDArray[np.bool_]) -> float:
    """Deviation of the grain, 8-bit levels, that a piece lacks beside what lies around it; 0 where that is not seen."""
    ours, theirs = noise_within(own, inside), noise_within(below, outside)
    if ours is None or theirs is None:
        return 0.0
    return round(255 * math.sqrt(max(0.0, theirs**2 - ours**2)), 1)


def noise_within(values: Values, where: NDArray[np.bool_]) -> float | None:
    """Deviation of the noise of light, 0-1 (Immerkær 1996, doi:10.1006/cviu.1996.0060), of the quieter places."""
    grey = values @ np.array(LUMINANCE, np.float32)
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    busy = np.abs(cv2.filter2D(grey, -1, kernel))
    whole = cv2.erode(where.astype(np.uint8), np.ones((_BLOCK + 3, _BLOCK + 3), np.uint8), borderValue=0) > 0
    means = cv2.blur(busy, (_BLOCK, _BLOCK))[whole]
    if means.size < 20:
        return None
    return math.sqrt(math.pi / 2) * float(np.quantile(means, 0.25)) / 6


def blur_to_match(own: Values, below: Values, inside: NDArray[np.bool_], outside: NDArray[np.bool_]) -> float:
    """Deviation of the blur, pixels, that makes a piece no crisper than what lies around it; 0 where it is not.

    Crispness is the strength of the finest structures beside the next coarser ones.
    """
    if inside.sum() < 200 or outside.sum() < 200:
        return 0.0
    wanted = _crispness(below, outside)
    if wanted is None:
        return 0.0
    low, high = 0.0, _MOST_BLUR
    now = _crispness(own, inside)
    if now is None or now < _CRISPER * wanted:
        return 0.0
    for _ in range(7):
        middle = (low + high) / 2
        softer = _crispness(np.asarray(cv2.GaussianBlur(own, (0, 0), max(middle, 0.1)), np.float32), inside)
        low, high = (middle, high) if softer is not None and softer > wanted else (low, middle)
    return round((low + high) / 2, 2)


def _crispness(values: Values, where: NDArray[np.bool_]) -> float | None:
    grey = values @ np.array(LUMINANCE, np.float32)
    blurs = [cv2.GaussianBlur(grey, (0, 0), deviation) for deviation in (0.7, 1.4, 2.8)]
    fine, coarse = np.abs(blurs[0] - blurs[1])[where], np.abs(blurs[1] - blurs[2])[where]
    # edges tell, not plain ground with its noise
    edges = coarse > max(float(np.quantile(coarse, 0.8)), 0.004)
    if edges.sum() < 30:
        return None
    return float(fine[edges].sum() / coarse[edges].sum())
