"""What a Clean operation is, and what it yields: a patch."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.masks import Mask
from fern_ticket.core.ledger.operation import Operation, P, Station
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.regions import Box

#: Reads full-size pixels of a box as they are before the step.
Reader = Callable[[Box], Pixels]


@dataclass(frozen=True)
class Patch:
    """New pixels for one place.

    Attributes
    ----------
    box
        Where, in source pixels.
    pixels
        Shape (rows, columns, 3), values of the source's encoding and depth.
    alpha
        Coverage 0-1, shape (rows, columns), float32.
    """

    box: Box
    pixels: Pixels
    alpha: NDArray[np.float32]

    def lay_on(self, pixels: Pixels, box: Box, strength: float) -> None:
        """Blend onto `pixels`, which cover `box`, in place."""
        shared = self.box.within(box)
        if shared.empty:
            return
        mine, theirs = shared.relative_to(self.box), shared.relative_to(box)
        below = pixels[theirs.rows, theirs.columns]
        cover = (self.alpha[mine.rows, mine.columns] * np.float32(strength))[..., None]
        new = self.pixels[mine.rows, mine.columns].astype(np.float32)
        pixels[theirs.rows, theirs.columns] = (below + (new - below) * cover + 0.5).astype(pixels.dtype)


@dataclass(frozen=True)
class CleanOperation(Operation[P]):
    """A repair.

    Attributes
    ----------
    reads
        `(params, mask, size)` to the box of full-size pixels that the repair looks at.
    repair
        `(params, mask, size, read)` to a patch. Same arguments, same pixels.
    settle
        `(params, mask, size, read)` to parameters with everything left open decided, such as a proposed source. Run
        once, when the step is made, so that later changes elsewhere do not move it.
    """

    reads: Callable[[Any, Mask, tuple[int, int]], Box] = lambda *_: Box(0, 0, 0, 0)
    repair: Callable[[Any, Mask, tuple[int, int], Reader], Patch] | None = None
    settle: Callable[[Any, Mask, tuple[int, int], Reader], Any] | None = None

    @property
    def station(self) -> Station:
        return Station.CLEAN


def needed_mask(mask: Mask | None, title: str) -> Mask:
    if mask is None:
        raise LedgerError(f"{title} needs a place to work on.", "Give the step a mask: strokes or a bitmap.")
    return mask


@dataclass(frozen=True)
class Painted:
    """A mask drawn once: its box in the picture, which may be empty, and its coverage 0-1 there."""

    box: Box
    alpha: NDArray[np.float32]

    @staticmethod
    def of(mask: Mask, size: tuple[int, int]) -> Painted:
        box = mask.box(size)
        return Painted(box, np.zeros((0, 0), np.float32) if box.empty else mask.alpha(box))

    def places(self) -> Iterator[tuple[Box, NDArray[np.float32]]]:
        """Each connected place: its box and its own coverage."""
        if self.box.empty:
            return
        covered = (self.alpha > 0).astype(np.uint8)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(covered, connectivity=8)
        for label in range(1, count):
            left, top, width, height, _ = (int(v) for v in stats[label])
            part = self.alpha[top : top + height, left : left + width]
            own = labels[top : top + height, left : left + width] == label
            place = Box(left, top, left + width, top + height).moved(self.box.left, self.box.top)
            yield place, np.where(own, part, np.float32(0))

    def over(self, region: Box) -> NDArray[np.bool_]:
        """Which pixels of a region are covered at all."""
        covered = np.zeros((region.height, region.width), np.bool_)
        shared = self.box.within(region)
        if not shared.empty:
            mine, theirs = shared.relative_to(self.box), shared.relative_to(region)
            covered[theirs.rows, theirs.columns] = self.alpha[mine.rows, mine.columns] > 0
        return covered
