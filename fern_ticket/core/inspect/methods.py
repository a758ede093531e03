"""Which way of cleaning fits a place: proposed when a stroke ends.

One is sure enough to be taken by default: where an edge runs through a place, one source cannot fit on both sides of
it, and healing draws colour across. Common practice, no source; tuned on places of scikit-image's photos and of the
demo's, with truth, a third of them kept apart.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.repair import Ground
from fern_ticket.core.ledger.masks import Mask, StrokesMask
from fern_ticket.core.pictures.values import blurred_within, deepest, narrowed, slope

#: Of 255: ground that varies by less is smooth, a slope above the other is a strong edge.
_SMOOTH, _EDGE = 1.6, 26.0
#: Pixels: a place larger than this wants more than one source; of surroundings fewer than these tell nothing.
_LARGE, _TOO_FEW = 140, 40
#: Of an edge that runs through: levels of 255 for each pixel, how many times steeper it is than most of what lies
#: around, and the share of it that meets the rim rather than running along it.
_STEEP, _STANDS_OUT, _MEETS = 3.0, 4.0, 0.3
#: Pixels beside a place that may still be of what is taken away, and how far around edges are looked for: a share of
#: its long side, at least so many pixels.
_BESIDE, _AROUND, _LEAST_AROUND = 3, 0.22, 4


@dataclass(frozen=True)
class Hint:
    """A method's name and why; and whether it surely fits better than one that gives way."""

    method: str
    why: str
    sure: bool = False


def fitting_method(mask: Mask, ground: Ground) -> Hint | None:
    """The method for a place, or None where nothing can be said.

    Smooth ground: calm. A thin line along a narrow stroke: unthread. An edge through it: regrow. A strong edge beside
    it: clone. Texture: heal, or regrow where the place is large.
    """
    box = mask.box(ground.size)
    if box.empty:
        return None
    reach = int(np.clip(max(box.width, box.height) // 3, 10, 48))
    around = box.grown(reach).within(ground.whole)
    pixels = ground.read(around)
    grey = cv2.cvtColor(narrowed(pixels), cv2.COLOR_RGB2GRAY).astype(np.float32)
    hole = np.zeros(grey.shape, np.bool_)
    inner = box.relative_to(around)
    hole[inner.rows, inner.columns] = mask.alpha(box) > 0
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    ring = (cv2.dilate(hole.astype(np.uint8), disc) > 0) & ~hole
    if ring.sum() < _TOO_FEW:
        return None
    if _thin(mask, hole):
        return Hint("unthread", "a thin line: what it crosses runs on")
    shapes = np.abs(blurred_within(grey, ring, 1.2) - blurred_within(grey, ring, 6))[ring]
    steep = slope(np.asarray(cv2.GaussianBlur(grey, (0, 0), 1), np.float32)) / 4
    near = ring & (cv2.dilate(hole.astype(np.uint8), np.ones((13, 13), np.uint8)) > 0)
    if np.percentile(shapes, 85) < _SMOOTH:
        return Hint("calm", "smooth ground: no texture to copy")
    if _runs_through(grey, hole):
        return Hint("regrow", "an edge runs through it: healing would draw colour across", sure=True)
    edge = steep[near if near.any() else ring]
    if np.percentile(edge, 96) > _EDGE and np.percentile(shapes, 40) < 2 * _SMOOTH:
        return Hint("clone", "a crisp edge beside it: healing would pull colour across")
    if max(box.width, box.height) > _LARGE:
        return Hint("regrow", "a large place on texture: one source would repeat")
    return Hint("heal", "texture: colour and light are matched")


def _runs_through(grey: NDArray[np.float32], hole: NDArray[np.bool_]) -> bool:
    """Whether a steep edge, which stands out from what lies around, meets a place instead of passing by."""
    _, _, width, height = cv2.boundingRect(hole.view(np.uint8))
    around = max(_LEAST_AROUND, round(_AROUND * max(width, height)))
    away = np.asarray(cv2.distanceTransform((~hole).astype(np.uint8), cv2.DIST_L2, 5), np.float32)
    ring = (away > _BESIDE) & (away <= _BESIDE + around)
    if ring.sum() < _TOO_FEW:
        return False
    soft = cv2.GaussianBlur(grey, (0, 0), 1)
    across, down = (cv2.Sobel(soft, cv2.CV_32F, *way) / 8 for way in ((1, 0), (0, 1)))
    steep = np.hypot(across, down)[ring]
    strong = float(np.percentile(steep, 96))
    if strong < _STEEP or strong < _STANDS_OUT * max(float(np.median(steep)), 0.5):
        return False
    # an edge that passes by changes along the way out of the place, one that meets it changes along its rim
    outward, downward = (cv2.Sobel(away, cv2.CV_32F, *way) / 8 for way in ((1, 0), (0, 1)))
    outwards = (across * outward + down * downward)[ring] / np.maximum(np.hypot(outward, downward)[ring], 0.1)
    edge = steep >= 0.5 * strong
    passes = float(np.square(outwards[edge]).sum() / np.square(steep[edge]).sum())
    return 1 - passes > _MEETS


def _thin(mask: Mask, hole: NDArray[np.bool_]) -> bool:
    """Whether strokes run along a line; going to and fro they cover something wider than themselves."""
    if not isinstance(mask, StrokesMask):
        return False
    size = max(stroke.size for stroke in mask.strokes)
    if 2 * deepest(hole) > 1.5 * size:
        return False
    return sum(stroke.length for stroke in mask.strokes) > 8 * size
