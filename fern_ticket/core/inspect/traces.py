"""Traces that repairs leave: a visible rim, too little grain, colour across a fence. For the slip."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.clean.limits import Fence
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.repaired import Laid, Repaired

Kind = Literal["join", "grain", "bleed"]

#: A rim shows when the steps across it are so many times those on both its sides.
_JOIN = 1.7
#: A place is airbrushed when its grain is below this share of its ring's.
_GRAIN = 0.55
#: Of 255: below this a ring has no grain that could be missing, and a rim no step that could be seen.
_LEAST = 0.5
#: Smaller repairs leave nothing that could be measured, pixels of the longer side.
_SMALLEST = 9
#: What is looked at beside a repair, for its rim and for its grain, pixels.
_BESIDE_RIM, _AROUND = 10, 24
#: Repairs larger than this are measured on a part of them.
_SIDE = 1200


@dataclass(frozen=True)
class Trace:
    """What shows, where, in source pixels, and of which step."""

    kind: Kind
    box: Box
    step: str


def traces(repaired: Repaired, carry_on: Callable[[], None] = lambda: None) -> list[Trace]:
    """Every trace that can be measured, in the order of the repairs.

    `carry_on` is called before each repair and may raise to stop; what was measured until then is kept.
    """
    found: list[Trace] = []
    for laid in repaired.laid_repairs():
        carry_on()
        if not laid.repair.operation.leaves_traces or max(laid.box.width, laid.box.height) < _SMALLEST:
            continue
        near = laid.box.grown(_AROUND).within(Box(0, 0, *repaired.size))
        kinds = repaired.kept_near(f"traces of {laid.repair.key}", near, partial(_of_pixels, laid, repaired))
        if any(_bleeds(laid, fence) for fence in repaired.fences):
            kinds = (*kinds, "bleed")
        found += [Trace(kind, laid.box, laid.repair.step.id) for kind in kinds]
    return found


def _of_pixels(laid: Laid, repaired: Repaired) -> tuple[Kind, ...]:
    """What shows in the pixels around a repair."""
    found: list[Kind] = ["join"] if _shows_rim(laid, repaired) else []
    return (*found, "grain") if _airbrushed(laid, repaired) else tuple(found)


def _seen(laid: Laid, repaired: Repaired, margin: int) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """Grey values around a repair, of 255, and where it covers them by half and more."""
    middle_x, middle_y = (int(v) for v in laid.box.middle)
    near = Box(middle_x - _SIDE // 2, middle_y - _SIDE // 2, middle_x + _SIDE // 2, middle_y + _SIDE // 2)
    part = laid.box.within(near)
    around = part.grown(margin).within(Box(0, 0, *repaired.size))
    pixels = repaired.read(0, around)
    narrow = pixels.astype(np.float32) / np.float32(1 if pixels.dtype == np.uint8 else 257)
    grey = cv2.cvtColor(narrow, cv2.COLOR_RGB2GRAY)
    covered = np.zeros(grey.shape, np.bool_)
    mine, theirs = part.relative_to(laid.box), part.relative_to(around)
    covered[theirs.rows, theirs.columns] = laid.alpha[mine.rows, mine.columns] >= 0.5
    return np.asarray(grey, np.float32), covered


def _shows_rim(laid: Laid, repaired: Repaired) -> bool:
    """Steps across the rim beside those a few pixels within and without, in the same direction."""
    grey, covered = _seen(laid, repaired, _BESIDE_RIM)
    if covered.sum() < 60 or covered.all():
        return False
    shape = covered.astype(np.uint8)
    depth = cv2.distanceTransform(shape, cv2.DIST_L2, 5) - cv2.distanceTransform(1 - shape, cv2.DIST_L2, 5)
    way_x, way_y = cv2.Sobel(depth, cv2.CV_32F, 1, 0), cv2.Sobel(depth, cv2.CV_32F, 0, 1)
    length = np.maximum(np.hypot(way_x, way_y), 1e-3)
    soft = cv2.GaussianBlur(grey, (0, 0), 0.8)
    step = np.abs(cv2.Sobel(soft, cv2.CV_32F, 1, 0) * way_x + cv2.Sobel(soft, cv2.CV_32F, 0, 1) * way_y) / length / 8
    rim, inner, outer = np.abs(depth) <= 1.5, (depth > 3) & (depth < 8), (depth < -3) & (depth > -8)
    if not (rim.any() and inner.any() and outer.any()):
        return False
    beside = max(float(step[inner].mean()), float(step[outer].mean()), _LEAST)
    return float(step[rim].mean()) > _JOIN * beside


def _airbrushed(laid: Laid, repaired: Repaired) -> bool:
    grey, covered = _seen(laid, repaired, _AROUND)
    fine = grey - cv2.GaussianBlur(grey, (0, 0), 1.4)
    inner = cv2.erode(covered.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    outer = cv2.dilate(covered.astype(np.uint8), np.ones((5, 5), np.uint8)) == 0
    if inner.sum() < 60 or outer.sum() < 60:
        return False
    around = _middling(fine[outer])
    return around > _LEAST and _middling(fine[inner]) < _GRAIN * around


def _middling(values: NDArray[np.float32]) -> float:
    return 1.4826 * float(np.median(np.abs(values)))


def _bleeds(laid: Laid, fence: Fence) -> bool:
    """Whether a repair lies on both sides of a fence."""
    if not fence.box.meets(laid.box):
        return False
    covered = (laid.alpha > 0.1) & ~fence.line(laid.box)
    across = fence.hidden(laid.box, _inside(covered, laid.box)) & covered
    return int(across.sum()) > 0.02 * max(1, int(covered.sum()))


def _inside(covered: NDArray[np.bool_], box: Box) -> tuple[float, float]:
    """The place deepest inside what is covered."""
    depth = cv2.distanceTransform(np.pad(covered, 1).astype(np.uint8), cv2.DIST_L2, 3)[1:-1, 1:-1]
    row, column = np.unravel_index(int(np.argmax(depth)), covered.shape)
    return box.left + float(column) + 0.5, box.top + float(row) + 0.5
